import type { Schemas } from '../../shared/api/client'

export type Place = Schemas['MapPlace']
type PlaceName = Schemas['PlaceName']

export const idOf = (p: PlaceName) => `${p.kind}:${p.name}`

export type Box = { place: Place; id: string; x: number; y: number }
export type Line = { from: string; to: string; path: string }
export type MapPicture = { width: number; height: number; boxes: Box[]; lines: Line[] }

export const BOX_WIDTH = 176
export const BOX_HEIGHT = 34
const COLUMN_GAP = 56
const ROW_GAP = 10
const MARGIN = 12
/** How often the places of a column are put beside those that they hang together with. */
const PASSES = 4

/** How many steps lie before each place, by the longest way; a circle is cut where it closes. */
export function depths(places: Place[]): Map<string, number> {
  const byId = new Map(places.map((p) => [idOf(p), p]))
  const out = new Map<string, number>()
  const open = new Set<string>()
  const depth = (id: string): number => {
    const known = out.get(id)
    if (known !== undefined) {
      return known
    }
    const place = byId.get(id)
    if (!place || open.has(id)) {
      return -1
    }
    open.add(id)
    const d = 1 + Math.max(-1, ...place.from.map((f) => depth(idOf(f))))
    open.delete(id)
    out.set(id, d)
    return d
  }
  places.forEach((p) => depth(idOf(p)))
  return out
}

/** Places in columns, from where rows come from on the left to who reads them on the right. */
export function mapPicture(places: Place[]): MapPicture {
  const depth = depths(places)
  const columns: string[][] = []
  places.forEach((p) => {
    const d = depth.get(idOf(p)) ?? 0
    ;(columns[d] ??= []).push(idOf(p))
  })
  const before = new Map(places.map((p) => [idOf(p), p.from.map(idOf)]))
  const behind = new Map<string, string[]>()
  before.forEach((from, id) => from.forEach((f) => behind.set(f, [...(behind.get(f) ?? []), id])))
  const row = new Map<string, number>()
  const number = () => columns.forEach((c) => c?.forEach((id, i) => row.set(id, i - c.length / 2)))
  number()
  for (let pass = 0; pass < PASSES; pass++) {
    const near = pass % 2 === 0 ? before : behind
    columns.forEach((c) => {
      const middle = (id: string) => {
        const all = (near.get(id) ?? []).map((o) => row.get(o) ?? 0)
        return all.length === 0 ? (row.get(id) ?? 0) : all.reduce((a, b) => a + b, 0) / all.length
      }
      const at = new Map(c?.map((id) => [id, middle(id)]))
      c?.sort((a, b) => at.get(a)! - at.get(b)!)
    })
    number()
  }
  const tallest = Math.max(1, ...columns.map((c) => c?.length ?? 0))
  const byId = new Map(places.map((p) => [idOf(p), p]))
  const boxes = columns.flatMap((c, column) =>
    (c ?? []).map((id, i): Box => {
      const free = (tallest - (c?.length ?? 0)) / 2
      return {
        id,
        place: byId.get(id)!,
        x: MARGIN + column * (BOX_WIDTH + COLUMN_GAP),
        y: MARGIN + (i + free) * (BOX_HEIGHT + ROW_GAP),
      }
    }),
  )
  const boxOf = new Map(boxes.map((b) => [b.id, b]))
  const lines = boxes.flatMap((to) =>
    to.place.from.flatMap((f): Line[] => {
      const from = boxOf.get(idOf(f))
      if (!from) {
        return []
      }
      const x0 = from.x + BOX_WIDTH
      const y0 = from.y + BOX_HEIGHT / 2
      const y1 = to.y + BOX_HEIGHT / 2
      const bend = Math.max(24, Math.abs(to.x - x0) / 2)
      return [
        {
          from: from.id,
          to: to.id,
          path: `M${x0} ${y0}C${x0 + bend} ${y0} ${to.x - bend} ${y1} ${to.x} ${y1}`,
        },
      ]
    }),
  )
  return {
    width: 2 * MARGIN + columns.length * (BOX_WIDTH + COLUMN_GAP) - COLUMN_GAP,
    height: 2 * MARGIN + tallest * (BOX_HEIGHT + ROW_GAP) - ROW_GAP,
    boxes,
    lines,
  }
}

/** All that rows come from, however far. */
export function sources(places: Place[], id: string): Set<string> {
  const from = new Map(places.map((p) => [idOf(p), p.from.map(idOf)]))
  return reached(id, (at) => from.get(at) ?? [])
}

/** All that a change would touch, however far. */
export function touched(places: Place[], id: string): Set<string> {
  const to = new Map<string, string[]>()
  places.forEach((p) => p.from.forEach((f) => to.set(idOf(f), [...(to.get(idOf(f)) ?? []), idOf(p)])))
  return reached(id, (at) => to.get(at) ?? [])
}

function reached(start: string, next: (id: string) => string[]): Set<string> {
  const out = new Set<string>()
  const open = [start]
  while (open.length > 0) {
    next(open.pop()!)
      .filter((id) => !out.has(id) && id !== start)
      .forEach((id) => {
        out.add(id)
        open.push(id)
      })
  }
  return out
}

/** How many of each kind, in words: 2 pipelines, 1 table. */
export function counted(ids: Iterable<string>): string {
  const kinds = new Map<string, number>()
  for (const id of ids) {
    const kind = id.slice(0, id.indexOf(':'))
    kinds.set(kind, (kinds.get(kind) ?? 0) + 1)
  }
  return kinds.size === 0
    ? 'nothing'
    : [...kinds].map(([k, n]) => `${n} ${k}${n === 1 ? '' : 's'}`).join(', ')
}

/** The page of a place. */
export function pageOf(p: PlaceName): string {
  const name = encodeURIComponent(p.name)
  return p.kind === 'view' ? `/query?view=${name}` : `/${p.kind}s/${name}`
}
