import type { Schemas } from '../../../shared/api/client'

export type Field = Schemas['Field']
export type Description = Schemas['StepDescription']
type StepView = Schemas['StepView']
type Column = Schemas['StepColumn']
type Problem = Schemas['Problem']

/** A value as the document has it: numbers and truths are texts. */
export type Plain = string | Plain[] | { [name: string]: Plain }

/** What the form shows a field as; what it cannot show stays text, as it stands in the document. */
export type Control =
  'word' | 'truth' | 'name' | 'text' | 'sql' | 'list' | 'pairs' | 'group' | 'groups' | 'source'

const BY_KIND: Record<Field['kind'], Control> = {
  column_choice: 'list',
  column: 'name',
  columns: 'list',
  order: 'list',
  keys: 'pairs',
  lists_of_columns: 'source',
  renames: 'pairs',
  types: 'pairs',
  column_words: 'pairs',
  new_column: 'text',
  expression: 'sql',
  condition: 'sql',
  values: 'pairs',
  expressions: 'pairs',
  query: 'sql',
  text: 'text',
  texts: 'list',
  word: 'word',
  truth: 'truth',
  count: 'text',
  share: 'text',
  size: 'text',
  step: 'name',
  feed: 'name',
  table: 'name',
  partitions: 'list',
  fields: 'group',
  named_fields: 'groups',
}

const isText = (value: Plain | undefined): value is string => typeof value === 'string'
const isMap = (value: Plain | undefined): value is { [name: string]: Plain } =>
  typeof value === 'object' && !Array.isArray(value)

export function control(field: Field, value: Plain | undefined): Control {
  const shown = BY_KIND[field.kind]
  if (value === undefined || value === '') {
    return shown
  }
  switch (shown) {
    case 'list':
      return isText(value) || (Array.isArray(value) && value.every(isText)) ? shown : 'source'
    case 'pairs':
      return (isMap(value) && Object.values(value).every(isText)) ||
        (field.kind === 'keys' && (isText(value) || (Array.isArray(value) && value.every(isText))))
        ? shown
        : 'source'
    case 'group':
      return isMap(value) ? shown : 'source'
    case 'groups':
      return isMap(value) && Object.values(value).every((v) => isMap(v) || v === '') ? shown : 'source'
    case 'source':
      return shown
    default:
      return isText(value) ? shown : 'source'
  }
}

/** A value as it could stand in the document, on one line. */
export function source(value: Plain | undefined): string {
  if (value === undefined) {
    return ''
  }
  if (isText(value)) {
    return /^[\w.*%-]+(\([\w, ]*\))?$/.test(value) ? value : JSON.stringify(value)
  }
  if (Array.isArray(value)) {
    return `[${value.map(source).join(', ')}]`
  }
  return `{${Object.entries(value)
    .map(([name, v]) => `${source(name)}: ${source(v)}`)
    .join(', ')}}`
}

export function list(value: Plain | undefined): string[] {
  return value === undefined || value === ''
    ? []
    : isText(value)
      ? [value]
      : Array.isArray(value)
        ? value.filter(isText)
        : []
}

/** Names with a value each; keys that are called the same on both sides are written once. */
export function pairs(value: Plain | undefined): [string, string][] {
  return isMap(value)
    ? Object.entries(value).map(([name, v]) => [name, isText(v) ? v : ''])
    : list(value).map((name) => [name, name])
}

export function fromPairs(field: Field, rows: [string, string][]): Plain | undefined {
  const whole = rows.filter(([name]) => name.trim() !== '')
  if (whole.length === 0) {
    return undefined
  }
  if (field.kind === 'keys' && whole.every(([left, right]) => right === '' || left === right)) {
    return whole.map(([left]) => left)
  }
  return Object.fromEntries(whole.map(([name, v]) => [name, field.kind === 'keys' && v === '' ? name : v]))
}

/** What a step says, by its verb: its own fields, or the one value behind the verb. */
export function fieldsOf(description: Description): { fields: Field[]; path: string[] } {
  const only =
    description.value ??
    (description.fields.length === 1 && description.fields[0]?.name === ''
      ? description.fields[0]
      : undefined)
  return only
    ? { fields: [{ ...only, name: description.verb, help: only.help || description.about }], path: [] }
    : { fields: description.fields, path: [description.verb] }
}

export function at(value: Plain | undefined, path: string[]): Plain | undefined {
  return path.reduce<Plain | undefined>((v, name) => (isMap(v) ? v[name] : undefined), value)
}

/** A value with another one at a path; without one it goes. */
export function changed(value: Plain | undefined, path: string[], to: Plain | undefined): Plain | undefined {
  const [name, ...rest] = path
  if (name === undefined) {
    return to
  }
  const out = isMap(value) ? { ...value } : {}
  const inner = changed(out[name], rest, to)
  if (inner === undefined) {
    delete out[name]
  } else {
    out[name] = inner
  }
  return out
}

/** Columns of what comes in, by the place that names them: those of the other side of a join, too. */
export function columnsFor(steps: StepView[], step: StepView | undefined): Column[] {
  const inputs = [...(step?.from ?? []), ...(step?.with ? [step.with] : [])]
  const seen = new Set<string>()
  return inputs
    .flatMap((name) => steps.find((s) => s.name === name)?.columns ?? [])
    .filter((c) => !seen.has(c.name) && seen.add(c.name))
}

/** The problems of a field: those that name it or something inside it. */
export function problemsOf(problems: Problem[], path: string[]): Problem[] {
  const name = path.join('.')
  const seen = new Set<string>()
  return problems
    .filter((p) => p.field === name || p.field.startsWith(name + '.'))
    .filter((p) => !seen.has(p.message) && seen.add(p.message))
}

/** Columns that both sides of a join have besides its key, and the two values that settle it. */
export function doubled(
  steps: StepView[],
  step: StepView | undefined,
  join: Plain | undefined,
): { names: string[]; prefix: string; take: Plain } | undefined {
  const other = steps.find((s) => s.name === step?.with)
  const main = steps.find((s) => s.name === step?.from[0])
  if (!other || !main) {
    return undefined
  }
  const keys = pairs(at(join, ['on'])).map(([, right]) => right)
  const names = other.columns
    .map((c) => c.name)
    .filter((name) => !keys.includes(name) && main.columns.some((c) => c.name === name))
  const taken = at(join, ['take'])
  return {
    names,
    prefix: `${other.name}_`,
    take: Array.isArray(taken) ? taken.filter((t) => !names.includes(String(t))) : { except: names },
  }
}

export type Change = {
  name: string
  type: string
  change: 'new' | 'same' | 'other type' | 'gone'
  was?: string
}

/** The columns that come out, held against those that come in; what does not go on stands last. */
export function changes(steps: StepView[], step: StepView | undefined): Change[] {
  if (!step || step.from.length === 0) {
    return (step?.columns ?? []).map((c) => ({ ...c, change: 'same' }))
  }
  const before = new Map(columnsFor(steps, step).map((c) => [c.name, c.type]))
  const out: Change[] = step.columns.map((c) => {
    const was = before.get(c.name)
    before.delete(c.name)
    return { ...c, was, change: was === undefined ? 'new' : was === c.type ? 'same' : 'other type' }
  })
  return step.columns.length > 0
    ? [...out, ...[...before].map(([name, type]) => ({ name, type, change: 'gone' as const }))]
    : out
}
