import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { FlowView } from '../../shared/flow/FlowView'
import { bytes, count, duration, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page, StateBadge, Tabs } from '../../shared/ui/parts'
import { ChecksPanel } from './ChecksPanel'
import { DuplicatesPanel } from './DuplicatesPanel'
import { JoinsPanel } from './JoinsPanel'
import {
  balanceColour,
  dedupeSteps,
  failedFeed,
  flowSteps,
  joinNote,
  joinSteps,
  tallyColumns,
  totals,
} from './model'
import { SetAsidePanel } from '../setaside/SetAsidePanel'
import { ChangesCard } from '../feeds/ChangesCard'
import { useQuarantine } from '../feeds/queries'
import { useRunPipeline } from '../pipelines/queries'
import { isEnd, useCancelRun, useRun, useRunJoins, useRunLog } from './queries'

function Account({ run }: { run: Schemas['RunDetail'] }) {
  const columns = tallyColumns(run.steps)
  const sums = totals(run.steps)
  const cpu = run.steps.reduce((n, s) => n + s.tally.cpuMillis, 0)
  return (
    <Card className="overflow-x-auto">
      <table className="ledger" data-testid="tally">
        <thead>
          <tr>
            <th>step</th>
            <th>does</th>
            {columns.map((c) => (
              <th key={c.name} className="num">
                {c.title}
              </th>
            ))}
            <th className="num">time</th>
            <th className="num">memory</th>
            {run.spilledBytes > 0 && <th className="num">to disk</th>}
          </tr>
        </thead>
        <tbody>
          {run.steps.map((s) => (
            <tr key={s.name} id={`step-${s.name}`}>
              <td className="font-semibold">{s.name}</td>
              <td className="quiet whitespace-nowrap">
                {s.verb} {s.detail}
              </td>
              {columns.map((c) => (
                <td key={c.name} className="num" style={{ color: c.colour }}>
                  {c.always ? number(s.tally[c.name]) : count(s.tally[c.name])}
                </td>
              ))}
              <td className="num">{duration(s.tally.cpuMillis)}</td>
              <td className="num">{s.tally.peakBytes > 0 ? bytes(s.tally.peakBytes) : ''}</td>
              {run.spilledBytes > 0 && (
                <td className="num">{s.tally.spilledBytes > 0 ? bytes(s.tally.spilledBytes) : ''}</td>
              )}
            </tr>
          ))}
          <tr className="total">
            <td>all steps</td>
            <td />
            {columns.map((c) => (
              <td key={c.name} className="num" style={{ color: c.colour }}>
                {c.always ? number(sums[c.name]) : count(sums[c.name])}
              </td>
            ))}
            <td className="num">{duration(cpu)}</td>
            <td className="num">{bytes(run.peakBytes)}</td>
            {run.spilledBytes > 0 && <td className="num">{bytes(run.spilledBytes)}</td>}
          </tr>
        </tbody>
      </table>
      <p className="px-3 py-2.5 font-semibold" style={{ color: balanceColour(run) }}>
        {run.balance}
      </p>
    </Card>
  )
}

/** What can be done about a failure from here: the file out of the way, the feed, another run. */
function Remedies({ run }: { run: Schemas['RunDetail'] }) {
  const file = run.summary.failure?.file
  const feed = failedFeed(run)
  const quarantine = useQuarantine(file?.feed ?? '')
  const again = useRunPipeline()
  const navigate = useNavigate()
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2">
      {file && (
        <button
          type="button"
          className="btn btn-sm"
          disabled={quarantine.isPending || quarantine.isSuccess}
          onClick={() =>
            quarantine.mutate({ put: true, path: file.path, why: `stopped run ${run.summary.id}` })
          }
        >
          {quarantine.isSuccess ? 'In quarantine' : `Put ${file.path} into quarantine`}
        </button>
      )}
      {feed && (
        <Link className="btn btn-sm" to={`/feeds/${feed}`}>
          Open feed {feed}
        </Link>
      )}
      <button
        type="button"
        className="btn btn-primary btn-sm"
        disabled={again.isPending}
        onClick={() =>
          again.mutate(run.summary.pipeline, { onSuccess: (r) => void navigate(`/runs/${r.id}`) })
        }
      >
        Run again
      </button>
      {(quarantine.error ?? again.error) && <Failed error={quarantine.error ?? again.error} />}
    </div>
  )
}

/** The joins that found little, said before anybody asks. */
function JoinNotes({ id, onOpen }: { id: number; onOpen: () => void }) {
  const noted = useRunJoins(id, true)
  return noted.data?.map((j) => (
    <div
      key={j.step}
      className="card-paper mb-4 flex items-center gap-3 border-l-4 p-3"
      style={{ borderLeftColor: 'var(--merged)' }}
      role="status"
    >
      <p>
        <b>{j.step}</b> {joinNote(j)}
      </p>
      <button className="btn btn-sm ml-auto shrink-0" onClick={onOpen}>
        See why
      </button>
    </div>
  ))
}

function LogPart({ id }: { id: number }) {
  const log = useRunLog(id)
  return (
    <div className="max-h-96 overflow-auto p-3 font-mono text-[0.86rem]">
      {log.error && <Failed error={log.error} />}
      {log.data?.map((l) => (
        <div key={l.line}>
          <span className="quiet">{time(l.at)}</span> {l.message}
        </div>
      ))}
    </div>
  )
}

export default function RunPage() {
  const id = Number(useParams().id)
  const query = useRun(id)
  const cancel = useCancelRun(id)
  const [tab, setTab] = useState<'log' | 'document' | 'set-aside' | 'checks' | 'joins' | 'duplicates'>('log')
  if (query.isPending) {
    return (
      <Page title={`Run ${id}`}>
        <Loading what="the run" />
      </Page>
    )
  }
  if (query.error) {
    return (
      <Page title={`Run ${id}`}>
        <Failed error={query.error} />
      </Page>
    )
  }
  const run = query.data
  const s = run.summary
  const tabs = [
    { key: 'log', label: 'Log' },
    { key: 'document', label: 'Document' },
    ...(joinSteps(run.steps).length > 0 ? [{ key: 'joins', label: 'Joins' }] : []),
    ...(dedupeSteps(run.steps).length > 0 ? [{ key: 'duplicates', label: 'Duplicates' }] : []),
    ...(run.steps.some((step) => step.verb === 'check') ? [{ key: 'checks', label: 'Rules' }] : []),
    ...(s.setAside > 0 ? [{ key: 'set-aside', label: `Set aside · ${number(s.setAside)}` }] : []),
  ] as { key: typeof tab; label: string }[]
  return (
    <Page
      crumb={
        <>
          <Link to="/runs">Runs</Link> / <Link to={`/pipelines/${s.pipeline}`}>{s.pipeline}</Link>
        </>
      }
      title={
        <span className="flex items-center gap-3">
          {s.pipeline}, run {s.id}
          <StateBadge
            state={s.state}
            more={s.elapsedMillis === undefined ? undefined : duration(s.elapsedMillis)}
          />
        </span>
      }
      aside={
        <>
          <span className="quiet">
            {s.cause === 'schedule' ? `scheduled for ${time(s.dueAt)}` : `asked for by ${s.requestedBy}`} ·
            document v{s.documentVersion} · {bytes(run.peakBytes)} of {bytes(run.memoryBytes)}
          </span>
          {!isEnd(s.state) && (
            <button
              className="btn btn-sm"
              onClick={() => cancel.mutate()}
              disabled={run.cancelAskedBy !== undefined}
            >
              {run.cancelAskedBy ? 'Stopping…' : 'Cancel'}
            </button>
          )}
        </>
      }
    >
      {cancel.error && <Failed error={cancel.error} />}
      {s.failure && (
        <div
          className="card-paper mb-4 border-l-4 p-3"
          style={{ borderLeftColor: 'var(--set-aside)' }}
          role="alert"
        >
          <p className="font-semibold">
            {s.failure.step && <>Step {s.failure.step}: </>}
            {s.failure.message}
          </p>
          <p className="quiet font-mono text-xs">{s.failure.code}</p>
          <Remedies run={run} />
        </div>
      )}
      {s.failure?.code === 'feed-changed' && failedFeed(run) && <ChangesCard name={failedFeed(run)!} />}
      {run.warnings.length > 0 && (
        <div
          className="card-paper mb-4 border-l-4 p-3"
          style={{ borderLeftColor: 'var(--merged)' }}
          role="status"
        >
          <p className="font-semibold">
            {run.warnings.length === 1 ? 'One thing to look at' : `${run.warnings.length} things to look at`}
          </p>
          <ul className="mt-1 list-disc pl-5">
            {run.warnings.map((w) => (
              <li key={w}>{w}</li>
            ))}
          </ul>
        </div>
      )}
      {isEnd(s.state) && joinSteps(run.steps).length > 0 && (
        <JoinNotes
          id={id}
          onOpen={() => {
            setTab('joins')
            requestAnimationFrame(() =>
              document.getElementById('run-tabs')?.scrollIntoView({ block: 'start' }),
            )
          }}
        />
      )}
      {run.steps.length > 0 ? (
        <>
          <Card className="p-2">
            <FlowView
              steps={flowSteps(run.steps)}
              failedStep={s.failure?.step}
              onPick={(step) => document.getElementById(`step-${step}`)?.scrollIntoView({ block: 'center' })}
            />
          </Card>
          <Account run={run} />
        </>
      ) : (
        <div className="card-paper quiet mb-4 p-6 text-center">
          {s.state === 'queued' ? 'Waiting for its turn.' : 'This run ended before its first step.'}
        </div>
      )}
      <span id="run-tabs" />
      <Card>
        <Tabs tabs={tabs} picked={tab} onPick={setTab} />
        {tab === 'log' && <LogPart id={id} />}
        {tab === 'document' && (
          <pre className="max-h-[32rem] overflow-auto p-3 font-mono text-[0.86rem]">{run.document}</pre>
        )}
        {tab === 'joins' && <JoinsPanel run={run} />}
        {tab === 'duplicates' && <DuplicatesPanel run={run} />}
        {tab === 'checks' && <ChecksPanel pipeline={s.pipeline} run={id} ended={isEnd(s.state)} />}
        {tab === 'set-aside' && (
          <SetAsidePanel run={id} published={s.state === 'succeeded'} reasons={run.setAsideByReason} />
        )}
      </Card>
    </Page>
  )
}
