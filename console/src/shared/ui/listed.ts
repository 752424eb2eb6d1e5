/** Whether each of some words is in one of the texts, in letters of either case. */
export function foundIn(words: string, texts: (string | undefined)[]): boolean {
  const all = texts.filter(Boolean).join(' ').toLowerCase()
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((w) => all.includes(w))
}

/** Items by a value of theirs; those without one stand last either way. */
export function ordered<T>(
  items: T[],
  by: ((item: T) => string | number | undefined) | undefined,
  down: boolean,
): T[] {
  if (!by) {
    return items
  }
  const sign = down ? -1 : 1
  return [...items].sort((a, b) => {
    const [x, y] = [by(a), by(b)]
    if (x === undefined || y === undefined || x === y) {
      return x === y ? 0 : x === undefined ? 1 : -1
    }
    return typeof x === 'number' && typeof y === 'number'
      ? sign * (x - y)
      : sign * String(x).localeCompare(String(y))
  })
}
