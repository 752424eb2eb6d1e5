import { useState } from 'react'
import { useNavigate } from 'react-router'
import { Failed } from '../../shared/ui/parts'
import { useStateChange, type Kind } from './queries'

/** Pauses, resumes and removes a pipeline or feed. Removing asks once more. */
export function StateButtons({ kind, name, paused }: { kind: Kind; name: string; paused?: string }) {
  const change = useStateChange(kind, name)
  const navigate = useNavigate()
  const [asks, setAsks] = useState(false)
  return (
    <>
      <button
        type="button"
        className="btn btn-sm"
        disabled={change.isPending}
        onClick={() => change.mutate(paused ? 'resume' : 'pause')}
      >
        {paused ? 'Resume' : 'Pause'}
      </button>
      {asks ? (
        <button
          type="button"
          className="btn btn-error btn-sm"
          disabled={change.isPending}
          onBlur={() => setAsks(false)}
          onClick={() => change.mutate('remove', { onSuccess: () => void navigate(`/${kind}`) })}
        >
          Really remove
        </button>
      ) : (
        <button type="button" className="btn btn-sm" onClick={() => setAsks(true)}>
          Remove
        </button>
      )}
      {change.error && <Failed error={change.error} />}
    </>
  )
}

/** That something is paused, by whom and why. */
export function PausedNote({ paused }: { paused?: string }) {
  return paused ? (
    <p className="card-paper mb-4 border-l-4 p-3" style={{ borderLeftColor: 'var(--merged)' }} role="status">
      It is {paused}.
    </p>
  ) : null
}
