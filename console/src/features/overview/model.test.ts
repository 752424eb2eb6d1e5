import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { firstSteps, inTrouble, stalest } from './model'

const run = (id: number, pipeline: string, state: string) =>
  ({ id, pipeline, state }) as Schemas['RunSummary']

describe('what needs somebody', () => {
  it('is a pipeline whose last run that ended failed, whatever was before and is queued now', () => {
    const runs = [
      run(6, 'a', 'queued'),
      run(5, 'a', 'failed'),
      run(4, 'b', 'succeeded'),
      run(3, 'b', 'failed'),
      run(2, 'c', 'cancelled'),
      run(1, 'd', 'interrupted'),
    ]

    expect(inTrouble(runs).map((r) => r.id)).toEqual([5, 1])
  })
})

describe('the first steps', () => {
  it('are shown until something is published', () => {
    expect(firstSteps({ feeds: 0, pipelines: 0, tables: 0 }).map((s) => s.done)).toEqual([
      false,
      false,
      false,
      false,
    ])
    expect(
      firstSteps({ feeds: 2, pipelines: 1, tables: 0 })
        .map((s) => s.done)
        .slice(0, 3),
    ).toEqual([true, true, false])
    expect(firstSteps({ feeds: 2, pipelines: 1, tables: 1 })).toEqual([])
  })
})

describe('freshness', () => {
  it('names first what waits the longest, and nothing that never came', () => {
    const all = [{ at: '2026-02-01' }, { at: undefined }, { at: '2026-01-01' }, { at: '2026-03-01' }]

    expect(stalest(all, (x) => x.at, 2).map((x) => x.at)).toEqual(['2026-01-01', '2026-02-01'])
  })
})
