import type { Schemas } from '../../shared/api/client'
import { inSql, isNumeric, isTime, number } from '../../shared/lib/format'
import { inFrom } from '../feeds/model'
import type { TableColumn } from '../query/queries'

type Profile = Schemas['ProfileView']

export const STAGES = ['source', 'clean', 'key', 'look up', 'make', 'write', 'when'] as const
export type Stage = (typeof STAGES)[number]

/** The document as far as it has come. */
export type Growth = {
  text: string
  /** The step that the next one comes behind. */
  last: string
  /** What the first rows come from, as a query names it. */
  source: string
  /** The table that a dimension or a fact is made for. */
  table?: string
}

export function begun(name: string, kind: 'feed' | 'table', of: string): { text: string; steps: string } {
  return {
    text: `pipeline: ${name}\nabout: What it makes, and for whom.\nsteps: {}\n`,
    steps: `rows:\n  read: {${kind}: ${of}}\n`,
  }
}

/** A document under another name. It runs by hand at first: two pipelines at one time were not asked for. */
export const copied = (text: string, name: string) =>
  text.replace(/^pipeline:.*$/m, `pipeline: ${name}`).replace(/^schedule:.*\n(?:[ \t]+.*\n)*/m, '')

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

/** From this share on a column is proposed as the key. */
const NEARLY_UNIQUE = 0.9

/** The column that tells rows apart by itself, where there is one. */
export const bestKey = (profile: Profile): string[] =>
  keys(profile)
    .filter((k) => k.share >= NEARLY_UNIQUE && k.nulls === 0)
    .slice(0, 1)
    .map((k) => k.name)

/** How well a column tells rows apart, in words. */
export const ownShare = (k: ReturnType<typeof keys>[number]): string =>
  `${(100 * k.share).toFixed(k.share > 0.99 && k.share < 1 ? 2 : 0)} % of the rows looked at have a value of their own${k.nulls > 0 ? `, ${number(k.nulls)} are null` : ''}`

/** A text of which nearly the same counts as the same; `least` is a share in percent. */
export type Alike = { on: string; least: number }

/** One row of each, by some columns. */
export const dedupeBody = (by: string[], alike?: Alike) =>
  `{by: ${list(by)}${alike ? `, alike: {on: ${inYaml(alike.on)}, least: ${alike.least}%}` : ''}, keep: last}`

const GROUP = 'alike_as'

/** Steps that give a row for each group of rows that are alike: how many texts are in it, and which. */
export const alikeSteps = (by: string[], { on, least }: Alike): Step[] => [
  {
    verb: 'dedupe',
    body: `{by: ${list(by)}, alike: {on: ${inYaml(on)}, least: ${least}%, group: ${GROUP}}}`,
  },
  {
    verb: 'aggregate',
    body: `{by: [${GROUP}], set: {texts: ${inYaml(`count(distinct ${inSql(on)})`)}, which: ${inYaml(`listagg(distinct ${inSql(on)}, ' · ')`)}}}`,
  },
]

/** Texts that people write in several ways, the most unlike first: names more likely than codes of a few letters. */
export const alikeTexts = (profile: Profile, by: string[]): string[] =>
  profile.columns
    .filter((c) => c.type.startsWith('varchar') && c.distinct > 1 && !by.includes(c.name))
    .sort((a, b) => b.distinct - a.distinct)
    .map((c) => c.name)

/** Times and amounts are often unlike by chance: among them and columns that do nearly as well, the others go first. */
const BY_CHANCE = 0.05

/** Columns by how well they tell rows apart, the best first. */
export function keys(profile: Profile): { name: string; share: number; nulls: number }[] {
  const chance = new Map(
    profile.columns.map((c) => [c.name, /^(date|time|double|decimal)/.test(c.type) ? BY_CHANCE : 0]),
  )
  return profile.columns
    .map((c) => ({
      name: c.name,
      share: profile.rows === 0 ? 0 : Math.min(1, c.distinct / profile.rows),
      nulls: c.nulls,
    }))
    .filter((c) => c.share > 0)
    .sort((a, b) => b.share - (chance.get(b.name) ?? 0) - a.share + (chance.get(a.name) ?? 0))
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

export const isTable = (name: string) => /^[a-z][a-z0-9_]*\.[a-z][a-z0-9_]*$/.test(name)

/** A text as it stands in a list or a map of a document. */
const inYaml = (text: string) =>
  /^[A-Za-z_][\w. ()*]*$/.test(text) && text.trim() === text ? text : `'${text.replaceAll("'", "''")}'`

const list = (texts: string[]) => `[${texts.map(inYaml).join(', ')}]`

type Columns = Schemas['StepColumn'][]

/** From this share of unlike values on, groups would be hardly fewer than the rows. */
const FEW = 0.5

/** Columns that make groups, those with the fewest values first; and for each time its day. */
export function groupings(
  profile: Profile,
  columns: Columns,
): { name: string; of?: string; values?: number }[] {
  const typeOf = new Map(columns.map((c) => [c.name, c.type]))
  const found = profile.columns
    .filter((c) => c.distinct > 0 && c.distinct <= Math.max(2, FEW * profile.rows))
    .filter((c) => !/^(double|decimal|timestamp)/.test(typeOf.get(c.name) ?? ''))
    .sort((a, b) => a.distinct - b.distinct)
    .map((c) => ({ name: c.name, values: c.distinct }))
  const days = columns
    .filter((c) => c.type.startsWith('timestamp'))
    .map((c) => ({ name: `${c.name}_day`, of: c.name }))
  return [...found, ...days]
}

export const numbers = (columns: Columns) => columns.filter((c) => isNumeric(c.type)).map((c) => c.name)

type Step = { verb: string; body: string }

/** A step that gives the day of each time. */
const daysOf = (times: string[]): Step[] =>
  times.length === 0
    ? []
    : [
        {
          verb: 'shape',
          body: `{set: {${times.map((t) => `${inYaml(`${t}_day`)}: ${inYaml(`cast(${inSql(t)} as date)`)}`).join(', ')}}}`,
        },
      ]

/** Rows counted, and numbers added up, for each group. */
export function sumSteps(by: { name: string; of?: string }[], sums: string[]): Step[] {
  const set = ['rows: count(*)', ...sums.map((n) => `${inYaml(`sum_${n}`)}: ${inYaml(`sum(${inSql(n)})`)}`)]
  return [
    ...daysOf(by.flatMap((b) => (b.of === undefined ? [] : [b.of]))),
    { verb: 'aggregate', body: `{by: ${list(by.map((b) => b.name))}, set: {${set.join(', ')}}}` },
  ]
}

/** What the rows of a dimension are: members by their key. */
export type Members = { table: string; key: string[]; history: string[]; changedAt: string }

export function memberBody(m: Members): string {
  const history =
    m.history.length === 0
      ? ''
      : `, history: ${list(m.history)}${m.changedAt === '' ? '' : `, changed-at: ${inYaml(m.changedAt)}`}`
  return `{table: ${m.table}, key: ${list(m.key)}${history}}`
}

export const timesOf = (columns: Columns) => columns.filter((c) => isTime(c.type)).map((c) => c.name)

/**
 * A dimension that the rows can point to.
 *
 * @param mine the column here, of which the day is taken where it is a time and days are there
 * @param history whether its members have versions, so that it takes a time to find one
 */
export type Pointed = { table: string; mine: string; theirs: string; ofTime: boolean; history: boolean }

/** Tables whose first column is a surrogate key, with a column that says the same as one of the rows. */
export function dimensions(columns: Columns, others: Other[]): Pointed[] {
  const tables = new Map<string, Other[]>()
  others.forEach((o) => tables.set(o.table, [...(tables.get(o.table) ?? []), o]))
  return [...tables].flatMap(([table, all]) => {
    // A fact has several keys.
    if (!all[0]?.column.endsWith('_key') || all.slice(1).some((o) => o.column.endsWith('_key'))) {
      return []
    }
    const history = all.some((o) => o.column === 'valid_from')
    const rest = all.slice(1)
    return columns.flatMap((c): Pointed[] => {
      const same = rest.find((o) => o.column.toLowerCase() === c.name.toLowerCase() && o.type === c.type)
      const day = isTime(c.type)
        ? rest.find((o) => o.column === 'calendar_day' && o.type === 'date')
        : undefined
      const theirs = same && !isTime(c.type) ? same : day
      const ofTime = theirs === day && c.type.startsWith('timestamp')
      return theirs ? [{ table, mine: c.name, theirs: theirs.column, ofTime, history }] : []
    })
  })
}

/** What the rows of a fact are. */
export type Facts = { grain: string[]; to: Pointed[]; at: string; measures: string[] }

/** A name for the key of each dimension: by its table, and by the column here where two point to one. */
export function keyNames(to: Pointed[]): string[] {
  const plain = (p: Pointed) => p.table.replace(/^.*\./, '').replace(/^dim_/, '')
  return to.map((p) => `${to.filter((o) => o.table === p.table).length > 1 ? p.mine : plain(p)}_key`)
}

/** The days that the keys need, and the fact; `reads` are the steps that read the dimensions. */
export function factSteps(f: Facts, reads: string[]): Step[] {
  const names = keyNames(f.to)
  const keys = f.to.map((p, i) => {
    const mine = p.ofTime ? `${p.mine}_day` : p.mine
    const on = mine === p.theirs ? list([mine]) : `{${inYaml(mine)}: ${inYaml(p.theirs)}}`
    const at = p.history && f.at !== '' ? `, at: ${inYaml(f.at)}` : ''
    return `${inYaml(names[i]!)}: {dimension: ${reads[i]}, on: ${on}${at}}`
  })
  return [
    ...daysOf([...new Set(f.to.filter((p) => p.ofTime).map((p) => p.mine))]),
    {
      verb: 'fact',
      body: `{grain: ${list(f.grain)}, keys: {${keys.join(', ')}}, measures: ${list(f.measures)}, keep: ${list(f.grain)}}`,
    },
  ]
}

/** Of how many rows of the source, in how many partitions. The day of a time that the document makes is that of the time. */
export function spreadSql(growth: Growth, partition: string): string | undefined {
  const m = /\b(month|day)\((.+?)\)$/.exec(partition)
  if (!m) {
    return undefined
  }
  const time = inSql(m[2]!.replace(/_day$/, ''))
  const of = growth.text.includes(`cast(${time} as date)`) ? time : inSql(m[2]!)
  return `SELECT count(*), count(DISTINCT DATE_TRUNC('${m[1]}', ${of})) FROM ${growth.source}`
}

/** Files with fewer rows than these cost more to open than to read. */
export const FEW_ROWS = 10_000

export type Target = { table: string; mode: string; partition: string; key: string[] }

export function writeBody(target: Target): string {
  const more = [
    `table: ${target.table}`,
    `mode: ${target.mode}`,
    ...(target.mode === 'upsert' ? [`key: ${list(target.key)}`] : []),
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
