import type { Schemas } from '../../shared/api/client'
import { isNumeric } from '../../shared/lib/format'
import type { Chart, Kind } from '../charts/model'

type Page = Schemas['SamplerPage']
type Block = Schemas['SamplerBlock']
type Answer = Schemas['SamplerAnswer']

/** A value that a column can be narrowed to; null is SQL's null. */
export type Value = string | null
/** What is chosen: of each column the values that rows may have. */
export type Chosen = Record<string, Value[]>

/** In an address ~ is a null, and a value that begins with ~ has one more. */
const written = (value: Value) => (value === null ? '~' : value.startsWith('~') ? `~${value}` : value)
const read = (text: string): Value => (text === '~' ? null : text.startsWith('~~') ? text.slice(1) : text)

/** In an address by itself: nothing is chosen, though the page begins with something. */
const NOTHING = '~'

/** The address holds all that is chosen, so that it can be sent; one without a word has what the page begins with. */
export function fromAddress(page: Page, search: URLSearchParams): Chosen {
  if (search.size === 0) {
    return begins(page)
  }
  const out: Chosen = {}
  for (const [column, text] of search) {
    if (column === NOTHING) {
      continue
    }
    out[column] = [...(out[column] ?? []), read(text)]
  }
  return out
}

export function toAddress(page: Page, chosen: Chosen): URLSearchParams {
  const out = new URLSearchParams()
  if (Object.keys(chosen).length === 0 && Object.keys(begins(page)).length > 0) {
    out.append(NOTHING, '')
  }
  for (const [column, values] of Object.entries(chosen)) {
    values.forEach((v) => out.append(column, written(v)))
  }
  return out
}

function begins(page: Page): Chosen {
  return Object.fromEntries(page.choices.filter((c) => c.begins.length > 0).map((c) => [c.column, c.begins]))
}

/** One more value where several can be chosen, else this one; what is chosen already is given back. */
export function chosenWith(page: Page, chosen: Chosen, column: string, value: Value): Chosen {
  const before = chosen[column] ?? []
  if (before.includes(value)) {
    return without(page, chosen, column, value)
  }
  const many = page.choices.find((c) => c.column === column)?.many
  return { ...chosen, [column]: many ? [...before, value] : [value] }
}

/** Without a value, or all of a column's; what was chosen further down its paths goes with it. */
export function without(page: Page, chosen: Chosen, column: string, value?: Value): Chosen {
  const left = value === undefined ? [] : (chosen[column] ?? []).filter((v) => v !== value)
  const below = Object.values(page.paths).flatMap((path) =>
    path.includes(column) ? path.slice(path.indexOf(column) + 1) : [],
  )
  const out = Object.fromEntries(
    Object.entries(chosen).filter(([c]) => c !== column && (left.length > 0 || !below.includes(c))),
  )
  return left.length > 0 ? { ...out, [column]: left } : out
}

/** The trail of a path: what was chosen of its columns, from the whole to the parts. */
export function trail(path: string[], chosen: Chosen): { column: string; value: Value }[] {
  return path.flatMap((column) => {
    const values = chosen[column] ?? []
    return values.length === 1 ? [{ column, value: values[0]! }] : []
  })
}

/** What is chosen that has no control of its own: no choice of the page, and no place in a trail. */
export function others(page: Page, chosen: Chosen): string[] {
  const shown = new Set([...page.choices.map((c) => c.column), ...Object.values(page.paths).flat()])
  return Object.keys(chosen).filter((c) => !shown.has(c))
}

/** The chart of a block: along its first column, a series for each value of the second. */
export function chartOf(block: Block, answer: Answer): Chart {
  const { columns } = answer.rows
  const places = answer.by.map((name) =>
    columns.findIndex((c) => c.name.toLowerCase() === name.toLowerCase()),
  )
  const numbers = columns.flatMap((c, i) => (isNumeric(c.type) && !places.includes(i) ? [i] : []))
  if (answer.by.length === 0) {
    return { kind: block.kind as Kind, x: numbers.includes(0) ? undefined : 0, y: numbers }
  }
  const x = places[0]
  const by = places.length > 1 ? places[1] : undefined
  return { kind: block.kind as Kind, x, y: by === undefined ? numbers : numbers.slice(0, 1), by }
}

/** A place along a chart as the column's own value: a moment is drawn in another form than it is told. */
export function valueAt(result: Schemas['ResultRows'], column: string, x: unknown): Value {
  const text = String(x)
  const type = result.columns.find((c) => c.name.toLowerCase() === column.toLowerCase())?.type ?? ''
  if (text === 'null') {
    const at = result.columns.findIndex((c) => c.name.toLowerCase() === column.toLowerCase())
    return result.rows.some((r) => (r as unknown[])[at] === 'null') ? text : null
  }
  if (type === 'date') {
    return text.slice(0, 10)
  }
  return type === 'timestamp' ? text.replace('T', ' ').replace(/Z$/, '') : text
}

/** A number for people: thousands, and no more digits than it can be told apart by. */
export function told(value: unknown): string {
  const n = Number(value)
  return value === null || value === undefined || !Number.isFinite(n)
    ? '–'
    : n.toLocaleString('en-GB', { maximumFractionDigits: Math.abs(n) >= 1000 ? 0 : 2 })
}

/** How a number differs from the one before, as a share. */
export function changeOf(answer: Answer): number | undefined {
  const [value, before] = (answer.rows.rows[0] ?? []) as unknown[]
  return before === null || before === undefined || Number(before) === 0
    ? undefined
    : (Number(value) - Number(before)) / Math.abs(Number(before))
}
