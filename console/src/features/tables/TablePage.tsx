import { useState } from 'react'
import { Link, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { bytes, count, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page, RowsTable, Tabs } from '../../shared/ui/parts'
import { useTable, useTableSample } from './queries'

function Partitions({ table }: { table: Schemas['TableDetail'] }) {
  const most = Math.max(1, ...table.partitions.map((p) => p.sizeBytes))
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th>partition</th>
          <th className="num">rows</th>
          <th className="num">files</th>
          <th className="num">size</th>
          <th className="w-1/3" />
        </tr>
      </thead>
      <tbody>
        {table.partitions.map((p) => (
          <tr key={p.path}>
            <td className="font-mono text-[0.9em]">{p.path || 'not partitioned'}</td>
            <td className="num">{number(p.rows)}</td>
            <td className="num">{number(p.files)}</td>
            <td className="num">{bytes(p.sizeBytes)}</td>
            <td>
              <div
                className="h-2.5 rounded-sm"
                style={{ width: `${Math.max(0.5, (100 * p.sizeBytes) / most)}%`, background: 'var(--flow)' }}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Files({ table }: { table: Schemas['TableDetail'] }) {
  return (
    <div className="max-h-[60vh] overflow-auto">
      <table className="ledger">
        <thead>
          <tr>
            <th>file</th>
            <th className="num">rows</th>
            <th className="num">size</th>
          </tr>
        </thead>
        <tbody>
          {table.files.map((f) => (
            <tr key={f.path}>
              <td className="font-mono text-[0.86em]">{f.path.replace(table.location + '/', '')}</td>
              <td className="num">{number(f.rows)}</td>
              <td className="num">{bytes(f.sizeBytes)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet px-3 py-2 font-mono text-xs">below {table.location}</p>
    </div>
  )
}

function Snapshots({ table }: { table: Schemas['TableDetail'] }) {
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th>snapshot</th>
          <th>published</th>
          <th>by</th>
          <th>operation</th>
          <th className="num">rows added</th>
          <th className="num">rows removed</th>
          <th className="num">rows then</th>
          <th className="num">files then</th>
        </tr>
      </thead>
      <tbody>
        {table.snapshots.map((s) => (
          <tr key={s.id}>
            <td className="font-mono text-[0.86em]">
              {s.id} {s.current && <b>current</b>}
            </td>
            <td className="font-mono text-[0.9em] whitespace-nowrap">{time(s.at)}</td>
            <td>
              {s.run !== undefined && (
                <Link className="name" to={`/runs/${s.run}`}>{`${s.pipeline}, run ${s.run}`}</Link>
              )}
            </td>
            <td>{s.operation}</td>
            <td className="num">{count(s.addedRows)}</td>
            <td className="num">{count(s.removedRows)}</td>
            <td className="num">{number(s.totalRows)}</td>
            <td className="num">{number(s.totalFiles)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

function Sample({ name }: { name: string }) {
  const sample = useTableSample(name)
  if (sample.isPending) {
    return <Loading what="rows" />
  }
  return sample.error ? <Failed error={sample.error} /> : <RowsTable result={sample.data} />
}

const TABS = ['sample', 'columns', 'partitions', 'files', 'snapshots'] as const

export default function TablePage() {
  const name = useParams().name ?? ''
  const table = useTable(name)
  const [tab, setTab] = useState<(typeof TABS)[number]>('sample')
  const t = table.data
  const counts = t && {
    sample: '',
    columns: ` · ${t.columns.length}`,
    partitions: ` · ${number(t.partitions.length)}`,
    files: ` · ${number(t.files.length)}`,
    snapshots: ` · ${number(t.snapshots.length)}`,
  }
  return (
    <Page
      crumb={<Link to="/tables">Tables</Link>}
      title={name}
      aside={
        t && (
          <span className="quiet">
            {number(t.summary.rows)} rows · {number(t.summary.files)}{' '}
            {t.summary.files === 1 ? 'file' : 'files'} · {bytes(t.summary.sizeBytes)}
            {t.summary.partitionedBy.length > 0 && <> · by {t.summary.partitionedBy.join(', ')}</>} · updated{' '}
            {time(t.summary.updatedAt)}
          </span>
        )
      }
    >
      {table.isPending && <Loading what="the table" />}
      {table.error && <Failed error={table.error} />}
      {t && counts && (
        <Card>
          <Tabs tabs={TABS.map((key) => ({ key, label: key + counts[key] }))} picked={tab} onPick={setTab} />
          {tab === 'sample' && <Sample name={name} />}
          {tab === 'columns' && (
            <table className="ledger">
              <tbody>
                {t.columns.map((c) => (
                  <tr key={c.name}>
                    <td className="font-semibold">{c.name}</td>
                    <td className="font-mono text-[0.9em]">{c.type}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {tab === 'partitions' && <Partitions table={t} />}
          {tab === 'files' && <Files table={t} />}
          {tab === 'snapshots' && <Snapshots table={t} />}
        </Card>
      )}
    </Page>
  )
}
