import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { Failed, Loading } from '../../shared/ui/parts'
import { useLineage } from './queries'

const COLOUR: Record<string, string> = { table: 'var(--flow)', feed: 'var(--side)', step: 'var(--running)' }

function Tree({ node }: { node: Schemas['LineageNode'] }) {
  return (
    <li>
      <span style={{ color: COLOUR[node.kind] }}>{node.kind}</span>{' '}
      <span className="font-mono text-[0.9em]">
        {node.name}.<b>{node.column}</b>
        {node.how && ` = ${node.how}`}
      </span>
      {node.pipeline && <span className="quiet"> · {node.pipeline}</span>}
      {node.from.length > 0 && (
        <ul className="ml-2 border-l border-base-300 pl-4">
          {node.from.map((n, i) => (
            <Tree key={i} node={n} />
          ))}
        </ul>
      )}
    </li>
  )
}

function LineageOf({ table, column }: { table: string; column: string }) {
  const lineage = useLineage(table, column)
  if (lineage.isPending) {
    return <Loading what="where it comes from" />
  }
  if (lineage.error) {
    return <Failed error={lineage.error} />
  }
  return (
    <>
      <h3 className="text-base font-semibold">Made of</h3>
      <ul className="mb-3">
        <Tree node={lineage.data.origins} />
      </ul>
      <h3 className="text-base font-semibold">Used by</h3>
      {lineage.data.uses.from.length === 0 ? (
        <p className="quiet">No other table.</p>
      ) : (
        <ul>
          {lineage.data.uses.from.map((n, i) => (
            <Tree key={i} node={n} />
          ))}
        </ul>
      )}
    </>
  )
}

/** A table's columns; of the one that is picked, what it is made of and what is made of it. */
export function ColumnsPanel({ table }: { table: Schemas['TableDetail'] }) {
  const [picked, setPicked] = useState(table.columns[0]?.name ?? '')
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] md:grid-cols-[minmax(16rem,1fr)_2fr]">
      <table className="ledger">
        <tbody>
          {table.columns.map((c) => (
            <tr key={c.name} className={c.name === picked ? 'bg-base-200' : ''}>
              <td>
                <button
                  type="button"
                  className="w-full text-left font-semibold"
                  aria-pressed={c.name === picked}
                  onClick={() => setPicked(c.name)}
                >
                  {c.name}
                </button>
              </td>
              <td className="font-mono text-[0.9em]">{c.type}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="border-l border-base-300 p-3">
        {picked && <LineageOf table={table.summary.name} column={picked} />}
      </div>
    </div>
  )
}
