import type { Schemas } from '../../shared/api/client'
import type { Chart } from '../charts/model'

type Star = Schemas['StarDetail']
type Fact = Schemas['FactView']

export type Attribute = { name: string; type: string; label: string }
export type Group = { dimension: string; attributes: Attribute[] }

/** What is asked of a fact: measures, and the attributes that make groups. */
export type Picked = { measures: string[]; attributes: string[] }

/** How many attributes still make a table that people read. */
export const MOST_ATTRIBUTES = 3

/** The columns of a fact by the dimension that they come from; its own last. Keys are for joining, not for reading. */
export function groups(fact: Fact, columns: { name: string; type: string }[]): Group[] {
  const roles = Object.keys(fact.keys).map((key) => key.replace(/_key$/, ''))
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

const quoted = (name: string) => (/^[a-z_][a-z0-9_]*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`)

/** The query, as somebody would write it. */
export function sqlOf(star: Star, fact: Fact, picked: Picked): string {
  const by = picked.attributes.map(quoted).join(', ')
  const items = [...picked.attributes, ...picked.measures].map(quoted).join(', ')
  const from = `SELECT ${items}\nFROM ${star.summary.name}.${fact.name}`
  return by === '' ? from : `${from}\nGROUP BY ${by}\nORDER BY ${by}`
}

const isAlong = (type: string) => /^(date|timestamp|int|bigint)/.test(type)

/** The attributes as a chart takes them: what lies along it, a number or a time where there is one, then the series. */
function ordered(attributes: string[], typeOf: (name: string) => string): string[] {
  const along = attributes.find((a) => isAlong(typeOf(a)))
  return along === undefined ? attributes : [along, ...attributes.filter((a) => a !== along)]
}

const isTime = (type: string) => /^(date|timestamp)/.test(type)

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
export function blockOf(
  star: Star,
  fact: Fact,
  picked: Picked,
  typeOf: (name: string) => string,
): Record<string, unknown> {
  const by = ordered(picked.attributes, typeOf)
  const over = `${star.summary.name}.${fact.name}`
  const title = `${picked.measures.join(', ').replaceAll('_', ' ')}${
    picked.attributes.length > 0 ? ` by ${picked.attributes.join(', ').replaceAll('_', ' ')}` : ''
  }`
  if (picked.attributes.length === 0 && picked.measures.length === 1) {
    return { title, number: picked.measures[0], over }
  }
  return picked.attributes.length === 0 || picked.attributes.length > 2
    ? { title, table: true, over, by: picked.attributes, of: picked.measures }
    : {
        title,
        width: 6,
        chart: isTime(typeOf(by[0]!)) ? 'line' : by.length === 2 ? 'stacked bar' : 'bar',
        over,
        by,
        of: picked.measures,
      }
}
