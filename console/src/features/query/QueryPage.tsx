import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { api, ask } from '../../shared/api/client'
import { duration, number } from '../../shared/lib/format'
import { Editor } from '../../shared/ui/Editor'
import { Card, Failed, Page, RowsTable } from '../../shared/ui/parts'
import { useTables } from '../tables/queries'

const ROWS = 1000

export default function QueryPage() {
  const tables = useTables()
  const first = tables.data?.find((t) => t.name.startsWith('mart.')) ?? tables.data?.[0]
  const [draft, setDraft] = useState<string>()
  const sql = draft ?? (first ? `SELECT * FROM ${first.name}` : '')
  const asking = useRef<AbortController>(undefined)
  const query = useMutation({
    mutationFn: (text: string) => {
      const mine = new AbortController()
      asking.current = mine
      return ask(api.POST('/api/v1/query', { body: { sql: text, limit: ROWS }, signal: mine.signal }))
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
          {query.isPending && (
            <button className="btn btn-sm" onClick={() => asking.current?.abort()}>
              Stop
            </button>
          )}
          <button
            className="btn btn-primary btn-sm"
            disabled={query.isPending || sql.trim() === ''}
            onClick={() => query.mutate(sql)}
          >
            {query.isPending ? 'Asking…' : 'Ask'}
          </button>
        </div>
      }
    >
      <Card>
        <Editor
          value={sql}
          onChange={setDraft}
          language="sql"
          label="SQL"
          height="9rem"
          offer={() =>
            tables.data?.map((t) => ({ label: t.name, detail: `${number(t.rows)} rows`, kind: 'class' })) ??
            []
          }
        />
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
          <RowsTable result={query.data} />
        </Card>
      )}
    </Page>
  )
}
