import { Link } from 'react-router'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { useTables, useTablesHealth } from './queries'

export default function TablesPage() {
  const tables = useTables()
  const health = useTablesHealth()
  return (
    <Page title="Tables">
      {tables.isPending && <Loading what="tables" />}
      {tables.error && <Failed error={tables.error} />}
      {tables.data?.length === 0 && (
        <Empty>No table yet. A pipeline with a write step makes one when it runs.</Empty>
      )}
      {tables.data && tables.data.length > 0 && (
        <Card className="overflow-x-auto">
          <table className="ledger">
            <thead>
              <tr>
                <th>table</th>
                <th className="num">rows</th>
                <th className="num">files</th>
                <th className="num">size</th>
                <th>partitioned by</th>
                <th>updated</th>
                <th>written by</th>
                <th>health</th>
              </tr>
            </thead>
            <tbody>
              {tables.data.map((t) => (
                <tr key={t.name}>
                  <td>
                    <Link className="name" to={`/tables/${t.name}`}>
                      {t.name}
                    </Link>
                  </td>
                  <td className="num">{number(t.rows)}</td>
                  <td className="num">{number(t.files)}</td>
                  <td className="num">{bytes(t.sizeBytes)}</td>
                  <td className="font-mono text-[0.9em]">{t.partitionedBy.join(', ')}</td>
                  <td className="font-mono text-[0.9em] whitespace-nowrap">{time(t.updatedAt)}</td>
                  <td>{t.writtenBy && <Link to={`/pipelines/${t.writtenBy}`}>{t.writtenBy}</Link>}</td>
                  <td style={{ color: 'var(--merged)' }}>
                    {health.data
                      ?.find((h) => h.table === t.name)
                      ?.findings.map((f) => f.code.replace('-', ' '))
                      .join(', ')}
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
