import { useMutation } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import { api, ask } from '../../shared/api/client'
import { duration, number } from '../../shared/lib/format'
import { Editor } from '../../shared/ui/Editor'
import { Card, Failed, Page, RowsTable } from '../../shared/ui/parts'
import { byNamespace } from '../tables/model'
import { useFeeds } from '../feeds/queries'
import { useStars } from '../stars/queries'
import { useTables } from '../tables/queries'
import { namedIn, parametersOf, remembered } from './model'
import { useColumns, useColumnsOfAll } from './queries'

const ROWS = 1000
const HISTORY = 'yardage-queries'

function storedHistory(): string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(HISTORY) ?? '[]')
    return Array.isArray(kept) ? kept.filter((k): k is string => typeof k === 'string') : []
  } catch {
    return []
  }
}

/** Facts of stars, tables and feeds, as queries name them. */
function useAskable(): { title: string; names: { name: string; rows?: number }[] }[] {
  const tables = useTables()
  const stars = useStars()
  const feeds = useFeeds()
  return [
    {
      title: 'Stars',
      names: (stars.data ?? []).flatMap((s) => s.facts.map((f) => ({ name: `${s.name}.${f}` }))),
    },
    {
      title: 'Tables',
      names: byNamespace(tables.data ?? [], '').flatMap((g) =>
        g.tables.map((t) => ({ name: t.name, rows: t.rows })),
      ),
    },
    {
      title: 'Feeds',
      names: (feeds.data ?? []).map((f) => ({ name: `feed.${f.name.replaceAll('-', '_')}` })),
    },
  ]
}

/** What can be asked: facts of stars, tables and feeds, each with its columns. */
function Sources({ onPick }: { onPick: (text: string) => void }) {
  const [wanted, setWanted] = useState('')
  const [open, setOpen] = useState('')
  const fits = (name: string) => name.toLowerCase().includes(wanted.trim().toLowerCase())
  const groups = useAskable()
  return (
    <Card title="What can be asked" className="self-start">
      <div className="p-2">
        <input
          className="input input-sm w-full"
          type="search"
          aria-label="Search what can be asked"
          placeholder="a part of a name"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
      </div>
      <div
        className="max-h-[60vh] overflow-auto pb-2"
        tabIndex={0}
        role="region"
        aria-label="Stars, tables and feeds"
      >
        {groups
          .map((g) => ({ ...g, names: g.names.filter((n) => fits(n.name)) }))
          .filter((g) => g.names.length > 0)
          .map((g) => (
            <section key={g.title}>
              <h3 className="quiet px-3 pt-1 font-sans text-[0.86rem] font-normal">{g.title}</h3>
              <ul>
                {g.names.map((t) => (
                  <li key={t.name}>
                    <button
                      type="button"
                      className="flex w-full items-baseline gap-2 px-3 py-1 text-left hover:bg-base-200"
                      aria-expanded={open === t.name}
                      onClick={() => setOpen(open === t.name ? '' : t.name)}
                    >
                      <span className="truncate font-semibold" title={t.name}>
                        {t.name}
                      </span>
                      {t.rows !== undefined && (
                        <span className="quiet ml-auto font-mono text-[0.86em]">{number(t.rows)}</span>
                      )}
                    </button>
                    {open === t.name && <Columns of={t.name} onPick={onPick} />}
                  </li>
                ))}
              </ul>
            </section>
          ))}
      </div>
    </Card>
  )
}

function Columns({ of, onPick }: { of: string; onPick: (text: string) => void }) {
  const columns = useColumns(of)
  return (
    <div className="border-y border-base-300 bg-base-200 px-3 py-1">
      <button type="button" className="btn btn-xs my-1" onClick={() => onPick(`SELECT * FROM ${of}`)}>
        Select its rows
      </button>
      {columns.isPending && <p className="quiet">Looking…</p>}
      {columns.error && <p style={{ color: 'var(--set-aside)' }}>{columns.error.message}</p>}
      {columns.data?.map((c) => (
        <div key={c.name} className="flex justify-between gap-2 text-[0.93em]">
          <span>{c.name}</span> <span className="quiet font-mono text-[0.86em]">{c.type}</span>
        </div>
      ))}
    </div>
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

const ChartView = lazy(() => import('../charts/ChartView'))

export default function QueryPage() {
  const tables = useTables()
  const first = tables.data?.find((t) => t.name.startsWith('mart.')) ?? tables.data?.[0]
  const [draft, setDraft] = useState<string>()
  const sql = draft ?? (first ? `SELECT * FROM ${first.name}` : '')
  const [history, setHistory] = useState(storedHistory)
  const [given, setGiven] = useState<Record<string, string>>({})
  const [selected, setSelected] = useState('')
  // What is selected is asked by itself, where it is a query.
  const part = /^\s*(select|with|values|describe|explain)\b/i.test(selected) ? selected : undefined
  // A name that is still being typed is none yet.
  const askable = new Set(useAskable().flatMap((g) => g.names.map((n) => n.name)))
  const named = useColumnsOfAll(namedIn(sql).filter((n) => askable.has(n.toLowerCase())))
  const names = parametersOf(sql)
  const asking = useRef<AbortController>(undefined)
  const query = useMutation({
    mutationFn: (text: string) => {
      const mine = new AbortController()
      asking.current = mine
      const next = remembered(history, text)
      setHistory(next)
      localStorage.setItem(HISTORY, JSON.stringify(next))
      const parameters = Object.fromEntries(parametersOf(text).map((n) => [n, given[n] ?? '']))
      return ask(
        api.POST('/api/v1/query', { body: { sql: text, limit: ROWS, parameters }, signal: mine.signal }),
      )
    },
  })
  // The service ends a query that nobody waits for any more.
  useEffect(() => () => asking.current?.abort(), [])
  const stopped = query.error?.name === 'AbortError'
  return (
    <Page
      title="Query"
      aside={
        <div className="flex gap-2">
          {history.length > 0 && (
            <select
              className="select select-sm w-64"
              aria-label="Asked before"
              value=""
              onChange={(e) => setDraft(e.target.value)}
            >
              <option value="">asked before</option>
              {history.map((h) => (
                <option key={h} value={h}>
                  {h.replace(/\s+/g, ' ').slice(0, 80)}
                </option>
              ))}
            </select>
          )}
          {query.isPending && (
            <button className="btn btn-sm" onClick={() => asking.current?.abort()}>
              Stop
            </button>
          )}
          <button
            className="btn btn-primary btn-sm"
            disabled={query.isPending || sql.trim() === ''}
            onClick={() => query.mutate(part ?? sql)}
          >
            {query.isPending ? 'Asking…' : part ? 'Ask the selection' : 'Ask'}
          </button>
        </div>
      }
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-4 md:grid-cols-[16rem_minmax(0,1fr)]">
        <Sources onPick={setDraft} />
        <div className="min-w-0">
          <Card>
            <Editor
              value={sql}
              onChange={setDraft}
              language="sql"
              label="SQL"
              height="9rem"
              onSelection={setSelected}
              offer={() => [
                ...named.map((c) => ({ label: c.name, detail: `${c.type}, ${c.of}`, kind: 'property' })),
                ...(tables.data ?? []).map((t) => ({
                  label: t.name,
                  detail: `${number(t.rows)} rows`,
                  kind: 'class',
                })),
              ]}
            />
            <Parameters names={names} values={given} onChange={setGiven} onAsk={() => query.mutate(sql)} />
          </Card>
          {stopped && (
            <p className="quiet" role="status">
              Stopped. Nothing was changed.
            </p>
          )}
          {query.error && !stopped && <Failed error={query.error} />}
          {query.data && query.data.notes.length > 0 && (
            <div
              className="card-paper mb-4 border-l-4 p-3"
              style={{ borderLeftColor: 'var(--merged)' }}
              role="status"
            >
              {query.data.notes.map((n) => (
                <p key={n}>{n}</p>
              ))}
            </div>
          )}
          {query.data && (
            <Card
              title={`${query.data.truncated ? 'The first ' : ''}${number(query.data.rows.length)} rows in ${duration(query.data.elapsedMillis)}`}
            >
              <Suspense>
                <ChartView key={query.submittedAt} result={query.data} />
              </Suspense>
              <RowsTable result={query.data} />
            </Card>
          )}
        </div>
      </div>
    </Page>
  )
}
