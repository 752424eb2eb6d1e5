import { Link } from 'react-router'
import { number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { useSamplers } from './queries'

export default function SamplersPage() {
  const samplers = useSamplers()
  return (
    <Page title="Samplers">
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
          <table className="ledger">
            <thead>
              <tr>
                <th>sampler</th>
                <th>about</th>
                <th className="num">blocks</th>
                <th>saved</th>
              </tr>
            </thead>
            <tbody>
              {samplers.data.map((s) => (
                <tr key={s.name}>
                  <td>
                    <Link className="name" to={`/samplers/${s.name}`}>
                      {s.title}
                    </Link>
                  </td>
                  <td>{s.about}</td>
                  <td className="num">{number(s.blocks)}</td>
                  <td className="quiet">
                    {time(s.savedAt)} by {s.savedBy}
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
