import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { Card, Failed } from '../../shared/ui/parts'
import { compacted, expired, saved } from './model'
import { useCompactTable, useExpireTable, useTableHealth } from './queries'

/** How a table does, who uses it, and what can be done for it. */
export function CarePanel({ table }: { table: Schemas['TableDetail'] }) {
  const name = table.summary.name
  const health = useTableHealth(name)
  const compact = useCompactTable(name)
  const expire = useExpireTable(name)
  const h = health.data
  const busy = compact.isPending || expire.isPending
  return (
    <Card>
      <div className="flex flex-wrap items-start gap-x-8 gap-y-2 p-3">
        <div className="min-w-64 flex-1">
          {h?.findings.length === 0 && (
            <p>
              <b style={{ color: 'var(--side)' }}>All is well</b> with its files and partitions.
            </p>
          )}
          {h?.findings.map((f) => (
            <p key={f.code}>
              <b style={{ color: 'var(--merged)' }}>{f.code.replace('-', ' ')}</b> {f.message}.
            </p>
          ))}
          {h && saved(h) && <p className="quiet">It takes {saved(h)}.</p>}
          {table.sortedBy.length > 0 && (
            <p className="quiet">Blocks are sorted by {table.sortedBy.join(', ')}.</p>
          )}
          {table.foundBy.length > 0 && (
            <p className="quiet">Blocks have Bloom filters of {table.foundBy.join(', ')}.</p>
          )}
          <p className="quiet">
            Other readers open{' '}
            <code className="font-mono text-[0.86em] break-all">{table.summary.metadataLocation}</code>
          </p>
          {compact.data && <p role="status">{compacted(compact.data)}</p>}
          {expire.data && <p role="status">{expired(expire.data)}</p>}
          {[health, compact, expire].map((q, i) => q.error && <Failed key={i} error={q.error} />)}
        </div>
        <ul className="min-w-48">
          {table.uses.map((u) => (
            <li key={`${u.pipeline} ${u.step}`}>
              <span className="quiet">{u.writes ? 'written by' : 'read by'}</span>{' '}
              <Link className="name" to={`/pipelines/${u.pipeline}`}>
                {u.pipeline}
              </Link>
              {u.writes && (
                <span className="quiet">
                  {' '}
                  · {u.mode}
                  {u.key.length > 0 && ` by ${u.key.join(', ')}`}
                </span>
              )}
            </li>
          ))}
        </ul>
        <div className="flex gap-2">
          <button
            type="button"
            className="btn btn-sm"
            disabled={busy}
            onClick={() => compact.mutate(undefined)}
          >
            {compact.isPending ? 'Putting together…' : 'Compact'}
          </button>
          <button
            type="button"
            className="btn btn-sm"
            disabled={busy}
            title="Forgets snapshots older than seven days but for the newest five, and removes the files that none has any more"
            onClick={() => expire.mutate(undefined)}
          >
            {expire.isPending ? 'Forgetting…' : 'Expire snapshots'}
          </button>
        </div>
      </div>
    </Card>
  )
}
