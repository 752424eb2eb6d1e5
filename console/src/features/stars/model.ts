import type { Schemas } from '../../shared/api/client'

export type StarBox = {
  name: string
  table: string
  kind: 'fact' | 'dimension'
  words: string
  x: number
  y: number
  width: number
  height: number
}

export type StarLine = { key: string; title: string; path: string }

export type StarPictureData = { width: number; height: number; boxes: StarBox[]; lines: StarLine[] }

const BOX = { width: 170, height: 46 }
const GAP = { x: 40, y: 64 }
const MARGIN = 12

/**
 * Lays a star out: dimensions in a row above and a row below, facts between them, a line from each fact's keys to the
 * dimension that they point to. Several keys to one dimension are one line, which names them.
 */
export function starPicture(star: Schemas['StarDetail']): StarPictureData {
  const above = star.dimensions.filter((_, i) => i % 2 === 0)
  const below = star.dimensions.filter((_, i) => i % 2 === 1)
  const most = Math.max(above.length, below.length, star.facts.length, 1)
  const width = most * BOX.width + (most - 1) * GAP.x + 2 * MARGIN
  const row = (n: number, i: number) => {
    const taken = n * BOX.width + (n - 1) * GAP.x
    return (width - taken) / 2 + i * (BOX.width + GAP.x)
  }
  const top = MARGIN
  const middle = top + BOX.height + GAP.y
  const bottom = middle + BOX.height + GAP.y
  const dimension = (d: Schemas['StarDetail']['dimensions'][number], x: number, y: number): StarBox => ({
    name: d.name,
    table: d.table,
    kind: 'dimension',
    words: d.table,
    x,
    y,
    ...BOX,
  })
  const facts = star.facts.map((f, i): StarBox => ({
    name: f.name,
    table: f.table,
    kind: 'fact',
    words: `${f.measures.length} ${f.measures.length === 1 ? 'measure' : 'measures'}`,
    x: row(star.facts.length, i),
    y: middle,
    ...BOX,
  }))
  const dimensions = [
    ...above.map((d, i) => dimension(d, row(above.length, i), top)),
    ...below.map((d, i) => dimension(d, row(below.length, i), bottom)),
  ]
  const lines = star.facts.flatMap((f, i) => {
    const from = facts[i]!
    const keys = new Map<string, string[]>()
    Object.entries(f.keys).forEach(([key, to]) => keys.set(to, [...(keys.get(to) ?? []), key]))
    return [...keys].flatMap(([to, names]) => {
      const box = dimensions.find((d) => d.name === to)
      if (!box) {
        return []
      }
      const up = box.y < from.y
      const y0 = up ? from.y : from.y + from.height
      const y1 = up ? box.y + box.height : box.y
      const x0 = from.x + from.width / 2
      const x1 = box.x + box.width / 2
      const half = (y0 + y1) / 2
      return [
        {
          key: `${f.name}>${to}`,
          title: `${f.name}: ${names.join(', ')} → ${to}`,
          path: `M${x0} ${y0}C${x0} ${half} ${x1} ${half} ${x1} ${y1}`,
        },
      ]
    })
  })
  const height = (below.length > 0 ? bottom : middle) + BOX.height + MARGIN
  return { width, height, boxes: [...dimensions, ...facts], lines }
}
