import { describe, expect, it } from 'vitest'
import { columnsIn, MANY_COLUMNS, MOST_HEIGHT, ROW_HEIGHT, windowOf } from './windowed'

const HEIGHT = 480

describe('which rows are drawn', () => {
  it('is those in sight and a few around them; the others take their room', () => {
    expect(windowOf(3, 0, HEIGHT)).toEqual({ first: 0, last: 3, above: 0, below: 0 })
    const w = windowOf(1000, 100 * ROW_HEIGHT, HEIGHT)
    expect(w).toMatchObject({ first: 94, last: 124 })
    expect(w.above + w.below + (w.last - w.first) * ROW_HEIGHT).toBe(1000 * ROW_HEIGHT)
    expect(windowOf(0, 0, HEIGHT)).toEqual({ first: 0, last: 0, above: 0, below: 0 })
  })

  it('has the first row at the top and the last at the bottom, however many there are', () => {
    for (const total of [17, 18, 5_000, 285_000, 286_000, 1_000_000, 50_000_000]) {
      const room = Math.min(total * ROW_HEIGHT, MOST_HEIGHT)
      expect(windowOf(total, 0, HEIGHT).first).toBe(0)
      const end = windowOf(total, Math.max(0, room - HEIGHT), HEIGHT)
      expect(end.last).toBe(total)
      // The last row ends where the room ends.
      expect(end.above + (end.last - end.first) * ROW_HEIGHT).toBeGreaterThanOrEqual(room)
    }
  })

  it('draws what is in sight at every place', () => {
    for (const total of [30, 10_000, 1_000_000]) {
      const room = Math.min(total * ROW_HEIGHT, MOST_HEIGHT)
      for (let i = 0; i <= 50; i++) {
        const top = ((room - HEIGHT) * i) / 50
        const w = windowOf(total, top, HEIGHT)
        expect(w.last - w.first).toBeLessThan(40)
        expect(w.above).toBeLessThanOrEqual(top + 1)
        expect(w.above + (w.last - w.first) * ROW_HEIGHT).toBeGreaterThanOrEqual(top + HEIGHT - 1)
      }
    }
  })
})

describe('which columns are drawn', () => {
  it('is all of few', () => {
    const few = Array.from({ length: MANY_COLUMNS }, () => 500)
    expect(columnsIn(few, 9_000, 800)).toEqual({ first: 0, last: MANY_COLUMNS, before: 0, behind: 0 })
  })

  it('is those in sight of many, at every place; the others take their room', () => {
    const widths = Array.from({ length: 300 }, (_, i) => (i % 3 === 0 ? 0 : 40 + (i % 7) * 60))
    const whole = columnsIn(widths, 0, 1_000).behind + columnsIn(widths, 0, 1_000).before
    expect(columnsIn(widths, 0, 1_000)).toMatchObject({ first: 0, before: 0 })
    const room = widths.reduce((sum, w) => sum + (w || 120), 0)
    expect(whole).toBeLessThan(room)
    for (let left = 0; left <= room - 1_000; left += 997) {
      const c = columnsIn(widths, left, 1_000)
      const drawn = widths.slice(c.first, c.last).reduce((sum, w) => sum + (w || 120), 0)
      expect(c.before + drawn + c.behind).toBe(room)
      expect(c.before).toBeLessThanOrEqual(left)
      expect(c.before + drawn).toBeGreaterThanOrEqual(left + 1_000)
      expect(c.last - c.first).toBeLessThan(30)
    }
    expect(columnsIn(widths, room - 1_000, 1_000)).toMatchObject({ last: 300, behind: 0 })
  })
})
