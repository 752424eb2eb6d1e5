import { describe, expect, it } from 'vitest'
import { asText, inZone, shown } from './result'

const RESULT = {
  columns: [
    { name: 'loom', type: 'varchar' },
    { name: 'at', type: 'timestamp(6)' },
    { name: 'said', type: 'varchar' },
  ],
  rows: [
    ['L1', '2026-03-29 00:30:00', '2026-03-29 00:30:00'],
    ['L2', '2026-03-29 01:30:00.250000', 'a\tb'],
    [null, null, ''],
  ],
  truncated: false,
  elapsedMillis: 1,
  notes: [],
} as never

describe('an answer', () => {
  it('shows times in a zone, over the change of the clocks, and leaves texts alone', () => {
    const rows = shown(RESULT, 'Europe/Berlin', '').rows as unknown[][]
    expect(rows[0]).toEqual(['L1', '2026-03-29 01:30:00', '2026-03-29 00:30:00'])
    expect(rows[1]?.[1]).toBe('2026-03-29 03:30:00.250000')
    expect(rows[2]?.[1]).toBeNull()
    expect(shown(RESULT, 'UTC', '').rows).toEqual((RESULT as { rows: unknown }).rows)
    expect(inZone('infinity', 'Asia/Tokyo')).toBe('infinity')
  })

  it('keeps the rows that hold some words', () => {
    expect(shown(RESULT, 'UTC', ' l2 ').rows).toHaveLength(1)
    expect(shown(RESULT, 'UTC', 'nowhere').rows).toHaveLength(0)
  })

  it('is copied with tabs between values only', () => {
    expect(asText(RESULT).split('\n')).toEqual([
      'loom\tat\tsaid',
      'L1\t2026-03-29 00:30:00\t2026-03-29 00:30:00',
      'L2\t2026-03-29 01:30:00.250000\ta b',
      '\t\t',
    ])
  })
})
