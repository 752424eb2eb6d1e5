/** Upright bars for values in their order, the highest as high as the chart. Pure: numbers in, places out. */
export type BarValue = { key: string; value: number; colour: string; title: string }
export type PlacedBar = {
  key: string
  x: number
  y: number
  width: number
  height: number
  colour: string
  title: string
}

/** A bar is never wider than this, so that one alone is no block. */
const WIDEST = 18
const GAP = 2

/** @param full a value that fills the chart, unless there is a higher one */
export function placeBars(
  values: BarValue[],
  width: number,
  height: number,
  { widest = WIDEST, gap = GAP, full = 0 } = {},
): PlacedBar[] {
  const most = Math.max(full, ...values.map((v) => v.value))
  const step = Math.min(widest + gap, width / Math.max(1, values.length))
  return values.map((v, i) => {
    const tall = most === 0 || v.value <= 0 ? 1 : Math.max(2, (v.value / most) * height)
    return {
      key: v.key,
      x: i * step,
      y: height - tall,
      width: Math.max(1, step - gap),
      height: tall,
      colour: v.colour,
      title: v.title,
    }
  })
}
