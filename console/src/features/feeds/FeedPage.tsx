import { Link, useParams } from 'react-router'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { useFeed } from './queries'

/** A feed as it is: its columns, its files, its text. Changed with: yardage feed apply. */
export default function FeedPage() {
  const name = useParams().name ?? ''
  const feed = useFeed(name)
  return (
    <Page
      crumb={<Link to="/feeds">Feeds</Link>}
      title={name}
      aside={feed.data && <span className="quiet">v{feed.data.version}</span>}
    >
      {feed.isPending && <Loading what="the feed" />}
      {feed.error && <Failed error={feed.error} />}
      {feed.data && (
        <>
          <p className="mb-4">{feed.data.about}</p>
          <div className="grid grid-cols-2 gap-4">
            <Card title={`Columns · ${feed.data.columns.length}`}>
              <table className="ledger">
                <tbody>
                  {feed.data.columns.map((c) => (
                    <tr key={c.name}>
                      <td className="font-semibold">{c.name}</td>
                      <td className="font-mono text-[0.9em]">{c.type}</td>
                      <td className="quiet">{c.required ? 'required' : ''}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </Card>
            <Card title="Document">
              <pre className="max-h-96 overflow-auto p-3 font-mono text-[0.86rem]">{feed.data.text}</pre>
            </Card>
          </div>
          <Card title={`Files in place · ${number(feed.data.files.length)}`}>
            {feed.data.filesProblem && <p className="p-3">{feed.data.filesProblem}</p>}
            <div className="max-h-96 overflow-auto">
              <table className="ledger">
                <tbody>
                  {feed.data.files.map((f) => (
                    <tr key={f.path}>
                      <td className="font-mono text-[0.9em]">{f.path}</td>
                      <td className="num">{bytes(f.sizeBytes)}</td>
                      <td className="num">{time(f.modifiedAt)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          </Card>
        </>
      )}
    </Page>
  )
}
