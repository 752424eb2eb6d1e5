/**
 * Lays a pipeline out as ribbons. Pure: steps with their counts in, places and paths out.
 *
 * The main path, from the largest write back through each step's first input, runs along the top; every other input gets a lane below,
 * one column before the step that it joins. Thickness is the square root of rows. What leaves at a step peels off below its bar.
 */

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
const MAX_THICKNESS = 48
const MIN_THICKNESS = 2
const TITLE_HEIGHT = 44
const PEEL_HEIGHT = 74
const LANE_GAP = 20
const MARGIN_X = 56
const MIN_SPACING = 104
const DRAWN_WITHOUT_ROWS = 14
const THIN = 12
const DIGIT_WIDTH = 7.6

type Placed = { column: number; lane: number }

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
      put(chain, Math.max(last, ...behind), 0)
    }
  })
  return placed
}

export function layout(steps: FlowStep[], width: number, failedStep?: string, animateRunning = true): Flow {
  if (steps.length === 0) {
    return { width, height: 0, bars: [], bands: [], peels: [] }
  }
  const placed = place(steps)
  const most = Math.max(1, ...steps.map((s) => Math.max(s.tally?.rowsIn ?? 0, s.tally?.rowsOut ?? 0)))
  const known = steps.some((s) => (s.tally?.rowsIn ?? 0) > 0)
  const thick = (rows: number) =>
    !known
      ? DRAWN_WITHOUT_ROWS
      : rows <= 0
        ? 0
        : Math.max(MIN_THICKNESS, MAX_THICKNESS * Math.sqrt(rows / most))
  const byName = new Map(steps.map((s) => [s.name, s]))
  const columns = Math.max(...[...placed.values()].map((p) => p.column)) + 1
  const lanes = Math.max(...[...placed.values()].map((p) => p.lane)) + 1
  const spacing = Math.max(MIN_SPACING, (width - 2 * MARGIN_X - 60) / Math.max(1, columns - 1))
  const xOf = (column: number) => MARGIN_X + column * spacing

  const sideRows = (s: FlowStep) =>
    inputsOf(s)
      .slice(1)
      .filter((i) => byName.has(i))
  const heightOf = (s: FlowStep) => {
    const main = thick(
      s.from.length > 0 ? (byName.get(s.from[0]!)?.tally?.rowsOut ?? 0) : (s.tally?.rowsOut ?? 0),
    )
    const side = sideRows(s).reduce((sum, i) => sum + thick(byName.get(i)?.tally?.rowsOut ?? 0) + 2, 0)
    const left = peelsOf(s).reduce((sum, p) => sum + thick(p.rows), 0)
    return Math.max(14, main + side, thick(s.tally?.rowsOut ?? 0) + left)
  }
  const laneTop: number[] = []
  let top = 4
  for (let lane = 0; lane < lanes; lane++) {
    const mine = steps.filter((s) => placed.get(s.name)?.lane === lane)
    laneTop[lane] = top + TITLE_HEIGHT
    const tallest = Math.max(14, ...mine.map(heightOf))
    const peels = Math.max(0, ...mine.map((s) => peelsOf(s).length))
    top += TITLE_HEIGHT + tallest + (peels > 0 ? PEEL_HEIGHT + (peels - 1) * 30 : LANE_GAP)
  }

  const bars = new Map<string, FlowBar>()
  steps.forEach((s) => {
    const p = placed.get(s.name)!
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
      x: xOf(p.column),
      y: laneTop[p.lane]!,
      height: heightOf(s),
      state,
      side: p.lane > 0,
    })
  })

  const bands: FlowBand[] = []
  steps.forEach((s) => {
    const to = bars.get(s.name)!
    let dock = to.y
    inputsOf(s).forEach((input, i) => {
      const from = bars.get(input)
      if (!from) {
        return
      }
      const rows = from.step.tally?.rowsOut ?? 0
      const t = thick(rows)
      const waiting = known && t === 0
      const drawn = waiting ? 1.5 : t
      const x0 = from.x + BAR_WIDTH
      const y0 = from.y + drawn / 2
      const y1 = dock + drawn / 2
      dock += drawn + 2
      // Inputs from deeper lanes rise closer to the bar, so that they cross nothing that turned up before them.
      const lane = placed.get(input)!.lane
      const deeper = Math.min(3, Math.max(0, lane - 1))
      // A thin band turns between the columns, where no label stands; a thick one has no room there, nor one whose
      // number gives way to what peels off.
      const early = drawn < THIN && peelsOf(from.step).length === 0
      const before = early ? 62 - deeper * 5 : 39 - deeper * 9 + (i === 0 ? 0 : drawn / 2)
      const turn = Math.max(x0 + 8, to.x - before)
      const path =
        Math.abs(y0 - y1) < 0.5
          ? `M${x0} ${y0}H${to.x}`
          : `M${x0} ${y0}H${Math.max(x0, turn - 26)}C${turn + 4} ${y0} ${turn - 10} ${y1} ${to.x} ${y1}`
      const running = animateRunning && to.state === 'running'
      // A number stands on the straight part of its band, or below where that is too short.
      const straight = Math.abs(y0 - y1) < 0.5 ? spacing : turn - 26 - x0 + drawn / 3
      const inside = drawn >= 17 && rows.toLocaleString('en-GB').length * DIGIT_WIDTH + 7 <= straight
      // Below a thin band, and beside what peels off there.
      const aside = inside || peelsOf(from.step).length === 0 ? 0 : 40
      bands.push({
        from: input,
        to: s.name,
        rows,
        path,
        thickness: drawn,
        labelX: x0 + 7 + aside,
        labelY: inside ? y0 + 4.5 : y0 + drawn / 2 + 13,
        labelInside: inside,
        kind: waiting ? 'waiting' : running ? 'running' : i > 0 || from.side ? 'side' : 'main',
      })
    })
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
      const x1 = x0 + 16 + t / 2
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
    width: Math.max(width, xOf(columns - 1) + MARGIN_X + 60),
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
