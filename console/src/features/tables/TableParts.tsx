import type { Schemas } from '../../shared/api/client'
import { bytes, number } from '../../shared/lib/format'

/** A table's partitions, with a bar for the size of each. */
export function Partitions({ table }: { table: Schemas['TableDetail'] }) {
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

/** A table's data files. */
export function Files({ table }: { table: Schemas['TableDetail'] }) {
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
