import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../../shared/api/client'
import { number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { ago } from '../feeds/model'
import { useFeeds } from '../feeds/queries'
import { usePipelines } from '../pipelines/queries'
import { RunBars, RunTable } from '../runs/RunsPage'
import { useRuns } from '../runs/queries'
import { useTables } from '../tables/queries'
import { firstSteps, inTrouble, stalest } from './model'

const EVERY_MILLIS = 3000
const MOST_STALE = 6

function useOverview() {
  return useQuery({
    queryKey: ['overview'],
    queryFn: () => ask(api.GET('/api/v1/overview')),
    refetchInterval: EVERY_MILLIS,
  })
}

function Figure({ to, n, label }: { to: string; n: number; label: string }) {
  return (
    <Link to={to} className="card-paper block flex-1 px-4 py-3 hover:border-primary">
      <div className="font-mono text-2xl font-semibold">{number(n)}</div>
      <div className="quiet">{label}</div>
    </Link>
  )
}

function Trouble({ runs }: { runs: Schemas['RunSummary'][] }) {
  const failed = inTrouble(runs)
  if (failed.length === 0) {
    return null
  }
  return (
    <section
      className="card-paper mb-4 border-l-4 p-3"
      style={{ borderLeftColor: 'var(--set-aside)' }}
      aria-label="Needs somebody"
    >
      <h2 className="text-base font-semibold">
        {failed.length === 1 ? 'One pipeline does not run' : `${failed.length} pipelines do not run`}
      </h2>
      <ul className="mt-1">
        {failed.map((r) => (
          <li key={r.id} className="mt-1">
            <Link className="name" to={`/runs/${r.id}`}>
              {r.pipeline}, run {r.id}
            </Link>{' '}
            <span className="quiet">{time(r.finishedAt)}</span> {r.failure?.message.split('. ')[0]}
          </li>
        ))}
      </ul>
    </section>
  )
}

function FirstSteps({ overview }: { overview: Schemas['Overview'] }) {
  const steps = firstSteps(overview)
  if (steps.length === 0) {
    return null
  }
  const next = steps.find((s) => !s.done)
  return (
    <Card title="First steps">
      <ol className="px-3 py-2">
        {steps.map((s, i) => (
          <li key={s.label} className="flex h-9 items-center gap-3">
            <span className="quiet w-5 text-right font-mono">{s.done ? '✓' : i + 1}</span>
            <span className={s.done ? 'quiet' : 'font-semibold'}>{s.label}</span>
            {s === next && (
              <Link className="btn btn-primary btn-sm ml-2" to={s.to}>
                Begin
              </Link>
            )}
          </li>
        ))}
      </ol>
      <p className="quiet border-t border-base-300 px-3 py-2">
        Raw files lie below <code className="font-mono">{overview.inbox}</code>
      </p>
    </Card>
  )
}

function Fresh({ title, rows }: { title: string; rows: { name: string; to: string; at?: string }[] }) {
  const now = new Date().getTime()
  return (
    <Card title={title} className="min-w-0 flex-1">
      <table className="ledger">
        <tbody>
          {rows.map((r) => (
            <tr key={r.name}>
              <td>
                <Link className="name" to={r.to}>
                  {r.name}
                </Link>
              </td>
              <td className="num" title={time(r.at)}>
                {ago(r.at, now)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Card>
  )
}

export function OverviewPage() {
  const overview = useOverview()
  const pipelines = usePipelines()
  const tables = useTables()
  const feeds = useFeeds()
  const runs = useRuns()
  const due =
    pipelines.data?.filter((p) => p.nextRunAt).sort((a, b) => a.nextRunAt!.localeCompare(b.nextRunAt!)) ?? []
  return (
    <Page title="Overview">
      {overview.isPending && <Loading what="the overview" />}
      {overview.error && <Failed error={overview.error} />}
      {overview.data && (
        <>
          <div className="mb-4 flex flex-wrap gap-3">
            <Figure to="/feeds" n={overview.data.feeds} label="feeds" />
            <Figure to="/pipelines" n={overview.data.pipelines} label="pipelines" />
            <Figure to="/tables" n={overview.data.tables} label="tables" />
            <Figure to="/runs?state=running" n={overview.data.running} label="running now" />
            <Figure to="/runs?state=queued" n={overview.data.queued} label="waiting" />
          </div>
          <Trouble runs={runs.data ?? []} />
          <FirstSteps overview={overview.data} />
          {overview.data.latestRuns.length > 0 && (
            <Card
              title={
                <span className="flex items-end gap-4">
                  Latest runs
                  <span className="ml-auto font-sans text-sm font-normal">
                    <RunBars runs={runs.data ?? []} />
                  </span>
                </span>
              }
              className="overflow-x-auto"
            >
              <RunTable runs={overview.data.latestRuns} />
            </Card>
          )}
        </>
      )}
      <div className="flex flex-col gap-4 md:flex-row">
        {(feeds.data?.length ?? 0) > 0 && (
          <Fresh
            title="Feeds that wait the longest"
            rows={stalest(feeds.data!, (f) => f.lastIntakeAt, MOST_STALE).map((f) => ({
              name: f.name,
              to: `/feeds/${f.name}`,
              at: f.lastIntakeAt,
            }))}
          />
        )}
        {(tables.data?.length ?? 0) > 0 && (
          <Fresh
            title="Tables that changed the longest ago"
            rows={stalest(tables.data!, (t) => t.updatedAt, MOST_STALE).map((t) => ({
              name: t.name,
              to: `/tables/${t.name}`,
              at: t.updatedAt,
            }))}
          />
        )}
        {due.length > 0 && (
          <Card title="Due next" className="min-w-0 flex-1">
            <table className="ledger">
              <tbody>
                {due.map((p) => (
                  <tr key={p.name}>
                    <td>
                      <Link className="name" to={`/pipelines/${p.name}`}>
                        {p.name}
                      </Link>
                    </td>
                    <td className="num" title={p.schedule}>
                      {p.paused ? 'paused' : time(p.nextRunAt).slice(0, 16)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Card>
        )}
      </div>
    </Page>
  )
}
