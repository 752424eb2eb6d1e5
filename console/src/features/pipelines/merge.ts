import { linesOf, noted } from './rows'

/** A part of a document that somebody changed: a step, or all that stands before the steps. */
export type Part = {
  /** A step's name; empty for what stands before the steps. */
  name: string
  /** Empty where the part is not there. */
  base: string
  mine: string
  theirs: string
  /** Whose change it is; only parts that both changed are asked about. */
  whose: 'mine' | 'theirs' | 'both'
}

type Parts = Map<string, string>

/** A document in parts, each with the comments right above it. */
export function partsOf(text: string): Parts {
  const lines = text.split('\n')
  const begin = lines.findIndex((l) => /^steps:/.test(l))
  if (begin < 0) {
    return new Map([['', text]])
  }
  const out: Parts = new Map([['', lines.slice(0, begin + 1).join('\n') + '\n']])
  const indent = /^ +/.exec(lines.slice(begin + 1).find((l) => /^ +[a-z]/.test(l)) ?? '')?.[0]
  if (indent === undefined) {
    return new Map([['', text]])
  }
  for (const line of lines.slice(begin + 1)) {
    const name = new RegExp(`^${indent}([a-z][a-z0-9_]*):`).exec(line)?.[1]
    const at = name && linesOf(text, name)
    if (name && at) {
      const first = noted(lines, at.from, begin + 1)
      out.set(name, lines.slice(first - 1, at.to).join('\n') + '\n')
    }
  }
  return out
}

/** The parts in which two documents that began as one differ from it. */
export function changedParts(base: string, mine: string, theirs: string): Part[] {
  const [b, m, t] = [partsOf(base), partsOf(mine), partsOf(theirs)]
  const names = [...new Set([...t.keys(), ...m.keys(), ...b.keys()])]
  return names.flatMap((name): Part[] => {
    const part = { name, base: b.get(name) ?? '', mine: m.get(name) ?? '', theirs: t.get(name) ?? '' }
    if (part.mine === part.theirs || (part.mine === part.base && part.theirs === part.base)) {
      return []
    }
    const whose = part.theirs === part.base ? 'mine' : part.mine === part.base ? 'theirs' : 'both'
    return [{ ...part, whose }]
  })
}

/** Their document with my changes in it; where both changed a part, `choices` says whose stays. */
export function merged(theirs: string, parts: Part[], choices: Record<string, 'mine' | 'theirs'>): string {
  let text = theirs
  let last = ''
  for (const part of parts) {
    const takes = part.whose === 'mine' || (part.whose === 'both' && choices[part.name] === 'mine')
    if (takes && part.theirs !== '') {
      text = text.replace(part.theirs, () => part.mine)
    } else if (takes && part.mine !== '') {
      // A step of mine that is not there: behind the last one that was put in, else at the end.
      const behind = last !== '' && text.includes(last) ? last : ''
      text =
        behind === ''
          ? text.replace(/\n*$/, '\n') + part.mine
          : text.replace(behind, () => behind + part.mine)
      last = part.mine
    }
  }
  return text
}
