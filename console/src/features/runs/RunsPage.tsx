import { Link, useSearchParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { count, duration, number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page, StateBadge } from '../../shared/ui/parts'
import { useRuns } from './queries'

export function RunTable({ runs }: { runs: Schemas['RunSummary'][] }) {
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th className="num">run</th>
          <th>pipeline</th>
          <th>state</th>
          <th>asked by</th>
          <th>started</th>
          <th className="num">took</th>
          <th className="num">rows in</th>
          <th className="num">set aside</th>
          <th className="num">rows out</th>
          <th className="num">warnings</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((r) => (
          <tr key={r.id}>
            <td className="num">
              <Link className="name" to={`/runs/${r.id}`}>
                {r.id}
              </Link>
            </td>
            <td>
              <Link className="name" to={`/runs/${r.id}`}>
                {r.pipeline}
              </Link>
            </td>
            <td>
              <StateBadge state={r.state} />
            </td>
            <td>{r.cause === 'schedule' ? <span className="quiet">schedule</span> : r.requestedBy}</td>
            <td className="font-mono text-[0.9em] whitespace-nowrap">{time(r.startedAt)}</td>
            <td className="num">{r.elapsedMillis === undefined ? '' : duration(r.elapsedMillis)}</td>
            <td className="num">{number(r.rowsIn)}</td>
            <td className="num" style={{ color: 'var(--set-aside)' }}>
              {count(r.setAside)}
            </td>
            <td className="num">{number(r.rowsOut)}</td>
            <td className="num" style={{ color: 'var(--merged)' }}>
              {count(r.warnings)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

const STATES = ['queued', 'running', 'succeeded', 'failed', 'cancelled', 'interrupted']

export default function RunsPage() {
  const [search, setSearch] = useSearchParams()
  const pipeline = search.get('pipeline') ?? ''
  const state = search.get('state') ?? ''
  const runs = useRuns(pipeline, state)
  return (
    <Page
      title="Runs"
      aside={
        <>
          {pipeline && (
            <span>
              of <b>{pipeline}</b>{' '}
              <button className="btn btn-xs" onClick={() => setSearch(state ? { state } : {})}>
                all pipelines
              </button>
            </span>
          )}
          <select
            className="select select-sm w-40"
            aria-label="State"
            value={state}
            onChange={(e) =>
              setSearch({ ...(pipeline && { pipeline }), ...(e.target.value && { state: e.target.value }) })
            }
          >
            <option value="">every state</option>
            {STATES.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        </>
      }
    >
      {runs.isPending && <Loading what="runs" />}
      {runs.error && <Failed error={runs.error} />}
      {runs.data?.length === 0 && (
        <Empty command="yardage run NAME --wait">No run yet. Run a pipeline from its page, or with</Empty>
      )}
      {runs.data && runs.data.length > 0 && (
        <Card className="overflow-x-auto">
          <RunTable runs={runs.data} />
        </Card>
      )}
    </Page>
  )
}
