import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'

type Column = Schemas['RowColumn']

export function isNumeric(type: string): boolean {
  return /^(int|bigint|double|decimal)/.test(type)
}

/** What was read and what came out of it, for the head of the rows. */
export function head(preview: Schemas['PreviewView']): string {
  const read = preview.sources.map((s) => s.words).join('; ')
  const rows = (n: number) => (n === 1 ? '1 row' : `${number(n)} rows`)
  const out =
    preview.matching === undefined || preview.matching === null
      ? rows(preview.given)
      : `${number(preview.matching)} of ${rows(preview.given)}`
  return read ? `${out} from ${read}` : out
}

/** The columns that tell rows apart stay in front; then what is new, what was there, and what is not any more. */
export function unionOfColumns(after: Column[], before: Column[]): Column[] {
  const there = new Set(after.map((c) => c.name))
  const kept = after.filter((c) => c.change !== 'new')
  return [
    ...kept.slice(0, 1),
    ...after.filter((c) => c.change === 'new'),
    ...kept.slice(1),
    ...before.filter((c) => !there.has(c.name)),
  ]
}

/** The lines of a step: from its name to the next step's, without blank lines and comments before that. */
export function linesOf(
  text: string,
  steps: { name: string; place: Schemas['Place'] }[],
  step: string,
): { from: number; to: number } | undefined {
  const at = steps.find((s) => s.name === step)
  if (!at) {
    return undefined
  }
  const from = at.place.line
  let to = from
  let n = from
  for (const line of text.split('\n').slice(from)) {
    n++
    if (/^\S/.test(line) || (/^ {2}\S/.test(line) && !/^ {2}#/.test(line))) {
      break
    }
    if (line.trim() !== '' && !/^\s*#/.test(line)) {
      to = n
    }
  }
  return { from, to }
}
