import { useMutation } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import { api, ask, type Schemas } from '../../shared/api/client'
import { duration, number } from '../../shared/lib/format'
import { save } from '../../shared/lib/save'
import { Editor } from '../../shared/ui/Editor'
import { Card, Failed } from '../../shared/ui/parts'
import { RowsTable } from '../../shared/ui/RowsTable'
import { useTables } from '../tables/queries'
import { asksForData, namedIn, parametersOf } from './model'
import { useColumnsOfAll } from './queries'
import { KeptAnswer } from './KeptAnswer'
import { keepRows } from './kept'
import { planOf } from './plan'
import { PlanView } from './PlanView'
import { newRequestId, readSoFar, useRunning } from './running'
import { asText, shown } from './result'
import type { Sheet } from './sheets'
import { useAskable } from './Sources'
import { useKeepView } from './views'
import { WordsField } from './WordsField'
import { ZoneChoice } from './ZoneChoice'

const LIMITS = [1_000, 10_000, 100_000, 1_000_000]
/** More rows than these are kept by the service, and read a page at a time. */
const MOST_AT_ONCE = 100_000
const ChartView = lazy(() => import('../charts/ChartView'))

/** A query that is written, asked and kept; its answer stays while others show. */
export function SheetView({
  sheet,
  onChange,
  onAsked,
}: {
  sheet: Sheet
  onChange: (next: Partial<Sheet>) => void
  onAsked: (sql: string) => void
}) {
  const tables = useTables()
  const [given, setGiven] = useState<Record<string, string>>({})
  const [selected, setSelected] = useState('')
  const [limit, setLimit] = useState(LIMITS[0] ?? 1_000)
  const [keeping, setKeeping] = useState(false)
  const sql = sheet.text
  // What is selected is asked by itself, where it is a query.
  const part = /^\s*(select|with|values|describe|explain)\b/i.test(selected) ? selected : undefined
  // A name that is still being typed is none yet.
  const askable = new Set(useAskable().flatMap((g) => g.names.map((n) => n.name)))
  const named = useColumnsOfAll(namedIn(sql).filter((n) => askable.has(n.toLowerCase())))
  const asking = useRef<AbortController>(undefined)
  const [requestId] = useState(newRequestId)
  const values = (text: string) => Object.fromEntries(parametersOf(text).map((n) => [n, given[n] ?? '']))
  const query = useMutation({
    mutationFn: async (text: string) => {
      const { signal } = (asking.current = new AbortController())
      onAsked(text)
      const parameters = values(text)
      if (limit > MOST_AT_ONCE && asksForData(text)) {
        const kept = await keepRows(text, parameters, undefined, { signal, requestId })
        return { parameters, result: kept.first, kept }
      }
      const result = await ask(
        api.POST('/api/v1/query', {
          body: { sql: text, limit, parameters },
          headers: { 'X-Request-Id': requestId },
          signal,
        }),
      )
      return { parameters, result, kept: undefined }
    },
  })
  const download = useMutation({
    mutationFn: async (text: string) => {
      const body = { sql: text, format: 'csv', parameters: values(text) }
      const rows = await ask(api.POST('/api/v1/exports', { body, parseAs: 'blob' }) as never)
      save(rows as unknown as Blob, `${sheet.view?.name ?? 'query'}.csv`)
    },
  })
  // The service ends a query that nobody waits for any more.
  useEffect(() => () => asking.current?.abort(), [])
  const canAsk = !query.isPending && sql.trim() !== ''
  const askNow = () => {
    if (canAsk) {
      query.mutate(part ?? sql)
    }
  }
  const stopped = query.error?.name === 'AbortError'
  const asked = query.variables ?? sql
  return (
    <>
      <Card>
        <Editor
          value={sql}
          onChange={(text) => onChange({ text })}
          language="sql"
          label="SQL"
          height="9rem"
          onSelection={setSelected}
          onAsk={askNow}
          offer={() => [
            ...named.map((c) => ({ label: c.name, detail: `${c.type}, ${c.of}`, kind: 'property' })),
            ...(tables.data ?? []).map((t) => ({
              label: t.name,
              detail: `${number(t.rows)} rows`,
              kind: 'class',
            })),
          ]}
        />
        <Parameters
          names={parametersOf(sql)}
          values={given}
          onChange={setGiven}
          onAsk={() => query.mutate(sql)}
        />
        <div className="flex flex-wrap items-center gap-2 border-t border-base-300 p-2">
          <button className="btn btn-primary btn-sm" disabled={!canAsk} onClick={askNow}>
            {query.isPending ? 'Asking…' : part ? 'Ask the selection' : 'Ask'}
          </button>
          {query.isPending && (
            <button className="btn btn-sm" onClick={() => asking.current?.abort()}>
              Stop
            </button>
          )}
          {query.isPending && <SoFar key={query.submittedAt} requestId={requestId} />}
          <label className="flex items-center gap-1.5">
            <span className="quiet">at most</span>
            <select
              className="select select-sm w-28"
              value={limit}
              onChange={(e) => setLimit(Number(e.target.value))}
            >
              {LIMITS.map((n) => (
                <option key={n} value={n}>
                  {number(n)}
                </option>
              ))}
            </select>
            <span className="quiet">rows</span>
          </label>
          <button
            className="btn btn-sm ml-auto"
            disabled={sql.trim() === '' || download.isPending}
            title="All rows, as a file"
            onClick={() => download.mutate(part ?? sql)}
          >
            {download.isPending ? 'Writing…' : 'All rows as CSV'}
          </button>
          <button
            className="btn btn-sm"
            aria-expanded={keeping}
            disabled={sql.trim() === ''}
            onClick={() => setKeeping(!keeping)}
          >
            {sheet.view ? 'Save…' : 'Save as a view…'}
          </button>
        </div>
        {keeping && (
          <KeepForm
            sheet={sheet}
            onKept={(view) => {
              onChange({ view })
              setKeeping(false)
            }}
            onClose={() => setKeeping(false)}
          />
        )}
      </Card>
      {stopped && (
        <p className="quiet" role="status">
          Stopped. Nothing was changed.
        </p>
      )}
      {query.error && !stopped && <Failed error={query.error} />}
      {download.error && <Failed error={download.error} />}
      {query.data && query.data.result.notes.length > 0 && (
        <div
          className="card-paper mb-4 border-l-4 p-3"
          style={{ borderLeftColor: 'var(--merged)' }}
          role="status"
        >
          {query.data.result.notes.map((n) => (
            <p key={n}>{n}</p>
          ))}
        </div>
      )}
      {query.data &&
        (query.data.kept ? (
          <KeptAnswer
            key={query.submittedAt}
            sql={asked}
            parameters={query.data.parameters}
            begin={query.data.kept}
          />
        ) : (
          <Answer key={query.submittedAt} asked={asked} result={query.data.result} />
        ))}
    </>
  )
}

/** How long a query has been going on, and what it has read; nobody is told of each second. */
function SoFar({ requestId }: { requestId: string }) {
  const [seconds, setSeconds] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => setSeconds((s) => s + 1), 1000)
    return () => clearInterval(timer)
  }, [])
  const running = useRunning(1000)
  const read = readSoFar(running.data?.find((look) => look.requestId === requestId))
  return seconds > 0 ? (
    <span className="quiet order-last basis-full" aria-hidden="true">
      {seconds} s so far{read && `: ${read}`}
    </span>
  ) : null
}

function Answer({ asked, result }: { asked: string; result: Schemas['ResultRows'] }) {
  const [zone, setZone] = useState('UTC')
  const [words, setWords] = useState('')
  const [copied, setCopied] = useState(false)
  const view = shown(result, zone, words)
  const plan = planOf(asked, result)
  if (plan) {
    return (
      <Card title={`What the query does, told in ${duration(result.elapsedMillis)}`}>
        <PlanView parts={plan} />
      </Card>
    )
  }
  return (
    <Card
      title={`${result.truncated ? 'The first ' : ''}${number(result.rows.length)} rows in ${duration(result.elapsedMillis)}`}
    >
      <div className="flex flex-wrap items-center gap-3 border-b border-base-300 px-3 py-2">
        <WordsField value={words} onType={setWords} />
        {words.trim() !== '' && (
          <span className="quiet" role="status">
            {number(view.rows.length)} of {number(result.rows.length)} rows
          </span>
        )}
        <ZoneChoice columns={result.columns} zone={zone} onPick={setZone} />
        <button
          className="btn btn-sm ml-auto"
          title="With tabs between values, as spreadsheets take them"
          onClick={() => void navigator.clipboard.writeText(asText(view)).then(() => setCopied(true))}
          onBlur={() => setCopied(false)}
        >
          {copied ? 'Copied' : 'Copy rows'}
        </button>
      </div>
      {asksForData(asked) && (
        <Suspense>
          <ChartView key={asked} result={view} />
        </Suspense>
      )}
      <RowsTable result={view} />
    </Card>
  )
}

/** Keeps the query under a name: a new one, or the next version of the view that it was opened from. */
function KeepForm({
  sheet,
  onKept,
  onClose,
}: {
  sheet: Sheet
  onKept: (view: NonNullable<Sheet['view']>) => void
  onClose: () => void
}) {
  const keep = useKeepView()
  const [name, setName] = useState(sheet.view?.name ?? '')
  const [about, setAbout] = useState(sheet.view?.about ?? '')
  const basedOn = sheet.view?.name === name ? sheet.view.version : undefined
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-t border-base-300 p-3"
      aria-label="Keep the query"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate(
          { name, about, sql: sheet.text, basedOn },
          { onSuccess: (kept) => onKept({ name, about, version: kept.summary.version }) },
        )
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <input
        className="input input-sm w-52 font-mono"
        autoFocus
        aria-label="Name of the view"
        placeholder="a-name"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        className="input input-sm min-w-60 grow"
        aria-label="What it shows"
        placeholder="what it shows, in a sentence"
        value={about}
        onChange={(e) => setAbout(e.target.value)}
      />
      <button type="submit" className="btn btn-sm" disabled={name === '' || keep.isPending}>
        {basedOn ? `Save version ${basedOn + 1}` : 'Save'}
      </button>
      {keep.error && <Failed error={keep.error} />}
    </form>
  )
}

/** A field for each parameter of the query; their values never become SQL. */
function Parameters({
  names,
  values,
  onChange,
  onAsk,
}: {
  names: string[]
  values: Record<string, string>
  onChange: (values: Record<string, string>) => void
  onAsk: () => void
}) {
  return names.length === 0 ? null : (
    <form
      className="flex flex-wrap items-end gap-3 border-t border-base-300 p-3"
      aria-label="Parameters"
      onSubmit={(e) => {
        e.preventDefault()
        onAsk()
      }}
    >
      {names.map((name) => (
        <label key={name} className="grid gap-1">
          <span className="font-mono text-[0.86em]">:{name}</span>
          <input
            className="input input-sm w-44"
            value={values[name] ?? ''}
            onChange={(e) => onChange({ ...values, [name]: e.target.value })}
          />
        </label>
      ))}
      <button type="submit" className="sr-only">
        Ask with these values
      </button>
    </form>
  )
}
