import { bytes, number } from '../../shared/lib/format'
import type { PlanPart } from './plan'

/** A plan as it hangs together: each part below the one that takes its rows, with what it took. */
export function PlanView({ parts }: { parts: PlanPart[] }) {
  const analysed = parts.some((p) => p.cost)
  const most = Math.max(1, ...parts.map((p) => p.cost?.cpuMillis ?? 0))
  return (
    <div className="overflow-x-auto" role="region" aria-label="Plan" tabIndex={0}>
      <table className="ledger">
        <thead>
          <tr>
            <th>what is done</th>
            {analysed && <th className="num">rows</th>}
            <th className="num">expected</th>
            {analysed && (
              <>
                <th>time of processors</th>
                <th className="num">read</th>
                <th className="num">memory</th>
                <th className="num">disk</th>
              </>
            )}
          </tr>
        </thead>
        <tbody>
          {parts.map((p, i) => (
            <tr key={i} className="align-top leading-7">
              <td style={{ paddingLeft: `${0.75 + p.depth * 1.25}rem` }}>
                <span className="font-mono text-[0.86em]">{p.text}</span>
                {p.cost && p.cost.read.length > 0 && (
                  <p className="quiet leading-5">read {p.cost.read.join(', ')}</p>
                )}
                {p.cost?.leftOut.map((l) => (
                  <p key={l} className="quiet leading-5 last:pb-1">
                    left out {l}
                  </p>
                ))}
              </td>
              {analysed && <td className="num">{p.rows === undefined ? '' : number(p.rows)}</td>}
              <td className="num">{number(p.expected)}</td>
              {analysed && <Cost part={p} most={most} />}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Cost({ part: { cost }, most }: { part: PlanPart; most: number }) {
  return (
    <>
      <td className="w-48">
        {cost && (
          <div className="flex items-center gap-2">
            <span
              aria-hidden="true"
              className="h-2 min-w-px rounded-sm"
              style={{ width: `${(cost.cpuMillis / most) * 5}rem`, background: 'var(--side)' }}
            />
            <span className="tabular-nums whitespace-nowrap">{number(cost.cpuMillis)} ms</span>
          </div>
        )}
      </td>
      <td className="num">{sized(cost?.readBytes)}</td>
      <td className="num">{sized(cost?.memoryBytes)}</td>
      <td className="num">{sized(cost?.diskBytes)}</td>
    </>
  )
}

/** Nothing for none. */
function sized(n: number | undefined): string {
  return n ? bytes(n) : ''
}
