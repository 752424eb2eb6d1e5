import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { byRule, dedupeSteps, fateOf, joinSteps } from './model'

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
