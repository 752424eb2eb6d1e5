import { foundIn } from '../../shared/ui/listed'
import type { Schemas } from '../../shared/api/client'
import type { FlowStep } from '../../shared/flow/model'
import { linesOf, noted } from './rows'

type StepView = Schemas['StepView']

/** Steps as checked now, with the counts that steps of the same name and verb had in a run. */
export function withCounts(steps: StepView[], run: Schemas['RunDetail'] | undefined): FlowStep[] {
  const counted = new Map(run?.steps.map((s) => [`${s.name} ${s.verb}`, s.tally]))
  return steps.map((s) => ({
    name: s.name,
    verb: s.verb,
    detail: s.detail,
    from: s.from,
    with: s.with,
    tally: counted.get(`${s.name} ${s.verb}`),
  }))
}

/** Offsets of a place in a text; the place counts lines and columns from 1. */
export function range(text: string, place: Schemas['Place']): { from: number; to: number } {
  const lines = text.split('\n')
  const offset = (line: number, column: number) => {
    const before = lines.slice(0, Math.max(0, line - 1)).reduce((n, l) => n + l.length + 1, 0)
    return Math.min(text.length, before + Math.min(column, lines[line - 1]?.length ?? 0))
  }
  const from = offset(place.line, place.column - 1)
  return { from, to: Math.max(offset(place.endLine, place.endColumn), Math.min(text.length, from + 1)) }
}

type Description = Schemas['StepDescription']
type Field = Schemas['Field']

export type Suggestion = {
  label: string
  detail: string
  kind: 'step' | 'column' | 'verb' | 'field' | 'word' | 'name'
}

/** The fields of a step, also where they stand under names of the document's own, as rules do. */
function fieldsOf(verb: Description): Field[] {
  const only = verb.fields.length === 1 ? verb.fields[0] : undefined
  return only?.name === '' ? only.fields : verb.fields
}

function fieldOffer(f: Field): Suggestion {
  const about = f.required
    ? `${f.help}; needed`
    : f.otherwise
      ? `${f.help}; without it ${f.otherwise}`
      : f.help
  return { label: `${f.name}: `, detail: about, kind: 'field' }
}

/** The field whose value the caret is in: the last name with a colon that no comma or brace has ended. */
function fieldBefore(lineBefore: string): string | undefined {
  return /([\w-]+):\s*[\w.-]*$/.exec(lineBefore)?.[1]
}

/** Whether the caret stands where a name could be: at a line's start, or in braces where no colon has come yet. */
function atName(lineBefore: string): boolean {
  if (/^\s{6,}[\w-]*$/.test(lineBefore)) {
    return true
  }
  const open: string[] = []
  let named = true
  for (const c of lineBefore) {
    if (c === '{' || c === '[') {
      open.push(c)
      named = c === '['
    } else if (c === '}' || c === ']') {
      open.pop()
      named = true
    } else if (c === ',') {
      named = open[open.length - 1] !== '{'
    } else if (c === ':') {
      named = true
    }
  }
  return open[open.length - 1] === '{' && !named
}

/**
 * What could stand at a place of the text: steps behind from and with, verbs at a step's first word,
 * fields and their words inside a verb, columns inside expressions.
 */
export function suggestions(
  lineBefore: string,
  steps: StepView[],
  stepAt: string | undefined,
  feeds: string[],
  tables: string[],
  catalog: Description[] = [],
  parts: Schemas['PartSummary'][] = [],
): Suggestion[] {
  if (/\bpart:\s*[\w-]*$/.test(lineBefore)) {
    return parts.map((p) => ({ label: p.name, detail: p.about || 'part', kind: 'name' }))
  }
  const given = /\bpart:\s*([\w-]+).*\bwith:\s*\{[^}]*$/.exec(lineBefore)
  const used = given && parts.find((p) => p.name === given[1])
  if (used && atName(lineBefore)) {
    return used.parameters.map((name) => ({ label: `${name}: `, detail: used.name, kind: 'field' }))
  }
  if (/\b(from|with):\s*(\[[^\]]*)?\w*$/.test(lineBefore)) {
    return steps
      .filter((s) => s.name !== stepAt && s.verb !== 'write')
      .map((s) => ({ label: s.name, detail: s.verb, kind: 'step' }))
  }
  if (/feed:\s*[\w-]*$/.test(lineBefore)) {
    return feeds.map((f) => ({ label: f, detail: 'feed', kind: 'name' }))
  }
  if (/table:\s*[\w.]*$/.test(lineBefore)) {
    return tables.map((t) => ({ label: t, detail: 'table', kind: 'name' }))
  }
  if (/^ {4}\w*$/.test(lineBefore)) {
    return catalog.map((d) => ({
      label: d.value || d.inputs === 'none' ? `${d.verb}: ` : `${d.verb}: {}`,
      detail: d.about,
      kind: 'verb',
    }))
  }
  const current = steps.find((s) => s.name === stepAt)
  const verbHere = /^ {4}([a-z]+):/.exec(lineBefore)?.[1] ?? current?.verb
  const description = catalog.find((d) => d.verb === verbHere)
  const fields = description ? fieldsOf(description) : []
  const inside = fields.flatMap((f) => [f, ...f.fields])
  const field = inside.find((f) => f.name === fieldBefore(lineBefore))
  if (field?.words.length) {
    return field.words.map((w) => ({ label: w, detail: field.name, kind: 'word' }))
  }
  if (field?.kind === 'truth') {
    return ['true', 'false'].map((w) => ({ label: w, detail: field.name, kind: 'word' }))
  }
  if (atName(lineBefore) && fields.length > 0) {
    const holder = inside.find(
      (f) => f.fields.length > 0 && new RegExp(`${f.name}:\\s*\\{[^}]*$`).test(lineBefore),
    )
    return (holder?.fields ?? fields).map(fieldOffer)
  }
  const inputs = new Set([...(current?.from ?? []), ...(current?.with ? [current.with] : [])])
  const seen = new Set<string>()
  return steps
    .filter((s) => inputs.has(s.name))
    .flatMap((s) =>
      s.columns.map((c) => ({ label: c.name, detail: `${c.type}, ${s.name}`, kind: 'column' as const })),
    )
    .filter((c) => !seen.has(c.label) && seen.add(c.label))
}

/** Steps of a text as text of their own, in the order in which they stand there. */
export function copied(text: string, steps: string[]): string {
  const lines = text.split('\n')
  return steps
    .flatMap((s) => linesOf(text, s) ?? [])
    .sort((a, b) => a.from - b.from)
    .flatMap(({ from, to }) => {
      const margin = /^ */.exec(lines[from - 1] ?? '')?.[0].length ?? 0
      return lines.slice(noted(lines, from) - 1, to).map((l) => l.slice(margin) + '\n')
    })
    .join('')
}

/** The steps that take a step's rows. */
export function readersOf(steps: StepView[], step: string): string[] {
  return steps.filter((s) => s.from.includes(step) || s.with === step).map((s) => s.name)
}

/** The verbs that a search finds, those that it names first; what reads has no step before it. */
export function chosen(catalog: Description[], search: string): Description[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  const place = (d: Description) => (words.some((w) => d.verb.startsWith(w)) ? 0 : 1)
  return catalog
    .filter((d) => d.inputs !== 'none')
    .filter((d) => foundIn(search, [d.verb, d.about]))
    .sort((a, b) => place(a) - place(b))
}

/** A step's text, as something offers it: its verb, and what stands behind that. */
export function offered(step: string): { verb: string; body: string } {
  const colon = step.indexOf(':')
  return { verb: step.slice(0, colon).trim(), body: step.slice(colon + 1).trim() }
}

/** The step that a line belongs to. */
export function stepAtLine(steps: StepView[], line: number): string | undefined {
  return steps.filter((s) => s.place.line <= line).at(-1)?.name
}

export const NEW_PIPELINE = `pipeline: my-pipeline
about: What it makes, and for whom.
steps: {}
`
