import { describe, expect, it } from 'vitest'
import { ago, diff, share, shareBars, withType } from './model'

describe('share', () => {
  it('tells none from almost none', () => {
    expect([share(0, 0), share(0, 7), share(1, 1_000_000), share(1, 8)]).toEqual([
      '',
      '0 %',
      '< 0.01 %',
      '12.50 %',
    ])
  })
})

describe('ago', () => {
  it('takes the largest unit that fits', () => {
    const now = Date.parse('2026-11-23T12:00:00Z')
    expect(
      [
        undefined,
        '2026-11-23T11:59:50Z',
        '2026-11-23T11:15:00Z',
        '2026-11-22T12:00:00Z',
        '2026-11-01T12:00:00Z',
      ].map((t) => ago(t, now)),
    ).toEqual(['never', 'just now', '45 min ago', '24 h ago', '22 days ago'])
  })
})

describe('shareBars', () => {
  it('scales to the highest and keeps a foot for none', () => {
    const intake = (run: number, setAside: number) => ({ run, takenAt: '', files: 1, records: 100, setAside })
    const bars = shareBars([intake(1, 0), intake(2, 5), intake(3, 10)], 80, 20)
    expect(bars.map((b) => b.height)).toEqual([1, 10, 20])
    expect(bars[2]?.title).toBe('run 3: 10.00 % of 100 records set aside')
  })
})

describe('diff', () => {
  it('keeps what is common in place', () => {
    expect(diff('a\nb\nc', 'a\nc\nd').map((l) => `${l.kind[0]}${l.text}`)).toEqual(['sa', 'lb', 'sc', 'md'])
  })
})

describe('withType', () => {
  const text = [
    'feed: f',
    'files: x',
    'columns:',
    '  # a note',
    '  roll: varchar   # whose',
    '  m: {type: int, from: "m m", required: true}',
    '  d: {type: "decimal(6, 1)", trim: false}',
  ].join('\n')

  it('changes a type where it stands, and nothing else', () => {
    expect(withType(text, 'roll', 'date').split('\n')[4]).toBe('  roll: date   # whose')
    expect(withType(text, 'm', 'decimal(9, 2)').split('\n')[5]).toBe(
      '  m: {type: "decimal(9, 2)", from: "m m", required: true}',
    )
    expect(withType(text, 'd', 'int').split('\n')[6]).toBe('  d: {type: int, trim: false}')
    expect(withType(text, 'files', 'int')).toBe(text)
  })
})
