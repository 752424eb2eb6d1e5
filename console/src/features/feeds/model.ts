import type { Schemas } from '../../shared/api/client'
import { placeBars, type PlacedBar } from '../../shared/ui/bars'

type Intake = Schemas['FeedIntake']

/** How queries name a feed. */
export function inFrom(feed: string): string {
  return `feed.${feed.replaceAll('-', '_')}`
}

/** The share of records that were set aside, as people read it. */
export function share(part: number, whole: number): string {
  if (whole === 0) {
    return ''
  }
  const percent = (100 * part) / whole
  return percent === 0 ? '0 %' : percent < 0.01 ? '< 0.01 %' : `${percent.toFixed(2)} %`
}

/** How long ago, in the largest unit that fits. */
export function ago(iso: string | undefined, now: number): string {
  if (!iso) {
    return 'never'
  }
  const minutes = Math.max(0, Math.round((now - Date.parse(iso)) / 60_000))
  if (minutes < 1) {
    return 'just now'
  }
  if (minutes < 60) {
    return `${minutes} min ago`
  }
  const hours = Math.round(minutes / 60)
  return hours < 48 ? `${hours} h ago` : `${Math.round(hours / 24)} days ago`
}

/** A share this high fills the chart, unless there is a higher one. */
const FULL_SHARE = 0.05

/** Upright bars for the share set aside of each intake, the highest as high as the chart. */
export function shareBars(history: Intake[], width: number, height: number): PlacedBar[] {
  return placeBars(
    history.map((i) => ({
      key: String(i.run),
      value: i.records === 0 ? 0 : i.setAside / i.records,
      colour: i.setAside > 0 ? 'var(--set-aside)' : 'var(--quiet)',
      title: `run ${i.run}: ${share(i.setAside, i.records)} of ${i.records.toLocaleString('en-GB')} records set aside`,
    })),
    width,
    height,
    { widest: Math.min(20, width / 8) - 1, gap: 1, full: FULL_SHARE },
  )
}

export type DiffLine = { kind: 'same' | 'less' | 'more'; text: string }

/** The lines of two texts side by side: what both have, what only the one or the other has. */
export function diff(before: string, after: string): DiffLine[] {
  const a = before.split('\n')
  const b = after.split('\n')
  // The longest common run of lines, by the textbook's table: documents are short.
  const width = b.length + 1
  const common = new Uint32Array((a.length + 1) * width)
  const at = (i: number, j: number) => common[i * width + j] ?? 0
  for (let i = a.length - 1; i >= 0; i--) {
    for (let j = b.length - 1; j >= 0; j--) {
      common[i * width + j] = a[i] === b[j] ? at(i + 1, j + 1) + 1 : Math.max(at(i + 1, j), at(i, j + 1))
    }
  }
  const out: DiffLine[] = []
  let i = 0
  let j = 0
  while (i < a.length || j < b.length) {
    const before = a[i]
    const after = b[j]
    if (before !== undefined && before === after) {
      out.push({ kind: 'same', text: before })
      i++
      j++
    } else if (after !== undefined && (before === undefined || at(i, j + 1) > at(i + 1, j))) {
      out.push({ kind: 'more', text: after })
      j++
    } else if (before !== undefined) {
      out.push({ kind: 'less', text: before })
      i++
    }
  }
  return out
}

/** The plain types that a column may be given; one with parts or of its own is offered as it is. */
export function typeChoices(now: string): string[] {
  const plain = [
    'varchar',
    'int',
    'bigint',
    'decimal(9, 2)',
    'decimal(18, 6)',
    'float',
    'double',
    'date',
    'time',
    'timestamp',
    'timestamp with time zone',
    'boolean',
    'uuid',
    'binary',
  ]
  return plain.includes(now) ? plain : [now, ...plain]
}

/** A feed's document with another type for a column; the same document where the column is not written on a line of its own. */
export function withType(text: string, column: string, type: string): string {
  const quoted = /[(,]/.test(type) ? `"${type}"` : type
  const name = column.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
  const line = new RegExp(`^(\\s+(?:${name}|"${name}"):\\s*)(.*)$`, 'm')
  const start = text.search(/^columns:/m)
  if (start < 0) {
    return text
  }
  const columns = text.slice(start).replace(line, (_all, before: string, rest: string) => {
    const comment = /\s+#.*$/.exec(rest)?.[0] ?? ''
    const value = rest.slice(0, rest.length - comment.length)
    const settings = value.startsWith('{')
      ? value.replace(/(\btype:\s*)("[^"]*"|[^,}]+)/, `$1${quoted}`)
      : quoted
    return before + settings + comment
  })
  return text.slice(0, start) + columns
}
