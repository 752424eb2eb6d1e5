import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import {
  balanceColour,
  byRule,
  dedupeSteps,
  failedFeed,
  fateOf,
  joinSteps,
  pipelineNames,
  startedSince,
} from './model'

const row = (stays: boolean): Schemas['DuplicateRow'] => ({ stays, values: ['R1'] })

describe('what became of a row of a group', () => {
  it('stays, goes beside one that stays, or is merged where none does', () => {
    const kept = { size: 2, differing: [], rows: [row(false), row(true)] }
    const merged = { size: 2, differing: [], rows: [row(false), row(false)], made: ['R1'] }

    expect(kept.rows.map((r) => fateOf(r, kept))).toEqual(['goes', 'stays'])
    expect(merged.rows.map((r) => fateOf(r, merged))).toEqual(['merged', 'merged'])
  })
})

describe('the panels of a run', () => {
  it('are made for its joins and dedupes', () => {
    const steps = ['read', 'dedupe', 'join', 'write'].map((verb) => ({ name: verb, verb }))

    expect(dedupeSteps(steps as Schemas['RunStep'][]).map((s) => s.name)).toEqual(['dedupe'])
    expect(joinSteps(steps as Schemas['RunStep'][]).map((s) => s.name)).toEqual(['join'])
  })

  it('show each rule of the run with its outcomes before, and none after', () => {
    const outcome = (run: number, rule: string) => ({ run, rule, step: 'sound', outcome: 'met' })
    const all = [outcome(1, 'a'), outcome(2, 'a'), outcome(2, 'b'), outcome(3, 'a')]

    expect(
      byRule(all as Schemas['CheckOutcome'][], 2).map((r) => [r.now.rule, r.before.map((b) => b.run)]),
    ).toEqual([
      ['a', [1, 2]],
      ['b', [2]],
    ])
  })
})

describe('a run that failed', () => {
  const run = (state: string, more = {}) =>
    ({
      summary: { state, failure: { step: 'rolls', message: '', code: 'feed', ...more } },
      balanced: true,
      steps: [{ name: 'rolls', verb: 'read', detail: 'feed roll-ledger' }],
    }) as unknown as Schemas['RunDetail']

  it('closes its account in another colour than one that did well', () => {
    expect(balanceColour(run('failed'))).toBe('var(--set-aside)')
    expect(balanceColour(run('succeeded'))).toBe('var(--side)')
    expect(balanceColour(run('running'))).toBe('var(--quiet)')
    expect(balanceColour({ ...run('succeeded'), balanced: false })).toBe('var(--set-aside)')
  })

  it('leads to the feed of its file, or of the step that failed', () => {
    expect(failedFeed(run('failed'))).toBe('roll-ledger')
    expect(failedFeed(run('failed', { file: { feed: 'yarn-lots', path: 'x' } }))).toBe('yarn-lots')
    expect(failedFeed(run('failed', { step: 'other' }))).toBeUndefined()
  })
})

describe('the list of runs', () => {
  it('is narrowed by time, and keeps what waits', () => {
    const now = Date.parse('2026-02-02T00:00:00Z')
    const runs = [
      { id: 3 },
      { id: 2, startedAt: '2026-02-01T12:00:00Z' },
      { id: 1, startedAt: '2026-01-01T00:00:00Z' },
    ]

    expect(startedSince(runs as Schemas['RunSummary'][], 24, now).map((r) => r.id)).toEqual([3, 2])
    expect(startedSince(runs as Schemas['RunSummary'][], Infinity, now)).toHaveLength(3)
  })

  it('offers a pipeline that is gone while it is asked for', () => {
    expect(pipelineNames(['b', 'c'], 'a')).toEqual(['a', 'b', 'c'])
    expect(pipelineNames(['b', 'c'], 'c')).toEqual(['b', 'c'])
  })
})
