import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { useAddress } from '../../shared/lib/address'
import { count, duration, number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page, StateBadge, stateColour } from '../../shared/ui/parts'
import { Bars } from '../../shared/ui/Bars'
import { placeBars } from '../../shared/ui/bars'
import { usePipelines } from '../pipelines/queries'
import { pipelineNames, startedSince } from './model'
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
          <th>why</th>
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
            <td className="quiet max-w-64 truncate" title={r.failure?.message}>
              {r.failure?.message}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

const BARS = 60
const CHART = { width: 420, height: 36 }

/** How long the newest runs took, the newest on the right, in the colour of their state. */
export function RunBars({ runs }: { runs: Schemas['RunSummary'][] }) {
  const shown = runs.slice(0, BARS).reverse()
  if (shown.length < 2) {
    return null
  }
  return (
    <span className="flex items-end gap-2">
      <span className="quiet">took, run by run</span>
      <Bars
        label={`How long each of the last ${shown.length} runs took`}
        bars={placeBars(
          shown.map((r) => ({
            key: String(r.id),
            value: r.elapsedMillis ?? 0,
            colour: stateColour(r.state),
            title: `run ${r.id}, ${r.pipeline}: ${r.state}${r.elapsedMillis === undefined ? '' : ` in ${duration(r.elapsedMillis)}`}`,
          })),
          CHART.width,
          CHART.height,
        )}
        to={(id) => `/runs/${id}`}
        {...CHART}
      />
    </span>
  )
}

const SINCE = [
  { key: '', label: 'any time', hours: Infinity },
  { key: 'day', label: 'the last day', hours: 24 },
  { key: 'week', label: 'the last week', hours: 24 * 7 },
]

const STATES = ['queued', 'running', 'succeeded', 'failed', 'cancelled', 'interrupted']

export default function RunsPage() {
  const [search, change] = useAddress()
  const pipeline = search.get('pipeline') ?? ''
  const state = search.get('state') ?? ''
  const since = search.get('since') ?? ''
  const found = useRuns(pipeline, state)
  const pipelines = usePipelines()
  const shown = startedSince(
    found.data ?? [],
    SINCE.find((s) => s.key === since)?.hours ?? Infinity,
    found.dataUpdatedAt,
  )
  const put = (name: string, value: string) =>
    change((now) => {
      if (value) {
        now.set(name, value)
      } else {
        now.delete(name)
      }
      return now
    })
  return (
    <Page
      title="Runs"
      aside={
        <>
          <select
            className="select select-sm w-52"
            aria-label="Pipeline"
            value={pipeline}
            onChange={(e) => put('pipeline', e.target.value)}
          >
            <option value="">every pipeline</option>
            {pipelineNames(pipelines.data?.map((p) => p.name) ?? [], pipeline).map((n) => (
              <option key={n}>{n}</option>
            ))}
          </select>
          <select
            className="select select-sm w-36"
            aria-label="Time"
            value={since}
            onChange={(e) => put('since', e.target.value)}
          >
            {SINCE.map((s) => (
              <option key={s.key} value={s.key}>
                {s.label}
              </option>
            ))}
          </select>
          <select
            className="select select-sm w-40"
            aria-label="State"
            value={state}
            onChange={(e) => put('state', e.target.value)}
          >
            <option value="">every state</option>
            {STATES.map((s) => (
              <option key={s}>{s}</option>
            ))}
          </select>
        </>
      }
    >
      {found.isPending && <Loading what="runs" />}
      {found.error && <Failed error={found.error} />}
      {found.data && shown.length === 0 && (
        <Empty command="yardage run NAME --wait">
          {pipeline || state || since
            ? 'No run is as you ask. Choose others above, or run a pipeline from its page, or with'
            : 'No run yet. Run a pipeline from its page, or with'}
        </Empty>
      )}
      {shown.length > 0 && (
        <Card className="overflow-x-auto">
          {shown.length > 1 && (
            <div className="border-b border-base-300 px-3 py-2">
              <RunBars runs={shown} />
            </div>
          )}
          <RunTable runs={shown} />
        </Card>
      )}
    </Page>
  )
}
