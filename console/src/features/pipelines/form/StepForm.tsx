import { useState } from 'react'
import type { Schemas } from '../../../shared/api/client'
import { Card, Failed } from '../../../shared/ui/parts'
import { useFeeds } from '../../feeds/queries'
import { useTables } from '../../tables/queries'
import { range } from '../model'
import type { Edits } from '../edits'
import { useSetField, useStepCatalog, useStepFields } from '../queries'
import { FieldControl, Fields, type Around, type OnSet } from './controls'
import {
  at,
  changed,
  changes,
  columnsFor,
  doubled,
  fieldsOf,
  problemsOf,
  type Field,
  type Plain,
} from './model'

type Named = { [name: string]: Plain }

const FROM: Field = {
  name: 'from',
  kind: 'texts',
  required: true,
  otherwise: '',
  words: [],
  help: 'the steps whose rows come in',
  fields: [],
}

const MARK: Record<string, string> = {
  new: 'new',
  same: '',
  'other type': 'other type',
  gone: 'does not go on',
}

function Columns({ steps, step }: { steps: Schemas['StepView'][]; step: Schemas['StepView'] | undefined }) {
  const all = changes(steps, step)
  if (all.length === 0) {
    return <p className="quiet">They are not known yet: something before or in this step is wrong.</p>
  }
  return (
    <table className="ledger w-full">
      <tbody>
        {all.map((c) => (
          <tr key={`${c.name} ${c.change}`}>
            <td className={`font-mono text-[0.9em] ${c.change === 'gone' ? 'quiet line-through' : ''}`}>
              {c.name}
            </td>
            <td className="quiet font-mono text-[0.86em] whitespace-nowrap">
              {c.change === 'other type' && `${c.was} → `}
              {c.type}
            </td>
            <td className={`text-right text-[0.86em] ${c.change === 'new' ? 'fresh' : ''}`}>
              {MARK[c.change]}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** A step as a form, made from the description that the reference comes from; each change is one of the text. */
export default function StepForm({
  text,
  draft,
  steps,
  step,
  problems,
  edits,
  onEdit,
}: {
  /** The text that was checked, whose steps and problems these are. */
  text: string
  draft: string
  steps: Schemas['StepView'][]
  step: string
  problems: Schemas['Problem'][]
  edits: Edits
  onEdit: (text: string, step: string | undefined) => void
}) {
  const said = useStepFields(draft, step)
  const catalog = useStepCatalog()
  const feeds = useFeeds()
  const tables = useTables()
  const setField = useSetField()
  const [open, setOpen] = useState(0)
  // What was changed is shown at once, so that the next change builds on it.
  const [ahead, setAhead] = useState<{ fields: Named; text?: string }>()
  const known = said.data?.fields as Named | undefined
  const isAhead = ahead && (open > 0 || (said.isPlaceholderData && ahead.text === draft))
  const fields = isAhead ? ahead.fields : known
  const onSet: OnSet = (path, to) => {
    setOpen((n) => n + 1)
    if (fields && to.source === undefined) {
      setAhead((before) => ({
        fields: changed(open > 0 && before ? before.fields : fields, path, to.value) as Named,
      }))
    }
    void edits
      .run(async (now) => {
        try {
          const edited = await setField.mutateAsync({ text: now, step, field: path, ...to })
          setAhead((before) => before && { ...before, text: edited.text })
          return { text: edited.text, step }
        } catch (e) {
          setAhead(undefined)
          throw e
        }
      }, 'form')
      .then(() => setOpen((n) => n - 1))
  }
  const verb = fields && catalog.data?.find((d) => d.verb in fields)
  const here = steps.find((s) => s.name === step)
  const own = problems.filter((p) => p.step === step)
  const isOff = fields?.off === 'true'
  const around: Around = {
    text,
    step,
    columns: columnsFor(steps, here),
    steps: steps.filter((s) => s.name !== step && s.verb !== 'write').map((s) => s.name),
    feeds: feeds.data?.map((f) => f.name) ?? [],
    tables: tables.data?.map((t) => t.name) ?? [],
    problems: text === draft ? own : [],
    onSet,
    onFix: (p) => {
      const { from, to } = range(text, p.place)
      onEdit(text.slice(0, from) + (p.fix ?? '') + text.slice(to), step)
    },
  }
  if (said.error) {
    return (
      <Card title={step}>
        <p className="quiet p-3">It has no form: {said.error.message}. Change it in the text.</p>
      </Card>
    )
  }
  if (!fields || !catalog.data) {
    return (
      <Card title={step}>
        <p className="quiet p-3" role="status">
          Reading the step…
        </p>
      </Card>
    )
  }
  const clash = around.problems.some((p) => p.code === 'ambiguous-column')
    ? doubled(steps, here, fields.join)
    : undefined
  const shape = verb && fieldsOf(verb)
  const elsewhere = around.problems.filter(
    (p) => ![['from'], [verb?.verb ?? '']].some((path) => problemsOf([p], path).length > 0),
  )
  return (
    <Card>
      <div className="flex items-baseline gap-2 border-b border-base-300 px-3 py-2">
        <h2 className="text-base font-semibold">{step}</h2>
        <span className="quiet text-[0.9rem]">
          {verb?.verb} · line {here?.place.line}
        </span>
        {verb && verb.inputs !== 'none' && (
          <label className="ml-auto flex items-center gap-2 text-[0.9rem]">
            <input
              type="checkbox"
              className="toggle toggle-sm"
              checked={!isOff}
              onChange={(e) => onSet(['off'], e.target.checked ? {} : { value: 'true' })}
            />
            on
          </label>
        )}
      </div>
      <form
        aria-label={`Form of ${step}`}
        className="max-h-[70vh] overflow-auto px-3 py-1"
        onSubmit={(e) => e.preventDefault()}
      >
        {edits.error?.from === 'form' && <Failed error={edits.error.error} />}
        {verb && verb.inputs !== 'none' && (
          <FieldControl
            field={{ ...FROM, kind: verb.inputs === 'several' ? 'texts' : 'step' }}
            path={['from']}
            value={fields.from}
            around={around}
          />
        )}
        {isOff && (
          <p className="quiet py-1">
            Switched off: what the step says stays in the text, and rows pass as they come.
          </p>
        )}
        {clash && (
          <div
            className="my-2 border-l-4 bg-base-200 px-3 py-2"
            style={{ borderLeftColor: 'var(--merged)' }}
            role="status"
          >
            <p>
              Both sides have <b className="font-mono">{clash.names.join(', ')}</b>. Which is to come out?
            </p>
            <div className="mt-1 flex flex-wrap gap-2">
              <button
                type="button"
                className="btn btn-sm"
                onClick={() => onSet(['join', 'prefix'], { value: clash.prefix })}
              >
                Both: the other one as {clash.prefix}…
              </button>
              <button
                type="button"
                className="btn btn-sm"
                onClick={() => onSet(['join', 'take'], { value: clash.take })}
              >
                Only that of {here?.from[0]}
              </button>
            </div>
          </div>
        )}
        {shape && (
          <Fields fields={shape.fields} path={shape.path} value={at(fields, shape.path)} around={around} />
        )}
        {!verb && <p className="quiet py-1">It does nothing yet; write its verb in the text.</p>}
        {elsewhere.map((p, i) => (
          <p
            key={i}
            className="mt-1 text-[0.9rem]"
            style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}
          >
            {p.message}
          </p>
        ))}
        <h3 className="mt-3 mb-1 font-semibold">Columns</h3>
        <Columns steps={steps} step={here} />
      </form>
    </Card>
  )
}
