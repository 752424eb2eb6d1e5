/** Rows from one up to another, which is not among them. */
export type Extent = { first: number; last: number }

/** The height of a row of a table, in pixels. */
export const ROW_HEIGHT = 28
/** Browsers draw no element that is much higher; more rows than fit it pass faster under the bar. */
export const MOST_HEIGHT = 8_000_000
/** Rows that are drawn beyond what is in sight, at either end. */
const AROUND = 6

/**
 * Which of many rows are drawn, and the room that the others take above and below, in pixels.
 *
 * @param top how far the rows are scrolled
 * @param height of what is in sight
 */
export function windowOf(
  total: number,
  top: number,
  height: number,
): Extent & { above: number; below: number } {
  const inSight = Math.ceil(height / ROW_HEIGHT)
  const whole = total * ROW_HEIGHT
  const room = Math.min(whole, MOST_HEIGHT)
  const at =
    whole <= MOST_HEIGHT
      ? Math.floor(top / ROW_HEIGHT)
      : Math.round((Math.min(top, room - height) / (room - height)) * (total - inSight))
  const first = Math.max(0, Math.min(at, total - inSight) - AROUND)
  const last = Math.min(total, Math.max(0, at) + inSight + AROUND)
  const above =
    whole <= MOST_HEIGHT ? first * ROW_HEIGHT : Math.max(0, Math.min(top, room) - (at - first) * ROW_HEIGHT)
  return { first, last, above, below: Math.max(0, room - above - (last - first) * ROW_HEIGHT) }
}

/** Fewer columns than these are all drawn. */
export const MANY_COLUMNS = 40
/** What a column that was never drawn is taken to be wide, in pixels. */
const UNSEEN_WIDTH = 120
/** Columns come and go by so many, so that rows are drawn anew once for all of them. */
const TOGETHER = 8

/**
 * Which of many columns are drawn, and the room that the others take before and behind, in pixels.
 *
 * @param widths of all columns; 0 where one was never drawn
 * @param left how far they are scrolled
 * @param width of what is in sight
 */
export function columnsIn(
  widths: number[],
  left: number,
  width: number,
): Extent & { before: number; behind: number } {
  if (widths.length <= MANY_COLUMNS) {
    return { first: 0, last: widths.length, before: 0, behind: 0 }
  }
  let [first, last, before, drawn, at] = [0, 0, 0, 0, 0]
  for (let group = 0; group < widths.length; group += TOGETHER) {
    const end = Math.min(group + TOGETHER, widths.length)
    const w = widths.slice(group, end).reduce((sum, known) => sum + (known || UNSEEN_WIDTH), 0)
    if (at + w < left) {
      first = end
      before += w
    } else if (at <= left + width) {
      last = end
      drawn += w
    }
    at += w
  }
  return { first, last: Math.max(first, last), before, behind: at - before - drawn }
}
