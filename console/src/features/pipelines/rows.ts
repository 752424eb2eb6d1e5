import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'

type Column = Schemas['RowColumn']

/** What was read and what came out of it, for the head of the rows. */
export function head(preview: Schemas['PreviewView']): string {
  const read = preview.sources.map((s) => s.words).join('; ')
  const rows = (n: number) => (n === 1 ? '1 row' : `${number(n)} rows`)
  const out =
    preview.matching === undefined || preview.matching === null
      ? rows(preview.given)
      : `${number(preview.matching)} of ${rows(preview.given)}`
  return read ? `${out} from ${read}` : out
}

/** The columns that tell rows apart stay in front; then what is new, what was there, and what is not any more. */
export function unionOfColumns(after: Column[], before: Column[]): Column[] {
  const there = new Set(after.map((c) => c.name))
  const kept = after.filter((c) => c.change !== 'new')
  return [
    ...kept.slice(0, 1),
    ...after.filter((c) => c.change === 'new'),
    ...kept.slice(1),
    ...before.filter((c) => !there.has(c.name)),
  ]
}

/** The first line of a step with the comments right above it, from 1 on; those up to `least` are not its own. */
export function noted(lines: string[], first: number, least = 0): number {
  let at = first
  while (at > least + 1 && lines[at - 2]?.trim().startsWith('#')) {
    at--
  }
  return at
}

/** The lines of a step: from its name to the next step's, without blank lines and comments before that. */
export function linesOf(text: string, step: string): { from: number; to: number } | undefined {
  const lines = text.split('\n')
  const steps = lines.findIndex((l) => /^steps:/.test(l))
  const indent = /^ +(?=[\w-]+:)/.exec(lines.slice(steps + 1).find((l) => /^ +[\w-]+:/.test(l)) ?? '')?.[0]
  if (steps < 0 || indent === undefined) {
    return undefined
  }
  const first = lines.findIndex((l, n) => n > steps && l.startsWith(`${indent}${step}:`))
  if (first < 0) {
    return undefined
  }
  let to = first
  for (let n = first + 1; n < lines.length; n++) {
    const line = lines[n] ?? ''
    const blank = line.trim() === '' || (/^\s*#/.test(line) && !line.startsWith(indent + '   '))
    if (!blank && !line.startsWith(indent + ' ')) {
      break
    }
    if (!blank) {
      to = n
    }
  }
  return { from: first + 1, to: to + 1 }
}
