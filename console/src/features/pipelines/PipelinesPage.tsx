import { Link } from 'react-router'
import { time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page, StateBadge } from '../../shared/ui/parts'
import { usePipelines } from './queries'

export default function PipelinesPage() {
  const pipelines = usePipelines()
  return (
    <Page
      title="Pipelines"
      aside={
        <>
          <Link to="/pipelines/begin" className="btn btn-primary btn-sm">
            Begin, step by step
          </Link>
          <Link to="/pipelines/new" className="btn btn-sm">
            New pipeline
          </Link>
        </>
      }
    >
      {pipelines.isPending && <Loading what="pipelines" />}
      {pipelines.error && <Failed error={pipelines.error} />}
      {pipelines.data?.length === 0 && (
        <Empty command="yardage pipeline apply FILE">
          No pipeline yet. Write one here, or apply a file with
        </Empty>
      )}
      {pipelines.data && pipelines.data.length > 0 && (
        <Card className="overflow-x-auto">
          <table className="ledger">
            <thead>
              <tr>
                <th>pipeline</th>
                <th>about</th>
                <th className="num">steps</th>
                <th>schedule</th>
                <th>next run</th>
                <th>last run</th>
                <th>version</th>
              </tr>
            </thead>
            <tbody>
              {pipelines.data.map((p) => (
                <tr key={p.name}>
                  <td>
                    <Link className="name" to={`/pipelines/${p.name}`}>
                      {p.name}
                    </Link>
                  </td>
                  <td className="quiet">{p.about}</td>
                  <td className="num">{p.steps}</td>
                  <td className="font-mono text-[0.86em] whitespace-nowrap">{p.schedule}</td>
                  <td className="font-mono text-[0.86em] whitespace-nowrap">
                    {p.paused ? <span title={p.paused}>paused</span> : time(p.nextRunAt)}
                  </td>
                  <td>
                    {p.lastRun && (
                      <Link to={`/runs/${p.lastRun.id}`}>
                        <StateBadge state={p.lastRun.state} more={`run ${p.lastRun.id}`} />
                      </Link>
                    )}
                  </td>
                  <td className="whitespace-nowrap">
                    v{p.version} <span className="quiet">by {p.savedBy}</span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      )}
    </Page>
  )
}
