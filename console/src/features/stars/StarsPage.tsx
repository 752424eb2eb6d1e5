import { Link } from 'react-router'
import { number } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { useStars } from './queries'

export default function StarsPage() {
  const stars = useStars()
  return (
    <Page title="Stars">
      {stars.isPending && <Loading what="stars" />}
      {stars.error && <Failed error={stars.error} />}
      {stars.data?.length === 0 && (
        <Empty command="yardage star apply my-star.yaml">
          No star yet. A star names facts, their dimensions and what can be measured.
        </Empty>
      )}
      {stars.data && stars.data.length > 0 && (
        <Card className="overflow-x-auto">
          <table className="ledger">
            <thead>
              <tr>
                <th>star</th>
                <th>facts</th>
                <th>dimensions</th>
                <th className="num">measures</th>
                <th>about</th>
              </tr>
            </thead>
            <tbody>
              {stars.data.map((s) => (
                <tr key={s.name}>
                  <td>
                    <Link className="name" to={`/stars/${s.name}`}>
                      {s.name}
                    </Link>
                  </td>
                  <td>{s.facts.join(', ')}</td>
                  <td>{s.dimensions.join(', ')}</td>
                  <td className="num">{number(s.measures)}</td>
                  <td>{s.about}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      )}
    </Page>
  )
}
