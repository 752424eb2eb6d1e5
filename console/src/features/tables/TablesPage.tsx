import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { byNamespace } from './model'
import { useTables, useTablesHealth } from './queries'

function Health({ of }: { of?: Schemas['HealthView'] }) {
  if (!of) {
    return null
  }
  const well = of.findings.length === 0
  return (
    <span
      className="flex items-center gap-1.5 whitespace-nowrap"
      title={of.findings.map((f) => f.message).join(' ')}
    >
      <span
        aria-hidden
        className="inline-block size-2 rounded-full"
        style={{ background: well ? 'var(--side)' : 'var(--merged)' }}
      />
      {well ? (
        <span className="quiet">well</span>
      ) : (
        of.findings.map((f) => f.code.replaceAll('-', ' ')).join(', ')
      )}
    </span>
  )
}

export default function TablesPage() {
  const tables = useTables()
  const health = useTablesHealth()
  const [wanted, setWanted] = useState('')
  const groups = byNamespace(tables.data ?? [], wanted)
  return (
    <Page
      title="Tables"
      aside={
        <input
          className="input input-sm w-72"
          type="search"
          aria-label="Search tables"
          placeholder="a part of a name, or of its pipeline"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
      }
    >
      {tables.isPending && <Loading what="tables" />}
      {tables.error && <Failed error={tables.error} />}
      {tables.data?.length === 0 && (
        <Empty>No table yet. A pipeline with a write step makes one when it runs.</Empty>
      )}
      {tables.data && tables.data.length > 0 && groups.length === 0 && (
        <Empty>No table has [{wanted}] in its name.</Empty>
      )}
      {groups.map((g) => (
        <Card
          key={g.namespace}
          className="overflow-x-auto"
          title={
            <>
              {g.namespace}{' '}
              <span className="quiet font-sans text-sm font-normal">
                {number(g.tables.length)} {g.tables.length === 1 ? 'table' : 'tables'}, {number(g.rows)} rows,{' '}
                {bytes(g.sizeBytes)}
              </span>
            </>
          }
        >
          <table className="ledger table-fixed">
            <thead>
              <tr>
                <th className="w-[19%]">table</th>
                <th className="num w-[9%]">rows</th>
                <th className="num w-[7%]">files</th>
                <th className="num w-[9%]">size</th>
                <th>partitioned by</th>
                <th className="w-[16%]">updated</th>
                <th>written by</th>
                <th className="w-[15%]">health</th>
              </tr>
            </thead>
            <tbody>
              {g.tables.map((t) => (
                <tr key={t.name}>
                  <td className="truncate">
                    <Link className="name" to={`/tables/${t.name}`} title={t.name}>
                      {t.name.slice(g.namespace.length + 1)}
                    </Link>
                  </td>
                  <td className="num">{number(t.rows)}</td>
                  <td className="num">{number(t.files)}</td>
                  <td className="num">{bytes(t.sizeBytes)}</td>
                  <td className="truncate font-mono text-[0.9em]">{t.partitionedBy.join(', ')}</td>
                  <td className="font-mono text-[0.9em] whitespace-nowrap">{time(t.updatedAt)}</td>
                  <td className="truncate">
                    {t.writtenBy && <Link to={`/pipelines/${t.writtenBy}`}>{t.writtenBy}</Link>}
                  </td>
                  <td>
                    <Health of={health.data?.find((h) => h.table === t.name)} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </Card>
      ))}
    </Page>
  )
}
