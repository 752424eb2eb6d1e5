import { describe, expect, it } from 'vitest'
import { found, PAGES } from './model'

const PLACES = [
  ...PAGES,
  { kind: 'table', name: 'mart.roll_inspection', to: '/tables/mart.roll_inspection' },
  { kind: 'table', name: 'raw.rolls', to: '/tables/raw.rolls' },
  { kind: 'pipeline', name: 'roll-inspection', to: '/pipelines/roll-inspection' },
  { kind: 'feed', name: 'scrolls', to: '/feeds/scrolls' },
]

const names = (wanted: string) => found(PLACES, wanted).map((p) => `${p.kind} ${p.name}`)

describe('what is found', () => {
  it('fits best first: the whole name, its beginning, a word of it, somewhere in it', () => {
    expect(names('roll')).toEqual([
      'pipeline roll-inspection',
      'table mart.roll_inspection',
      'table raw.rolls',
      'feed scrolls',
    ])
    expect(names('runs')[0]).toBe('page Runs')
  })

  it('has all words, of the kind too', () => {
    expect(names('table inspection')).toEqual(['table mart.roll_inspection'])
    expect(names('nothing like it')).toEqual([])
  })

  it('has parts behind what they are parts of, by the name of that too', () => {
    const parts = [
      { kind: 'step', name: 'rolls', of: 'cloth', to: '/pipelines/cloth?step=rolls' },
      { kind: 'pipeline', name: 'rolls', to: '/pipelines/rolls' },
    ]
    expect(found(parts, 'rolls').map((p) => p.kind)).toEqual(['pipeline', 'step'])
    expect(found(parts, 'rolls cloth').map((p) => p.kind)).toEqual(['step'])
  })

  it('takes a number for a run', () => {
    expect(found(PLACES, '21')[0]).toEqual({ kind: 'run', name: '21', to: '/runs/21' })
  })

  it('is the pages where nothing is asked', () => {
    expect(found(PAGES, '')).toHaveLength(PAGES.length)
  })
})
