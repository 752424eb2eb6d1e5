import { describe, expect, it } from 'vitest'
import { layout, place, type FlowStep } from './model'

const none = {
  state: 'done',
  rowsIn: 0,
  rightIn: 0,
  rowsOut: 0,
  setAside: 0,
  merged: 0,
  filtered: 0,
  unmatched: 0,
}
const step = (
  name: string,
  from: string[],
  more: Partial<FlowStep> = {},
  counts: Partial<typeof none> = {},
): FlowStep => ({
  name,
  verb: 'shape',
  detail: '',
  from,
  tally: { ...none, rowsIn: 100, rowsOut: 100, ...counts },
  ...more,
})

describe('place', () => {
  it('runs the main path along the top and puts a second input one column before its join, below', () => {
    const placed = place([
      step('rolls', []),
      step('tidy', ['rolls']),
      step('looms', []),
      step('placed', ['tidy'], { with: 'looms' }),
      step('publish', ['placed']),
    ])

    expect(['rolls', 'tidy', 'placed', 'publish'].map((n) => placed.get(n))).toEqual([
      { column: 0, lane: 0 },
      { column: 1, lane: 0 },
      { column: 2, lane: 0 },
      { column: 3, lane: 0 },
    ])
    expect(placed.get('looms')).toEqual({ column: 1, lane: 1 })
  })

  it('gives each of several writes a place of its own', () => {
    const placed = place([step('a', []), step('b', []), step('keep_a', ['a']), step('keep_b', ['b'])])

    expect(new Set([...placed.values()].map((p) => `${p.column}/${p.lane}`)).size).toBe(4)
  })

  it('ends even when the steps go in a circle', () => {
    expect(place([step('a', ['b']), step('b', ['a'])]).size).toBeLessThanOrEqual(2)
  })
})

describe('layout', () => {
  it('makes widths go with the square root of rows', () => {
    const flow = layout(
      [
        step('a', [], {}, { rowsOut: 400 }),
        step('b', ['a'], {}, { rowsIn: 400, rowsOut: 100 }),
        step('c', ['b'], {}, { rowsIn: 100 }),
      ],
      900,
    )

    const [wide, narrow] = flow.bands
    expect(wide!.thickness / narrow!.thickness).toBeCloseTo(2)
  })

  it('shows one row among millions', () => {
    const flow = layout(
      [
        step('a', [], {}, { rowsOut: 5_000_000 }),
        step('b', ['a'], {}, { rowsIn: 5_000_000, rowsOut: 4_999_999, filtered: 1 }),
      ],
      900,
    )

    expect(flow.peels).toHaveLength(1)
    expect(flow.peels[0]!.thickness).toBeGreaterThanOrEqual(2)
  })

  it('keeps bars apart and everything inside the picture with 60 steps', () => {
    const steps = Array.from({ length: 60 }, (_, i) => step(`s${i}`, i === 0 ? [] : [`s${i - 1}`]))
    const flow = layout(steps, 1000)

    expect(new Set(flow.bars.map((b) => `${b.x}/${b.y}`)).size).toBe(60)
    flow.bars.forEach((b) => expect(b.x).toBeLessThan(flow.width))
  })
})
