import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { Find, Listing, type ListColumn } from '../../shared/ui/Listing'
import { ShareChart } from './ShareChart'
import { ago, share } from './model'
import { useFeeds } from './queries'

const columns = (now: number): ListColumn<Schemas['FeedSummary']>[] => [
  {
    head: 'feed',
    by: (f) => f.name,
    cell: (f) => (
      <Link className="name" to={`/feeds/${f.name}`}>
        {f.name}
      </Link>
    ),
  },
  {
    head: 'about',
    cellClass: 'quiet max-w-72 truncate',
    cell: (f) => <span title={f.about}>{f.about}</span>,
  },
  { head: 'format', by: (f) => f.format, cell: (f) => f.format },
  { head: 'columns', className: 'num', by: (f) => f.columns, cell: (f) => f.columns },
  {
    head: 'last intake',
    by: (f) => f.lastIntakeAt,
    cell: (f) => <span title={time(f.lastIntakeAt)}>{ago(f.lastIntakeAt, now)}</span>,
  },
  { head: 'records', className: 'num', by: (f) => f.records, cell: (f) => number(f.records) },
  {
    head: 'set aside',
    className: 'num',
    by: (f) => (f.records === 0 ? undefined : f.setAside / f.records),
    cell: (f) => share(f.setAside, f.records),
  },
  { head: 'share over time', cell: (f) => <ShareChart history={f.history} /> },
  { head: 'version', cellClass: 'quiet', by: (f) => f.version, cell: (f) => `v${f.version}` },
]

export default function FeedsPage() {
  const feeds = useFeeds()
  // The time of the answer: what is shown does not change under the reader's eyes.
  const now = feeds.dataUpdatedAt
  return (
    <Page
      title="Feeds"
      aside={
        <>
          <Find label="Search feeds" placeholder="a part of a name, or a format" />
          <Link className="btn btn-primary btn-sm" to="/feeds/new">
            Bring files in
          </Link>
        </>
      }
    >
      {feeds.isPending && <Loading what="feeds" />}
      {feeds.error && <Failed error={feeds.error} />}
      {feeds.data?.length === 0 && (
        <Empty command="yardage feed propose --land">
          No feed yet. Bring files in and see what is proposed for them, or
        </Empty>
      )}
      {feeds.data && feeds.data.length > 0 && (
        <Card>
          <Listing
            items={feeds.data}
            keyOf={(f) => f.name}
            words={(f) => [f.name, f.about, f.format]}
            columns={columns(now)}
          />
        </Card>
      )}
    </Page>
  )
}
