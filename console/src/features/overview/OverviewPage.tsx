import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { api, ask } from '../../shared/api/client'
import { number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { usePipelines } from '../pipelines/queries'
import { RunTable } from '../runs/RunsPage'

const EVERY_MILLIS = 3000

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

export function OverviewPage() {
  const overview = useOverview()
  const pipelines = usePipelines()
  const due =
    pipelines.data?.filter((p) => p.nextRunAt).sort((a, b) => a.nextRunAt!.localeCompare(b.nextRunAt!)) ?? []
  return (
    <Page title="Overview">
      {overview.isPending && <Loading what="the overview" />}
      {overview.error && <Failed error={overview.error} />}
      {overview.data && (
        <>
          <div className="mb-4 flex gap-3">
            <Figure to="/feeds" n={overview.data.feeds} label="feeds" />
            <Figure to="/pipelines" n={overview.data.pipelines} label="pipelines" />
            <Figure to="/tables" n={overview.data.tables} label="tables" />
            <Figure to="/runs?state=running" n={overview.data.running} label="running now" />
            <Figure to="/runs?state=queued" n={overview.data.queued} label="waiting" />
          </div>
          {overview.data.latestRuns.length > 0 ? (
            <Card title="Latest runs" className="overflow-x-auto">
              <RunTable runs={overview.data.latestRuns} />
            </Card>
          ) : (
            <Empty command="yardage feed apply FILE">
              Nothing has run yet. Put raw files into <b>{overview.data.inbox}</b>, describe them as a feed,
              then write a pipeline. Begin with
            </Empty>
          )}
        </>
      )}
      {due.length > 0 && (
        <Card title="Due next">
          <table className="ledger">
            <tbody>
              {due.map((p) => (
                <tr key={p.name}>
                  <td>
                    <Link className="name" to={`/pipelines/${p.name}`}>
                      {p.name}
                    </Link>
                  </td>
                  <td className="quiet">{p.about}</td>
                  <td className="font-mono text-[0.9em]">{p.schedule}</td>
                  <td className="num">{time(p.nextRunAt)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      )}
    </Page>
  )
}
