import { useMutation, useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { Link } from 'react-router'
import { api, ask, type Schemas } from '../../shared/api/client'
import { duration, number } from '../../shared/lib/format'
import { Card, Failed, RowsTable } from '../../shared/ui/parts'
import { useColumns } from '../query/queries'
import { useSamplers } from '../samplers/queries'
import { blockOf, chartOf, groups, MOST_ATTRIBUTES, sqlOf, type Picked } from './explore'

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

function Answer({ result, picked }: { result: Schemas['ResultRows']; picked: Picked }) {
  return (
    <>
      <Suspense fallback={<div className="h-80" />}>
        <ChartView
          key={result.columns.map((c) => c.name).join()}
          result={result}
          begin={chartOf(result, picked)}
        />
      </Suspense>
      <RowsTable result={result} />
    </>
  )
}

/** Measures and attributes are picked by clicking; the answer stands beside them at once. */
export default function Explorer({ star }: { star: Schemas['StarDetail'] }) {
  const [at, setAt] = useState(star.facts[0]?.name ?? '')
  const fact = star.facts.find((f) => f.name === at)
  const [picked, setPicked] = useState<Picked>({ measures: [], attributes: [] })
  const columns = useColumns(`${star.summary.name}.${at}`)
  const asks = fact && picked.measures.length > 0
  const sql = asks ? sqlOf(star, fact, picked) : undefined
  const answer = useAnswerOf(sql)
  if (!fact) {
    return null
  }
  const toggled = (names: string[], name: string) =>
    names.includes(name) ? names.filter((n) => n !== name) : [...names, name]
  const box = (name: string, label: string, kind: keyof Picked, title?: string, disabled?: boolean) => (
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
  const typeOf = (name: string) => columns.data?.find((c) => c.name === name)?.type ?? ''
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
                  setPicked({ measures: [], attributes: [] })
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
                  a.type,
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
                  <Keep key={sql} block={blockOf(star, fact, picked, typeOf)} />
                </span>
              </div>
              {answer.error ? (
                <Failed error={answer.error} />
              ) : (
                answer.data && <Answer result={answer.data} picked={picked} />
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
