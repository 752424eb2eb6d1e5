import { useMutation, useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../../shared/api/client'
import { duration, number, toggled } from '../../shared/lib/format'
import { Card, Failed } from '../../shared/ui/parts'
import { RowsTable } from '../../shared/ui/RowsTable'
import { useColumns } from '../query/queries'
import { useSamplers } from '../samplers/queries'
import {
  below,
  blockOf,
  chartOf,
  drilled,
  groups,
  MOST_ATTRIBUTES,
  NOTHING,
  sqlOf,
  stocks,
  type Choice,
  type Picked,
} from './explore'
import { valueAt } from '../samplers/model'

const ChartView = lazy(() => import('../charts/ChartView'))

const MOST_ROWS = 1000

function useAnswerOf(sql: string | undefined) {
  return useQuery({
    queryKey: ['explored', sql],
    queryFn: ({ signal }) =>
      ask(api.POST('/api/v1/query', { body: { sql: sql ?? '', limit: MOST_ROWS }, signal })),
    enabled: sql !== undefined,
    placeholderData: (before) => before,
    retry: false,
  })
}

function Keep({ block }: { block: Record<string, unknown> }) {
  const samplers = useSamplers()
  const [name, setName] = useState('')
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.POST('/api/v1/samplers/{name}/blocks', {
          params: { path: { name } },
          body: { name: 'explored', content: block as never },
        }),
      ),
  })
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      <label className="flex items-center gap-2">
        <span className="quiet">in sampler</span>
        <input
          className="input input-sm w-52 font-mono"
          list="kept-samplers"
          value={name}
          placeholder="one that is there, or a new name"
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <datalist id="kept-samplers">
        {samplers.data?.map((s) => (
          <option key={s.name} value={s.name} />
        ))}
      </datalist>
      <button type="submit" className="btn btn-sm" disabled={name.trim() === '' || keep.isPending}>
        Keep it
      </button>
      {keep.data && (
        <span role="status">
          Kept in{' '}
          <Link className="name" to={`/samplers/${keep.data.summary.name}`}>
            {keep.data.summary.title}
          </Link>
          .
        </span>
      )}
      {keep.error && (
        <span role="alert" style={{ color: 'var(--set-aside)' }}>
          {keep.error.message}
        </span>
      )}
    </form>
  )
}

function Answer({
  result,
  picked,
  onDrill,
}: {
  result: Schemas['ResultRows']
  picked: Picked
  onDrill: (choices: Choice[]) => void
}) {
  return (
    <>
      <Suspense fallback={<div className="h-80" />}>
        <ChartView
          key={result.columns.map((c) => c.name).join()}
          result={result}
          begin={chartOf(result, picked)}
          onMark={(marks) =>
            onDrill(
              marks
                .filter((m) => picked.attributes.includes(m.column))
                .map((m) => ({ column: m.column, value: valueAt(result, m.column, m.at) })),
            )
          }
        />
      </Suspense>
      <RowsTable
        result={result}
        picks={picked.attributes}
        onPick={(column, value) =>
          onDrill([{ column, value: value === null ? null : valueAt(result, column, value) }])
        }
      />
    </>
  )
}

/** What was chosen on the way down; each goes back to where it was chosen. */
function Trail({ chosen, onBack }: { chosen: Choice[]; onBack: (at: number) => void }) {
  return chosen.length === 0 ? null : (
    <nav
      className="flex flex-wrap items-center gap-2 border-b border-base-300 px-3 py-2"
      aria-label="What is chosen"
    >
      {chosen.map((c, i) => (
        <button
          key={c.column}
          type="button"
          className="btn btn-sm"
          title="Back to before this was chosen"
          onClick={() => onBack(i)}
        >
          {c.column.replaceAll('_', ' ')}: {c.value ?? 'null'} ×
        </button>
      ))}
    </nav>
  )
}

/** Measures and attributes are picked by clicking; the answer stands beside them at once. */
export default function Explorer({ star }: { star: Schemas['StarDetail'] }) {
  const [at, setAt] = useState(star.facts[0]?.name ?? '')
  const fact = star.facts.find((f) => f.name === at)
  const [picked, setPicked] = useState<Picked>(NOTHING)
  // Before each choice, what was picked.
  const [past, setPast] = useState<Picked[]>([])
  const columns = useColumns(`${star.summary.name}.${at}`)
  const over = fact && { star, fact, columns: columns.data ?? [] }
  const asks = over && picked.measures.length > 0
  const stock = over && stocks(over, picked)
  const sql = asks && (stock === undefined || picked.lastDay) ? sqlOf(over, picked) : undefined
  const answer = useAnswerOf(sql)
  if (!over) {
    return null
  }
  const drill = (choices: Choice[]) => {
    if (choices.length > 0) {
      setPast([...past, picked])
      setPicked(drilled(over, picked, choices))
    }
  }
  const back = (choice: number) => {
    const at = past.findLastIndex((p) => p.chosen.length <= choice)
    const before = past[at] ?? NOTHING
    setPicked({ ...before, measures: picked.measures, lastDay: picked.lastDay })
    setPast(past.slice(0, Math.max(0, at)))
  }
  const box = (
    name: string,
    label: string,
    kind: 'measures' | 'attributes',
    title?: string,
    disabled?: boolean,
  ) => (
    <label key={name} className="flex items-center gap-2 py-0.5" title={title}>
      <input
        type="checkbox"
        className="checkbox checkbox-sm"
        checked={picked[kind].includes(name)}
        disabled={disabled}
        onChange={() => setPicked({ ...picked, [kind]: toggled(picked[kind], name) })}
      />
      {label}
    </label>
  )
  const full = picked.attributes.length >= MOST_ATTRIBUTES
  return (
    <Card title="Ask the star">
      <div className="grid md:grid-cols-[15rem_minmax(0,1fr)]">
        <div
          className="max-h-[70vh] overflow-auto border-base-300 px-3 py-2 md:border-r"
          tabIndex={0}
          role="region"
          aria-label="What can be asked"
        >
          {star.facts.length > 1 && (
            <label className="mb-2 flex items-center gap-2">
              <span className="quiet">fact</span>
              <select
                className="select select-sm grow"
                value={at}
                onChange={(e) => {
                  setAt(e.target.value)
                  setPicked(NOTHING)
                  setPast([])
                }}
              >
                {star.facts.map((f) => (
                  <option key={f.name}>{f.name}</option>
                ))}
              </select>
            </label>
          )}
          <h3 className="font-semibold">Measures</h3>
          {fact.measures.map((m) =>
            box(
              m.name,
              m.name.replaceAll('_', ' '),
              'measures',
              `${m.formula}${m.about ? `: ${m.about}` : ''}`,
            ),
          )}
          {columns.error && <Failed error={columns.error} />}
          {groups(fact, columns.data ?? []).map((g) => (
            <details key={g.dimension} className="mt-2">
              <summary className="cursor-pointer font-semibold">
                by {g.dimension}
                <span className="quiet ml-1 text-[0.86rem] font-normal">{g.attributes.length}</span>
              </summary>
              {g.attributes.map((a) =>
                box(
                  a.name,
                  a.label.replaceAll('_', ' '),
                  'attributes',
                  below(over, a.name, picked.chosen) ? `${a.type}; a click on a value goes down` : a.type,
                  full && !picked.attributes.includes(a.name),
                ),
              )}
            </details>
          ))}
        </div>
        <div className="min-w-0">
          {!asks ? (
            <p className="quiet p-4">Pick a measure on the left, and what to see it by.</p>
          ) : (
            <>
              <div className="flex flex-wrap items-center gap-3 border-b border-base-300 px-3 py-2">
                <span className="quiet" role="status">
                  {answer.isFetching
                    ? 'Asking…'
                    : answer.data &&
                      `${answer.data.truncated ? 'the first ' : ''}${number(answer.data.rows.length)} ${answer.data.rows.length === 1 ? 'row' : 'rows'} in ${duration(answer.data.elapsedMillis)}`}
                </span>
                {full && <span className="quiet">{MOST_ATTRIBUTES} attributes at most</span>}
                <span className="ml-auto">
                  <Keep key={sql} block={blockOf(over, picked)} />
                </span>
              </div>
              <Trail chosen={picked.chosen} onBack={back} />
              {stock && (
                <p className="border-b border-base-300 px-3 py-2">
                  <b>{stock.measures.join(', ').replaceAll('_', ' ')}</b> is counted anew each day: added up
                  over days it says nothing.{' '}
                  <label className="inline-flex items-center gap-2">
                    <input
                      type="checkbox"
                      className="checkbox checkbox-sm"
                      checked={picked.lastDay}
                      onChange={() => setPicked({ ...picked, lastDay: !picked.lastDay })}
                    />
                    Take the last day of each group, by {stock.day.replaceAll('_', ' ')}
                  </label>
                </p>
              )}
              {sql === undefined ? null : answer.error ? (
                <Failed error={answer.error} />
              ) : (
                answer.data && <Answer result={answer.data} picked={picked} onDrill={drill} />
              )}
              <details className="border-t border-base-300 px-3 py-2">
                <summary className="quiet cursor-pointer">The query</summary>
                <pre className="font-mono text-[0.9rem] whitespace-pre-wrap">{sql}</pre>
              </details>
            </>
          )}
        </div>
      </div>
    </Card>
  )
}
