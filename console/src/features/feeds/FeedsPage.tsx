import { Link } from 'react-router'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { useFeeds } from './queries'

export default function FeedsPage() {
  const feeds = useFeeds()
  return (
    <Page title="Feeds">
      {feeds.isPending && <Loading what="feeds" />}
      {feeds.error && <Failed error={feeds.error} />}
      {feeds.data?.length === 0 && (
        <Empty command="yardage feed apply FILE">
          No feed yet. Describe where raw files are and what columns they have, then
        </Empty>
      )}
      {feeds.data && feeds.data.length > 0 && (
        <Card>
          <table className="ledger">
            <thead>
              <tr>
                <th>feed</th>
                <th>about</th>
                <th>files</th>
                <th className="num">columns</th>
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
                  <td className="quiet">{f.about}</td>
                  <td className="font-mono text-[0.9em]">{f.files.join('  ')}</td>
                  <td className="num">{f.columns}</td>
                  <td>
                    v{f.version} <span className="quiet">by {f.savedBy}</span>
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
