import { inputsOf, type FlowStep } from './model'

/** Scales that a flow is drawn in; 1 is as its letters are meant. */
export const SCALES = [0.4, 0.55, 0.75, 1, 1.25] as const

/** The next scale up or down; the same at the end. */
export function scaled(scale: number, up: boolean): number {
  const fitting = up
    ? SCALES.find((s) => s > scale + 0.01)
    : [...SCALES].reverse().find((s) => s < scale - 0.01)
  return fitting ?? scale
}

/** The largest scale in which a flow fits into a width; the smallest one where it fits in none. */
export function fitting(flowWidth: number, width: number): number {
  return [...SCALES].reverse().find((s) => s <= 1 && flowWidth * s <= width) ?? SCALES[0]
}

/** How far to scroll for a bar to be in sight: no further where it is, to its middle where it is not. */
export function inSight(bar: number, box: { scrollLeft: number; clientWidth: number }): number {
  const margin = Math.min(80, box.clientWidth / 4)
  const seen = bar >= box.scrollLeft + margin && bar <= box.scrollLeft + box.clientWidth - margin
  return seen ? box.scrollLeft : Math.max(0, bar - box.clientWidth / 2)
}

/** A step and all that it leads to, directly or not. */
function reached(from: FlowStep, next: (step: FlowStep) => FlowStep[]): Set<FlowStep> {
  const out = new Set([from])
  // A set goes through what is added meanwhile too.
  for (const step of out) {
    next(step).forEach((s) => out.add(s))
  }
  return out
}

/** What leads to a step and what comes of it; all where there is no such step. */
export function around(steps: FlowStep[], name: string | undefined): FlowStep[] {
  const byName = new Map(steps.map((s) => [s.name, s]))
  const step = name === undefined ? undefined : byName.get(name)
  if (!step) {
    return steps
  }
  const before = reached(step, (s) => inputsOf(s).flatMap((i) => byName.get(i) ?? []))
  const behind = reached(step, (s) => steps.filter((other) => inputsOf(other).includes(s.name)))
  const shown = new Set([...before, ...behind].map((s) => s.name))
  return steps.filter((s) => shown.has(s.name)).map((s) => within(s, shown))
}

/** A step with those of its inputs that are shown; the first of them is drawn as its main one. */
function within(step: FlowStep, shown: Set<string>): FlowStep {
  const inputs = step.from.filter((f) => shown.has(f))
  const other = step.with && shown.has(step.with) ? step.with : undefined
  return inputs.length === 0 && other
    ? { ...step, from: [other], with: undefined }
    : { ...step, from: inputs, with: other }
}
