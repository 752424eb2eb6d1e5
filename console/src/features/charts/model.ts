import type { Schemas } from '../../shared/api/client'
import { isNumeric } from '../../shared/lib/format'

type Result = Schemas['ResultRows']

export const KINDS = [
  'line',
  'area',
  'bar',
  'stacked bar',
  'scatter',
  'histogram',
  'heat map',
  'share',
  'number',
] as const
export type Kind = (typeof KINDS)[number]

/**
 * What a chart shows, by the places of columns.
 *
 * @param x what lies along the chart; none for a histogram, and for a number alone
 * @param y the values
 * @param by a column that makes a series of each of its values
 */
export type Chart = { kind: Kind; x?: number; y: number[]; by?: number }

/** Marks that are drawn; of more than these some are left out, and that is said. */
export const MOST_POINTS = 5000
/** Values of a column that are told apart by colour or place. */
const MOST_SERIES = 12
const MOST_BARS = 60
const BUCKETS = 24

type Role = 'number' | 'time' | 'word'

export function roleOf(type: string): Role | undefined {
  if (isNumeric(type)) {
    return 'number'
  }
  if (/^(date|timestamp)/.test(type)) {
    return 'time'
  }
  return /^(varchar|boolean|time|uuid)/.test(type) ? 'word' : undefined
}

const cells = (result: Result) => result.rows as unknown[][]

function different(result: Result, column: number, most: number): number {
  const seen = new Set<unknown>()
  for (const row of cells(result)) {
    seen.add(row[column])
    if (seen.size > most) {
      break
    }
  }
  return seen.size
}

/** Whether a column of whole numbers is a code or a year rather than a measure: it is called so, or stands first. */
function isCode(result: Result, column: number): boolean {
  const name = result.columns[column]?.name.toLowerCase() ?? ''
  return /(^|_)(id|key|code|nr|no|year|month|day|hour|week|quarter)$/.test(name)
}

/** A chart that fits the kinds of an answer's columns; nothing where none does. */
export function proposed(result: Result): Chart | undefined {
  const roles = result.columns.map((c) => roleOf(c.type))
  const places = (role: Role) => roles.flatMap((r, i) => (r === role ? [i] : []))
  const codes = places('number').filter((i) => isCode(result, i))
  const y = places('number').filter((i) => !codes.includes(i))
  const times = places('time')
  const words = places('word')
  const rows = cells(result).length
  if (rows === 0 || y.length === 0) {
    return undefined
  }
  if (rows <= 2 && y.length === 1 && times.length <= 1 && words.length === 0 && codes.length === 0) {
    return { kind: 'number', x: times[0], y: y.slice(0, 1) }
  }
  const series = words.find((w) => different(result, w, MOST_SERIES) <= MOST_SERIES)
  if (times[0] !== undefined && rows > 1) {
    return series === undefined
      ? { kind: 'line', x: times[0], y: y.slice(0, 4) }
      : { kind: 'line', x: times[0], y: y.slice(0, 1), by: series }
  }
  const x = words[0] ?? codes[0]
  if (x !== undefined && rows > 1) {
    if (different(result, x, MOST_BARS) > MOST_BARS) {
      return y.length > 1 ? { kind: 'scatter', x: y[0], y: [y[1]!] } : { kind: 'histogram', y: [y[0]!] }
    }
    const by = words.find((w) => w !== x && different(result, w, MOST_SERIES) <= MOST_SERIES)
    const repeats = different(result, x, rows) < rows
    return by !== undefined && repeats
      ? { kind: 'stacked bar', x, y: y.slice(0, 1), by }
      : { kind: 'bar', x, y: y.slice(0, repeats ? 1 : 3) }
  }
  return y.length > 1 ? { kind: 'scatter', x: y[0], y: [y[1]!] } : { kind: 'histogram', y: [y[0]!] }
}

export type Point = [x: string | number, y: number | null]
export type Series = { name: string; points: Point[] }

/** What is drawn: series of points, and what is to be said of it. */
export type Drawn = {
  /** Of words: the values along the chart, in the order in which they come. */
  words?: string[]
  time: boolean
  series: Series[]
  /** How many points there are, where not all are drawn. */
  leftOut: number
}

function number(value: unknown): number | null {
  if (value === null || value === undefined) {
    return null
  }
  const n = Number(value)
  return Number.isFinite(n) ? n : null
}

/** As the standard writes a moment, so that it means the same everywhere; times here are of UTC. */
function moment(value: unknown): string {
  const text = String(value).replace(/\+00:00$/, '')
  return text.length === 10 ? `${text}T00:00:00Z` : `${text.replace(' ', 'T')}Z`
}

export function shown(value: unknown): string {
  return value === null || value === undefined ? 'null' : String(value)
}

/** Every so many of them, the first and the last included. */
export function thinned<T>(values: T[], most: number): T[] {
  if (values.length <= most) {
    return values
  }
  const out: T[] = []
  for (let i = 0; i < most; i++) {
    out.push(values[Math.round((i * (values.length - 1)) / (most - 1))]!)
  }
  return out
}

/** The points of a chart; values of one place are added up where bars or shares show them. */
export function drawn(result: Result, chart: Chart): Drawn {
  const rows = cells(result)
  const names = result.columns.map((c) => c.name)
  if (chart.kind === 'histogram') {
    return buckets(
      rows.map((r) => number(r[chart.y[0]!])).filter((v) => v !== null),
      names[chart.y[0]!] ?? '',
    )
  }
  const time = chart.x !== undefined && roleOf(result.columns[chart.x]?.type ?? '') === 'time'
  const isWord =
    chart.x !== undefined &&
    !time &&
    (chart.kind !== 'scatter' || roleOf(result.columns[chart.x]?.type ?? '') !== 'number')
  const adds = chart.kind === 'bar' || chart.kind === 'stacked bar' || chart.kind === 'share'
  const byName = new Map<string, Map<string | number, number | null> | Point[]>()
  const words = new Set<string>()
  for (const row of rows) {
    const raw = chart.x === undefined ? '' : row[chart.x]
    if (raw === null && !isWord) {
      continue
    }
    const x = isWord || chart.x === undefined ? shown(raw) : time ? moment(raw) : Number(raw)
    if (isWord) {
      words.add(String(x))
    }
    for (const y of chart.y) {
      const name = chart.by === undefined ? (names[y] ?? '') : shown(row[chart.by])
      const value = number(row[y])
      if (adds) {
        const sums = (byName.get(name) ?? new Map()) as Map<string | number, number | null>
        const before = sums.get(x)
        sums.set(x, value === null ? (before ?? null) : (before ?? 0) + value)
        byName.set(name, sums)
      } else {
        const points = (byName.get(name) ?? []) as Point[]
        points.push([x, value])
        byName.set(name, points)
      }
    }
  }
  const most = Math.max(2, Math.floor(MOST_POINTS / Math.max(1, byName.size)))
  let leftOut = 0
  const series = [...byName].map(([name, values]) => {
    const points: Point[] = Array.isArray(values) ? values : [...values]
    // Words stand in the order in which they come, times and numbers in their own.
    if (!isWord && (chart.kind === 'line' || chart.kind === 'area')) {
      points.sort((a, b) => (a[0] < b[0] ? -1 : a[0] > b[0] ? 1 : 0))
    }
    const some = thinned(points, most)
    leftOut += points.length - some.length
    return { name, points: some }
  })
  return { words: isWord ? [...words] : undefined, time, series, leftOut }
}

function buckets(values: number[], name: string): Drawn {
  if (values.length === 0) {
    return { time: false, series: [], leftOut: 0, words: [] }
  }
  let low = Infinity
  let high = -Infinity
  for (const v of values) {
    low = Math.min(low, v)
    high = Math.max(high, v)
  }
  const count = low === high ? 1 : BUCKETS
  const width = (high - low) / count || 1
  const counts = new Array<number>(count).fill(0)
  for (const v of values) {
    const at = Math.min(count - 1, Math.floor((v - low) / width))
    counts[at] = (counts[at] ?? 0) + 1
  }
  const digits = width >= 10 ? 0 : width >= 1 ? 1 : 2
  const words = counts.map((_, i) => (low + i * width).toFixed(digits))
  return {
    words,
    time: false,
    series: [{ name: `rows by ${name}`, points: counts.map((n, i) => [words[i]!, n]) }],
    leftOut: 0,
  }
}

/** The last value, and how it differs from the one before it where there is one. */
export function numberOf(result: Result, chart: Chart): { value: number; change?: number } | undefined {
  const rows = cells(result)
  const ordered =
    chart.x === undefined
      ? rows
      : [...rows].sort((a, b) => (shown(a[chart.x!]) < shown(b[chart.x!]) ? -1 : 1))
  const values = ordered.map((r) => number(r[chart.y[0]!])).filter((v) => v !== null)
  const value = values.at(-1)
  const before = values.at(-2)
  return value === undefined
    ? undefined
    : {
        value,
        change: before === undefined || before === 0 ? undefined : (value - before) / Math.abs(before),
      }
}

/** What a chart shows, in words, for who does not see it. */
export function described(result: Result, chart: Chart): string {
  const name = (i: number | undefined) => (i === undefined ? '' : (result.columns[i]?.name ?? ''))
  const of = chart.y.map(name).join(', ')
  const by = chart.by === undefined ? '' : `, by ${name(chart.by)}`
  return chart.x === undefined
    ? `${chart.kind} of ${of}`
    : `${chart.kind} of ${of} over ${name(chart.x)}${by}`
}

/**
 * Colours that stay apart for people who see no red or no green; a test holds them against that. The first is
 * that of rows that flow.
 */
export const COLOURS = {
  light: ['#22305c', '#c98f1f', '#3f95a6', '#a8433f', '#b3c48b', '#7a5aa6', '#b79a86', '#5b6472'],
  dark: ['#8ea2e6', '#e3b657', '#4fa6ad', '#e0827d', '#e3ecc0', '#afd6e7', '#8452b5', '#986b43'],
}
