import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { FlowView } from '../../shared/flow/FlowView'
import { number } from '../../shared/lib/format'
import { Card, Failed, Page } from '../../shared/ui/parts'
import { useFeeds } from '../feeds/queries'
import { offered, withCounts } from '../pipelines/model'
import {
  FIRST_ROWS,
  useAddStep,
  usePasteNow,
  usePipelineCheck,
  useRunPipeline,
  useSavePipeline,
  useStepProfile,
} from '../pipelines/queries'
import { useAllColumns } from '../query/queries'
import { useTables } from '../tables/queries'
import {
  asQueried,
  begun,
  isTrimmed,
  keys,
  lookUps,
  mends,
  nameFrom,
  partitions,
  STAGES,
  TIMES,
  withSchedule,
  writeBody,
  type Growth,
  type Other,
  type Target,
} from './model'
import { LOOKED_AT, useMatch } from './queries'

/** From this share on a column is proposed as the key. */
const NEARLY_UNIQUE = 0.9

type StageProps = {
  growth: Growth
  steps: Schemas['StepView'][]
  /** Puts steps behind the last one, one behind the other. */
  onAdd: (steps: { verb: string; body?: string; other?: string }[]) => void
  onSkip: () => void
}

function Foot({
  label,
  disabled,
  onNext,
  onSkip,
}: {
  label: string
  disabled?: boolean
  onNext: () => void
  onSkip?: () => void
}) {
  return (
    <div className="mt-3 flex gap-2 border-t border-base-300 pt-3">
      <button type="button" className="btn btn-primary btn-sm" disabled={disabled} onClick={onNext}>
        {label}
      </button>
      {onSkip && (
        <button type="button" className="btn btn-sm" onClick={onSkip}>
          Go on without
        </button>
      )}
    </div>
  )
}

function Source({ onBegin }: { onBegin: (name: string, kind: 'feed' | 'table', of: string) => void }) {
  const feeds = useFeeds()
  const tables = useTables()
  const [picked, setPicked] = useState('')
  const [named, setNamed] = useState<string>()
  const [kind, of] = picked.split(' ') as ['feed' | 'table', string]
  const name = named ?? (of ? nameFrom(of) : '')
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        onBegin(name, kind, of)
      }}
    >
      <p>Rows come from a feed, which reads raw files under a schema, or from a table that is there.</p>
      <label className="mt-2 block">
        <span className="quiet block text-[0.86rem]">Rows of</span>
        <select className="select select-sm w-72" value={picked} onChange={(e) => setPicked(e.target.value)}>
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
      <p className="quiet mt-1 text-[0.9rem]">
        New files?{' '}
        <Link className="name underline" to="/feeds/new">
          Drop them first
        </Link>
        : a feed is proposed for them.
      </p>
      <label className="mt-2 block">
        <span className="quiet block text-[0.86rem]">The pipeline is called</span>
        <input
          className="input input-sm w-72 font-mono"
          value={name}
          onChange={(e) => setNamed(e.target.value)}
        />
      </label>
      <div className="mt-3 border-t border-base-300 pt-3">
        <button type="submit" className="btn btn-primary btn-sm" disabled={!of || name === ''}>
          Begin
        </button>
      </div>
    </form>
  )
}

function Clean({ growth, onAdd, onSkip }: StageProps) {
  const profile = useStepProfile(growth.text, growth.last, FIRST_ROWS)
  const [left, setLeft] = useState<string[]>([])
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Looking at the first rows…</p>
  }
  const found = mends(profile.data)
  const taken = found.filter((m) => !left.includes(m.offer))
  return (
    <>
      <p>
        {profile.data.sources.join('; ')}:{' '}
        {found.length === 0
          ? 'nothing odd was found that a step would mend.'
          : 'what is odd, and the step that mends it.'}
      </p>
      {found.map((m) => (
        <label key={m.offer} className="mt-2 flex items-start gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm mt-0.5"
            checked={!left.includes(m.offer)}
            onChange={() =>
              setLeft(left.includes(m.offer) ? left.filter((l) => l !== m.offer) : [...left, m.offer])
            }
          />
          <span className="min-w-0">
            <code className="font-mono text-[0.9em] break-all">{m.offer}</code>
            {m.why.map((w) => (
              <span key={w} className="quiet block text-[0.9rem]">
                {w}
              </span>
            ))}
          </span>
        </label>
      ))}
      <Foot
        label={taken.length === 0 ? 'Next' : `Put ${taken.length === 1 ? 'it' : `all ${taken.length}`} in`}
        onNext={() => (taken.length === 0 ? onSkip() : onAdd(taken.map((m) => offered(m.offer))))}
        onSkip={taken.length === 0 ? undefined : onSkip}
      />
    </>
  )
}

function Key({ growth, onAdd, onSkip }: StageProps) {
  const profile = useStepProfile(growth.text, growth.last, FIRST_ROWS)
  const [picked, setPicked] = useState<string[]>()
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Counting values…</p>
  }
  const all = keys(profile.data)
  const best = all.filter((k) => k.share >= NEARLY_UNIQUE && k.nulls === 0).slice(0, 1)
  const chosen = picked ?? best.map((k) => k.name)
  return (
    <>
      <p>
        Rows that are the same in these columns count as one: the last one stays, the others are counted as
        merged.
      </p>
      <div className="mt-2 max-h-72 overflow-auto" tabIndex={0} role="region" aria-label="Columns">
        {all.map((k) => (
          <label key={k.name} className="flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={chosen.includes(k.name)}
              onChange={() =>
                setPicked(chosen.includes(k.name) ? chosen.filter((c) => c !== k.name) : [...chosen, k.name])
              }
            />
            <span className="font-mono text-[0.93em]">{k.name}</span>
            <span className="quiet text-[0.9rem]">
              {(100 * k.share).toFixed(k.share > 0.99 && k.share < 1 ? 2 : 0)} % of the rows looked at have a
              value of their own
              {k.nulls > 0 && `, ${number(k.nulls)} are null`}
            </span>
          </label>
        ))}
      </div>
      <Foot
        label="Keep one row of each"
        disabled={chosen.length === 0}
        onNext={() => onAdd([{ verb: 'dedupe', body: `{by: [${chosen.join(', ')}], keep: last}` }])}
        onSkip={onSkip}
      />
    </>
  )
}

function Match({
  trimmed,
  source,
  other,
  checked,
  onToggle,
}: {
  trimmed: boolean
  source: string
  other: Other
  checked: boolean
  onToggle: () => void
}) {
  const match = useMatch(source, other, trimmed)
  // Where several rows have one value, each row here would come several times.
  if (match.data && match.data.repeated > 0) {
    return null
  }
  const share = match.data && match.data.rows > 0 ? match.data.found / match.data.rows : undefined
  return (
    <label className="flex items-center gap-2 py-1">
      <input type="checkbox" className="checkbox checkbox-sm" checked={checked} onChange={onToggle} />
      <span>
        <b>{other.table}</b> by <span className="font-mono text-[0.93em]">{other.column}</span>
        <span className="quiet ml-2 text-[0.9rem]">
          {match.isPending
            ? 'comparing values…'
            : match.error
              ? match.error.message
              : share === undefined
                ? 'no value to compare'
                : `${(100 * share).toFixed(1)} % of ${number(match.data?.rows ?? 0)} rows find a row there`}
        </span>
      </span>
    </label>
  )
}

function LookUp({ growth, steps, onSkip, onJoin }: StageProps & { onJoin: (others: Other[]) => void }) {
  const all = useAllColumns()
  const columns = steps.find((s) => s.name === growth.last)?.columns ?? []
  const offers = lookUps(columns, all.data ?? []).filter((o) => o.table !== growth.source)
  const [picked, setPicked] = useState<Other[]>([])
  return (
    <>
      <p>
        Tables with a column of the same name and type, in which no value comes twice. What they have besides
        is put beside the rows; rows that find none stay, with nulls.
      </p>
      {all.isPending && <p role="status">Looking through the tables…</p>}
      {all.data && offers.length === 0 && <p className="quiet mt-2">No table has such a column.</p>}
      <div className="mt-2">
        {offers.map((o) => (
          <Match
            key={`${o.table} ${o.column}`}
            trimmed={isTrimmed(growth.text, o.column)}
            source={growth.source}
            other={o}
            checked={picked.includes(o)}
            onToggle={() => setPicked(picked.includes(o) ? picked.filter((p) => p !== o) : [...picked, o])}
          />
        ))}
      </div>
      <p className="quiet mt-1 text-[0.86rem]">Of the first {number(LOOKED_AT)} rows.</p>
      <Foot
        label="Look them up"
        disabled={picked.length === 0}
        onNext={() => onJoin(picked)}
        onSkip={onSkip}
      />
    </>
  )
}

const MODES: [string, string][] = [
  ['append', 'add the rows to those that are there'],
  ['replace', 'put these rows in the place of all that are there'],
  ['upsert', 'change rows with the same key, add the others'],
]

function Write({ growth, steps, onAdd }: StageProps) {
  const columns = steps.find((s) => s.name === growth.last)?.columns ?? []
  const [target, setTarget] = useState<Target>({ table: '', mode: 'append', partition: '', key: [] })
  const layouts = partitions(columns)
  return (
    <>
      <label className="block">
        <span className="quiet block text-[0.86rem]">Table, as namespace.name</span>
        <input
          className="input input-sm w-72 font-mono"
          value={target.table}
          placeholder="mart.my_table"
          onChange={(e) => setTarget({ ...target, table: e.target.value })}
        />
      </label>
      <fieldset className="mt-2">
        <legend className="quiet text-[0.86rem]">What a run does</legend>
        {MODES.map(([mode, words]) => (
          <label key={mode} className="flex items-center gap-2 py-0.5">
            <input
              type="radio"
              className="radio radio-sm"
              name="mode"
              checked={target.mode === mode}
              onChange={() => setTarget({ ...target, mode })}
            />
            {words}
          </label>
        ))}
      </fieldset>
      {target.mode === 'upsert' && (
        <label className="mt-2 block">
          <span className="quiet block text-[0.86rem]">Key</span>
          <select
            className="select select-sm w-72"
            value={target.key[0] ?? ''}
            onChange={(e) => setTarget({ ...target, key: e.target.value === '' ? [] : [e.target.value] })}
          >
            <option value="">choose…</option>
            {columns.map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
          </select>
        </label>
      )}
      <label className="mt-2 block">
        <span className="quiet block text-[0.86rem]">Files by</span>
        <select
          className="select select-sm w-72"
          value={target.partition}
          onChange={(e) => setTarget({ ...target, partition: e.target.value })}
        >
          <option value="">nothing: for up to some millions of rows</option>
          {layouts.map((l) => (
            <option key={l}>{l}</option>
          ))}
        </select>
      </label>
      <Foot
        label="Write it"
        disabled={
          !/^[a-z][a-z0-9_]*\.[a-z][a-z0-9_]*$/.test(target.table) ||
          (target.mode === 'upsert' && target.key.length === 0)
        }
        onNext={() => onAdd([{ verb: 'write', body: writeBody(target) }])}
      />
    </>
  )
}

function When({
  growth,
  problems,
  onText,
  onDone,
  busy,
}: {
  growth: Growth
  problems: Schemas['Problem'][]
  onText: (text: string) => void
  onDone: (run: boolean) => void
  busy: boolean
}) {
  const [cron, setCron] = useState('')
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
  const errors = problems.filter((p) => p.severity === 'error')
  return (
    <>
      <fieldset>
        <legend className="quiet text-[0.86rem]">When it runs, in {zone}</legend>
        {TIMES.map((t) => (
          <label key={t.words} className="flex items-center gap-2 py-0.5">
            <input
              type="radio"
              className="radio radio-sm"
              name="when"
              checked={cron === t.cron}
              onChange={() => {
                setCron(t.cron)
                onText(withSchedule(growth.text, t.cron, zone))
              }}
            />
            {t.words}
          </label>
        ))}
      </fieldset>
      {problems.map((p, i) => (
        <p
          key={i}
          className="mt-1"
          style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}
        >
          line {p.place.line}: {p.message}
        </p>
      ))}
      <div className="mt-3 flex flex-wrap gap-2 border-t border-base-300 pt-3">
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={busy || errors.length > 0}
          onClick={() => onDone(true)}
        >
          Save and run
        </button>
        <button
          type="button"
          className="btn btn-sm"
          disabled={busy || errors.length > 0}
          onClick={() => onDone(false)}
        >
          Save
        </button>
      </div>
    </>
  )
}

const QUESTIONS: Record<string, string> = {
  source: 'Where do rows come from?',
  clean: 'What is to be cleaned?',
  key: 'Which rows are the same?',
  'look up': 'What belongs beside them?',
  write: 'Where do they go?',
  when: 'When does it run?',
}

/** From files to a running pipeline in a few questions, each with its evidence; the document grows beside them. */
export default function BeginPage() {
  const [at, setAt] = useState(0)
  const [growth, setGrowth] = useState<Growth>()
  const [past, setPast] = useState<{ at: number; growth: Growth | undefined }[]>([])
  const [error, setError] = useState<unknown>()
  const check = usePipelineCheck(growth?.text)
  const paste = usePasteNow()
  const add = useAddStep()
  const save = useSavePipeline()
  const run = useRunPipeline()
  const navigate = useNavigate()
  const stage = STAGES[at] ?? 'when'
  const steps = check.data?.steps ?? []
  const go = (next: Growth) => {
    setPast([...past, { at, growth }])
    setGrowth(next)
    setAt(at + 1)
    setError(undefined)
  }
  const tried = (work: () => Promise<void>) => void work().catch(setError)
  const begin = (name: string, kind: 'feed' | 'table', of: string) =>
    tried(async () => {
      const p = await paste.mutateAsync(begun(name, kind, of))
      go({ text: p.text, last: p.steps[0] ?? 'rows', source: asQueried(kind, of) })
    })
  const addAll = (more: { verb: string; body?: string; other?: string }[]) =>
    tried(async () => {
      let now = growth!
      for (const step of more) {
        const edited = await add.mutateAsync({ text: now.text, behind: now.last, readers: [], ...step })
        now = { ...now, text: edited.text, last: edited.step ?? now.last }
      }
      go(now)
    })
  const join = (others: Other[]) =>
    tried(async () => {
      let now = growth!
      for (const o of others) {
        const name = o.table.replace(/^.*\./, '')
        const p = await paste.mutateAsync({
          text: now.text,
          steps: `${name}:\n  read: {table: ${o.table}}\n`,
        })
        const edited = await add.mutateAsync({
          text: p.text,
          verb: 'join',
          behind: now.last,
          readers: [],
          body: `{with: ${p.steps[0]}, on: [${o.column}], kind: left, prefix: ${p.steps[0]}_}`,
        })
        now = { ...now, text: edited.text, last: edited.step ?? now.last }
      }
      go(now)
    })
  const done = (runs: boolean) =>
    tried(async () => {
      const saved = await save.mutateAsync({ name: check.data?.name ?? '', text: growth?.text ?? '' })
      const name = saved.summary.name
      if (runs) {
        const started = await run.mutateAsync(name)
        void navigate(`/runs/${started.id}`)
      } else {
        void navigate(`/pipelines/${name}`)
      }
    })
  const back = () => {
    const before = past.at(-1)
    if (before) {
      setPast(past.slice(0, -1))
      setAt(before.at)
      setGrowth(before.growth)
      setError(undefined)
    }
  }
  const common = growth && { growth, steps, onAdd: addAll, onSkip: () => go(growth) }
  return (
    <Page crumb={<Link to="/pipelines">Pipelines</Link>} title="Begin a pipeline">
      <ol className="mb-3 flex flex-wrap gap-x-4 gap-y-1" aria-label="Questions">
        {STAGES.map((s, i) => (
          <li
            key={s}
            aria-current={i === at ? 'step' : undefined}
            className={i === at ? 'font-semibold' : 'quiet'}
          >
            {i + 1} {s}
            {i < at && ' ✓'}
          </li>
        ))}
      </ol>
      <div className="grid items-start gap-x-4 lg:grid-cols-[minmax(0,5fr)_minmax(0,6fr)]">
        <Card
          title={
            <span className="flex items-center gap-2">
              {QUESTIONS[stage]}
              {past.length > 0 && (
                <button type="button" className="btn btn-sm ml-auto font-sans" onClick={back}>
                  Back
                </button>
              )}
            </span>
          }
        >
          <div className="px-3 py-3" key={`${at}`}>
            {error !== undefined && <Failed error={error} />}
            {stage === 'source' && <Source onBegin={begin} />}
            {common && stage === 'clean' && <Clean {...common} />}
            {common && stage === 'key' && <Key {...common} />}
            {common && stage === 'look up' && <LookUp {...common} onJoin={join} />}
            {common && stage === 'write' && <Write {...common} />}
            {growth && stage === 'when' && (
              <When
                growth={growth}
                problems={check.data?.problems ?? []}
                busy={save.isPending || run.isPending || check.isPlaceholderData}
                onText={(text) => setGrowth({ ...growth, text })}
                onDone={done}
              />
            )}
          </div>
        </Card>
        <Card title="What it is so far">
          {growth ? (
            <>
              <div className="p-2">
                <FlowView steps={withCounts(steps, undefined)} />
              </div>
              <pre
                className="max-h-[50vh] overflow-auto border-t border-base-300 px-3 py-2 font-mono text-[0.86rem]"
                tabIndex={0}
                aria-label="The document so far"
              >
                {growth.text}
              </pre>
            </>
          ) : (
            <p className="quiet px-3 py-3">
              The document grows here with each answer. It stays text that can be changed at any time.
            </p>
          )}
        </Card>
      </div>
    </Page>
  )
}
