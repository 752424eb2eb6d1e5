import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { duration } from '../../shared/lib/format'
import { MarkedRows } from '../../shared/ui/MarkedRows'
import { Card, Failed } from '../../shared/ui/parts'
import { usePipelineTests, useRunTests } from './queries'

type Outcome = Schemas['TestOutcome']

function Rows({ outcome }: { outcome: Schemas['StepOutcome'] }) {
  return (
    <MarkedRows
      label={`Rows of ${outcome.step}`}
      columns={outcome.columns}
      rows={[
        ...outcome.missing.map((values) => ({ word: 'expected', colour: 'var(--set-aside)', values })),
        ...outcome.surplus.map((values) => ({ word: 'came', colour: 'var(--merged)', values })),
      ]}
    />
  )
}

function Result({ result }: { result: Outcome }) {
  return (
    <li className="border-t border-base-300 px-3 py-2">
      <b style={{ color: `var(--${result.passed ? 'side' : 'set-aside'})` }}>
        {result.passed ? 'passed' : 'failed'}
      </b>{' '}
      {result.test} <span className="quiet">{duration(result.elapsedMillis)}</span>
      {result.problems.map((p, i) => (
        <p key={i}>
          Line {p.place.line}: {p.message}
        </p>
      ))}
      {result.failure && <p>{result.failure}</p>}
      {result.outcomes
        .filter((o) => !o.passed)
        .map((o) => (
          <div key={o.step}>
            <p>
              <b>{o.step}</b> gave {o.words}.
            </p>
            <Rows outcome={o} />
          </div>
        ))}
    </li>
  )
}

/** The tests of a pipeline, and what comes of them with its text as it stands. */
export default function TestsCard({ pipeline, text }: { pipeline: string; text: string }) {
  const tests = usePipelineTests(pipeline)
  const run = useRunTests()
  const [of, setOf] = useState<string>()
  if (!tests.data || tests.data.length === 0) {
    return null
  }
  const stale = run.data && of !== text
  return (
    <Card>
      <div className="flex items-center px-3 py-2">
        <h2 className="text-base font-semibold">Tests</h2>
        <p className="quiet ml-3 grow">
          {tests.data.map((t) => t.name).join(', ')}
          {stale && ' · the document has changed since'}
        </p>
        <button
          type="button"
          className="btn btn-sm"
          disabled={run.isPending}
          onClick={() => {
            setOf(text)
            run.mutate({ of: pipeline, pipeline: text })
          }}
        >
          {run.isPending ? 'Running…' : 'Run the tests'}
        </button>
      </div>
      {run.error && <Failed error={run.error} />}
      {run.data && (
        <ul className={stale ? 'opacity-50' : ''} aria-label="What came of the tests">
          {run.data.map((r) => (
            <Result key={r.test} result={r} />
          ))}
        </ul>
      )}
    </Card>
  )
}
