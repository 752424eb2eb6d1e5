import { describe, expect, it } from 'vitest'
import { around, fitting, inSight, scaled, SCALES } from './frame'
import { layout, type FlowStep } from './model'

const step = (name: string, from: string[], other?: string): FlowStep => ({
  name,
  verb: 'keep',
  detail: '',
  from,
  with: other,
})
const STEPS = [
  step('rolls', []),
  step('looms', []),
  step('mills', []),
  step('tidy', ['rolls']),
  step('placed', ['tidy'], 'looms'),
  step('by_mill', ['placed'], 'mills'),
  step('faulty', ['tidy']),
]
const names = (only?: string) => around(STEPS, only).map((s) => s.name)

describe('a part of a flow', () => {
  it('is what leads to a step and what comes of it', () => {
    expect(names('placed')).toEqual(['rolls', 'looms', 'tidy', 'placed', 'by_mill'])
    expect(names('tidy')).toEqual(['rolls', 'tidy', 'placed', 'by_mill', 'faulty'])
    expect(names('mills')).toEqual(['mills', 'by_mill'])
    expect(names()).toHaveLength(7)
    expect(names('gone')).toHaveLength(7)
  })

  it('can be drawn: nothing in it comes from what is left out', () => {
    for (const { name } of STEPS) {
      const part = around(STEPS, name)
      const there = new Set(part.map((s) => s.name))
      expect(part.every((s) => [...s.from, ...(s.with ? [s.with] : [])].every((i) => there.has(i)))).toBe(
        true,
      )
      expect(layout(part, 800).bars).toHaveLength(part.length)
    }
  })
})

describe('the scale of a flow', () => {
  it('goes step by step, and ends', () => {
    expect(scaled(1, true)).toBe(1.25)
    expect(scaled(1.25, true)).toBe(1.25)
    expect(scaled(1, false)).toBe(0.75)
    expect(scaled(SCALES[0], false)).toBe(SCALES[0])
  })

  it('that fits is never larger than letters are meant', () => {
    expect(fitting(500, 2000)).toBe(1)
    expect(fitting(2000, 1200)).toBe(0.55)
    expect(fitting(90_000, 1200)).toBe(SCALES[0])
  })
})

describe('a bar that is picked', () => {
  it('comes into sight, and moves nothing where it is', () => {
    const box = { scrollLeft: 200, clientWidth: 600 }
    expect(inSight(500, box)).toBe(200)
    expect(inSight(1400, box)).toBe(1100)
    expect(inSight(790, box)).toBe(490)
    expect(inSight(30, box)).toBe(0)
  })
})
