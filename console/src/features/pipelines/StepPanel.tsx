import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { duration, isNumeric, number } from '../../shared/lib/format'
import { Card, Failed, Tabs, Value } from '../../shared/ui/parts'
import { ProfileTable } from '../../shared/ui/ProfileTable'
import { head, unionOfColumns } from './rows'
import { offered, readersOf } from './model'
import { FIRST_ROWS, useAddStep, useStepProfile, useStepRows, type Reading } from './queries'
import type { Edits } from './edits'
import { StepActions } from './StepActions'

type Preview = Schemas['PreviewView']

const TABS = ['rows', 'before and after', 'profile'] as const
type Tab = (typeof TABS)[number]

const CHANGE_MARK: Record<string, string> = { new: 'new', retyped: 'other type' }

function Heads({ columns, numbered }: { columns: Schemas['RowColumn'][]; numbered?: boolean }) {
  return (
    <thead className="sticky top-0 bg-base-100">
      <tr>
        {numbered && <th className="num">row</th>}
        {columns.map((c) => (
          <th
            key={c.name}
            className={`${isNumeric(c.type) ? 'num' : ''} ${c.change === 'same' ? '' : 'fresh'}`}
          >
            {c.name} <span className="quiet text-[0.8em] font-normal">{c.type}</span>
            {CHANGE_MARK[c.change] && <span className="ml-1 text-[0.8em]">{CHANGE_MARK[c.change]}</span>}
          </th>
        ))}
      </tr>
    </thead>
  )
}

function Rows({ preview }: { preview: Preview }) {
  return (
    <table className="ledger">
      <Heads columns={preview.columns} />
      <tbody>
        {preview.rows.map((row, r) => (
          <tr key={r}>
            {preview.columns.map((c, i) => (
              <td
                key={c.name}
                className={`${isNumeric(c.type) ? 'num' : ''} font-mono text-[0.9em] ${c.change === 'same' ? '' : 'fresh'}`}
              >
                <Value value={row[i]} />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** Rows of the step's input: changed values beside what they were, rows that go struck through. */
function Compared({ preview }: { preview: Preview }) {
  const [only, setOnly] = useState(true)
  const comparison = preview.comparison
  if (!comparison) {
    return <p className="quiet p-3">A step that reads has no rows before it.</p>
  }
  if (comparison.rows.length === 0) {
    return <p className="quiet p-3">{comparison.words}.</p>
  }
  const touched = comparison.rows.filter((r) => !r.after || r.changed.length > 0)
  const shown = only && touched.length > 0 ? touched : comparison.rows
  const columns = unionOfColumns(preview.columns, comparison.columns)
  const before = new Map(comparison.columns.map((c, i) => [c.name, i]))
  const after = new Map(preview.columns.map((c, i) => [c.name, i]))
  return (
    <>
      <div className="flex items-center px-3 py-2">
        <p className="grow font-semibold">{comparison.words}.</p>
        {touched.length > 0 && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={only}
              onChange={(e) => setOnly(e.target.checked)}
            />
            only rows that change
          </label>
        )}
      </div>
      <table className="ledger">
        <Heads columns={columns} numbered />
        <tbody>
          {shown.map((row) => (
            <tr key={row.number} className={row.after ? '' : 'gone'}>
              <td className="num quiet">{number(row.number)}</td>
              {columns.map((c, i) => {
                const was = before.get(c.name)
                const is = after.get(c.name)
                const changed = row.changed.includes(c.name)
                const old = was === undefined ? undefined : row.before[was]
                return (
                  <td
                    key={c.name}
                    className={`font-mono text-[0.9em] ${isNumeric(c.type) ? 'num' : ''} ${c.change === 'new' || changed ? 'fresh' : ''}`}
                  >
                    {!row.after || is === undefined ? (
                      was !== undefined && (
                        <s>
                          <Value value={old} />
                        </s>
                      )
                    ) : (
                      <>
                        {changed && (
                          <s className="quiet mr-1">
                            <Value value={old} />
                          </s>
                        )}
                        <Value value={row.after[is]} />
                      </>
                    )}
                    {!row.after && i === 0 && <span className="ml-2 font-sans">{row.reason}</span>}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}

function Profile({
  text,
  steps,
  step,
  reading,
  edits,
}: {
  text: string
  steps: Schemas['StepView'][]
  step: string
  reading: Reading
  edits: Edits
}) {
  const profile = useStepProfile(text, step, reading)
  const add = useAddStep()
  if (profile.isPending) {
    return (
      <p className="quiet p-3" role="status">
        Reading columns…
      </p>
    )
  }
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  return (
    <>
      <ProfileTable
        profile={profile.data}
        onMend={(offer) =>
          void edits.run((now) =>
            add.mutateAsync({ text: now, behind: step, readers: readersOf(steps, step), ...offered(offer) }),
          )
        }
      />
    </>
  )
}

/** How much of each source is read, and which rows are looked for. */
function ReadingForm({
  preview,
  reading,
  onRead,
}: {
  preview: Preview | undefined
  reading: Reading
  onRead: (reading: Reading) => void
}) {
  const [where, setWhere] = useState(reading.where)
  return (
    <form
      className="flex flex-wrap items-end gap-3 border-b border-base-300 px-3 py-2"
      onSubmit={(e) => {
        e.preventDefault()
        onRead({ ...reading, where })
      }}
    >
      <label className="grow">
        <span className="quiet block text-[0.86rem]">Only rows where</span>
        <input
          className="input input-sm w-full font-mono"
          value={where}
          placeholder="a condition over the columns, such as metres > 90"
          onChange={(e) => setWhere(e.target.value)}
        />
      </label>
      {preview?.sources.map((s) => (
        <label key={s.step}>
          <span className="quiet block text-[0.86rem]">rows of {s.step}</span>
          <input
            className="input input-sm w-28 font-mono"
            inputMode="numeric"
            aria-label={`Rows of ${s.step}`}
            defaultValue={reading.whole ? '' : number(s.rows)}
            placeholder="all"
            onBlur={(e) => {
              const rows = Number(e.target.value.replaceAll(/[,\s]/g, ''))
              const chosen = reading.sources[s.step]
              if (rows > 0 && rows !== s.rows) {
                onRead({ ...reading, sources: { ...reading.sources, [s.step]: { ...chosen, rows } } })
              }
            }}
          />
        </label>
      ))}
      <button type="submit" className="btn btn-sm">
        Find
      </button>
    </form>
  )
}

/** A step's rows before anything runs: as they come out, beside those before it, and what they hold. */
export default function StepPanel({
  text,
  draft,
  steps,
  step,
  marked,
  edits,
  onPasteHere,
  onClose,
}: {
  text: string
  /** The text as it is being written, which a change must not lose a letter of. */
  draft: string
  steps: Schemas['StepView'][]
  step: string
  /** The steps that a copy takes. */
  marked: string[]
  edits: Edits
  onPasteHere: () => void
  onClose: () => void
}) {
  const [tab, setTab] = useState<Tab>('rows')
  const [reading, setReading] = useState<Reading>(FIRST_ROWS)
  const rows = useStepRows(text, step, reading, tab === 'before and after')
  const preview = rows.data
  return (
    <Card>
      <div className="flex flex-wrap items-center border-b border-base-300">
        <h2 className="px-3 text-base font-semibold">{step}</h2>
        <div className="grow">
          <Tabs tabs={TABS.map((key) => ({ key, label: key }))} picked={tab} onPick={setTab} />
        </div>
        <div className="ml-auto flex items-center">
          <p className="quiet px-3 text-[0.9rem]" role="status">
            {rows.isFetching ? 'Reading…' : tab !== 'profile' && preview && head(preview)}
            {tab !== 'profile' && preview && !preview.isWhole && !rows.isFetching && (
              <>
                {' · '}
                <button
                  type="button"
                  className="name underline"
                  onClick={() => setReading({ ...reading, whole: true, sources: {} })}
                >
                  count all
                </button>
              </>
            )}
            {tab !== 'profile' && preview && !rows.isFetching && ` · ${duration(preview.elapsedMillis)}`}
          </p>
          <button
            type="button"
            className="btn btn-ghost btn-sm mr-1"
            aria-label="Close the rows"
            onClick={onClose}
          >
            ✕
          </button>
        </div>
      </div>
      <StepActions
        text={draft}
        steps={steps}
        step={step}
        marked={marked}
        edits={edits}
        onPasteHere={onPasteHere}
      />
      {tab === 'rows' && (
        <ReadingForm key={JSON.stringify(reading)} preview={preview} reading={reading} onRead={setReading} />
      )}
      {rows.error ? (
        <Failed error={rows.error} />
      ) : (
        <div
          className="max-h-[44vh] overflow-auto"
          tabIndex={0}
          role="region"
          aria-label={`${tab} of ${step}`}
          aria-busy={rows.isFetching}
        >
          {tab === 'profile' ? (
            <Profile text={text} steps={steps} step={step} reading={reading} edits={edits} />
          ) : !preview ? (
            <p className="quiet p-3">Reading…</p>
          ) : tab === 'rows' ? (
            <Rows preview={preview} />
          ) : (
            <Compared preview={preview} />
          )}
        </div>
      )}
      {preview && tab === 'rows' && (preview.lost.length > 0 || preview.notes.length > 0) && (
        <ul className="quiet border-t border-base-300 px-3 py-2 text-[0.9rem]">
          {preview.lost.length > 0 && <li>No longer there: {preview.lost.join(', ')}</li>}
          {preview.notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
    </Card>
  )
}
