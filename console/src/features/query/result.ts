import type { Schemas } from '../../shared/api/client'

type Result = Schemas['ResultRows']

/** Zones in which the times of an answer can be shown; all come in UTC. */
export const ZONES = ['UTC', Intl.DateTimeFormat().resolvedOptions().timeZone].filter(
  (z, i, all) => all.indexOf(z) === i,
)

const TIME = /^(\d{4}-\d\d-\d\d)[ T](\d\d:\d\d:\d\d)(\.\d+)?(\+00:00)?$/

/** A time of UTC in another zone, written in the same way; what is no time stays. */
export function inZone(text: unknown, zone: string): unknown {
  const m = typeof text === 'string' ? TIME.exec(text) : null
  if (!m || zone === 'UTC') {
    return text
  }
  const at = new Date(`${m[1]}T${m[2]}Z`)
  if (Number.isNaN(at.getTime())) {
    return text
  }
  const written = new Intl.DateTimeFormat('sv-SE', {
    timeZone: zone,
    dateStyle: 'short',
    timeStyle: 'medium',
  }).format(at)
  return written + (m[3] ?? '')
}

/** An answer as it is shown: its times in a zone, and only the rows that hold some words. */
export function shown(result: Result, zone: string, words: string): Result {
  const times = result.columns.map((c) => c.type.startsWith('timestamp'))
  const wanted = words.trim().toLowerCase()
  let rows = result.rows as unknown[][]
  if (zone !== 'UTC' && times.some(Boolean)) {
    rows = rows.map((row) => row.map((v, i) => (times[i] ? inZone(v, zone) : v)))
  }
  if (wanted !== '') {
    rows = rows.filter((row) => row.some((v) => text(v).toLowerCase().includes(wanted)))
  }
  return { ...result, rows: rows as Result['rows'] }
}

function text(value: unknown): string {
  return value === null || value === undefined ? '' : String(value)
}

/** Rows to paste into a spreadsheet: tabs between values, which lose their own tabs and line ends. */
export function asText(result: Result): string {
  const line = (values: unknown[]) => values.map((v) => text(v).replace(/[\t\r\n]+/g, ' ')).join('\t')
  return [line(result.columns.map((c) => c.name)), ...(result.rows as unknown[][]).map(line)].join('\n')
}
