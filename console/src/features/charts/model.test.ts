import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { COLOURS, described, drawn, MOST_POINTS, numberOf, proposed, thinned, type Chart } from './model'

type Columns = Record<string, string>

const answer = (columns: Columns, rows: unknown[][]) =>
  ({
    columns: Object.entries(columns).map(([name, type]) => ({ name, type })),
    rows,
  }) as unknown as Schemas['ResultRows']

const HALLS = answer({ hall: 'varchar', metres: 'decimal(18, 2)' }, [
  ['North', '5.50'],
  ['South', 7],
  [null, null],
])

describe('the chart that is proposed', () => {
  const days = (rows: number) =>
    Array.from({ length: rows }, (_, i) => `2026-01-${String((i % 28) + 1).padStart(2, '0')}`)
  it.each<[string, Schemas['ResultRows'], Chart | undefined]>([
    ['words and a number', HALLS, { kind: 'bar', x: 0, y: [1] }],
    [
      'a time and numbers',
      answer({ day: 'date', rolls: 'bigint', metres: 'double' }, [
        ['2026-01-05', 1, 2],
        ['2026-01-06', 3, 4],
      ]),
      { kind: 'line', x: 0, y: [1, 2] },
    ],
    [
      'a time and words',
      answer(
        { day: 'date', hall: 'varchar', rolls: 'int' },
        days(20).map((d, i) => [d, i % 2 ? 'North' : 'South', i]),
      ),
      { kind: 'line', x: 0, y: [2], by: 1 },
    ],
    [
      'two words',
      answer({ hall: 'varchar', grade: 'varchar', rolls: 'int' }, [
        ['North', 'A', 1],
        ['North', 'B', 2],
        ['South', 'A', 3],
      ]),
      { kind: 'stacked bar', x: 0, y: [2], by: 1 },
    ],
    ['one number', answer({ rolls: 'bigint' }, [[42]]), { kind: 'number', x: undefined, y: [0] }],
    [
      'many numbers',
      answer(
        { metres: 'double' },
        days(9).map((_, i) => [i]),
      ),
      { kind: 'histogram', y: [0] },
    ],
    [
      'two numbers',
      answer(
        { width: 'double', metres: 'double' },
        days(9).map((_, i) => [i, i]),
      ),
      { kind: 'scatter', x: 0, y: [1] },
    ],
    [
      'a code, which is no measure',
      answer({ year: 'int', metres: 'double' }, [
        [2025, 1],
        [2026, 2],
        [2027, 2],
      ]),
      { kind: 'bar', x: 0, y: [1] },
    ],
    [
      'more names than can be read',
      answer(
        { roll_id: 'varchar', metres: 'double' },
        days(100).map((_, i) => [`R${i}`, i]),
      ),
      { kind: 'histogram', y: [1] },
    ],
    ['words alone', answer({ hall: 'varchar' }, [['North'], ['South']]), undefined],
    ['no rows', answer({ hall: 'varchar', n: 'int' }, []), undefined],
  ])('of %s', (_, result, chart) => {
    expect(proposed(result)).toEqual(chart)
  })

  it('is told in words too', () => {
    expect(described(HALLS, { kind: 'bar', x: 0, y: [1] })).toBe('bar of metres over hall')
  })
})

describe('what is drawn', () => {
  it('keeps nulls as gaps, and names them', () => {
    expect(drawn(HALLS, { kind: 'bar', x: 0, y: [1] })).toEqual({
      words: ['North', 'South', 'null'],
      time: false,
      series: [
        {
          name: 'metres',
          points: [
            ['North', 5.5],
            ['South', 7],
            ['null', null],
          ],
        },
      ],
      leftOut: 0,
    })
  })

  it('adds up what bars have at one place, and keeps a line in order of time', () => {
    const result = answer({ at: 'timestamp', hall: 'varchar', n: 'int' }, [
      ['2026-01-06 10:00:00', 'North', 1],
      ['2026-01-05', 'North', 2],
      ['2026-01-05', 'South', 3],
    ])

    expect(drawn(result, { kind: 'bar', x: 1, y: [2] }).series[0]?.points).toEqual([
      ['North', 3],
      ['South', 3],
    ])
    expect(drawn(result, { kind: 'line', x: 0, y: [2], by: 1 }).series).toEqual([
      {
        name: 'North',
        points: [
          ['2026-01-05T00:00:00Z', 2],
          ['2026-01-06T10:00:00Z', 1],
        ],
      },
      { name: 'South', points: [['2026-01-05T00:00:00Z', 3]] },
    ])
  })

  it('counts a histogram whole, and holds equal values', () => {
    const result = answer(
      { n: 'double' },
      Array.from({ length: 1000 }, (_, i) => [i % 50 === 0 ? null : Math.sin(i) * 100]),
    )
    const points = drawn(result, { kind: 'histogram', y: [0] }).series[0]?.points ?? []

    expect(points.reduce((n, p) => n + (p[1] ?? 0), 0)).toBe(980)
    expect(drawn(answer({ n: 'int' }, [[4], [4]]), { kind: 'histogram', y: [0] }).series[0]?.points).toEqual([
      ['4.0', 2],
    ])
  })

  it('leaves points out of a million, and says how many', () => {
    const rows = Array.from({ length: 1_000_000 }, (_, i) => [i, i % 97])
    const d = drawn(answer({ x: 'double', y: 'double' }, rows), { kind: 'scatter', x: 0, y: [1] })

    expect(d.series[0]?.points).toHaveLength(MOST_POINTS)
    expect(d.leftOut).toBe(1_000_000 - MOST_POINTS)
    expect(thinned([1, 2, 3, 4, 5], 3)).toEqual([1, 3, 5])
  })

  it('tells the last number and its change', () => {
    const result = answer({ month: 'date', metres: 'double' }, [
      ['2026-02-01', 80],
      ['2026-01-01', 100],
    ])

    expect(numberOf(result, { kind: 'number', x: 0, y: [1] })).toEqual({ value: 80, change: -0.2 })
    expect(numberOf(answer({ n: 'int' }, [[null]]), { kind: 'number', y: [0] })).toBeUndefined()
  })
})

/** How people without red or without green cones see a colour (Machado and others, 2009), in linear light. */
const SIGHT = {
  all: [1, 0, 0, 0, 1, 0, 0, 0, 1],
  noRed: [0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998],
  noGreen: [0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.01182, 0.04294, 0.968881],
}

function lab(colour: string, sight: number[]): number[] {
  const linear = [1, 3, 5].map((i) => {
    const v = parseInt(colour.slice(i, i + 2), 16) / 255
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4
  })
  const seen = [0, 3, 6].map((r) => [0, 1, 2].reduce((sum, c) => sum + sight[r + c]! * linear[c]!, 0))
  const xyz = [
    [0.4124, 0.3576, 0.1805],
    [0.2126, 0.7152, 0.0722],
    [0.0193, 0.1192, 0.9505],
  ].map((row) => row.reduce((sum, m, i) => sum + m * Math.max(0, seen[i]!), 0))
  const f = (t: number) => (t > 216 / 24389 ? Math.cbrt(t) : (24389 / 27 / 116) * t + 16 / 116)
  const [x, y, z] = [f(xyz[0]! / 0.9505), f(xyz[1]!), f(xyz[2]! / 1.089)]
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)]
}

describe('the colours of charts', () => {
  it.each(Object.keys(SIGHT) as (keyof typeof SIGHT)[])('stay apart for sight of %s', (sight) => {
    for (const colours of Object.values(COLOURS)) {
      colours.forEach((a, i) =>
        colours.slice(0, i).forEach((b) => {
          const [p, q] = [lab(a, SIGHT[sight]), lab(b, SIGHT[sight])]
          const apart = Math.hypot(...p.map((v, k) => v - q[k]!))
          expect(apart, `${a} and ${b}`).toBeGreaterThan(11)
        }),
      )
    }
  })
})
