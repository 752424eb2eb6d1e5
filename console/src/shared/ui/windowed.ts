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
