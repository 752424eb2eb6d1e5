import { useState } from 'react'
import { Link } from 'react-router'
import { number } from '../../shared/lib/format'
import { Failed } from '../../shared/ui/parts'
import { useFeeds } from '../feeds/queries'
import { usePipeline, usePipelineCheck, usePipelines } from '../pipelines/queries'
import { useTables } from '../tables/queries'
import { nameFrom } from './model'

export type Origin = { kind: 'feed' | 'table'; of: string }

/** A pipeline to copy, and the step of it that reads something else. */
export type Copied = { text: string; step: string; origin: Origin }

const asOrigin = (picked: string): Origin => {
  const [kind, of] = picked.split(' ') as ['feed' | 'table', string]
  return { kind, of }
}

function Origins({
  label,
  value,
  onPick,
}: {
  label: string
  value: string
  onPick: (picked: string) => void
}) {
  const feeds = useFeeds()
  const tables = useTables()
  return (
    <label className="mt-2 block">
      <span className="quiet block text-[0.86rem]">{label}</span>
      <select className="select select-sm w-72" value={value} onChange={(e) => onPick(e.target.value)}>
        <option value="">choose…</option>
        <optgroup label="feeds">
          {feeds.data?.map((f) => (
            <option key={f.name} value={`feed ${f.name}`}>
              {f.name} ({f.format}, {f.columns} columns)
            </option>
          ))}
        </optgroup>
        <optgroup label="tables">
          {tables.data?.map((t) => (
            <option key={t.name} value={`table ${t.name}`}>
              {t.name} ({number(t.rows)} rows)
            </option>
          ))}
        </optgroup>
      </select>
    </label>
  )
}

function Name({ value, onType }: { value: string; onType: (name: string) => void }) {
  return (
    <label className="mt-2 block">
      <span className="quiet block text-[0.86rem]">The pipeline is called</span>
      <input
        className="input input-sm w-72 font-mono"
        value={value}
        onChange={(e) => onType(e.target.value)}
      />
    </label>
  )
}

function Begin({ disabled }: { disabled: boolean }) {
  return (
    <div className="mt-3 border-t border-base-300 pt-3">
      <button type="submit" className="btn btn-primary btn-sm" disabled={disabled}>
        Begin
      </button>
    </div>
  )
}

/** What the rows come from, and what the pipeline is called; or a pipeline to begin with a copy of. */
export function Source({
  onBegin,
  onCopy,
}: {
  onBegin: (name: string, origin: Origin) => void
  onCopy: (name: string, copied: Copied) => void
}) {
  const [copies, setCopies] = useState(false)
  const [picked, setPicked] = useState('')
  const [named, setNamed] = useState<string>()
  const origin = asOrigin(picked)
  const name = named ?? (picked ? nameFrom(origin.of) : '')
  return (
    <>
      <p>Rows come from a feed, which reads raw files under a schema, or from a table that is there.</p>
      <label className="mt-2 flex items-center gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={copies}
          onChange={() => setCopies(!copies)}
        />
        Take the steps of a pipeline that is there
      </label>
      {copies ? (
        <CopyForm onCopy={onCopy} />
      ) : (
        <form
          onSubmit={(e) => {
            e.preventDefault()
            onBegin(name, origin)
          }}
        >
          <Origins label="Rows of" value={picked} onPick={setPicked} />
          <p className="quiet mt-1 text-[0.9rem]">
            New files?{' '}
            <Link className="name underline" to="/feeds/new">
              Drop them first
            </Link>
            : a feed is proposed for them.
          </p>
          <Name value={name} onType={setNamed} />
          <Begin disabled={picked === '' || name === ''} />
        </form>
      )}
    </>
  )
}

function CopyForm({ onCopy }: { onCopy: (name: string, copied: Copied) => void }) {
  const pipelines = usePipelines()
  const [of, setOf] = useState('')
  const [step, setStep] = useState<string>()
  const [picked, setPicked] = useState('')
  const [named, setNamed] = useState<string>()
  const kept = usePipeline(of)
  const text = of === '' ? undefined : kept.data?.text
  const check = usePipelineCheck(text)
  const reads = text === undefined ? [] : (check.data?.steps.filter((s) => s.verb === 'read') ?? [])
  const reading = reads.find((s) => s.name === step) ?? reads[0]
  const name = named ?? (of === '' ? '' : `${of}-copy`)
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        if (text !== undefined && reading) {
          onCopy(name, { text, step: reading.name, origin: asOrigin(picked) })
        }
      }}
    >
      <label className="mt-2 block">
        <span className="quiet block text-[0.86rem]">The steps of</span>
        <select className="select select-sm w-72" value={of} onChange={(e) => setOf(e.target.value)}>
          <option value="">choose…</option>
          {pipelines.data?.map((p) => (
            <option key={p.name}>{p.name}</option>
          ))}
        </select>
      </label>
      {kept.error && <Failed error={kept.error} />}
      {reads.length > 1 && (
        <label className="mt-2 block">
          <span className="quiet block text-[0.86rem]">In the place of what is read by</span>
          <select
            className="select select-sm w-72"
            value={reading?.name ?? ''}
            onChange={(e) => setStep(e.target.value)}
          >
            {reads.map((r) => (
              <option key={r.name} value={r.name}>
                {r.name}: {r.detail}
              </option>
            ))}
          </select>
        </label>
      )}
      <Origins label="It reads" value={picked} onPick={setPicked} />
      <Name value={name} onType={setNamed} />
      <Begin disabled={!reading || picked === '' || name === ''} />
    </form>
  )
}
