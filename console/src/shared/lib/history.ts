/** Texts that were, and those that were taken back. */
export type History = {
  past: string[]
  now: string
  future: string[]
  /** When the last change by typing was, in milliseconds; changes that follow soon are one with it. */
  typedAt?: number
}

/** Letters that follow each other sooner are one change. */
const TOGETHER_MILLIS = 1000
const MOST = 200

export function begun(text: string): History {
  return { past: [], now: text, future: [] }
}

/** A change by typing. */
export function typed(h: History, text: string, at: number): History {
  if (text === h.now) {
    return h
  }
  const goesOn = h.typedAt !== undefined && at - h.typedAt < TOGETHER_MILLIS && h.past.length > 0
  return { ...(goesOn ? { ...h, now: text, future: [] } : changed(h, text)), typedAt: at }
}

/** A change of another kind, such as a step that was put in. */
export function changed(h: History, text: string): History {
  return text === h.now
    ? h
    : { past: [...h.past, h.now].slice(-MOST), now: text, future: [], typedAt: undefined }
}

export function undone(h: History): History {
  const last = h.past.at(-1)
  return last === undefined
    ? h
    : { past: h.past.slice(0, -1), now: last, future: [h.now, ...h.future], typedAt: undefined }
}

export function redone(h: History): History {
  const [next, ...rest] = h.future
  return next === undefined ? h : { past: [...h.past, h.now], now: next, future: rest, typedAt: undefined }
}
