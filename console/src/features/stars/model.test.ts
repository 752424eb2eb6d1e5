import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { starPicture } from './model'

const star = {
  summary: { name: 'cloth' },
  facts: [
    {
      name: 'rolls',
      table: 's.rolls',
      measures: [{}, {}],
      keys: { woven: 'day', seen: 'day', loom: 'loom' },
    },
    { name: 'shipments', table: 's.ships', measures: [{}], keys: { sent: 'day', to: 'gone' } },
  ],
  dimensions: [
    { name: 'day', table: 's.day' },
    { name: 'loom', table: 's.loom' },
    { name: 'mill', table: 's.mill' },
  ],
} as unknown as Schemas['StarDetail']

describe('the picture of a star', () => {
  const picture = starPicture(star)

  it('has a box for every table, none over another, all inside', () => {
    expect(picture.boxes.map((b) => b.name)).toEqual(['day', 'mill', 'loom', 'rolls', 'shipments'])
    picture.boxes.forEach((a, i) => {
      expect(a.x).toBeGreaterThanOrEqual(0)
      expect(a.x + a.width).toBeLessThanOrEqual(picture.width)
      expect(a.y + a.height).toBeLessThanOrEqual(picture.height)
      picture.boxes.slice(i + 1).forEach((b) => {
        const apart =
          a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y
        expect(apart, `${a.name} and ${b.name}`).toBe(true)
      })
    })
  })

  it('has one line for all keys from a fact to a dimension, and none to a dimension that is not there', () => {
    expect(picture.lines.map((l) => l.title)).toEqual([
      'rolls: woven, seen → day',
      'rolls: loom → loom',
      'shipments: sent → day',
    ])
  })
})
