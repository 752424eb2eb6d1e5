import { describe, expect, it } from 'vitest'
import { planOf } from './plan'

const answer = (names: string[], rows: unknown[][]) => ({
  columns: names.map((name) => ({ name, type: 'varchar' })),
  rows,
  truncated: false,
  elapsedMillis: 1,
  notes: [],
})

describe('a plan', () => {
  it('is read from what EXPLAIN answers', () => {
    const result = answer(
      ['expected', 'plan'],
      [
        [2, 'sort by hall'],
        [5, '└ group by hall: count(*)'],
        [275, '│ └ read star.dim_loom, 275 rows'],
      ],
    )
    expect(planOf(' explain select 1', result)).toEqual([
      { depth: 0, text: 'sort by hall', expected: 2 },
      { depth: 1, text: 'group by hall: count(*)', expected: 5 },
      { depth: 2, text: 'read star.dim_loom, 275 rows', expected: 275 },
    ])
    expect(planOf('select * from plans', result)).toBeUndefined()
    expect(planOf('explain select 1', answer(['plan'], []))).toBeUndefined()
  })

  it('has what was read and left out, where it was analysed', () => {
    const names = ['expected', 'rows', 'cpu_ms', 'read_kb', 'partitions', 'files', 'row_groups', 'pages']
    const result = answer(
      [...names, 'memory_kb', 'disk_kb', 'plan', 'left_out'],
      [
        [3, 3, '4.8', 0, '', '', '', '', 900, 0, 'first 3 rows', ''],
        [90, 12, '1.5', 15, '', '1 of 1', '1 of 5', '9 of 315', 0, 7, '└ keep rows', '4 row groups; 2 pages'],
        [99, 20, null, null, '', '', '', '', null, null, '│ └ read rolls', ''],
      ],
    )
    const parts = planOf('EXPLAIN ANALYZE SELECT 1', result)
    expect(parts?.[1]).toEqual({
      depth: 1,
      text: 'keep rows',
      expected: 90,
      rows: 12,
      cost: {
        cpuMillis: 1.5,
        readBytes: 15_000,
        memoryBytes: 0,
        diskBytes: 7_000,
        read: ['1 of 1 files', '1 of 5 row groups', '9 of 315 pages'],
        leftOut: ['4 row groups', '2 pages'],
      },
    })
    expect(parts?.[2]?.cost).toBeUndefined()
    expect(parts?.[2]?.rows).toBe(20)
  })
})
