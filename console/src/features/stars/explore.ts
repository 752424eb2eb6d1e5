import type { Schemas } from '../../shared/api/client'
import { inSql, isNumeric, isTime } from '../../shared/lib/format'
import type { Chart } from '../charts/model'
import type { Value } from '../samplers/model'

type Star = Schemas['StarDetail']
type Fact = Schemas['FactView']

export type Attribute = { name: string; type: string; label: string }
export type Group = { dimension: string; attributes: Attribute[] }

/** What is asked: a fact of a star, and the columns that it has with its dimensions. */
export type Over = { star: Star; fact: Fact; columns: { name: string; type: string }[] }

const typeIn = (over: Over, name: string) => over.columns.find((c) => c.name === name)?.type ?? ''

/** Rows that have one value of a column. */
export type Choice = { column: string; value: Value }

/** What is asked of a fact: measures, the attributes that make groups, and which rows. */
export type Picked = {
  measures: string[]
  attributes: string[]
  chosen: Choice[]
  /** Of each group the last day alone, for measures that do not add up over days. */
  lastDay: boolean
}

export const NOTHING: Picked = { measures: [], attributes: [], chosen: [], lastDay: false }

/** How many attributes still make a table that people read. */
export const MOST_ATTRIBUTES = 3

/** The columns of a fact by the dimension that they come from; its own last. Keys are for joining, not for reading. */
export function groups(fact: Fact, columns: { name: string; type: string }[]): Group[] {
  const roles = Object.keys(fact.keys).map(role)
  const out = roles.map((role): Group => ({ dimension: role, attributes: [] }))
  const own: Group = { dimension: fact.name, attributes: [] }
  for (const c of columns) {
    if (c.name in fact.keys) {
      continue
    }
    const at = roles.findIndex((role) => c.name.startsWith(`${role}_`))
    const label = at < 0 ? c.name : c.name.slice(roles[at]!.length + 1)
    ;(out[at] ?? own).attributes.push({ ...c, label })
  }
  return [...out, own].filter((g) => g.attributes.length > 0)
}

const role = (key: string) => key.replace(/_key$/, '')

/** The hierarchies of a fact, their levels named as queries name them. */
export function hierarchies({ star, fact }: Over): { dimension: string; name: string; levels: string[] }[] {
  return Object.entries(fact.keys).flatMap(([key, of]) =>
    Object.entries(star.dimensions.find((d) => d.name === of)?.hierarchies ?? {}).map(([name, levels]) => ({
      dimension: role(key),
      name,
      levels: levels.map((l) => `${role(key)}_${l}`),
    })),
  )
}

/** The level below a column in a hierarchy whose upper levels are settled best by what is chosen. */
export function below(over: Over, column: string, chosen: Choice[]): string | undefined {
  return hierarchies(over)
    .filter((h) => h.levels.includes(column) && h.levels.at(-1) !== column)
    .map((h) => {
      const at = h.levels.indexOf(column)
      const settled = h.levels.slice(0, at).filter((l) => chosen.some((c) => c.column === l)).length
      return { next: h.levels[at + 1], open: at - settled }
    })
    .sort((a, b) => a.open - b.open)[0]?.next
}

/** Only rows with these values; each column gives way to the level below it, where there is one. */
export function drilled(over: Over, picked: Picked, choices: Choice[]): Picked {
  let { attributes, chosen } = picked
  for (const c of choices) {
    chosen = [...chosen.filter((o) => o.column !== c.column), c]
    const next = below(over, c.column, chosen)
    attributes = attributes
      .map((a) => (a === c.column ? (next ?? a) : a))
      .filter((a, i, all) => all.indexOf(a) === i)
  }
  return { ...picked, attributes, chosen }
}

const text = (value: string) => `'${value.replaceAll("'", "''")}'`

/** A value as SQL writes it. What is no number is never written as one. */
function literal(value: string, type: string): string {
  if (isNumeric(type) && /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(value)) {
    return value
  }
  if (type === 'boolean') {
    return value === 'true' ? 'TRUE' : 'FALSE'
  }
  return type === 'varchar' ? text(value) : `CAST(${text(value)} AS ${type.toUpperCase()})`
}

/** The columns of a fact that belong to time, and among them the one that tells days. */
function times(over: Over) {
  const { star, fact } = over
  const roles = Object.entries(fact.keys)
    .filter(([, of]) => star.dimensions.find((d) => d.name === of)?.time)
    .map(([key]) => `${role(key)}_`)
  const all = over.columns
    .map((c) => c.name)
    .filter((c) => roles.some((r) => c.startsWith(r)) && !(c in fact.keys))
  return { all, day: all.find((c) => isTime(typeIn(over, c))) }
}

/** Measures that would be added up over days, and the day that each group should be of. */
export function stocks(over: Over, picked: Picked): { measures: string[]; day: string } | undefined {
  const measures = over.fact.measures
    .filter((m) => m.adds === 'not-over-time' && picked.measures.includes(m.name))
    .map((m) => m.name)
  const { day } = times(over)
  const settled = [...picked.attributes, ...picked.chosen.map((c) => c.column)]
  return measures.length === 0 || day === undefined || settled.includes(day) ? undefined : { measures, day }
}

function conditions(over: Over, picked: Picked): string[] {
  const said = picked.chosen.map((c) =>
    c.value === null
      ? `${inSql(c.column)} IS NULL`
      : `${inSql(c.column)} = ${literal(c.value, typeIn(over, c.column))}`,
  )
  const stock = picked.lastDay ? stocks(over, picked) : undefined
  if (stock === undefined) {
    return said
  }
  const { star, fact } = over
  const within = picked.attributes
    .filter((a) => times(over).all.includes(a))
    .map((a) => `l.${inSql(a)} = ${inSql(fact.name)}.${inSql(a)}`)
  const where = within.length === 0 ? '' : ` WHERE ${within.join(' AND ')}`
  const last = `SELECT max(l.${inSql(stock.day)}) FROM ${star.summary.name}.${fact.name} AS l${where}`
  return [...said, `${inSql(stock.day)} = (${last})`]
}

/** The query, as somebody would write it. */
export function sqlOf(over: Over, picked: Picked): string {
  const by = picked.attributes.map(inSql).join(', ')
  const items = [...picked.attributes, ...picked.measures].map(inSql).join(', ')
  const where = conditions(over, picked)
  return [
    `SELECT ${items}`,
    `FROM ${over.star.summary.name}.${over.fact.name}`,
    ...(where.length === 0 ? [] : [`WHERE ${where.join('\n  AND ')}`]),
    ...(by === '' ? [] : [`GROUP BY ${by}`, `ORDER BY ${by}`]),
  ].join('\n')
}

const isAlong = (type: string) => /^(date|timestamp|int|bigint)/.test(type)

/** The attributes as a chart takes them: what lies along it, a number or a time where there is one, then the series. */
function ordered(attributes: string[], typeOf: (name: string) => string): string[] {
  const along = attributes.find((a) => isAlong(typeOf(a)))
  return along === undefined ? attributes : [along, ...attributes.filter((a) => a !== along)]
}

/** The chart that fits what was picked; none where there are too many attributes for one. */
export function chartOf(result: Schemas['ResultRows'], picked: Picked): Chart | undefined {
  const place = (name: string) => result.columns.findIndex((c) => c.name.toLowerCase() === name.toLowerCase())
  const typeOf = (name: string) => result.columns[place(name)]?.type ?? ''
  const [x, by, more] = ordered(picked.attributes, typeOf)
  const y = picked.measures.map(place)
  if (more !== undefined || y.includes(-1) || (x !== undefined && place(x) < 0)) {
    return undefined
  }
  if (x === undefined) {
    return { kind: 'number', y: y.slice(0, 1) }
  }
  return by === undefined
    ? { kind: isTime(typeOf(x)) ? 'line' : 'bar', x: place(x), y }
    : { kind: isTime(typeOf(x)) ? 'line' : 'stacked bar', x: place(x), y: y.slice(0, 1), by: place(by) }
}

/** The same as a block of a sampler. */
export function blockOf(over: Over, picked: Picked): Record<string, unknown> {
  const by = ordered(picked.attributes, (name) => typeIn(over, name))
  const where = conditions(over, picked)
  const rows = {
    over: `${over.star.summary.name}.${over.fact.name}`,
    ...(where.length === 0 ? {} : { where: where.join(' AND ') }),
  }
  const title = `${picked.measures.join(', ').replaceAll('_', ' ')}${
    picked.attributes.length > 0 ? ` by ${picked.attributes.join(', ').replaceAll('_', ' ')}` : ''
  }`
  if (picked.attributes.length === 0 && picked.measures.length === 1) {
    return { title, number: picked.measures[0], ...rows }
  }
  return picked.attributes.length === 0 || picked.attributes.length > 2
    ? { title, table: true, ...rows, by: picked.attributes, of: picked.measures }
    : {
        title,
        width: 6,
        chart: isTime(typeIn(over, by[0]!)) ? 'line' : by.length === 2 ? 'stacked bar' : 'bar',
        ...rows,
        by,
        of: picked.measures,
      }
}
