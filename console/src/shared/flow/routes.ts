/**
 * Routes ribbons between columns of bars. A ribbon runs level and turns only in the gaps between columns, each in a slot of its own, so
 * that it crosses no title; a gap is as wide as its titles and turns need. Pure.
 */

/**
 * @property levels the heights at which it runs, from its bar to the next one's: two, or three where it goes through an aisle between
 */
export type Route = { thickness: number; fromColumn: number; toColumn: number; levels: number[] }

/** What stands around the bars of a column: how far titles and numbers reach before and behind. */
export type Reach = { column: number; before: number; behind: number }

/**
 * @property x the left side of each column's bars
 * @property turns for each route the places of its turns, in the order of its levels
 */
export type Columns = { x: number[]; turns: number[][] }

const SLOT_GAP = 4
const SHARPEST_TURN = 7
const WIDEST_TURN = 24

type Turn = { route: number; order: number; gap: number; from: number; to: number; thickness: number }

/** The turns of all routes; a gap has the number of the column before it. */
function turnsOf(routes: Route[]): Turn[] {
  return routes.flatMap((r, route) =>
    r.levels.slice(1).flatMap((to, order) => {
      const from = r.levels[order]!
      const last = order === r.levels.length - 2
      const gap = last ? r.toColumn - 1 : r.fromColumn
      return Math.abs(from - to) < 0.5 || gap < 0
        ? []
        : [{ route, order, gap, from, to, thickness: r.thickness }]
    }),
  )
}

/** Where bars and turns stand, in a picture of a width that grows if it has to. */
export function columnsOf(
  routes: Route[],
  reaches: Reach[],
  area: { from: number; width: number; bar: number },
): Columns {
  const columns = Math.max(0, ...reaches.map((r) => r.column)) + 1
  const turns = turnsOf(routes)
  const reach = (column: number, side: 'before' | 'behind') =>
    Math.max(0, ...reaches.filter((r) => r.column === column).map((r) => r[side]))
  const inGap = (gap: number) =>
    turns
      .filter((t) => t.gap === gap)
      // Ribbons that rise from deeper down do so nearer to the bars that they go to, and cross nothing that rose before.
      .sort(
        (a, b) =>
          Number(a.to < a.from) - Number(b.to < b.from) ||
          (a.to < a.from ? a.from - b.from : b.from - a.from),
      )
  const needed = Array.from({ length: columns - 1 }, (_, gap) => {
    const slots = inGap(gap).reduce((sum, t) => sum + t.thickness + SLOT_GAP, 0)
    return area.bar + reach(gap, 'behind') + slots + reach(gap + 1, 'before') - area.bar / 2
  })
  const spare = Math.max(0, area.width - needed.reduce((a, b) => a + b, 0))
  const x = [area.from]
  needed.forEach((n, gap) => x.push(x[gap]! + n + spare / Math.max(1, columns - 1)))
  const places: number[][] = routes.map(() => [])
  needed.forEach((_, gap) => {
    let slot = x[gap + 1]! - reach(gap + 1, 'before') + area.bar / 2
    inGap(gap)
      .reverse()
      .forEach((t) => {
        places[t.route]![t.order] = slot - t.thickness / 2
        slot -= t.thickness + SLOT_GAP
      })
  })
  return { x, turns: places }
}

/** A route as a path of SVG, and how long it runs straight behind its first bar. */
export function drawn(
  route: Route,
  columns: Columns,
  index: number,
  bar: number,
): { path: string; straight: number } {
  const start = columns.x[route.fromColumn]! + bar
  const end = columns.x[route.toColumn]!
  let path = `M${start} ${route.levels[0]}`
  let straight = end - start
  route.levels.slice(1).forEach((to, order) => {
    const from = route.levels[order]!
    const turn = columns.turns[index]![order]
    if (turn === undefined) {
      return
    }
    const half = Math.min(
      Math.max(SHARPEST_TURN, Math.min(WIDEST_TURN, Math.abs(to - from) / 2), route.thickness / 2),
      Math.max(SHARPEST_TURN, turn - start),
    )
    if (order === 0) {
      straight = turn - half - start
    }
    // Upright between two corners: a slanting ribbon would leave its slot and run over titles.
    const corner = Math.min(half, Math.abs(to - from) / 2) * Math.sign(to - from)
    path +=
      `H${turn - half}C${turn - half / 2} ${from} ${turn} ${from + corner / 2} ${turn} ${from + corner}` +
      `V${to - corner}C${turn} ${to - corner / 2} ${turn + half / 2} ${to} ${turn + half} ${to}`
  })
  return { path: path + `H${end}`, straight }
}
