import type { Schemas } from '../../shared/api/client'
import { describe, expect, it } from 'vitest'
import { changes, compacted, expired, parseKey, saved } from './model'
import { byNamespace, leftWord } from './model'

const health = { table: 't.x', files: 1, sizeBytes: 5, smallFiles: 0, largestPartition: 1, findings: [] }

describe('what was done to a table, in words', () => {
  it('says when there was nothing to put together', () => {
    const none = { partitions: 0, filesBefore: 0, filesAfter: 0, bytesBefore: 0, bytesAfter: 0, rows: 0 }
    expect(compacted(none)).toMatch(/no small files/)
    expect(compacted({ ...none, partitions: 1, filesBefore: 9, filesAfter: 1, bytesBefore: 9000 })).toMatch(
      /^9 files of 9.0 kB became 1/,
    )
  })

  it('counts one as one', () => {
    expect(expired({ snapshots: 1, files: 2, sizeBytes: 10 })).toBe(
      '1 snapshot forgotten, 2 files removed, 10 B freed.',
    )
  })

  it('knows what share of the raw files a table takes', () => {
    expect(saved({ ...health, rawBytes: 200 })).toBe('2.5 % of the 200 B of raw files it came from')
    expect(saved({ ...health, rawBytes: 0 })).toBeUndefined()
  })
})

describe('keys', () => {
  it('are read with blanks, commas and quotes', () => {
    expect(parseKey('roll_id = R1, hall="North, old" ')).toEqual({ roll_id: 'R1', hall: 'North, old' })
    expect(parseKey('R1')).toEqual({})
  })
})

describe('changed rows', () => {
  const rows = [
    { kind: 'removed', values: ['R1', 1] },
    { kind: 'before', values: ['R2', 2] },
    { kind: 'after', values: ['R2', 3] },
  ]

  it('marks the values that are not those of the other half', () => {
    expect(changes(rows, 2)).toEqual([false, true])
    expect(changes(rows, 1)).toEqual([false, true])
    expect(changes(rows, 0)).toEqual([false, false])
  })
})

describe('the list of tables', () => {
  const table = (name: string, rows: number, writtenBy?: string) =>
    ({ name, rows, sizeBytes: 10, writtenBy }) as Schemas['TableSummary']
  const all = [table('mart.cloth', 5), table('mart.hours', 7, 'loom-hours'), table('raw.rolls', 9)]

  it('is grouped by namespace, with what its tables have together', () => {
    expect(byNamespace(all, '').map((g) => [g.namespace, g.tables.length, g.rows, g.sizeBytes])).toEqual([
      ['mart', 2, 12, 20],
      ['raw', 1, 9, 10],
    ])
  })

  it('is searched by table and pipeline, whatever the case', () => {
    expect(byNamespace(all, ' LOOM ').flatMap((g) => g.tables.map((t) => t.name))).toEqual(['mart.hours'])
    expect(byNamespace(all, 'nothing')).toEqual([])
  })
})

describe('a row that did not go on', () => {
  it('is called by what its step did, never by a side', () => {
    expect(['dedupe', 'keep', 'join', 'aggregate', 'sql'].map(leftWord)).toEqual([
      'merged',
      'filtered',
      'unmatched',
      'grouped',
      'dropped',
    ])
  })
})
