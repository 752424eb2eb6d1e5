import { Value } from './parts'

/** A row with a word that says what it is. */
export type MarkedRow = {
  word: string
  colour?: string
  values: unknown[]
  /** Which of the values are others than in the row before. */
  changed?: boolean[]
}

/** Rows of which each says what it is: expected or came, added or removed, before or after. */
export function MarkedRows({
  columns,
  rows,
  label,
  height = '40vh',
}: {
  columns: string[]
  rows: MarkedRow[]
  label: string
  height?: string
}) {
  return rows.length === 0 ? null : (
    <div className="mt-2 overflow-auto" style={{ maxHeight: height }} role="region" aria-label={label}>
      <table className="ledger">
        <thead>
          <tr>
            <th>row</th>
            {columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <tr key={i}>
              <td className="font-semibold" style={{ color: row.colour }}>
                {row.word}
              </td>
              {row.values.map((v, c) => (
                <td key={c} className={`font-mono text-[0.9em] ${row.changed?.[c] ? 'fresh' : ''}`}>
                  <Value value={v} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
