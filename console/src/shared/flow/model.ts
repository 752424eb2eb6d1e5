/**
 * Lays a pipeline out as ribbons. Pure: steps with their counts in, places and paths out.
 *
 * The main path, from the largest write back through each step's first input, runs along the top; every other input gets a lane below,
 * one column before the step that it joins. Thickness is the square root of rows. What leaves at a step peels off below its bar.
 */

import { columnsOf, drawn, type Route } from './routes'

export type FlowTally = {
  state: string
  rowsIn: number
  rightIn: number
  rowsOut: number
  setAside: number
  merged: number
  filtered: number
  unmatched: number
}

export type FlowStep = {
  name: string
  verb: string
  detail: string
  from: string[]
  with?: string
  tally?: FlowTally
}

export type FlowBar = {
  step: FlowStep
  x: number
  y: number
  height: number
  state: 'done' | 'running' | 'failed' | 'waiting'
  side: boolean
}

export type FlowBand = {
  from: string
  to: string
  rows: number
  path: string
  thickness: number
  labelX: number
  labelY: number
  /** A label stands on the band when that is wide enough, and below it otherwise. */
  labelInside: boolean
  /** A step's rows are told once, on the first of its bands. */
  labelled: boolean
  /** Where something can be put between the two: just before the second one's bar. */
  plusX: number
  plusY: number
  kind: 'main' | 'side' | 'running' | 'waiting'
}

export type FlowPeel = {
  step: string
  kind: 'set aside' | 'merged' | 'filtered' | 'unmatched'
  rows: number
  path: string
  thickness: number
  labelX: number
  labelY: number
}

export type Flow = { width: number; height: number; bars: FlowBar[]; bands: FlowBand[]; peels: FlowPeel[] }

export const BAR_WIDTH = 9
const MAX_THICKNESSES = [48, 38, 30, 22]
const MIN_THICKNESS = 2
const TITLE_HEIGHT = 44
const PEEL_HEIGHT = 74
const LANE_GAP = 20
const MARGIN_X = 56
/** Behind the last bar: the number of rows that it writes. */
const END_ROOM = 116
const AISLE_GAP = 14
const DOCK_GAP = 2
const PEEL_REACH = 16
const PLUS_REACH = 15
const WAITING_THICKNESS = 1.5
const DRAWN_WITHOUT_ROWS = 14
const DIGIT_WIDTH = 7.6
const NAME_LETTER_WIDTH = 7.3
/** Half of a subtitle of the most letters; also the room of a number behind its bar. */
const MIN_HALF_TITLE = 48

type Placed = { column: number; lane: number }

function halfTitle(s: FlowStep): number {
  return (s.name.length * NAME_LETTER_WIDTH) / 2
}

/** The steps on the main line of a table that is published: its write, and back through first inputs. */
export function mainLines(steps: FlowStep[]): Set<string> {
  const byName = new Map(steps.map((s) => [s.name, s]))
  const out = new Set<string>()
  steps
    .filter((s) => s.verb === 'write')
    .forEach((s) => {
      let at: FlowStep | undefined = s
      while (at && !out.has(at.name)) {
        out.add(at.name)
        at = byName.get(at.from[0] ?? '')
      }
    })
  return out
}

/** Every input of a step, the main one first. */
export function inputsOf(step: FlowStep): string[] {
  return step.with ? [...step.from, step.with] : step.from
}

/** Columns and lanes, before any measure. */
export function place(steps: FlowStep[]): Map<string, Placed> {
  const byName = new Map(steps.map((s) => [s.name, s]))
  const depthOf = new Map<string, number>()
  const depth = (name: string, seen: Set<string>): number => {
    const known = depthOf.get(name)
    const step = byName.get(name)
    if (known !== undefined || !step || seen.has(name)) {
      return known ?? 0
    }
    seen.add(name)
    const inputs = inputsOf(step).filter((i) => byName.has(i))
    const d = inputs.length === 0 ? 0 : 1 + Math.max(...inputs.map((i) => depth(i, seen)))
    depthOf.set(name, d)
    return d
  }
  steps.forEach((s) => depth(s.name, new Set()))
  const placed = new Map<string, Placed>()
  const taken: boolean[][] = []
  const free = (lane: number, from: number, to: number) => {
    for (let c = from; c <= to; c++) {
      if (taken[lane]?.[c]) {
        return false
      }
    }
    return true
  }
  /** The chain of first inputs that ends in a step, as far as it is not placed yet. */
  const chainTo = (name: string): FlowStep[] => {
    const chain: FlowStep[] = []
    let at = byName.get(name)
    while (at && !placed.has(at.name) && !chain.includes(at)) {
      chain.unshift(at)
      at = byName.get(at.from[0] ?? '')
    }
    return chain
  }
  const put = (chain: FlowStep[], lastColumn: number, minLane: number) => {
    const columns: number[] = []
    let column = lastColumn
    for (let i = chain.length - 1; i >= 0; i--) {
      columns[i] = column
      column = Math.min(column - 1, depthOf.get(chain[i - 1]?.name ?? '') ?? 0)
      // A chain ends close to where it is needed, not where it could begin.
      column = columns[i]! - 1
    }
    let lane = minLane
    while (!free(lane, Math.max(0, columns[0] ?? 0), lastColumn)) {
      lane++
    }
    taken[lane] ??= []
    chain.forEach((s, i) => {
      const c = Math.max(0, columns[i] ?? 0)
      placed.set(s.name, { column: c, lane })
      taken[lane]![c] = true
    })
    chain.forEach((s) => sides(s, lane + 1))
  }
  const sides = (step: FlowStep, minLane: number) => {
    const at = placed.get(step.name)!
    inputsOf(step)
      .slice(1)
      .forEach((input) => {
        const chain = chainTo(input)
        if (chain.length > 0) {
          put(chain, Math.max(chain.length - 1, at.column - 1), minLane)
        }
      })
  }
  const ends = steps
    .filter((s) => !steps.some((o) => inputsOf(o).includes(s.name)))
    .sort(
      (a, b) =>
        (depthOf.get(b.name) ?? 0) - (depthOf.get(a.name) ?? 0) ||
        (b.tally?.rowsOut ?? 0) - (a.tally?.rowsOut ?? 0),
    )
  ends.forEach((end) => {
    const chain = chainTo(end.name)
    if (chain.length > 0) {
      const start = placed.get(chain[0]?.from[0] ?? '')
      const last = Math.max(depthOf.get(end.name) ?? 0, (start?.column ?? -1) + chain.length)
      // A step stands behind every input that has its place already, so that ribbons run forwards.
      const behind = chain.flatMap((s, i) =>
        inputsOf(s).map((input) => (placed.get(input)?.column ?? -1) + chain.length - i),
      )
      // Beside what it reads where there is room, so that its line crosses nothing.
      put(chain, Math.max(last, ...behind), start?.lane ?? 0)
    }
  })
  // A chain that was put close to where it is needed may start before an input that was placed since.
  ;[...steps]
    .sort((a, b) => (depthOf.get(a.name) ?? 0) - (depthOf.get(b.name) ?? 0))
    .forEach((s) => {
      const now = placed.get(s.name)
      const column = 1 + Math.max(-1, ...inputsOf(s).map((i) => placed.get(i)?.column ?? -1))
      if (now && now.column < column && (depthOf.get(s.name) ?? 0) > 0) {
        taken[now.lane]![now.column] = false
        let lane = now.lane
        while (!free(lane, column, column)) {
          lane++
        }
        taken[lane] ??= []
        taken[lane]![column] = true
        placed.set(s.name, { column, lane })
      }
    })
  return placed
}

/**
 * Ribbons that pass columns between theirs run along their own lane where no other step and no other step's ribbon is in the way.
 * The others get an aisle below the upper one of their two lanes: rows of ribbons there that do not meet, by lane.
 */
function aislesOf(edges: Edge[], steps: FlowStep[], at: (s: FlowStep) => Placed): Map<number, Edge[][]> {
  const inTheWay = new Map(steps.map((s) => [`${at(s).lane}/${at(s).column}`, s.name]))
  const aisles = new Map<number, Edge[][]>()
  edges.forEach((e) => {
    const { column: first, lane } = at(e.from)
    const last = at(e.to).column
    const passed = Array.from({ length: Math.max(0, last - first - 1) }, (_, i) => `${lane}/${first + 1 + i}`)
    if (passed.every((cell) => (inTheWay.get(cell) ?? e.from.name) === e.from.name)) {
      passed.forEach((cell) => inTheWay.set(cell, e.from.name))
      return
    }
    const below = Math.min(lane, at(e.to).lane)
    const rows = aisles.get(below) ?? []
    const meets = (o: Edge) => at(o.from).column < last && first < at(o.to).column
    const row = rows.find((r) => !r.some(meets))
    if (row) {
      row.push(e)
    } else {
      rows.push([e])
    }
    aisles.set(below, rows)
  })
  return aisles
}

/** A ribbon before it is drawn: which bars it joins, and how wide it is. */
type Edge = {
  from: FlowStep
  to: FlowStep
  /** The place among the inputs of its step. */
  input: number
  thickness: number
  waiting: boolean
}

/** The widest ribbons that fit the width; where none do, thin ones in a picture that is wider. */
export function layout(steps: FlowStep[], width: number, failedStep?: string, animateRunning = true): Flow {
  if (steps.length === 0) {
    return { width, height: 0, bars: [], bands: [], peels: [] }
  }
  const tried = MAX_THICKNESSES.map((most) => () => laidOut(steps, width, most, failedStep, animateRunning))
  let flow = tried[0]!()
  for (let i = 1; i < tried.length && flow.width > width; i++) {
    flow = tried[i]!()
  }
  return flow
}

function laidOut(
  steps: FlowStep[],
  width: number,
  maxThickness: number,
  failedStep: string | undefined,
  animateRunning: boolean,
): Flow {
  const placed = place(steps)
  const most = Math.max(1, ...steps.map((s) => Math.max(s.tally?.rowsIn ?? 0, s.tally?.rowsOut ?? 0)))
  const known = steps.some((s) => (s.tally?.rowsIn ?? 0) > 0)
  const thick = (rows: number) =>
    !known
      ? DRAWN_WITHOUT_ROWS
      : rows <= 0
        ? 0
        : Math.max(MIN_THICKNESS, maxThickness * Math.sqrt(rows / most))
  const byName = new Map(steps.map((s) => [s.name, s]))
  const edges: Edge[] = steps.flatMap((to) =>
    inputsOf(to).flatMap((name, input) => {
      const from = byName.get(name)
      if (!from) {
        return []
      }
      const t = thick(from.tally?.rowsOut ?? 0)
      const waiting = known && t === 0
      return [{ from, to, input, thickness: waiting ? WAITING_THICKNESS : t, waiting }]
    }),
  )
  const heightOf = (s: FlowStep) => {
    const docked = edges.filter((e) => e.to === s).reduce((sum, e) => sum + e.thickness + DOCK_GAP, 0)
    const left = peelsOf(s).reduce((sum, p) => sum + thick(p.rows), 0)
    return Math.max(14, docked - DOCK_GAP, thick(s.tally?.rowsOut ?? 0) + left)
  }
  /** How far a number below a band moves, to stand beside what peels off there. */
  const besidePeels = (s: FlowStep) =>
    Math.max(0, ...peelsOf(s).map((p) => PEEL_REACH + Math.max(MIN_THICKNESS, thick(p.rows)) + 16))
  const at = (s: FlowStep) => placed.get(s.name)!
  const aisles = aislesOf(edges, steps, at)

  const lanes = Math.max(...[...placed.values()].map((p) => p.lane)) + 1
  const laneTop: number[] = []
  const aisleTop = new Map<Edge, number>()
  let top = 4
  for (let lane = 0; lane < lanes; lane++) {
    const mine = steps.filter((s) => at(s).lane === lane)
    laneTop[lane] = top + TITLE_HEIGHT
    const tallest = Math.max(14, ...mine.map(heightOf))
    const peels = Math.max(0, ...mine.map((s) => peelsOf(s).length))
    top += TITLE_HEIGHT + tallest + (peels > 0 ? PEEL_HEIGHT + (peels - 1) * 30 : LANE_GAP)
    aisles.get(lane)?.forEach((row) => {
      row.forEach((e) => aisleTop.set(e, top))
      top += Math.max(...row.map((e) => e.thickness)) + AISLE_GAP
    })
  }

  const dockOf = new Map<Edge, number>()
  steps.forEach((s) => {
    let dock = laneTop[at(s).lane]!
    edges
      .filter((e) => e.to === s)
      .forEach((e) => {
        dockOf.set(e, dock + e.thickness / 2)
        dock += e.thickness + DOCK_GAP
      })
  })
  const routes = edges.map((e): Route => {
    const leaves = laneTop[at(e.from).lane]! + e.thickness / 2
    const aisle = aisleTop.get(e)
    const arrives = dockOf.get(e)!
    return {
      thickness: e.thickness,
      fromColumn: at(e.from).column,
      toColumn: at(e.to).column,
      levels: aisle === undefined ? [leaves, arrives] : [leaves, aisle + e.thickness / 2, arrives],
    }
  })
  const columns = columnsOf(
    routes,
    steps.map((s) => ({
      column: at(s).column,
      before: Math.max(MIN_HALF_TITLE, halfTitle(s)),
      behind: Math.max(
        MIN_HALF_TITLE,
        halfTitle(s),
        ...peelsOf(s).map((p) => BAR_WIDTH + PEEL_REACH + Math.max(MIN_THICKNESS, thick(p.rows)) / 2 + 34),
      ),
    })),
    { from: MARGIN_X, width: width - MARGIN_X - END_ROOM, bar: BAR_WIDTH },
  )

  const main = mainLines(steps)
  const bars = new Map<string, FlowBar>()
  steps.forEach((s) => {
    const p = at(s)
    const tally = s.tally
    const state: FlowBar['state'] =
      s.name === failedStep
        ? 'failed'
        : !tally || tally.state === 'waiting'
          ? 'waiting'
          : tally.state === 'running'
            ? 'running'
            : 'done'
    bars.set(s.name, {
      step: s,
      x: columns.x[p.column]!,
      y: laneTop[p.lane]!,
      height: heightOf(s),
      state,
      side: !main.has(s.name),
    })
  })

  const bands = edges.map((e, i): FlowBand => {
    const from = bars.get(e.from.name)!
    const to = bars.get(e.to.name)!
    const rows = e.from.tally?.rowsOut ?? 0
    const x0 = from.x + BAR_WIDTH
    const y0 = routes[i]!.levels[0]!
    const { path, straight } = drawn(routes[i]!, columns, i, BAR_WIDTH)
    const running = animateRunning && to.state === 'running'
    // A number stands on the straight part of its band, or below where that is too short.
    const inside = e.thickness >= 17 && rows.toLocaleString('en-GB').length * DIGIT_WIDTH + 7 <= straight
    // Below a thin band, and beside what peels off there.
    const aside = inside ? 0 : besidePeels(e.from)
    return {
      from: e.from.name,
      to: e.to.name,
      rows,
      path,
      thickness: e.thickness,
      labelX: x0 + 7 + aside,
      labelY: inside ? y0 + 4.5 : y0 + e.thickness / 2 + 13,
      labelInside: inside,
      plusX: to.x - PLUS_REACH,
      plusY: routes[i]!.levels[routes[i]!.levels.length - 1]!,
      labelled: rows > 0 && edges.findIndex((o) => o.from === e.from) === i,
      kind: e.waiting
        ? 'waiting'
        : running
          ? 'running'
          : main.has(e.from.name) && e.input === 0
            ? 'main'
            : 'side',
    }
  })

  const peels: FlowPeel[] = []
  steps.forEach((s) => {
    const bar = bars.get(s.name)!
    let bottom = bar.y + bar.height
    peelsOf(s).forEach((p, i) => {
      const t = Math.max(MIN_THICKNESS, thick(p.rows))
      const y0 = bottom - t / 2
      bottom -= t
      const x0 = bar.x + BAR_WIDTH
      const x1 = x0 + PEEL_REACH + t / 2
      const y1 = bar.y + bar.height + 24 + i * 30
      peels.push({
        step: s.name,
        kind: p.kind,
        rows: p.rows,
        path: `M${x0} ${y0}C${x1} ${y0} ${x1} ${y0 + 10} ${x1} ${y1}`,
        thickness: t,
        labelX: x1,
        labelY: y1 + 14,
      })
    })
  })
  return {
    width: Math.max(width, columns.x.at(-1)! + END_ROOM),
    height: top + 4,
    bars: [...bars.values()],
    bands,
    peels,
  }
}

function peelsOf(s: FlowStep): { kind: FlowPeel['kind']; rows: number }[] {
  const t = s.tally
  if (!t) {
    return []
  }
  const all: { kind: FlowPeel['kind']; rows: number }[] = [
    { kind: 'set aside', rows: t.setAside },
    { kind: 'merged', rows: t.merged },
    { kind: 'filtered', rows: t.filtered },
    { kind: 'unmatched', rows: t.unmatched },
  ]
  return all.filter((p) => p.rows > 0)
}
