import { describe, expect, it } from 'vitest'
import { placeBars } from './bars'

const bar = (value: number) => ({ key: String(value), value, colour: 'red', title: '' })

describe('bars', () => {
  it('are as high as their share of the highest, and seen even where there is nothing', () => {
    expect(placeBars([bar(0), bar(5), bar(10)], 300, 40).map((b) => [b.y, b.height])).toEqual([
      [39, 1],
      [20, 20],
      [0, 40],
    ])
  })

  it('are never a block when there is one, and never leave the chart when there are many', () => {
    expect(placeBars([bar(3)], 300, 40)[0]!.width).toBe(18)
    const many = placeBars(
      Array.from({ length: 400 }, (_, i) => bar(i + 1)),
      300,
      40,
    )
    expect(many.at(-1)!.x + many.at(-1)!.width).toBeLessThanOrEqual(300.5)
    expect(Math.min(...many.map((b) => b.width))).toBeGreaterThanOrEqual(1)
  })
})
