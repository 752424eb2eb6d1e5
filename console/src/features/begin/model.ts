import type { Schemas } from '../../shared/api/client'
import { inFrom } from '../feeds/model'
import type { TableColumn } from '../query/queries'

type Profile = Schemas['ProfileView']

export const STAGES = ['source', 'clean', 'key', 'look up', 'write', 'when'] as const
export type Stage = (typeof STAGES)[number]

/** The document as far as it has come. */
export type Growth = {
  text: string
  /** The step that the next one comes behind. */
  last: string
  /** What the first rows come from, as a query names it. */
  source: string
}

export function begun(name: string, kind: 'feed' | 'table', of: string): { text: string; steps: string } {
  return {
    text: `pipeline: ${name}\nabout: What it makes, and for whom.\nsteps: {}\n`,
    steps: `rows:\n  read: {${kind}: ${of}}\n`,
  }
}

/** A name for a pipeline that begins with something. */
export function nameFrom(of: string): string {
  const plain = of
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-+|-+$/g, '')
  return /^[a-z]/.test(plain) ? `${plain}-clean` : 'my-pipeline'
}

export const asQueried = (kind: 'feed' | 'table', of: string) => (kind === 'feed' ? inFrom(of) : of)

/** What is odd about the rows and can be mended, by the step that mends it; each step once. Rows that come twice are asked about next. */
export function mends(profile: Profile): { offer: string; why: string[] }[] {
  const out = new Map<string, string[]>()
  profile.columns.forEach((c) =>
    c.findings.forEach((f) => {
      if (f.offer && !f.offer.startsWith('dedupe:')) {
        out.set(f.offer, [...(out.get(f.offer) ?? []), `${c.name} ${f.words}`])
      }
    }),
  )
  return [...out].map(([offer, why]) => ({ offer, why }))
}

/** Columns by how well they tell rows apart, the best first. */
export function keys(profile: Profile): { name: string; share: number; nulls: number }[] {
  return profile.columns
    .map((c) => ({
      name: c.name,
      share: profile.rows === 0 ? 0 : Math.min(1, c.distinct / profile.rows),
      nulls: c.nulls,
    }))
    .filter((c) => c.share > 0)
    .sort((a, b) => b.share - a.share)
}

export type Other = TableColumn

/** Columns of other tables that are called the same and of the same type, which may be looked up. */
export function lookUps(columns: Schemas['StepColumn'][], others: Other[], most = 8): Other[] {
  const mine = new Map(columns.map((c) => [c.name.toLowerCase(), c.type]))
  return others
    .filter((o) => mine.get(o.column.toLowerCase()) === o.type && !o.table.startsWith('raw.'))
    .slice(0, most)
}

/** Whether a document takes the blanks off a column's ends. */
export function isTrimmed(text: string, column: string): boolean {
  return new RegExp(`trim: (\\{of: (text|varchar)\\}|\\[[^\\]]*\\b${column}\\b)`).test(text)
}

/**
 * Of how many rows, how many find the other table's column; and how many rows there have the value of another one.
 * Values are taken as the document has cleaned them.
 */
export function matchSql(source: string, other: Other, rows: number, trimmed: boolean): string {
  const c = `"${other.column}"`
  const k = trimmed ? `TRIM(${c})` : c
  return `SELECT count(*), count(o.k), (SELECT count(${c}) - count(DISTINCT ${c}) FROM ${other.table}) FROM (SELECT ${k} AS k FROM ${source} WHERE ${c} IS NOT NULL LIMIT ${rows}) s LEFT JOIN (SELECT DISTINCT ${c} AS k FROM ${other.table}) o ON o.k = s.k`
}

export type Target = { table: string; mode: string; partition: string; key: string[] }

export function writeBody(target: Target): string {
  const more = [
    `table: ${target.table}`,
    `mode: ${target.mode}`,
    ...(target.mode === 'upsert' ? [`key: [${target.key.join(', ')}]`] : []),
    ...(target.partition === '' ? [] : [`partition: [${target.partition}]`]),
  ]
  return `{${more.join(', ')}}`
}

/** The ways of laying rows out that the columns allow: by month and by day of each time, by each short text. */
export function partitions(columns: Schemas['StepColumn'][]): string[] {
  return columns.flatMap((c) =>
    /^(date|timestamp)/.test(c.type) ? [`year(${c.name}), month(${c.name})`, `day(${c.name})`] : [],
  )
}

export const TIMES: { words: string; cron: string }[] = [
  { words: 'only by hand', cron: '' },
  { words: 'every hour', cron: '0 * * * *' },
  { words: 'every day at 06:00', cron: '0 6 * * *' },
  { words: 'on working days at 06:00', cron: '0 6 * * 1-5' },
  { words: 'every Monday at 06:00', cron: '0 6 * * 1' },
]

/** The document with a schedule in front of its steps. */
export function withSchedule(text: string, cron: string, zone: string): string {
  const without = text.replace(/^schedule: .*\n/m, '')
  return cron === ''
    ? without
    : without.replace(/^steps:/m, `schedule: {cron: "${cron}", zone: ${zone}}\nsteps:`)
}
