import { useState } from 'react'
import { Link } from 'react-router'
import { number } from '../../shared/lib/format'
import { Failed } from '../../shared/ui/parts'
import { useColumns } from '../query/queries'
import { pageOf } from './model'
import { useColumnImpact } from './queries'

/** Which columns go with one of a table, and what would break without it. */
export function ColumnImpact({ table }: { table: string }) {
  const columns = useColumns(table)
  const [column, setColumn] = useState('')
  const impact = useColumnImpact(table, column)
  const behind = impact.data?.lost.filter((l) => l.table !== table) ?? []
  return (
    <div className="border-t border-base-300 px-3 py-2">
      <label className="flex items-center gap-2">
        <span className="quiet">What hangs on its column</span>
        <select className="select select-sm w-56" value={column} onChange={(e) => setColumn(e.target.value)}>
          <option value="">choose…</option>
          {columns.data?.map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
        </select>
        {impact.isFetching && (
          <span className="quiet" role="status">
            Checking every document without it…
          </span>
        )}
      </label>
      {impact.error && <Failed error={impact.error} />}
      {impact.data && column !== '' && (
        <div role="status">
          <p className="mt-2">
            {behind.length === 0 ? (
              'It goes into no other table.'
            ) : (
              <>
                It goes into{' '}
                {behind.map((l, i) => (
                  <span key={l.table}>
                    {i > 0 && ', '}
                    <Link className="name" to={`/tables/${l.table}`}>
                      {l.table}
                    </Link>{' '}
                    ({l.columns.join(', ')})
                  </span>
                ))}
                .
              </>
            )}{' '}
            {impact.data.broken.length === 0
              ? 'Nothing would break without it.'
              : `Without it ${number(impact.data.broken.length)} ${impact.data.broken.length === 1 ? 'document' : 'documents'} would not hold:`}
          </p>
          <ul>
            {impact.data.broken.map((b) => (
              <li key={`${b.place.kind} ${b.place.name}`} className="mt-1">
                <Link className="name" to={pageOf(b.place)}>
                  {b.place.kind} {b.place.name}
                </Link>
                {b.why.map((w) => (
                  <span key={w} className="quiet block pl-4 text-[0.93rem]">
                    {w}
                  </span>
                ))}
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  )
}
