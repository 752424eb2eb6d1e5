import { lazy, Suspense } from 'react'
import { Link, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { count, number } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { HierarchiesCard } from './HierarchiesCard'
import { StarPicture } from './StarPicture'
import { useCheckStar, useStar } from './queries'

const Explorer = lazy(() => import('./Explorer'))

function Facts({ star }: { star: Schemas['StarDetail'] }) {
  return (
    <>
      {star.facts.map((f) => (
        <Card key={f.name} title={`${star.summary.name}.${f.name}`}>
          <div className="quiet px-3 pt-2">
            <Link className="name" to={`/tables/${f.table}`}>
              {f.table}
            </Link>{' '}
            · one row for each {f.grain.join(', ')} · by{' '}
            {Object.entries(f.keys).map(([key, dimension], i) => (
              <span key={key}>
                {i > 0 && ', '}
                <Link to={`/tables/${star.dimensions.find((d) => d.name === dimension)?.table ?? ''}`}>
                  {dimension}
                </Link>
              </span>
            ))}
          </div>
          <table className="ledger">
            <thead>
              <tr>
                <th>measure</th>
                <th>is</th>
                <th>adds up</th>
                <th>about</th>
              </tr>
            </thead>
            <tbody>
              {f.measures.map((m) => (
                <tr key={m.name}>
                  <td className="font-semibold">{m.name}</td>
                  <td className="font-mono text-[0.9em]">{m.formula}</td>
                  <td>{m.adds.replaceAll('-', ' ')}</td>
                  <td>{m.about}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      ))}
    </>
  )
}

function Report({ report }: { report: Schemas['StarReport'] }) {
  return (
    <Card
      title={
        report.problems.length === 0
          ? 'Nothing is wrong'
          : report.sound
            ? 'Sound, with warnings'
            : 'Numbers of this star would be wrong'
      }
    >
      {report.problems.map((p, i) => (
        <p key={i} className="border-b border-base-300 px-3 py-1.5 last:border-0">
          <b style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}>
            {p.code.replaceAll('-', ' ')}
          </b>{' '}
          <span className="quiet">
            {p.step}, line {p.place.line}
          </span>{' '}
          {p.message}
        </p>
      ))}
      {report.keys.length > 0 && (
        <table className="ledger">
          <thead>
            <tr>
              <th>key</th>
              <th>dimension</th>
              <th className="num">rows resolved</th>
              <th className="num">unknown</th>
              <th className="num">none</th>
              <th className="num">in no row</th>
            </tr>
          </thead>
          <tbody>
            {report.keys.map((k) => (
              <tr key={`${k.fact}.${k.key}`}>
                <td className="font-mono text-[0.9em]">
                  {k.fact}.{k.key}
                </td>
                <td>{k.dimension}</td>
                <td className="num">{number(k.rows - k.unresolved - k.unknown - k.none)}</td>
                <td className="num">{count(k.unknown)}</td>
                <td className="num">{count(k.none)}</td>
                <td className="num" style={{ color: 'var(--set-aside)' }}>
                  {count(k.unresolved)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Card>
  )
}

export default function StarPage() {
  const name = useParams().name ?? ''
  const star = useStar(name)
  const check = useCheckStar()
  const s = star.data
  return (
    <Page
      crumb={<Link to="/stars">Stars</Link>}
      title={name}
      aside={
        s && (
          <>
            <span className="quiet">{s.summary.about}</span>
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={check.isPending}
              onClick={() => check.mutate(s.text)}
            >
              {check.isPending ? 'Checking…' : 'Check its rows'}
            </button>
          </>
        )
      }
    >
      {star.isPending && <Loading what="the star" />}
      {star.error && <Failed error={star.error} />}
      {check.error && <Failed error={check.error} />}
      {check.data && <Report report={check.data} />}
      {s && (
        <Card title="Facts and their dimensions">
          <div className="flex justify-center p-3">
            <StarPicture star={s} />
          </div>
        </Card>
      )}
      {s && (
        <Suspense>
          <Explorer star={s} />
        </Suspense>
      )}
      {s && <HierarchiesCard star={s} />}
      {s && <Facts star={s} />}
    </Page>
  )
}
