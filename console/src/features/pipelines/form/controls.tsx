import { useId, useState } from 'react'
import type { Schemas } from '../../../shared/api/client'
import { number } from '../../../shared/lib/format'
import { Editor } from '../../../shared/ui/Editor'
import { Value } from '../../../shared/ui/parts'
import { useExpressionValues } from '../queries'
import { control, fromPairs, list, pairs, problemsOf, source, type Field, type Plain } from './model'

/** Told of a field's new value; `source` is text of the document in its place, and neither takes the field out. */
export type OnSet = (path: string[], to: { value?: Plain; source?: string }) => void

/** What the controls of a form share. */
export type Around = {
  /** The text that was checked, and the step whose form this is. */
  text: string
  step: string
  columns: Schemas['StepColumn'][]
  steps: string[]
  feeds: string[]
  tables: string[]
  problems: Schemas['Problem'][]
  onSet: OnSet
  onFix: (problem: Schemas['Problem']) => void
}

const TYPES = [
  'varchar',
  'int',
  'bigint',
  'float',
  'double',
  'decimal(9, 2)',
  'boolean',
  'date',
  'time',
  'timestamp',
  'timestamp with time zone',
  'uuid',
  'binary',
]
const MONO = 'input input-sm w-full font-mono text-[0.93em]'

function offered(field: Field, around: Around): string[] {
  switch (field.kind) {
    case 'step':
      return around.steps
    case 'feed':
      return around.feeds
    case 'table':
      return around.tables
    case 'types':
      return TYPES
    case 'column_words':
      return field.words
    default:
      return around.columns.map((c) => c.name)
  }
}

/** A text that is told when it is left or Enter is pressed, not at each letter. */
function Line({
  label,
  value,
  offer = [],
  placeholder,
  invalid,
  onDone,
}: {
  label: string
  value: string
  offer?: string[]
  placeholder?: string
  invalid?: boolean
  onDone: (text: string) => void
}) {
  const id = useId()
  const [typed, setTyped] = useState<string>()
  const done = () => {
    if (typed !== undefined && typed !== value) {
      onDone(typed)
    }
    setTyped(undefined)
  }
  return (
    <>
      <input
        className={MONO}
        aria-label={label}
        aria-invalid={invalid || undefined}
        list={offer.length > 0 ? id : undefined}
        value={typed ?? value}
        placeholder={placeholder}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            e.preventDefault()
            done()
          } else if (e.key === 'Escape' && typed !== undefined) {
            setTyped(undefined)
          }
        }}
      />
      {offer.length > 0 && (
        <datalist id={id}>
          {offer.map((o) => (
            <option key={o} value={o} />
          ))}
        </datalist>
      )}
    </>
  )
}

function Remove({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <button
      type="button"
      className="quiet min-h-[24px] min-w-[24px] rounded px-1 hover:bg-base-300"
      aria-label={`Remove ${what}`}
      onClick={onClick}
    >
      ✕
    </button>
  )
}

/** Names side by side, each of which can be taken away, and a place for one more. */
function Names({
  label,
  value,
  offer,
  onDone,
}: {
  label: string
  value: string[]
  offer: string[]
  onDone: (names: string[]) => void
}) {
  return (
    <div className="flex flex-wrap items-center gap-1">
      {value.map((name, i) => (
        <span
          key={`${name} ${i}`}
          className="inline-flex items-center rounded bg-base-200 pl-2 font-mono text-[0.9em]"
        >
          {name}
          <Remove what={`${name} from ${label}`} onClick={() => onDone(value.filter((_, n) => n !== i))} />
        </span>
      ))}
      <span className="min-w-28 grow">
        <Line
          label={`Add to ${label}`}
          value=""
          placeholder="add"
          offer={offer.filter((o) => !value.includes(o))}
          onDone={(name) => name.trim() !== '' && onDone([...value, name.trim()])}
        />
      </span>
    </div>
  )
}

/** Names with a value each, and a row for one more. */
function Pairs({
  field,
  label,
  value,
  around,
  onDone,
}: {
  field: Field
  label: string
  value: Plain | undefined
  around: Around
  onDone: (v: Plain | undefined) => void
}) {
  const rows = pairs(value)
  const [fresh, setFresh] = useState<string>()
  const set = (i: number, row: [string, string]) =>
    onDone(fromPairs(field, i < rows.length ? rows.map((r, n) => (n === i ? row : r)) : [...rows, row]))
  const columns = around.columns.map((c) => c.name)
  const expressions = field.kind === 'expressions' ? rows.map(([, v]) => v) : []
  const values = useExpressionValues(around.text, around.step, expressions)
  const between = field.kind === 'keys' ? '=' : field.kind === 'renames' ? '→' : ':'
  return (
    <div className="grid grid-cols-[minmax(0,2fr)_auto_minmax(0,3fr)_auto] items-center gap-1">
      {[...rows, [fresh ?? '', ''] as [string, string]].map(([name, v], i) => {
        const isNew = i === rows.length
        return (
          <div key={i} className="contents">
            <Line
              label={isNew ? `New name in ${label}` : `Name ${i + 1} of ${label}`}
              value={name}
              placeholder="name"
              offer={field.kind === 'values' ? [] : columns}
              onDone={(to) => {
                if (!isNew) {
                  set(i, [to, field.kind === 'keys' && name === v ? to : v])
                } else if (field.kind === 'keys') {
                  set(i, [to, to])
                } else {
                  setFresh(to)
                }
              }}
            />
            <span className="quiet" aria-hidden>
              {between}
            </span>
            <Line
              label={`Value of ${name || 'the new name'} in ${label}`}
              value={v}
              placeholder={field.kind === 'expressions' ? 'an expression' : 'value'}
              offer={offered(field, around)}
              onDone={(to) => {
                if (name.trim() !== '') {
                  setFresh(undefined)
                  set(i, [name, to])
                }
              }}
            />
            {isNew ? (
              <span />
            ) : (
              <Remove
                what={`${name} from ${label}`}
                onClick={() =>
                  onDone(
                    fromPairs(
                      field,
                      rows.filter((_, n) => n !== i),
                    ),
                  )
                }
              />
            )}
            {!isNew && field.kind === 'expressions' && (
              <div className="col-span-4 pl-2">
                <Gives value={values.data?.[i]} around={around} />
              </div>
            )}
          </div>
        )
      })}
    </div>
  )
}

/** What an expression gives of the rows before the step. What the check finds wrong is told at the field; what fails at a row, here. One that is none over these columns may be sound: the step itself renames some before it looks. */
function Gives({ value: data, around }: { value: Schemas['ExpressionView'] | undefined; around: Around }) {
  if (data?.failed != null && around.problems.length === 0) {
    return (
      <p className="text-[0.86rem]" style={{ color: 'var(--set-aside)' }}>
        {data.failed}
      </p>
    )
  }
  return data && data.count > 0 ? (
    <p className="quiet truncate text-[0.86rem]">
      {data.holds != null ? (
        <>
          true for <b className="font-mono">{number(data.holds)}</b> of the {number(data.count)} rows read
        </>
      ) : (
        <>
          gives{' '}
          {data.first.map((v, i) => (
            <span key={i} className="font-mono">
              {i > 0 && ', '}
              <Value value={v} />
            </span>
          ))}
          {data.count > data.first.length && ' …'}
          {data.count === 1 && ' over all rows read'}, {data.type}
        </>
      )}
    </p>
  ) : null
}

const PAUSE_MILLIS = 500

/** SQL with completion of columns; told when the typing pauses. */
function Sql({
  field,
  label,
  value,
  around,
  onDone,
}: {
  field: Field
  label: string
  value: string
  around: Around
  onDone: (text: string) => void
}) {
  const [timer, setTimer] = useState<ReturnType<typeof setTimeout>>()
  const values = useExpressionValues(around.text, around.step, field.kind === 'query' ? [] : [value])
  return (
    <div className="rounded border border-base-300">
      <Editor
        value={value}
        language="sql"
        label={label}
        height={field.kind === 'query' ? '11em' : '3.4em'}
        plain
        onChange={(text) => {
          clearTimeout(timer)
          setTimer(setTimeout(() => text.trim() !== '' && text !== value && onDone(text), PAUSE_MILLIS))
        }}
        offer={() => around.columns.map((c) => ({ label: c.name, detail: c.type, kind: 'column' }))}
      />
      {field.kind !== 'query' && (
        <div className="px-2">
          <Gives value={values.data?.[0]} around={around} />
        </div>
      )}
    </div>
  )
}

function Told({ problems, onFix }: { problems: Schemas['Problem'][]; onFix: Around['onFix'] }) {
  return problems.map((p, i) => (
    <p
      key={i}
      className="mt-0.5 text-[0.9rem]"
      style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}
    >
      {p.message}{' '}
      {p.fix && (
        <button type="button" className="underline" onClick={() => onFix(p)}>
          Put {p.fix} there
        </button>
      )}
    </p>
  ))
}

/** One field: its name, its value in the form that fits, and what is wrong with it. */
export function FieldControl({
  field,
  path,
  value,
  around,
}: {
  field: Field
  path: string[]
  value: Plain | undefined
  around: Around
}) {
  const { onSet } = around
  const shown = control(field, value)
  const set = (v: Plain | undefined) => onSet(path, { value: v })
  const text = typeof value === 'string' ? value : ''
  const label = path.slice(1).join(' ') || field.name
  const problems = problemsOf(around.problems, path)
  const own =
    shown === 'group' || shown === 'groups' ? problems.filter((p) => p.field === path.join('.')) : problems
  return (
    <div className="py-1.5">
      <div className="flex items-baseline gap-2">
        <span className="font-semibold">{field.name}</span>
        {field.required && value === undefined && <span className="quiet text-[0.86rem]">needed</span>}
        <span className="quiet min-w-0 grow truncate text-[0.86rem]" title={field.help}>
          {field.help}
        </span>
        {!field.required && value !== undefined && path.length > 1 && (
          <Remove what={label} onClick={() => onSet(path, {})} />
        )}
      </div>
      {shown === 'word' || shown === 'truth' ? (
        <select
          className="select select-sm w-full"
          aria-label={label}
          value={text}
          onChange={(e) => (e.target.value === '' ? onSet(path, {}) : set(e.target.value))}
        >
          <option value="">{field.otherwise ? `without: ${field.otherwise}` : 'none'}</option>
          {(shown === 'truth' ? ['true', 'false'] : field.words).map((w) => (
            <option key={w}>{w}</option>
          ))}
        </select>
      ) : shown === 'list' ? (
        <Names
          label={label}
          value={list(value)}
          offer={offered(field, around)}
          onDone={(names) => (names.length === 0 && !field.required ? onSet(path, {}) : set(names))}
        />
      ) : shown === 'pairs' ? (
        <Pairs field={field} label={label} value={value} around={around} onDone={set} />
      ) : shown === 'sql' ? (
        <Sql field={field} label={label} value={text} around={around} onDone={set} />
      ) : shown === 'group' ? (
        <div className="border-l-2 border-base-300 pl-2">
          <Fields fields={field.fields} path={path} value={value} around={around} />
        </div>
      ) : shown === 'groups' ? (
        <Groups field={field} label={label} path={path} value={value} around={around} />
      ) : shown === 'source' ? (
        <Line
          label={`${label}, as text`}
          value={source(value)}
          placeholder="as in the document: [a, b] or {name: value}"
          invalid={own.length > 0}
          onDone={(s) => onSet(path, { source: s })}
        />
      ) : (
        <Line
          label={label}
          value={text}
          offer={shown === 'name' ? offered(field, around) : []}
          placeholder={field.otherwise ? `without: ${field.otherwise}` : ''}
          invalid={own.length > 0}
          onDone={(t) => (t.trim() === '' ? onSet(path, {}) : set(t))}
        />
      )}
      <Told problems={own} onFix={around.onFix} />
    </div>
  )
}

/** Names, each with fields of its own. */
function Groups({
  field,
  label,
  path,
  value,
  around,
}: {
  field: Field
  label: string
  path: string[]
  value: Plain | undefined
  around: Around
}) {
  const entries = typeof value === 'object' && !Array.isArray(value) ? Object.entries(value) : []
  const renamed = (from: string, to: string) =>
    around.onSet(path, { value: Object.fromEntries(entries.map(([n, v]) => [n === from ? to : n, v])) })
  return (
    <>
      {entries.map(([name, inner]) => (
        <div key={name} className="mt-1 border-l-2 border-base-300 pl-2">
          <div className="flex items-center gap-1">
            <Line
              label={`Name of ${name} in ${label}`}
              value={name}
              onDone={(to) => to.trim() !== '' && renamed(name, to.trim())}
            />
            <Remove what={`${name} from ${label}`} onClick={() => around.onSet([...path, name], {})} />
          </div>
          <Fields fields={field.fields} path={[...path, name]} value={inner} around={around} />
        </div>
      ))}
      <div className="mt-1">
        <Line
          label={`Add to ${label}`}
          value=""
          placeholder="add a name"
          onDone={(name) => name.trim() !== '' && around.onSet([...path, name.trim()], { value: {} })}
        />
      </div>
    </>
  )
}

/** The fields that are said or needed, and a list of those that could be added. */
export function Fields({
  fields,
  path,
  value,
  around,
}: {
  fields: Field[]
  path: string[]
  value: Plain | undefined
  around: Around
}) {
  // A field that was there stays in the form: somebody may be about to fill it again.
  const [opened, setOpened] = useState<string[]>([])
  const inner = (name: string) =>
    typeof value === 'object' && !Array.isArray(value) ? value[name] : undefined
  const isShown = (f: Field) => f.required || inner(f.name) !== undefined || opened.includes(f.name)
  const fresh = fields.filter((f) => inner(f.name) !== undefined && !opened.includes(f.name))
  if (fresh.length > 0) {
    setOpened([...opened, ...fresh.map((f) => f.name)])
  }
  const others = fields.filter((f) => !isShown(f))
  return (
    <>
      {fields.filter(isShown).map((f) => (
        <FieldControl key={f.name} field={f} path={[...path, f.name]} value={inner(f.name)} around={around} />
      ))}
      {others.length > 0 && (
        <select
          className="select select-sm mt-1 w-full"
          aria-label={`Add a field to ${path.join(' ')}`}
          value=""
          onChange={(e) => setOpened([...opened, e.target.value])}
        >
          <option value="">add a field…</option>
          {others.map((f) => (
            <option key={f.name} value={f.name}>
              {f.name}: {f.help}
            </option>
          ))}
        </select>
      )}
    </>
  )
}
