import type { Schemas } from '../../shared/api/client'
import type { BarValue } from '../../shared/ui/bars'

type Result = Schemas['ResultRows']

const MOST_KEPT = 20
const MOST_BARS = 60

/** The newest first, each once; blanks around a query do not make it another. */
export function remembered(history: string[], sql: string): string[] {
  const text = sql.trim()
  return text === '' ? history : [text, ...history.filter((h) => h !== text)].slice(0, MOST_KEPT)
}

/** The parameters that a query writes as :name, outside quotes and comments, each once. */
export function parametersOf(sql: string): string[] {
  const plain = sql.replace(/'[^']*'|"[^"]*"|--[^\n]*|\/\*[\s\S]*?(\*\/|$)/g, ' ')
  return [...new Set([...plain.matchAll(/:(\p{L}[\p{L}\p{N}_]*)/gu)].flatMap((m) => (m[1] ? [m[1]] : [])))]
}

function isNumber(type: string): boolean {
  return /^(int|bigint|double|decimal)/.test(type)
}

/**
 * The bars of an answer whose first column names and whose last one counts; nothing where it is no such answer, has too many
 * rows to be read, or values below zero.
 */
export function barsOf(result: Result): { label: string; of: string; bars: BarValue[] } | undefined {
  const first = result.columns[0]
  const last = result.columns.at(-1)
  const rows = result.rows as unknown[][]
  if (!first || !last || first === last || !isNumber(last.type) || isNumber(first.type)) {
    return undefined
  }
  if (rows.length < 2 || rows.length > MOST_BARS) {
    return undefined
  }
  const bars = rows.map((r, i) => ({
    key: String(i),
    value: Number(r.at(-1)),
    colour: 'var(--flow)',
    title: `${r[0] === null ? 'null' : String(r[0])}: ${r.at(-1) === null ? 'null' : String(r.at(-1))}`,
  }))
  return bars.every((b) => Number.isFinite(b.value) && b.value >= 0)
    ? { label: last.name, of: first.name, bars }
    : undefined
}
