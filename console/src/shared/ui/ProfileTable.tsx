import { useState } from 'react'
import type { Schemas } from '../api/client'
import { duration, number } from '../lib/format'
import { dropping, keeping } from './profiled'
import { Value } from './parts'

type Column = Schemas['ColumnView']

function share(part: number, whole: number): string {
  if (whole === 0 || part === 0) {
    return ''
  }
  const percent = (100 * part) / whole
  return percent < 0.1 ? '< 0.1 %' : `${percent.toFixed(1)} %`
}

/** A histogram without axes; the values at its ends stand beside it. */
function Spread({ column }: { column: Column }) {
  const most = Math.max(1, ...column.histogram.map((b) => b.count))
  const width = 104 / Math.max(1, column.histogram.length)
  if (column.histogram.length === 0) {
    return null
  }
  return (
    <svg width={104} height={22} role="img" aria-label={`Spread of ${column.name}`}>
      {column.histogram.map((b, i) => {
        const height = b.count === 0 ? 0 : Math.max(1, (22 * b.count) / most)
        return (
          <rect
            key={i}
            x={i * width}
            y={22 - height}
            width={Math.max(1, width - 1)}
            height={height}
            fill="var(--running)"
          >
            <title>{`${String(b.from)} to ${String(b.to)}: ${number(b.count)}`}</title>
          </rect>
        )
      })}
    </svg>
  )
}

/** The commonest values; one that is picked can be kept alone, or dropped, by a step. */
function Commonest({
  column,
  rows,
  onMend,
}: {
  column: Column
  rows: number
  onMend?: (offer: string) => void
}) {
  const often = column.commonest.filter((c) => c.count > 1).slice(0, 3)
  const [picked, setPicked] = useState<number>()
  const value = picked === undefined ? undefined : often[picked]?.value
  return (
    <>
      {often.map((c, i) => (
        <span key={i} className="mr-3 whitespace-nowrap">
          {onMend ? (
            <button
              type="button"
              className="font-mono text-[0.9em] underline decoration-dotted"
              aria-expanded={picked === i}
              title="Keep or drop its rows"
              onClick={() => setPicked(picked === i ? undefined : i)}
            >
              <Value value={c.value} />
            </button>
          ) : (
            <span className="font-mono text-[0.9em]">
              <Value value={c.value} />
            </span>
          )}{' '}
          <span className="quiet">{share(c.count, rows)}</span>
        </span>
      ))}
      {onMend && value !== undefined && (
        <span className="whitespace-nowrap">
          <button type="button" className="btn btn-xs mr-1" onClick={() => onMend(keeping(column, value))}>
            Keep only these
          </button>
          <button type="button" className="btn btn-xs" onClick={() => onMend(dropping(column, value))}>
            Drop these
          </button>
        </span>
      )}
    </>
  )
}

/** What columns hold, and what is odd about them. */
export function ProfileTable({
  profile,
  onMend,
}: {
  profile: Schemas['ProfileView']
  /** Puts the step in that mends something; without it the step is only shown. */
  onMend?: (offer: string) => void
}) {
  const odd = profile.columns.flatMap((c) => c.findings.map((f) => ({ column: c.name, ...f })))
  return (
    <>
      <p className="quiet px-3 py-2">
        {profile.sources.join('; ')} · {number(profile.rows)} rows · {duration(profile.elapsedMillis)}
      </p>
      {odd.length > 0 && (
        <ul className="border-y border-base-300 px-3 py-2" aria-label="What is odd">
          {odd.map((f) => (
            <li key={f.column + f.code} className="py-0.5">
              <b className="font-mono text-[0.9em]">{f.column}</b>{' '}
              <span style={{ color: 'var(--merged)' }}>{f.words}</span>
              {f.offer && (
                <>
                  {' '}
                  <span className="quiet">would be mended by</span>{' '}
                  <code className="font-mono text-[0.86em]">{f.offer}</code>
                  {onMend && (
                    <button
                      type="button"
                      className="name ml-2 underline"
                      aria-label={`put it in: ${f.offer}`}
                      onClick={() => f.offer && onMend(f.offer)}
                    >
                      put it in
                    </button>
                  )}
                </>
              )}
            </li>
          ))}
        </ul>
      )}
      <table className="ledger">
        <thead className="sticky top-0 bg-base-100">
          <tr>
            <th>column</th>
            <th className="num">null</th>
            <th className="num">values</th>
            <th>smallest</th>
            <th>median</th>
            <th>largest</th>
            <th>spread</th>
            <th>commonest</th>
          </tr>
        </thead>
        <tbody>
          {profile.columns.map((c) => (
            <tr key={c.name}>
              <td className="whitespace-nowrap">
                <b>{c.name}</b> <span className="quiet text-[0.86em]">{c.type}</span>
              </td>
              <td className="num">{share(c.nulls, profile.rows)}</td>
              <td className="num whitespace-nowrap">
                {c.isExact ? '' : 'about '}
                {number(c.distinct)}
              </td>
              {[c.smallest, c.quantiles[2], c.largest].map((v, i) => (
                <td key={i} className="font-mono text-[0.9em]">
                  {v !== undefined && v !== null && <Value value={v} />}
                </td>
              ))}
              <td>
                <Spread column={c} />
              </td>
              <td>
                <Commonest column={c} rows={profile.rows} onMend={onMend} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {profile.notes.map((n) => (
        <p key={n} className="quiet px-3 py-1">
          {n}
        </p>
      ))}
    </>
  )
}
