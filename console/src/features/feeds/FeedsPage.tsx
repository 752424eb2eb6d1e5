import { Link } from 'react-router'
import { number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { ShareChart } from './ShareChart'
import { ago, share } from './model'
import { useFeeds } from './queries'

export default function FeedsPage() {
  const feeds = useFeeds()
  // The time of the answer: what is shown does not change under the reader's eyes.
  const now = feeds.dataUpdatedAt
  return (
    <Page
      title="Feeds"
      aside={
        <Link className="btn btn-primary btn-sm" to="/feeds/new">
          Bring files in
        </Link>
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
          <table className="ledger">
            <thead>
              <tr>
                <th>feed</th>
                <th>about</th>
                <th>format</th>
                <th className="num">columns</th>
                <th>last intake</th>
                <th className="num">records</th>
                <th className="num">set aside</th>
                <th>share over time</th>
                <th>version</th>
              </tr>
            </thead>
            <tbody>
              {feeds.data.map((f) => (
                <tr key={f.name}>
                  <td>
                    <Link className="name" to={`/feeds/${f.name}`}>
                      {f.name}
                    </Link>
                  </td>
                  <td className="quiet max-w-72 truncate" title={f.about}>
                    {f.about}
                  </td>
                  <td>{f.format}</td>
                  <td className="num">{f.columns}</td>
                  <td title={time(f.lastIntakeAt)}>{ago(f.lastIntakeAt, now)}</td>
                  <td className="num">{number(f.records)}</td>
                  <td className="num">{share(f.setAside, f.records)}</td>
                  <td>
                    <ShareChart history={f.history} />
                  </td>
                  <td className="quiet">v{f.version}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      )}
    </Page>
  )
}
