import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Failed, Loading, Value } from '../../shared/ui/parts'
import { joinSteps } from './model'
import { useDiagnosis } from './queries'

type Side = Schemas['Side']

function SideLine({ name, keys, side }: { name: string; keys: string[]; side: Side }) {
  return (
    <p className="py-0.5">
      <b>{name}</b> by {keys.join(', ')}: {number(side.matched)} of {number(side.rows)} rows match
      {side.unmatched > 0 && (
        <>
          ; <span style={{ color: 'var(--set-aside)' }}>{number(side.unmatched)} do not</span>, such as{' '}
          {side.unmatchedExamples.map((e) => (
            <code key={e} className="mr-1">
              [<Value value={e} />]
            </code>
          ))}
        </>
      )}
      {side.withNullKey > 0 && <>; {number(side.withNullKey)} have no key</>}
    </p>
  )
}

function Remedy({ remedy, offer }: { remedy: Schemas['Remedy']; offer: string }) {
  return (
    <div className="mt-3 border-l-4 pl-3" style={{ borderLeftColor: 'var(--side)' }}>
      <p className="font-semibold">
        {number(remedy.wouldMatch)} rows more would match without {remedy.words}
      </p>
      <table className="ledger w-auto!">
        <thead>
          <tr>
            <th>Here</th>
            <th>There</th>
          </tr>
        </thead>
        <tbody>
          {remedy.examples.map((p) => (
            <tr key={p.left} className="font-mono">
              <td>
                [<Value value={p.left} />]
              </td>
              <td>
                [<Value value={p.right} />]
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {offer && (
        <>
          <p className="flex items-center gap-2">
            Put this step before the join, and join with it instead
            <button className="btn btn-xs" onClick={() => void navigator.clipboard.writeText(offer + '\n')}>
              Copy the step
            </button>
          </p>
          <pre className="overflow-auto p-2 font-mono text-[0.86rem]">{offer}</pre>
        </>
      )}
    </div>
  )
}

function Diagnosis({ document, step }: { document: string; step: string }) {
  const diagnosis = useDiagnosis(document, step)
  if (diagnosis.error) {
    return <Failed error={diagnosis.error} />
  }
  if (!diagnosis.data) {
    return <Loading what="the join's keys" />
  }
  const { left, right, leftKeys, rightKeys, offers, sampled, diagnosis: d } = diagnosis.data
  return (
    <div className="px-3 pb-3">
      <SideLine name={left} keys={leftKeys} side={d.left} />
      <SideLine name={right} keys={rightKeys} side={d.right} />
      {d.worst.map((w) => (
        <p key={w.key} className="py-0.5">
          <code>
            [<Value value={w.key} />]
          </code>{' '}
          is there {number(w.leftRows)} times in {left} and {number(w.rightRows)} times in {right}:{' '}
          {number(w.pairs)} pairs
        </p>
      ))}
      {d.remedies.map((r, i) => (
        <Remedy key={r.code} remedy={r} offer={offers[i] ?? ''} />
      ))}
      {d.remedies.length === 0 && d.left.unmatched > 0 && (
        <p className="quiet py-1">
          Nothing that is known to keep keys apart would make more of them match: they are not in {right}.
        </p>
      )}
      {sampled && <p className="quiet">An input is long; its beginning was looked at.</p>}
    </div>
  )
}

/** A run's joins: what each found, and on demand why it did not find more. */
export function JoinsPanel({ run }: { run: Schemas['RunDetail'] }) {
  const [picked, setPicked] = useState<string>()
  return (
    <ul>
      {joinSteps(run.steps).map((j) => (
        <li key={j.name} className="border-b border-base-300 last:border-0">
          <p className="flex items-center gap-3 px-3 py-2">
            <b>{j.name}</b>
            <span className="quiet">
              {j.from.join(', ')} with {j.with}
            </span>
            <span className="tabular-nums">
              {number(j.tally.matched)} of {number(j.tally.rowsIn)} rows matched
              {j.tally.multiplied > 0 && <>, {number(j.tally.multiplied)} rows more from keys found twice</>}
            </span>
            <button
              className="btn btn-xs ml-auto"
              aria-expanded={picked === j.name}
              onClick={() => setPicked(picked === j.name ? undefined : j.name)}
            >
              {picked === j.name ? 'Close' : 'Look into it'}
            </button>
          </p>
          {picked === j.name && <Diagnosis document={run.document} step={j.name} />}
        </li>
      ))}
    </ul>
  )
}
