import { describe, expect, it } from 'vitest'
import { dropping, keeping } from './profiled'

describe('the step for a value of a profile', () => {
  it('says the value as its type is written, and keeps nulls where it drops', () => {
    expect(keeping({ name: 'hall', type: 'varchar' }, "O'Hara")).toBe("keep: hall = 'O''Hara'")
    expect(dropping({ name: 'width_cm', type: 'int' }, 140)).toBe('keep: width_cm <> 140 or width_cm is null')
    expect(keeping({ name: 'on', type: 'date' }, '2026-01-05')).toBe("keep: on = date '2026-01-05'")
  })

  it('stands in quotes where YAML would read something else', () => {
    expect(keeping({ name: 'odd name', type: 'varchar' }, 'a: b # c')).toBe(
      'keep: "\\"odd name\\" = \'a: b # c\'"',
    )
    expect(keeping({ name: 'note', type: 'varchar' }, 'ünï')).toBe('keep: "note = \'ünï\'"')
  })
})
