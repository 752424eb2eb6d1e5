import { lazy, Suspense, useEffect, useMemo, useState } from 'react'
import { Link, useLocation, useNavigate, useParams, useSearchParams } from 'react-router'
import { PausedNote, StateButtons } from '../states/StateButtons'
import { ServiceError, type Schemas } from '../../shared/api/client'
import { time } from '../../shared/lib/format'
import { begun, changed, redone, typed, undone, type History } from '../../shared/lib/history'
import { Editor } from '../../shared/ui/Editor'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { useFeeds } from '../feeds/queries'
import { useTables } from '../tables/queries'
import { Designer } from './Designer'
import { linesOf } from './rows'
import { NEW_PIPELINE, range, stepAtLine, suggestions, withCounts } from './model'
import {
  useParts,
  usePipeline,
  usePipelineCheck,
  usePipelineNow,
  useRunPipeline,
  useSavePipeline,
  useStepCatalog,
  useTakeKept,
  useTrial,
} from './queries'

const MergePanel = lazy(() => import('./MergePanel'))
const TrialCard = lazy(() => import('./TrialCard'))
const TestsCard = lazy(() => import('./TestsCard'))

const CHECK_AFTER_MILLIS = 250

function useSettled(text: string | undefined): string | undefined {
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), CHECK_AFTER_MILLIS)
    return () => clearTimeout(timer)
  }, [text])
  return settled
}

function Problems({ problems }: { problems: Schemas['Problem'][] }) {
  if (problems.length === 0) {
    return (
      <p className="px-3 py-2 font-semibold" style={{ color: 'var(--side)' }}>
        Nothing is wrong with this document.
      </p>
    )
  }
  return (
    <ul className="max-h-48 overflow-auto px-3 py-2" aria-label="Problems">
      {problems.map((p, i) => (
        <li key={i} className="py-0.5">
          <span
            className="font-semibold"
            style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}
          >
            {p.severity.toLowerCase()}
          </span>{' '}
          <span className="quiet">
            line {p.place.line}
            {p.step && `, step ${p.step}`}:
          </span>{' '}
          {p.message}
        </li>
      ))}
    </ul>
  )
}

export default function PipelinePage() {
  const name = useParams().name ?? ''
  const isNew = name === 'new'
  const stored = usePipeline(isNew ? '' : name)
  // Another page may hand a changed text over, to be looked at and kept here.
  const handed = (useLocation().state as { draft?: string } | null)?.draft
  const kept = isNew ? NEW_PIPELINE : stored.data?.text
  const [history, setHistory] = useState<History | undefined>(
    handed === undefined ? undefined : begun(handed),
  )
  const draft = history?.now
  const text = draft ?? kept
  const change = (how: (h: History) => History) => setHistory((h) => how(h ?? begun(kept ?? '')))
  // What the draft began from: what somebody else keeps meanwhile must not become that unseen.
  const [basis, setBasis] = useState<{ version: number; text: string }>()
  if (history && !basis && stored.data) {
    setBasis({ version: stored.data.summary.version, text: stored.data.text })
  }
  const discard = () => {
    setHistory(undefined)
    setBasis(undefined)
  }
  const settled = useSettled(text)
  const check = usePipelineCheck(settled)
  // While a changed text is being checked, the answer at hand is about the one before.
  const checked = settled === text && !check.isPlaceholderData
  const feeds = useFeeds()
  const tables = useTables()
  const catalog = useStepCatalog()
  const parts = useParts()
  const save = useSavePipeline()
  const conflict = save.error instanceof ServiceError && save.error.code === 'changed-meanwhile'
  const meanwhile = usePipelineNow(name, conflict)
  const takeKept = useTakeKept()
  const run = useRunPipeline()
  const trial = useTrial()
  // An address may name the step to show.
  const asked = useSearchParams()[0].get('step') ?? undefined
  const [shownStep, setShownStep] = useState(asked)
  const [picked, setPicked] = useState(asked)
  if (asked !== shownStep) {
    setShownStep(asked)
    setPicked(asked)
  }
  const navigate = useNavigate()
  const steps = useMemo(() => check.data?.steps ?? [], [check.data])
  // A text that cannot be read leaves the last drawing, pale.
  const [good, setGood] = useState(steps)
  if (steps.length > 0 && steps !== good) {
    setGood(steps)
  }
  const unreadable = steps.length === 0 && good.length > 0
  const flow = useMemo(
    () => withCounts(unreadable ? good : steps, stored.data?.lastWholeRun),
    [unreadable, good, steps, stored.data],
  )
  // Its lines are shown when it is picked in the flow; while somebody types they stay where they are.
  const [shown, setShown] = useState<{ from: number; to: number }>()
  const pick = (step: string) => {
    const again = step === picked
    setPicked(again ? undefined : step)
    setShown(again || !checked ? undefined : linesOf(text ?? '', step))
  }
  const edited = (next: string, step: string | undefined) => {
    change((h) => changed(h, next))
    setPicked(step)
    setShown(step ? linesOf(next, step) : undefined)
  }
  const marks = useMemo(
    () =>
      checked
        ? (check.data?.problems ?? []).map((p) => ({
            ...range(text ?? '', p.place),
            severity: p.severity === 'error' ? ('error' as const) : ('warning' as const),
            message: p.message,
            fix: p.fix,
          }))
        : undefined,
    [check.data, checked, text],
  )
  if (!isNew && stored.isPending) {
    return (
      <Page title={name}>
        <Loading what="the pipeline" />
      </Page>
    )
  }
  if (!isNew && stored.error) {
    return (
      <Page title={name}>
        <Failed error={stored.error} />
      </Page>
    )
  }
  const dirty = draft !== undefined && draft !== stored.data?.text
  const summary = stored.data?.summary
  const whole = stored.data?.lastWholeRun
  const saveDraft = () =>
    save.mutate(
      { name: check.data?.name ?? name, text: text ?? '', basedOn: basis?.version ?? summary?.version },
      {
        onSuccess: (saved) => {
          discard()
          navigate(`/pipelines/${saved.summary.name}`)
        },
      },
    )
  return (
    <Page
      crumb={<Link to="/pipelines">Pipelines</Link>}
      title={isNew ? 'New pipeline' : name}
      aside={
        <>
          <span className="quiet">
            {summary && `v${summary.version}, saved ${time(summary.savedAt)} by ${summary.savedBy}`}
            {summary?.nextRunAt && ` · due ${time(summary.nextRunAt)}`}
          </span>
          {!isNew && <StateButtons kind="pipelines" name={name} paused={summary?.paused} />}
          <button
            className="btn btn-sm"
            aria-label="Undo"
            title="Undo"
            disabled={!history || history.past.length === 0}
            onClick={() => change(undone)}
          >
            ↶
          </button>
          <button
            className="btn btn-sm"
            aria-label="Redo"
            title="Redo"
            disabled={!history || history.future.length === 0}
            onClick={() => change(redone)}
          >
            ↷
          </button>
          {dirty && !isNew && (
            <button className="btn btn-sm" onClick={() => discard()}>
              Discard
            </button>
          )}
          <button
            className="btn btn-sm"
            disabled={(!dirty && !isNew) || !checked || check.data?.sound !== true || save.isPending}
            onClick={saveDraft}
          >
            Save
          </button>
          <button
            className="btn btn-sm"
            disabled={!checked || check.data?.sound !== true || trial.isPending}
            title="Do all that a run does, but publish nothing"
            onClick={() => trial.mutate({ text: text ?? '' })}
          >
            {trial.isPending ? 'Trying…' : 'Trial run'}
          </button>
          <button
            className="btn btn-primary btn-sm"
            disabled={isNew || dirty || run.isPending}
            title={dirty ? 'Save first' : undefined}
            onClick={() => run.mutate(name, { onSuccess: (r) => navigate(`/runs/${r.id}`) })}
          >
            Run
          </button>
        </>
      }
    >
      <PausedNote paused={summary?.paused} />
      {save.error && !conflict && <Failed error={save.error} />}
      {conflict && meanwhile.data && (
        <Suspense>
          <MergePanel
            base={basis?.text ?? kept ?? ''}
            mine={text ?? ''}
            theirs={meanwhile.data.text}
            by={meanwhile.data.summary.savedBy}
            version={meanwhile.data.summary.version}
            onMerged={(together) => {
              save.reset()
              takeKept(meanwhile.data)
              setBasis({ version: meanwhile.data.summary.version, text: meanwhile.data.text })
              edited(together, undefined)
            }}
          />
        </Suspense>
      )}
      {run.error && <Failed error={run.error} />}
      {trial.error && <Failed error={trial.error} />}
      {trial.data && (
        <Suspense>
          <TrialCard trial={trial.data} onClose={() => trial.reset()} />
        </Suspense>
      )}
      <Designer
        title={
          <>
            Flow{' '}
            <span className="quiet text-sm font-normal">
              {whole ? (
                <>
                  rows of{' '}
                  <Link className="name" to={`/runs/${whole.summary.id}`}>
                    run {whole.summary.id}
                  </Link>
                  , {time(whole.summary.finishedAt)}
                </>
              ) : (
                'has not run yet'
              )}
            </span>
          </>
        }
        flow={flow}
        pale={unreadable}
        settled={settled}
        steps={steps}
        problems={check.data?.problems ?? []}
        draft={text ?? ''}
        picked={picked}
        onPick={pick}
        onEdit={edited}
      />
      {!isNew && text !== undefined && (
        <Suspense>
          <TestsCard pipeline={name} text={text} />
        </Suspense>
      )}
      <Card title="Document">
        <Editor
          value={text ?? ''}
          onChange={(t) => change((h) => typed(h, t, Date.now()))}
          language="yaml"
          label="The pipeline's document"
          height="46vh"
          marks={marks}
          shown={shown}
          onLine={(line) => picked && setPicked(stepAtLine(steps, line) ?? picked)}
          offer={(before, line) =>
            suggestions(
              before,
              steps,
              stepAtLine(steps, line),
              feeds.data?.map((f) => f.name) ?? [],
              tables.data?.map((t) => t.name) ?? [],
              catalog.data,
              parts.data,
            )
          }
        />
        <div className="border-t border-base-300">
          {check.error ? (
            <Failed error={check.error} />
          ) : check.data ? (
            <div aria-busy={!checked} className={checked ? '' : 'opacity-50'}>
              <Problems problems={check.data.problems} />
            </div>
          ) : (
            <p className="quiet px-3 py-2" role="status">
              Checking…
            </p>
          )}
        </div>
      </Card>
    </Page>
  )
}
