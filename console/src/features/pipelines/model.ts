import type { Schemas } from '../../shared/api/client'
import type { FlowStep } from '../../shared/flow/model'

type StepView = Schemas['StepView']

/** Steps as checked now, with the counts that steps of the same name and verb had in a run. */
export function withCounts(steps: StepView[], run: Schemas['RunDetail'] | undefined): FlowStep[] {
  const counted = new Map(run?.steps.map((s) => [`${s.name} ${s.verb}`, s.tally]))
  return steps.map((s) => ({
    name: s.name,
    verb: s.verb,
    detail: s.detail,
    from: s.from,
    with: s.with,
    tally: counted.get(`${s.name} ${s.verb}`),
  }))
}

/** Offsets of a place in a text; the place counts lines and columns from 1. */
export function range(text: string, place: Schemas['Place']): { from: number; to: number } {
  const lines = text.split('\n')
  const offset = (line: number, column: number) => {
    const before = lines.slice(0, Math.max(0, line - 1)).reduce((n, l) => n + l.length + 1, 0)
    return Math.min(text.length, before + Math.min(column, lines[line - 1]?.length ?? 0))
  }
  const from = offset(place.line, place.column - 1)
  return { from, to: Math.max(offset(place.endLine, place.endColumn), Math.min(text.length, from + 1)) }
}

const VERBS: { word: string; hint: string }[] = [
  { word: 'read: {feed: }', hint: 'rows of a feed’s files' },
  { word: 'read: {table: }', hint: 'rows of a table' },
  { word: 'shape:', hint: 'trim, rename, set, drop columns' },
  { word: 'keep: ', hint: 'rows for which a condition is true' },
  { word: 'dedupe: {by: [], keep: last, order: []}', hint: 'one row per key' },
  { word: 'join: {with: , on: []}', hint: 'join with another step' },
  { word: 'aggregate: {by: [], set: {}}', hint: 'group and aggregate' },
  { word: 'stack: {}', hint: 'all rows of several inputs' },
  { word: 'sql: |', hint: 'a query over the inputs' },
  { word: 'write: {table: , mode: append}', hint: 'write a table' },
]

export type Suggestion = { label: string; detail: string; kind: 'step' | 'column' | 'verb' | 'name' }

/** What could stand at a place of the text: steps behind from and with, columns inside expressions, verbs at a step's first word. */
export function suggestions(
  lineBefore: string,
  steps: StepView[],
  stepAt: string | undefined,
  feeds: string[],
  tables: string[],
): Suggestion[] {
  if (/\b(from|with):\s*(\[[^\]]*)?\w*$/.test(lineBefore)) {
    return steps
      .filter((s) => s.name !== stepAt && s.verb !== 'write')
      .map((s) => ({ label: s.name, detail: s.verb, kind: 'step' }))
  }
  if (/feed:\s*[\w-]*$/.test(lineBefore)) {
    return feeds.map((f) => ({ label: f, detail: 'feed', kind: 'name' }))
  }
  if (/table:\s*[\w.]*$/.test(lineBefore)) {
    return tables.map((t) => ({ label: t, detail: 'table', kind: 'name' }))
  }
  if (/^ {4}\w*$/.test(lineBefore)) {
    return VERBS.map((v) => ({ label: v.word, detail: v.hint, kind: 'verb' }))
  }
  const current = steps.find((s) => s.name === stepAt)
  const inputs = new Set([...(current?.from ?? []), ...(current?.with ? [current.with] : [])])
  const seen = new Set<string>()
  return steps
    .filter((s) => inputs.has(s.name))
    .flatMap((s) =>
      s.columns.map((c) => ({ label: c.name, detail: `${c.type}, ${s.name}`, kind: 'column' as const })),
    )
    .filter((c) => !seen.has(c.label) && seen.add(c.label))
}

/** The step that a line belongs to. */
export function stepAtLine(steps: StepView[], line: number): string | undefined {
  return steps.filter((s) => s.place.line <= line).at(-1)?.name
}

export const NEW_PIPELINE = `pipeline: my-pipeline
about: What it makes, and for whom.
steps:
  rows:
    read: {feed: }
  publish:
    from: rows
    write: {table: raw.my_table, mode: append}
`
