import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { Find, Listing, type ListColumn } from '../../shared/ui/Listing'
import { useSamplers } from './queries'

const COLUMNS: ListColumn<Schemas['SamplerSummary']>[] = [
  {
    head: 'sampler',
    by: (s) => s.title,
    cell: (s) => (
      <Link className="name" to={`/samplers/${s.name}`}>
        {s.title}
      </Link>
    ),
  },
  { head: 'about', cell: (s) => s.about },
  { head: 'blocks', className: 'num', by: (s) => s.blocks, cell: (s) => number(s.blocks) },
  {
    head: 'saved',
    by: (s) => s.savedAt,
    cellClass: 'quiet',
    cell: (s) => `${time(s.savedAt)} by ${s.savedBy}`,
  },
]

export default function SamplersPage() {
  const samplers = useSamplers()
  return (
    <Page
      title="Samplers"
      aside={<Find label="Search samplers" placeholder="a part of a name or of what it shows" />}
    >
      {samplers.isPending && <Loading what="samplers" />}
      {samplers.error && <Failed error={samplers.error} />}
      {samplers.data?.length === 0 && (
        <Empty command="yardage sampler apply my-page.yaml">
          No sampler yet. A sampler is a page of answers over tables and stars: numbers, charts, rows and
          words.
        </Empty>
      )}
      {samplers.data && samplers.data.length > 0 && (
        <Card className="overflow-x-auto">
          <Listing
            items={samplers.data}
            keyOf={(s) => s.name}
            words={(s) => [s.name, s.title, s.about, s.savedBy]}
            columns={COLUMNS}
          />
        </Card>
      )}
    </Page>
  )
}
