import { describe, expect, it } from 'vitest'
import { dropping, keeping } from './profiled'

describe('the step for a value of a profile', () => {
  it('says the value as its type is written, and keeps nulls where it drops', () => {
    expect(keeping({ name: 'hall', type: 'varchar' }, "O'Hara")).toBe("keep: hall = 'O''Hara'")
    expect(dropping({ name: 'width_cm', type: 'int' }, 140)).toBe('keep: width_cm <> 140 or width_cm is null')
    expect(keeping({ name: 'warmth', type: 'float' }, 0.1)).toBe("keep: warmth = cast('0.1' as float)")
    expect(keeping({ name: 'on', type: 'date' }, '2026-01-05')).toBe("keep: on = date '2026-01-05'")
    expect(keeping({ name: 'tag', type: 'uuid' }, '0f8b2c1e')).toBe("keep: tag = uuid '0f8b2c1e'")
    expect(keeping({ name: 'mark', type: 'binary' }, 'cafe')).toBe("keep: mark = x'cafe'")
    expect(keeping({ name: 'shift', type: 'time' }, '06:00:00')).toBe('keep: "shift = time \'06:00:00\'"')
    expect(keeping({ name: 'seen', type: 'timestamp with time zone' }, '2026-01-05 06:00:00+00:00')).toBe(
      'keep: "seen = cast(\'2026-01-05 06:00:00+00:00\' as timestamp with time zone)"',
    )
  })

  it('stands in quotes where YAML would read something else', () => {
    expect(keeping({ name: 'odd name', type: 'varchar' }, 'a: b # c')).toBe(
      'keep: "\\"odd name\\" = \'a: b # c\'"',
    )
    expect(keeping({ name: 'note', type: 'varchar' }, 'ünï')).toBe('keep: "note = \'ünï\'"')
  })
})
