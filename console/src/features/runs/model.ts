import type { Schemas } from '../../shared/api/client'
import type { FlowStep } from '../../shared/flow/model'
import { number } from '../../shared/lib/format'

type Tally = Schemas['StepTally']
export type CountName = keyof Pick<
  Tally,
  | 'rowsIn'
  | 'rightIn'
  | 'setAside'
  | 'merged'
  | 'filtered'
  | 'unmatched'
  | 'folded'
  | 'multiplied'
  | 'added'
  | 'rowsOut'
>

const COLUMNS: { name: CountName; title: string; colour?: string; always?: boolean }[] = [
  { name: 'rowsIn', title: 'in', always: true },
  { name: 'rightIn', title: 'right in' },
  { name: 'setAside', title: 'set aside', colour: 'var(--set-aside)' },
  { name: 'merged', title: 'merged', colour: 'var(--merged)' },
  { name: 'filtered', title: 'filtered', colour: 'var(--quiet)' },
  { name: 'unmatched', title: 'unmatched', colour: 'var(--quiet)' },
  { name: 'folded', title: 'grouped' },
  { name: 'multiplied', title: 'multiplied' },
  { name: 'added', title: 'added' },
  { name: 'rowsOut', title: 'out', always: true },
]

/** The columns of the account that some step has something in. */
export function tallyColumns(steps: Schemas['RunStep'][]) {
  return COLUMNS.filter((c) => c.always || steps.some((s) => s.tally[c.name] > 0))
}

export type LedgerTotals = Record<CountName, number>

/** What came in from outside, what was published, and the sum of what left on the way. */
export function totals(steps: Schemas['RunStep'][]): LedgerTotals {
  const sum = (pick: (s: Schemas['RunStep']) => number) => steps.reduce((n, s) => n + pick(s), 0)
  const out = Object.fromEntries(COLUMNS.map((c) => [c.name, sum((s) => s.tally[c.name])])) as LedgerTotals
  // A calendar's days come from nowhere, whether or not it looks holidays up in another step.
  out.rowsIn = sum((s) => (s.from.length === 0 || s.verb === 'calendar' ? s.tally.rowsIn : 0))
  out.rowsOut = sum((s) => (s.verb === 'write' ? s.tally.rowsOut : 0))
  out.rightIn = 0
  return out
}

export function flowSteps(steps: Schemas['RunStep'][]): FlowStep[] {
  return steps.map((s) => ({
    name: s.name,
    verb: s.verb,
    detail: s.detail,
    from: s.from,
    with: s.with,
    tally: s.tally,
  }))
}

type Outcome = Schemas['CheckOutcome']

const MOST_RUNS_SHOWN = 24

/** The rules of a run, each with its outcomes in the runs up to that one, oldest first. */
export function byRule(all: Outcome[], run: number): { now: Outcome; before: Outcome[] }[] {
  return all
    .filter((c) => c.run === run)
    .map((now) => ({
      now,
      before: all
        .filter((c) => c.step === now.step && c.rule === now.rule && c.run <= run)
        .slice(-MOST_RUNS_SHOWN),
    }))
}

/** The steps that remove duplicates. */
export function dedupeSteps(steps: Schemas['RunStep'][]): Schemas['RunStep'][] {
  return steps.filter((s) => s.verb === 'dedupe')
}

/** What became of a row of a group: one may stay as it was, or one was made of all. */
export function fateOf(
  row: Schemas['DuplicateRow'],
  group: Schemas['DuplicateGroup'],
): 'stays' | 'goes' | 'merged' {
  if (row.stays) {
    return 'stays'
  }
  return group.rows.some((r) => r.stays) ? 'goes' : 'merged'
}

/** Runs that started at most so many hours before a moment; those that wait count as of now. */
export function startedSince(
  runs: Schemas['RunSummary'][],
  hours: number,
  now: number,
): Schemas['RunSummary'][] {
  return runs.filter((r) => !r.startedAt || now - Date.parse(r.startedAt) <= hours * 3_600_000)
}

/** The pipelines that can be chosen, with one that is gone but was asked for. */
export function pipelineNames(names: string[], picked: string): string[] {
  return picked === '' || names.includes(picked) ? names : [...names, picked].sort()
}

/** The colour of the line that closes an account: a run that failed is never as green as one that did well. */
export function balanceColour(run: Schemas['RunDetail']): string {
  return run.summary.state === 'failed' || run.summary.state === 'interrupted' || !run.balanced
    ? 'var(--set-aside)'
    : run.summary.state === 'succeeded'
      ? 'var(--side)'
      : 'var(--quiet)'
}

/** The feed that a failed step reads, if it reads one. */
export function failedFeed(run: Schemas['RunDetail']): string | undefined {
  const failure = run.summary.failure
  const step = run.steps.find((s) => s.name === failure?.step)
  return failure?.file?.feed ?? (step?.verb === 'read' ? step.detail.match(/^feed (.+)$/)?.[1] : undefined)
}

/** The steps that join. */
export function joinSteps(steps: Schemas['RunStep'][]): Schemas['RunStep'][] {
  return steps.filter((s) => s.verb === 'join')
}

/** A join's finding in a sentence, behind the step's name. */
export function joinNote(insight: Schemas['JoinInsight']): string {
  const { left, remedies } = insight.diagnosis
  const found = `matched ${number(left.matched)} of ${number(left.rows)} rows with ${insight.right}`
  const best = remedies[0]
  return best ? `${found}; ${number(best.wouldMatch)} more would match without ${best.words}.` : `${found}.`
}
