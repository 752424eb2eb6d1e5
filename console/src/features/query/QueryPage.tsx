import { useEffect, useState } from 'react'
import { useSearchParams } from 'react-router'
import { Loading, Page } from '../../shared/ui/parts'
import { useTables } from '../tables/queries'
import { remembered } from './model'
import { changed, closed, isFull, opened, store, storedSheets, titleOf } from './sheets'
import { RunningNow } from './RunningNow'
import { SheetView } from './SheetView'
import { Sources } from './Sources'
import { useViews, type View } from './views'

const HISTORY = 'yardage-queries'
const MOST_LISTED = 20

function storedHistory(): string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(HISTORY) ?? '[]')
    return Array.isArray(kept) ? kept.filter((k): k is string => typeof k === 'string') : []
  } catch {
    return []
  }
}

export default function QueryPage() {
  const tables = useTables()
  const first = tables.data?.find((t) => t.name.startsWith('mart.')) ?? tables.data?.[0]
  return (
    <Page title="Query">
      {tables.isPending ? (
        <Loading what="tables" />
      ) : (
        <Desk first={first ? `SELECT * FROM ${first.name}` : ''} />
      )}
    </Page>
  )
}

const opening = (v: View) => ({ name: v.name, about: v.about, version: v.version })

/** Queries side by side, each with its answer; they are there again the next time. */
function Desk({ first }: { first: string }) {
  const [sheets, setSheets] = useState(() => storedSheets(first))
  const [history, setHistory] = useState(storedHistory)
  const [wanted, setWanted] = useState('')
  const [handled, setHandled] = useState('')
  useEffect(() => store(sheets), [sheets])
  const views = useViews()
  const [search] = useSearchParams()
  const named = views.data?.find((v) => v.name === search.get('view'))
  if (named && handled !== named.name) {
    // Another page has sent the reader here for a view: it opens once.
    setHandled(named.name)
    setSheets(opened(sheets, named.sql, opening(named)))
  }
  const asked = (sql: string) => {
    const next = remembered(history, sql)
    setHistory(next)
    localStorage.setItem(HISTORY, JSON.stringify(next))
  }
  const fitting = history.filter((h) => h.toLowerCase().includes(wanted.trim().toLowerCase()))
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4 md:grid-cols-[16rem_minmax(0,1fr)]">
      <div className="min-w-0">
        <Sources
          onPick={(text) => setSheets(changed(sheets, sheets.shown, { text, view: undefined }))}
          onOpen={(v) => setSheets(opened(sheets, v.sql, opening(v)))}
        />
        {history.length > 0 && (
          <details className="card-paper p-2">
            <summary className="cursor-pointer font-semibold">Asked before</summary>
            <input
              className="input input-sm my-2 w-full"
              type="search"
              aria-label="Search what was asked before"
              placeholder="words of a query"
              value={wanted}
              onChange={(e) => setWanted(e.target.value)}
            />
            <ul aria-label="Asked before">
              {fitting.slice(0, MOST_LISTED).map((h) => (
                <li key={h}>
                  <button
                    type="button"
                    className="w-full truncate px-1 py-0.5 text-left font-mono text-[0.86em] hover:bg-base-200"
                    title={h}
                    onClick={() => setSheets(opened(sheets, h))}
                  >
                    {h.replace(/\s+/g, ' ').slice(0, 120)}
                  </button>
                </li>
              ))}
            </ul>
            {fitting.length === 0 && <p className="quiet px-1">None has these words.</p>}
          </details>
        )}
        <RunningNow />
      </div>
      <div className="min-w-0">
        <div className="mb-2 flex flex-wrap items-center gap-1">
          <div role="tablist" aria-label="Queries" className="flex flex-wrap gap-1">
            {sheets.all.map((s) => (
              <button
                key={s.id}
                type="button"
                role="tab"
                id={`sheet-tab-${s.id}`}
                aria-selected={s.id === sheets.shown}
                aria-controls={`sheet-${s.id}`}
                className={`max-w-44 truncate rounded-t border-b-2 px-3 py-1 ${s.id === sheets.shown ? 'border-primary font-semibold' : 'quiet border-transparent'}`}
                title={s.text}
                onClick={() => setSheets({ ...sheets, shown: s.id })}
              >
                {titleOf(s)}
              </button>
            ))}
          </div>
          <button
            type="button"
            className="btn btn-xs"
            disabled={isFull(sheets)}
            title={isFull(sheets) ? 'Close one first' : 'Another query beside these'}
            onClick={() => setSheets(opened(sheets, ''))}
          >
            New
          </button>
          <button
            type="button"
            className="btn btn-xs"
            title="Close this query"
            onClick={() => setSheets(closed(sheets, sheets.shown))}
          >
            Close
          </button>
        </div>
        {sheets.all.map((s) => (
          <div
            key={s.id}
            role="tabpanel"
            id={`sheet-${s.id}`}
            aria-labelledby={`sheet-tab-${s.id}`}
            hidden={s.id !== sheets.shown}
          >
            <SheetView
              sheet={s}
              onChange={(next) => setSheets((now) => changed(now, s.id, next))}
              onAsked={asked}
            />
          </div>
        ))}
      </div>
    </div>
  )
}
