import { useState } from 'react'
import { Link } from 'react-router'
import { MarkedRows } from '../../shared/ui/MarkedRows'
import type { Schemas } from '../../shared/api/client'
import { count, number, time } from '../../shared/lib/format'
import { Failed, Loading } from '../../shared/ui/parts'
import { RowsTable } from '../../shared/ui/RowsTable'
import { changes } from './model'
import { useComparison, useRollBackTable, useTableSample, type ComparisonChoice } from './queries'

const COLOUR: Record<string, string> = {
  added: 'var(--side)',
  after: 'var(--side)',
  removed: 'var(--set-aside)',
  before: 'var(--set-aside)',
}

function Comparison({ name, from }: { name: string; from: string }) {
  const [key, setKey] = useState('')
  const [choice, setChoice] = useState<ComparisonChoice>({ from, key: '' })
  const result = useComparison(name, choice)
  const d = result.data
  return (
    <section className="border-t border-base-300 p-3" aria-label="Comparison">
      <form
        className="mb-2 flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setChoice({ from, key })
        }}
      >
        <h3 className="text-base font-semibold">Since snapshot {from}</h3>
        <label className="ml-auto flex items-center gap-2">
          rows are told apart by
          <input
            className="input input-sm w-56 font-mono"
            placeholder="columns, as in roll_id"
            value={key}
            onChange={(e) => setKey(e.target.value)}
          />
        </label>
        <button type="submit" className="btn btn-sm">
          Compare
        </button>
      </form>
      {result.isPending && <Loading what="the comparison" />}
      {result.error && <Failed error={result.error} />}
      {d && (
        <>
          <p>
            <b>{number(d.added)}</b> rows added, <b>{number(d.removed)}</b> removed
            {choice.key ? (
              <>
                , <b>{number(d.changed)}</b> changed
                {Object.entries(d.changedColumns).map(([c, n]) => ` · ${c} in ${number(n)}`)}
              </>
            ) : (
              <span className="quiet"> · a changed row counts as both unless columns tell rows apart</span>
            )}
          </p>
          {d.columnsAdded.length > 0 && <p>New columns: {d.columnsAdded.join(', ')}</p>}
          {d.columnsRemoved.length > 0 && <p>Columns gone: {d.columnsRemoved.join(', ')}</p>}
          <MarkedRows
            label="Rows that are not the same"
            columns={d.columns}
            rows={d.examples.map((row, r) => ({
              word: row.kind,
              colour: COLOUR[row.kind],
              values: row.values as unknown[],
              changed: changes(d.examples, r),
            }))}
          />
        </>
      )}
    </section>
  )
}

function Then({ name, snapshot }: { name: string; snapshot: string }) {
  const sample = useTableSample(name, snapshot)
  return (
    <section className="border-t border-base-300 p-3" aria-label="Rows of then">
      <h3 className="mb-2 text-base font-semibold">Rows of snapshot {snapshot}</h3>
      {sample.isPending && <Loading what="rows" />}
      {sample.error && <Failed error={sample.error} />}
      {sample.data && <RowsTable result={sample.data} />}
    </section>
  )
}

/** A table's states: looked at, compared with now, made the current one again. */
export function SnapshotsPanel({ table }: { table: Schemas['TableDetail'] }) {
  const name = table.summary.name
  const back = useRollBackTable(name)
  const [open, setOpen] = useState<{ snapshot: string; what: 'rows' | 'compare' }>()
  return (
    <>
      <div className="overflow-x-auto">
        <table className="ledger">
          <thead>
            <tr>
              <th>snapshot</th>
              <th>published</th>
              <th>by</th>
              <th>operation</th>
              <th className="num">rows added</th>
              <th className="num">removed</th>
              <th className="num">rows then</th>
              <th className="num">files then</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {table.snapshots.map((s) => (
              <tr key={s.id}>
                <td className="font-mono text-[0.86em] whitespace-nowrap">{s.id}</td>
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
                <td className="text-right whitespace-nowrap">
                  {s.current ? (
                    <b>now</b>
                  ) : (
                    <>
                      <button
                        type="button"
                        className="btn btn-ghost btn-xs"
                        onClick={() => setOpen({ snapshot: s.id, what: 'rows' })}
                      >
                        Rows
                      </button>
                      <button
                        type="button"
                        className="btn btn-ghost btn-xs"
                        onClick={() => setOpen({ snapshot: s.id, what: 'compare' })}
                      >
                        Compare with now
                      </button>
                      <button
                        type="button"
                        className="btn btn-ghost btn-xs"
                        disabled={back.isPending}
                        onClick={() => back.mutate(s.id)}
                      >
                        Go back to it
                      </button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {back.error && <Failed error={back.error} />}
      {open?.what === 'rows' && <Then key={open.snapshot} name={name} snapshot={open.snapshot} />}
      {open?.what === 'compare' && <Comparison key={open.snapshot} name={name} from={open.snapshot} />}
    </>
  )
}
