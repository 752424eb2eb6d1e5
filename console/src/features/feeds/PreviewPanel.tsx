import type { Schemas } from '../../shared/api/client'
import { number, visible } from '../../shared/lib/format'
import { Value } from '../../shared/ui/parts'
import { typeChoices } from './model'

type Preview = Schemas['FeedPreviewView']

/** A file's bytes as they are, and beside them what the document makes of them; each column's type can be changed. */
export function PreviewPanel({
  preview,
  onType,
}: {
  preview: Preview
  onType: (column: string, type: string) => void
}) {
  return (
    <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] gap-3">
      <section aria-label="Parsed rows">
        <h3 className="mb-1 font-semibold">
          As the feed reads it{' '}
          <span className="quiet font-normal">first {number(preview.rows.length)} rows</span>
        </h3>
        <PreviewRows preview={preview} onType={onType} />
      </section>
      <section aria-label="Raw text">
        <h3 className="mb-1 font-semibold">
          As it lies there <span className="quiet font-normal">{preview.file}</span>
        </h3>
        <pre className="max-h-64 overflow-auto border border-base-300 p-2 font-mono text-[0.8rem]">
          {preview.raw.split('\n').map((line, n) => (
            <div key={n} className="flex">
              <span className="quiet mr-3 w-8 shrink-0 text-right select-none">{n + 1}</span>
              <span>
                {visible(line).map((p, i) =>
                  p.kind === 'mark' ? (
                    <span key={i} style={{ color: 'var(--set-aside)' }}>
                      {p.text}
                    </span>
                  ) : (
                    p.text
                  ),
                )}
              </span>
            </div>
          ))}
        </pre>
      </section>
    </div>
  )
}

/** Rows as a feed reads them, and below them what it would not take. */
export function PreviewRows({
  preview,
  onType,
}: {
  preview: Preview
  onType?: (column: string, type: string) => void
}) {
  return (
    <>
      <div className="max-h-72 overflow-auto border border-base-300">
        <table className="ledger">
          <thead className="sticky top-0 bg-base-100">
            <tr>
              {preview.columns.map((c) => (
                <th key={c.name}>
                  {c.name}
                  {onType ? (
                    <select
                      className="select select-xs ml-1 w-auto font-normal"
                      aria-label={`Type of ${c.name}`}
                      value={c.type}
                      onChange={(e) => onType(c.name, e.target.value)}
                    >
                      {typeChoices(c.type).map((t) => (
                        <option key={t}>{t}</option>
                      ))}
                    </select>
                  ) : (
                    <span className="ml-1 text-[0.8em] font-normal">{c.type}</span>
                  )}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {preview.rows.map((row, r) => (
              <tr key={r}>
                {row.map((v, c) => (
                  <td key={c} className="font-mono text-[0.9em]">
                    <Value value={v} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {preview.setAside.length > 0 && (
        <div className="mt-2 max-h-40 overflow-auto" style={{ color: 'var(--set-aside)' }}>
          {preview.setAside.map((r, i) => (
            <div key={i}>
              line {number(r.line)} would be set aside: {r.failures.join('; ')}
            </div>
          ))}
        </div>
      )}
      {preview.strays.map((s) => (
        <div key={s.field} className="mt-1" style={{ color: 'var(--merged)' }}>
          [{s.field}] is in {number(s.count)} records and in no column, such as line {number(s.line)}:{' '}
          <code className="font-mono">{s.example}</code>
        </div>
      ))}
    </>
  )
}
