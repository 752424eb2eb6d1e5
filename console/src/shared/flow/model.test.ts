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

  type Box = { left: number; right: number; top: number; bottom: number }

  /** The boxes of a ribbon, piece by piece along its path. */
  const boxes = (path: string, thickness: number): Box[] => {
    const out: Box[] = []
    let [x, y] = [0, 0]
    const step = (nx: number, ny: number) => {
      out.push({
        left: Math.min(x, nx) - (Math.abs(ny - y) > Math.abs(nx - x) ? thickness / 2 : 0),
        right: Math.max(x, nx) + (Math.abs(ny - y) > Math.abs(nx - x) ? thickness / 2 : 0),
        top: Math.min(y, ny) - (Math.abs(ny - y) > Math.abs(nx - x) ? 0 : thickness / 2),
        bottom: Math.max(y, ny) + (Math.abs(ny - y) > Math.abs(nx - x) ? 0 : thickness / 2),
      })
      ;[x, y] = [nx, ny]
    }
    for (const [, verb, args] of path.matchAll(/([MHVC])([^MHVC]*)/g)) {
      const n = args!.trim().split(/\s+/).map(Number)
      if (verb === 'M') {
        ;[x, y] = [n[0]!, n[1]!]
      } else if (verb === 'H') {
        step(n[0]!, y)
      } else if (verb === 'V') {
        step(x, n[0]!)
      } else {
        const [x0, y0] = [x, y]
        for (let t = 0.05; t <= 1.0001; t += 0.05) {
          const u = 1 - t
          const at = (a: number, b: number, c: number, d: number) =>
            u * u * u * a + 3 * u * u * t * b + 3 * u * t * t * c + t * t * t * d
          step(at(x0, n[0]!, n[2]!, n[4]!), at(y0, n[1]!, n[3]!, n[5]!))
        }
      }
    }
    return out
  }

  const touch = (a: Box, b: Box) =>
    a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom

  /** What ribbons run over: titles of steps, and bars that are not their own. */
  const crossings = (steps: FlowStep[]) => {
    const flow = layout(steps, 1040)
    const found: string[] = []
    flow.bands.forEach((band) => {
      const pieces = boxes(band.path, band.thickness)
      flow.bars.forEach((bar) => {
        const half = Math.max(20, (bar.step.name.length * 7) / 2)
        const title = {
          left: bar.x + 4.5 - half,
          right: bar.x + 4.5 + half,
          top: bar.y - 36,
          bottom: bar.y - 8,
        }
        const own = bar.step.name === band.from || bar.step.name === band.to
        const line = { left: bar.x + 1, right: bar.x + 8, top: bar.y, bottom: bar.y + bar.height }
        if (pieces.some((p) => touch(p, title))) {
          found.push(`${band.from} > ${band.to} over the title of ${bar.step.name}`)
        }
        if (!own && pieces.some((p) => touch(p, line))) {
          found.push(`${band.from} > ${band.to} over the bar of ${bar.step.name}`)
        }
      })
    })
    return found
  }

  it('runs no ribbon across a title or another bar in a star with shared dimensions', () => {
    const rows = (n: number) => ({ rowsIn: n, rowsOut: n })
    const star = [
      step('patterns', [], {}, rows(40)),
      step('dim_pattern', ['patterns'], { with: 'shipped' }, rows(66)),
      step('keep_patterns', ['dim_pattern'], {}, rows(66)),
      step('days', [], {}, rows(365)),
      step('keep_days', ['days'], {}, rows(365)),
      step('rolls', [], {}, rows(20_673)),
      step('once', ['rolls'], {}, { rowsIn: 20_673, rowsOut: 19_972, merged: 701 }),
      step('counted', [], {}, rows(19_054)),
      step('graded', ['once'], { with: 'counted' }, rows(19_972)),
      step('fact_roll', ['graded', 'dim_pattern', 'days'], {}, rows(19_972)),
      step('sound', ['fact_roll'], { with: 'once' }, rows(19_972)),
      step('publish_rolls', ['sound'], {}, rows(19_972)),
      step('shipped', [], {}, rows(2_400)),
      step('fact_shipment', ['shipped', 'dim_pattern', 'days'], {}, rows(2_400)),
      step('publish_shipments', ['fact_shipment'], {}, rows(2_400)),
    ]

    expect(crossings(star)).toEqual([])
    const told = layout(star, 1040).bands.filter((b) => b.labelled && b.from === 'once')
    expect(told).toHaveLength(1)
  })

  it('runs no ribbon across titles or other bars in pipelines of any shape', () => {
    let state = 17
    const random = (below: number) => {
      state = (state * 1103515245 + 12345) % 2147483648
      return Math.floor((state / 2147483648) * below)
    }
    for (let round = 0; round < 60; round++) {
      const steps: FlowStep[] = []
      for (let i = 0; i < 4 + random(14); i++) {
        const before = steps.map((s) => s.name)
        const pick = () => before[random(before.length)]!
        const from = before.length === 0 || random(4) === 0 ? [] : [pick()]
        const other = from.length > 0 && random(3) === 0 ? pick() : undefined
        const rows = 1 + random(50_000)
        steps.push(
          step(
            `step_${i}`,
            from,
            { with: other === from[0] ? undefined : other },
            { rowsIn: rows, rowsOut: rows },
          ),
        )
      }

      expect({ round, found: crossings(steps) }).toEqual({ round, found: [] })
    }
  })
})
