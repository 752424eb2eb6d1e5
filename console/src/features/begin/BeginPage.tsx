import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { FlowView } from '../../shared/flow/FlowView'
import { Card, Failed, Page } from '../../shared/ui/parts'
import { withCounts } from '../pipelines/model'
import {
  useAddStep,
  usePasteNow,
  usePipelineCheck,
  useRunPipeline,
  useSavePipeline,
  useSetField,
} from '../pipelines/queries'
import { LookUp } from './LookUp'
import { Make } from './Make'
import { asQueried, begun, copied, factSteps, STAGES, type Facts, type Growth, type Other } from './model'
import { Clean, Key } from './Rows'
import { Source, type Copied, type Origin } from './Source'
import { When } from './When'
import { Write } from './Write'

const QUESTIONS: Record<string, string> = {
  source: 'Where do rows come from?',
  clean: 'What is to be cleaned?',
  key: 'Which rows are the same?',
  'look up': 'What belongs beside them?',
  make: 'What do they become?',
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
  const set = useSetField()
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
  const begin = (name: string, { kind, of }: Origin) =>
    tried(async () => {
      const p = await paste.mutateAsync(begun(name, kind, of))
      go({ text: p.text, last: p.steps[0] ?? 'rows', source: asQueried(kind, of) })
    })
  /** A copy has its steps already; what does not fit the new source is told before it is saved. */
  const copy = (name: string, { text, step, origin }: Copied) =>
    tried(async () => {
      const value = { [origin.kind]: origin.of }
      const edited = await set.mutateAsync({ text: copied(text, name), step, field: ['read'], value })
      setPast([{ at, growth }])
      setGrowth({ text: edited.text, last: step, source: asQueried(origin.kind, origin.of) })
      setAt(STAGES.indexOf('when'))
      setError(undefined)
    })
  type More = { verb: string; body?: string; other?: string }
  const grown = async (from: Growth, more: More[]) => {
    let now = from
    for (const step of more) {
      const edited = await add.mutateAsync({ text: now.text, behind: now.last, readers: [], ...step })
      now = { ...now, text: edited.text, last: edited.step ?? now.last }
    }
    return now
  }
  /** A step that reads a table, beside the others. */
  const reading = async (from: Growth, table: string) => {
    const name = table.replace(/^.*\./, '')
    const p = await paste.mutateAsync({ text: from.text, steps: `${name}:\n  read: {table: ${table}}\n` })
    return { now: { ...from, text: p.text }, step: p.steps[0] ?? name }
  }
  const addAll = (more: More[]) => tried(async () => go(await grown(growth!, more)))
  const join = (others: Other[]) =>
    tried(async () => {
      let now = growth!
      for (const o of others) {
        const read = await reading(now, o.table)
        const body = `{with: ${read.step}, on: [${o.column}], kind: left, prefix: ${read.step}_}`
        now = await grown(read.now, [{ verb: 'join', body }])
      }
      go(now)
    })
  const members = (body: string, table: string) =>
    tried(async () => go({ ...(await grown(growth!, [{ verb: 'dimension', body }])), table }))
  const fact = (f: Facts, table: string) =>
    tried(async () => {
      let now = growth!
      const steps = new Map<string, string>()
      for (const of of new Set(f.to.map((p) => p.table))) {
        const read = await reading(now, of)
        steps.set(of, read.step)
        now = read.now
      }
      const reads = f.to.map((p) => steps.get(p.table) ?? '')
      go({ ...(await grown(now, factSteps(f, reads))), table })
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
            {stage === 'source' && <Source onBegin={begin} onCopy={copy} />}
            {common && stage === 'clean' && <Clean {...common} />}
            {common && stage === 'key' && <Key {...common} />}
            {common && stage === 'look up' && <LookUp {...common} onJoin={join} />}
            {common && stage === 'make' && <Make {...common} onFact={fact} onMembers={members} />}
            {common && stage === 'write' && <Write {...common} />}
            {growth && stage === 'when' && (
              <When
                growth={growth}
                problems={check.data?.problems ?? []}
                forecasts={check.data?.forecasts ?? []}
                busy={save.isPending || run.isPending || check.isPlaceholderData}
                onText={(text) => setGrowth({ ...growth, text })}
                onDone={done}
              />
            )}
          </div>
        </Card>
        <Card
          title={
            <span className="flex items-center gap-2">
              What it is so far
              {growth && (
                <Link
                  className="btn btn-sm ml-auto font-sans"
                  to="/pipelines/new"
                  state={{ draft: growth.text }}
                >
                  Go on by hand
                </Link>
              )}
            </span>
          }
        >
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
