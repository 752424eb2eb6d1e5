import { describe, expect, it } from 'vitest'
import { bytes, duration, isNumeric, visible } from './format'

describe('visible', () => {
  it('marks blanks at the ends, and only there', () => {
    expect(visible(' L 1  ')).toEqual([
      { kind: 'mark', text: '\u00b7' },
      { kind: 'text', text: 'L 1' },
      { kind: 'mark', text: '\u00b7\u00b7' },
    ])
  })

  it('marks tabs, control and invisible characters wherever they are', () => {
    expect(visible('a\tb\u200bc').map((p) => p.text)).toEqual(['a', '\u00bb', 'b', '\u27e8200b\u27e9', 'c'])
  })

  it('shows nothing for an empty text', () => {
    expect(visible('')).toEqual([])
  })
})

describe('numbers', () => {
  it('keeps two digits of small sizes', () => {
    expect([bytes(999), bytes(1000), bytes(12_400_000)]).toEqual(['999 B', '1.0 kB', '12 MB'])
  })

  it('are told by their types', () => {
    const types = ['int', 'bigint', 'float', 'double', 'decimal(9, 2)', 'varchar', 'date', 'boolean', 'uuid']
    expect(types.filter(isNumeric)).toEqual(['int', 'bigint', 'float', 'double', 'decimal(9, 2)'])
  })

  it('turns to minutes after a minute', () => {
    expect([duration(650), duration(61_000)]).toEqual(['0.65 s', '1:01 min'])
  })
})
