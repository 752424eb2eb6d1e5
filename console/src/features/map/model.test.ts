import { describe, expect, it } from 'vitest'
import { counted, depths, idOf, mapPicture, pageOf, sources, touched, type Place } from './model'

const place = (id: string, ...from: string[]) => {
  const of = (text: string) => {
    const [kind, name] = text.split(':')
    return { kind, name }
  }
  return { ...of(id), from: from.map(of), isThere: true, steps: [] as string[] } as Place
}

const PLACES = [
  place('feed:rolls'),
  place('table:raw.rolls', 'pipeline:land'),
  place('table:mart.cloth', 'pipeline:cloth'),
  place('pipeline:land', 'feed:rolls'),
  place('pipeline:cloth', 'table:raw.rolls', 'table:mill.looms'),
  place('table:mill.looms'),
  place('star:cloth', 'table:mart.cloth', 'table:mill.looms'),
  place('sampler:week', 'star:cloth'),
]

describe('the map', () => {
  it('runs from where rows come from to who reads them', () => {
    const { boxes, lines } = mapPicture(PLACES)
    const x = new Map(boxes.map((b) => [b.id, b.x]))
    expect(boxes).toHaveLength(PLACES.length)
    expect(lines).toHaveLength(8)
    PLACES.forEach((p) => p.from.forEach((f) => expect(x.get(idOf(f))!).toBeLessThan(x.get(idOf(p))!)))
    const places = boxes.map((b) => `${b.x} ${b.y}`)
    expect(new Set(places).size).toBe(places.length)
  })

  it('says what a place comes from and what it touches', () => {
    expect([...sources(PLACES, 'pipeline:cloth')].sort()).toEqual([
      'feed:rolls',
      'pipeline:land',
      'table:mill.looms',
      'table:raw.rolls',
    ])
    expect(counted(touched(PLACES, 'table:mill.looms'))).toBe('1 pipeline, 1 star, 1 sampler, 1 table')
    expect(counted(touched(PLACES, 'sampler:week'))).toBe('nothing')
    expect(pageOf({ kind: 'table', name: 'raw.rolls' })).toBe('/tables/raw.rolls')
  })

  it('cuts a circle, and stays quick where many hang together', () => {
    const circle = [
      place('pipeline:a', 'table:b'),
      place('table:b', 'pipeline:a'),
      place('table:c', 'pipeline:a'),
    ]
    expect([...depths(circle).values()].every((d) => d >= 0)).toBe(true)
    expect(mapPicture(circle).boxes).toHaveLength(3)
    expect(touched(circle, 'pipeline:a')).toEqual(new Set(['table:b', 'table:c']))
    const layers = Array.from({ length: 12 }, (_, layer) =>
      Array.from({ length: 12 }, (_, i) =>
        place(
          `table:l${layer}.t${i}`,
          ...(layer === 0 ? [] : Array.from({ length: 12 }, (_, j) => `table:l${layer - 1}.t${j}`)),
        ),
      ),
    ).flat()
    expect(Math.max(...depths(layers).values())).toBe(11)
    expect(touched(layers, 'table:l0.t0').size).toBe(132)
  })
})
