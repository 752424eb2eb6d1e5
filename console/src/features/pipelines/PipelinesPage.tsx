import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page, StateBadge } from '../../shared/ui/parts'
import { Find, Listing, type ListColumn } from '../../shared/ui/Listing'
import { usePipelines } from './queries'

const COLUMNS: ListColumn<Schemas['PipelineSummary']>[] = [
  {
    head: 'pipeline',
    by: (p) => p.name,
    cell: (p) => (
      <Link className="name" to={`/pipelines/${p.name}`}>
        {p.name}
      </Link>
    ),
  },
  { head: 'about', cellClass: 'quiet', cell: (p) => p.about },
  { head: 'steps', className: 'num', by: (p) => p.steps, cell: (p) => p.steps },
  { head: 'schedule', cellClass: 'font-mono text-[0.86em] whitespace-nowrap', cell: (p) => p.schedule },
  {
    head: 'next run',
    by: (p) => p.nextRunAt,
    cellClass: 'font-mono text-[0.86em] whitespace-nowrap',
    cell: (p) => (p.paused ? <span title={p.paused}>paused</span> : time(p.nextRunAt)),
  },
  {
    head: 'last run',
    by: (p) => p.lastRun?.id,
    cell: (p) =>
      p.lastRun && (
        <Link to={`/runs/${p.lastRun.id}`}>
          <StateBadge state={p.lastRun.state} more={`run ${p.lastRun.id}`} />
        </Link>
      ),
  },
  {
    head: 'version',
    by: (p) => p.version,
    cellClass: 'whitespace-nowrap',
    cell: (p) => (
      <>
        v{p.version} <span className="quiet">by {p.savedBy}</span>
      </>
    ),
  },
]

export default function PipelinesPage() {
  const pipelines = usePipelines()
  return (
    <Page
      title="Pipelines"
      aside={
        <>
          <Find label="Search pipelines" placeholder="a part of a name, or a state" />
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
          <Listing
            items={pipelines.data}
            keyOf={(p) => p.name}
            words={(p) => [p.name, p.about, p.lastRun?.state, p.savedBy]}
            columns={COLUMNS}
          />
        </Card>
      )}
    </Page>
  )
}
