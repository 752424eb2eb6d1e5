import { Link } from 'react-router'
import { number, time } from '../../shared/lib/format'
import { Failed, Loading } from '../../shared/ui/parts'
import { byRule } from './model'
import { useChecks } from './queries'

const COLOURS: Record<string, string> = {
  met: 'var(--side)',
  warned: 'var(--merged)',
  'set-aside': 'var(--set-aside)',
  stopped: 'var(--set-aside)',
}

/** The rules of a run's check steps: what came of each, here and in the runs before. */
export function ChecksPanel({ pipeline, run, ended }: { pipeline: string; run: number; ended: boolean }) {
  const checks = useChecks(pipeline, run, ended)
  if (checks.error) {
    return <Failed error={checks.error} />
  }
  if (!checks.data) {
    return <Loading what="the rules" />
  }
  const rules = byRule(checks.data, run)
  if (rules.length === 0) {
    return (
      <p className="quiet p-4">
        No rules were held against this run&rsquo;s rows. A <code>check</code> step gives a pipeline rules.
      </p>
    )
  }
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th>Step</th>
          <th>Rule</th>
          <th>Outcome</th>
          <th className="text-right">Not met by</th>
          <th>Run by run</th>
          <th>Found</th>
        </tr>
      </thead>
      <tbody>
        {rules.map(({ now, before }) => (
          <tr key={`${now.step} ${now.rule}`}>
            <td>{now.step}</td>
            <td className="font-semibold">{now.rule}</td>
            <td className="font-semibold" style={{ color: COLOURS[now.outcome] }}>
              {now.outcome}
            </td>
            <td className="text-right tabular-nums whitespace-nowrap">
              {number(now.failed)} of {number(now.rows)}
            </td>
            <td>
              <span className="flex items-end gap-0.5">
                {before.map((b) => (
                  <Link
                    key={b.run}
                    to={`/runs/${b.run}`}
                    title={`Run ${b.run}, ${time(b.at)}: ${b.outcome}, ${number(b.failed)} of ${number(b.rows)} rows`}
                    aria-label={`Run ${b.run}: ${b.outcome}`}
                    className="inline-block w-2 rounded-sm"
                    style={{
                      background: COLOURS[b.outcome],
                      height: b.outcome === 'met' ? '0.5rem' : '1rem',
                      outline: b.run === run ? '1px solid currentColor' : undefined,
                    }}
                  />
                ))}
              </span>
            </td>
            <td className="max-w-md break-words">{now.words}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
