import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { Find, Listing, type ListColumn } from '../../shared/ui/Listing'
import { useStars } from './queries'

const COLUMNS: ListColumn<Schemas['StarSummary']>[] = [
  {
    head: 'star',
    by: (s) => s.name,
    cell: (s) => (
      <Link className="name" to={`/stars/${s.name}`}>
        {s.name}
      </Link>
    ),
  },
  { head: 'facts', cell: (s) => s.facts.join(', ') },
  { head: 'dimensions', cell: (s) => s.dimensions.join(', ') },
  { head: 'measures', className: 'num', by: (s) => s.measures, cell: (s) => number(s.measures) },
  { head: 'about', cell: (s) => s.about },
]

export default function StarsPage() {
  const stars = useStars()
  return (
    <Page
      title="Stars"
      aside={<Find label="Search stars" placeholder="a part of a name, a fact or a dimension" />}
    >
      {stars.isPending && <Loading what="stars" />}
      {stars.error && <Failed error={stars.error} />}
      {stars.data?.length === 0 && (
        <Empty command="yardage star apply my-star.yaml">
          No star yet. A star names facts, their dimensions and what can be measured.
        </Empty>
      )}
      {stars.data && stars.data.length > 0 && (
        <Card className="overflow-x-auto">
          <Listing
            items={stars.data}
            keyOf={(s) => s.name}
            words={(s) => [s.name, s.about, ...s.facts, ...s.dimensions]}
            columns={COLUMNS}
          />
        </Card>
      )}
    </Page>
  )
}
