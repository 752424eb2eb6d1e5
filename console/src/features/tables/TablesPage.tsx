import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page } from '../../shared/ui/parts'
import { Find, Ledger, useFind, type ListColumn } from '../../shared/ui/Listing'
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

const columns = (
  namespace: string,
  health: Schemas['HealthView'][],
): ListColumn<Schemas['TableSummary']>[] => [
  {
    head: 'table',
    className: 'w-[19%]',
    cellClass: 'truncate',
    by: (t) => t.name,
    cell: (t) => (
      <Link className="name" to={`/tables/${t.name}`} title={t.name}>
        {t.name.slice(namespace.length + 1)}
      </Link>
    ),
  },
  { head: 'rows', className: 'num w-[9%]', by: (t) => t.rows, cell: (t) => number(t.rows) },
  { head: 'files', className: 'num w-[7%]', by: (t) => t.files, cell: (t) => number(t.files) },
  { head: 'size', className: 'num w-[9%]', by: (t) => t.sizeBytes, cell: (t) => bytes(t.sizeBytes) },
  {
    head: 'partitioned by',
    cellClass: 'truncate font-mono text-[0.9em]',
    cell: (t) => t.partitionedBy.join(', '),
  },
  {
    head: 'updated',
    className: 'w-[16%]',
    cellClass: 'font-mono text-[0.9em] whitespace-nowrap',
    by: (t) => t.updatedAt,
    cell: (t) => time(t.updatedAt),
  },
  {
    head: 'written by',
    cellClass: 'truncate',
    by: (t) => t.writtenBy,
    cell: (t) => t.writtenBy && <Link to={`/pipelines/${t.writtenBy}`}>{t.writtenBy}</Link>,
  },
  {
    head: 'health',
    className: 'w-[15%]',
    by: (t) => health.find((h) => h.table === t.name)?.findings.length,
    cell: (t) => <Health of={health.find((h) => h.table === t.name)} />,
  },
]

export default function TablesPage() {
  const tables = useTables()
  const health = useTablesHealth()
  const wanted = useFind()
  const groups = byNamespace(tables.data ?? [], wanted)
  return (
    <Page
      title="Tables"
      aside={<Find label="Search tables" placeholder="a part of a name, or of its pipeline" />}
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
          <Ledger
            className="table-fixed"
            items={g.tables}
            keyOf={(t) => t.name}
            columns={columns(g.namespace, health.data ?? [])}
          />
        </Card>
      ))}
    </Page>
  )
}
