const KEPT = 'yardage-sheets'
const MOST = 12

/** A query that somebody writes, and the view that it was opened from. */
export type Sheet = { id: number; text: string; view?: { name: string; about: string; version: number } }

/** The sheets that are open, and the one that shows. */
export type Sheets = { all: Sheet[]; shown: number }

export function isSheet(kept: unknown): kept is Sheet {
  const sheet = kept as Sheet
  return typeof sheet?.id === 'number' && typeof sheet.text === 'string'
}

/** One more, which shows; what has nothing in it is taken before another is made. */
export function opened(sheets: Sheets, text: string, view?: Sheet['view']): Sheets {
  const same = view && sheets.all.find((s) => s.view?.name === view.name)
  if (same) {
    return { ...sheets, shown: same.id }
  }
  const empty = text !== '' && sheets.all.find((s) => s.text.trim() === '' && !s.view)
  if (empty) {
    return { all: sheets.all.map((s) => (s === empty ? { id: s.id, text, view } : s)), shown: empty.id }
  }
  if (sheets.all.length >= MOST) {
    return sheets
  }
  const id = 1 + Math.max(0, ...sheets.all.map((s) => s.id))
  return { all: [...sheets.all, { id, text, view }], shown: id }
}

export function isFull(sheets: Sheets): boolean {
  return sheets.all.length >= MOST
}

/** One less; the one beside it shows. The last one that is closed leaves an empty one. */
export function closed(sheets: Sheets, id: number): Sheets {
  const at = sheets.all.findIndex((s) => s.id === id)
  const all = sheets.all.filter((s) => s.id !== id)
  if (all.length === 0) {
    return { all: [{ id: id + 1, text: '' }], shown: id + 1 }
  }
  const beside = all[Math.min(at, all.length - 1)]
  return { all, shown: sheets.shown === id ? (beside?.id ?? 0) : sheets.shown }
}

export function changed(sheets: Sheets, id: number, next: Partial<Sheet>): Sheets {
  return { ...sheets, all: sheets.all.map((s) => (s.id === id ? { ...s, ...next } : s)) }
}

/** What a sheet is called: its view, or how its query goes. */
export function titleOf(sheet: Sheet): string {
  const words = sheet.text.replace(/--[^\n]*|\s+/g, ' ').trim()
  const from = /\bfrom\s+([\w."-]+)/i.exec(words)?.[1]
  return sheet.view?.name ?? from ?? (words === '' ? 'new' : words.slice(0, 20))
}

export function storedSheets(first: string): Sheets {
  try {
    const kept = JSON.parse(localStorage.getItem(KEPT) ?? '') as Sheets
    const all = Array.isArray(kept.all) ? kept.all.filter(isSheet) : []
    if (all.length > 0) {
      return { all, shown: all.some((s) => s.id === kept.shown) ? kept.shown : (all[0]?.id ?? 0) }
    }
  } catch {
    // Nothing is kept, or nothing that can be read.
  }
  return { all: [{ id: 1, text: first }], shown: 1 }
}

export function store(sheets: Sheets): void {
  localStorage.setItem(KEPT, JSON.stringify(sheets))
}
