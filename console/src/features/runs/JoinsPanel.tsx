import { useState } from 'react'
import { useNavigate } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Failed, Loading, Value } from '../../shared/ui/parts'
import { joinSteps } from './model'
import { isEnd, useDiagnosis, useMendJoin, useRunJoins } from './queries'

type Side = Schemas['Side']
type Insight = Schemas['JoinInsight']

/** Where a join stands: the pipeline that is edited, and the document that its run had. */
type Where = { pipeline: string; document: string }

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

/** Puts an offered step into the document, and shows it in the editor before anything is kept. */
function PutIn({ where, step, remedy }: { where: Where; step: string; remedy: string }) {
  const mend = useMendJoin()
  const navigate = useNavigate()
  return (
    <>
      <button
        className="btn btn-primary btn-xs"
        disabled={mend.isPending}
        onClick={() =>
          mend.mutate(
            { pipeline: where.pipeline, step, remedy },
            { onSuccess: (m) => navigate(`/pipelines/${where.pipeline}`, { state: { draft: m.text } }) },
          )
        }
      >
        Put it in
      </button>
      {mend.error && <Failed error={mend.error} />}
    </>
  )
}

type RemedyProps = { remedy: Schemas['Remedy']; offer: string; step: string; where: Where }

function Remedy({ remedy, offer, step, where }: RemedyProps) {
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
          <p className="flex flex-wrap items-center gap-2">
            Put this step before the join, and join with it instead
            <PutIn where={where} step={step} remedy={remedy.code} />
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

function Diagnosis({ where, step }: { where: Where; step: string }) {
  const diagnosis = useDiagnosis(where.document, step)
  if (diagnosis.error) {
    return <Failed error={diagnosis.error} />
  }
  if (!diagnosis.data) {
    return <Loading what="the join's keys" />
  }
  return <Found insight={diagnosis.data} where={where} />
}

function Found({ insight, where }: { insight: Insight; where: Where }) {
  const { step, left, right, leftKeys, rightKeys, offers, sampled, diagnosis: d } = insight
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
        <Remedy key={r.code} remedy={r} offer={offers[i] ?? ''} step={step} where={where} />
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

/** A run's joins: what each found; why one found little stands there, of others it is there on demand. */
export function JoinsPanel({ run }: { run: Schemas['RunDetail'] }) {
  const [turned, setTurned] = useState<Record<string, boolean>>({})
  const noted = useRunJoins(run.summary.id, isEnd(run.summary.state))
  const where = { pipeline: run.summary.pipeline, document: run.document }
  return (
    <ul>
      {joinSteps(run.steps).map((j) => {
        const insight = noted.data?.find((i) => i.step === j.name)
        const open = turned[j.name] ?? insight !== undefined
        return (
          <li key={j.name} className="border-b border-base-300 last:border-0">
            <p className="flex items-center gap-3 px-3 py-2">
              <b>{j.name}</b>
              <span className="quiet">
                {j.from.join(', ')} with {j.with}
              </span>
              <span className="tabular-nums">
                {number(j.tally.matched)} of {number(j.tally.rowsIn)} rows matched
                {j.tally.multiplied > 0 && (
                  <>, {number(j.tally.multiplied)} rows more from keys found twice</>
                )}
              </span>
              <button
                className="btn btn-xs ml-auto"
                aria-expanded={open}
                onClick={() => setTurned({ ...turned, [j.name]: !open })}
              >
                {open ? 'Close' : 'Look into it'}
              </button>
            </p>
            {open &&
              (insight ? (
                <Found insight={insight} where={where} />
              ) : (
                <Diagnosis where={where} step={j.name} />
              ))}
          </li>
        )
      })}
    </ul>
  )
}
