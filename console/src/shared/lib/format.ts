const UNITS = ['B', 'kB', 'MB', 'GB', 'TB']

export function number(n: number): string {
  return n.toLocaleString('en-GB')
}

/** Whether a column's type is one of numbers. */
export function isNumeric(type: string): boolean {
  return /^(int|bigint|float|double|decimal)/.test(type)
}

/** Whether a column's type is one of days or moments. */
export function isTime(type: string): boolean {
  return /^(date|timestamp)/.test(type)
}

/** A name as somebody would write it in SQL. */
export function inSql(name: string): string {
  return /^[a-z_][a-z0-9_]*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`
}

/** A list with one more of them, or without it. */
export function toggled<T>(all: T[], one: T): T[] {
  return all.includes(one) ? all.filter((o) => o !== one) : [...all, one]
}

/** A count for a ledger: nothing for none. */
export function count(n: number): string {
  return n === 0 ? '' : number(n)
}

export function bytes(n: number): string {
  let v = n
  let unit = 0
  while (v >= 999.5 && unit < UNITS.length - 1) {
    v /= 1000
    unit++
  }
  return `${unit > 0 && v < 9.95 ? v.toFixed(1) : v.toFixed(0)} ${UNITS[unit]}`
}

export function duration(millis: number): string {
  if (millis < 60_000) {
    return `${(millis / 1000).toFixed(2)} s`
  }
  const seconds = Math.floor(millis / 1000)
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')} min`
}

/** In the reader's own zone, to the second. */
export function time(iso: string | undefined): string {
  if (!iso) {
    return ''
  }
  const d = new Date(iso)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())} ${two(d.getHours())}:${two(d.getMinutes())}:${two(d.getSeconds())}`
}

/** The zone that {@link time} shows. */
export function zoneName(): string {
  return Intl.DateTimeFormat().resolvedOptions().timeZone
}

/** A piece of a value as it is shown: text, or a mark for what cannot be seen. */
export type Piece = { kind: 'text' | 'mark'; text: string }

/** Blanks at the ends and several in a row become middle dots, tabs and control characters symbols: what cannot be seen can mislead. */
export function visible(value: string): Piece[] {
  const pieces: Piece[] = []
  const push = (kind: Piece['kind'], text: string) => {
    const last = pieces[pieces.length - 1]
    if (last?.kind === kind) {
      last.text += text
    } else {
      pieces.push({ kind, text })
    }
  }
  const start = value.length - value.trimStart().length
  const end = value.trimEnd().length
  ;[...value].reduce((at, c) => {
    const code = c.codePointAt(0) ?? 0
    const notAlone = value[at - 1] === ' ' || value[at + 1] === ' '
    const tells = at < start || at >= end || notAlone
    if (code < 0x20) {
      push('mark', code === 9 ? '\u00bb' : `\u27e8${code.toString(16).padStart(2, '0')}\u27e9`)
    } else if (code === 0x7f) {
      push('mark', '\u27e87f\u27e9')
    } else if (c === ' ' && tells) {
      push('mark', '\u00b7')
    } else if (/[\u00a0\u200b-\u200f\u2028\u2029\u202f\u2060\ufeff]/.test(c)) {
      push('mark', `\u27e8${code.toString(16).padStart(4, '0')}\u27e9`)
    } else {
      push('text', c)
    }
    return at + c.length
  }, 0)
  return pieces
}
