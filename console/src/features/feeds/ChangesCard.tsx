import { Failed } from '../../shared/ui/parts'
import { useAcceptChanges, useFeedChanges } from './queries'

/** How the newest files differ from the contract, and the one click that accepts it. */
export function ChangesCard({ name }: { name: string }) {
  const changes = useFeedChanges(name)
  const accept = useAcceptChanges(name)
  if (!changes.data || changes.data.changes.length === 0) {
    return null
  }
  return (
    <div
      className="card-paper mb-4 border-l-4 p-3"
      style={{ borderLeftColor: 'var(--merged)' }}
      role="status"
    >
      <p className="font-semibold">The newest files are not as the contract says</p>
      <ul className="my-1">
        {changes.data.changes.map((c) => (
          <li key={c.kind + c.field}>
            <b>{c.kind}</b>: {c.found}
            {c.proposed && (
              <>
                ; it would be <code className="font-mono">{c.proposed}</code>
              </>
            )}
          </li>
        ))}
      </ul>
      {changes.data.acceptable && (
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={accept.isPending}
          onClick={() => accept.mutate(undefined)}
        >
          Accept as version {changes.data.version + 1}
        </button>
      )}
      {accept.data?.left.map((l) => (
        <p key={l} className="mt-1">
          Not accepted, change the feed by hand: {l}
        </p>
      ))}
      {accept.error && <Failed error={accept.error} />}
    </div>
  )
}
