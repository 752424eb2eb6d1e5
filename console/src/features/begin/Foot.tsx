import type { Schemas } from '../../shared/api/client'
import type { Growth } from './model'

export type StageProps = {
  growth: Growth
  steps: Schemas['StepView'][]
  /** Puts steps behind the last one, one behind the other. */
  onAdd: (steps: { verb: string; body?: string; other?: string }[]) => void
  onSkip: () => void
}

/** What goes on from a question. */
export function Foot({
  label,
  disabled,
  onNext,
  onSkip,
}: {
  label: string
  disabled?: boolean
  onNext: () => void
  onSkip?: () => void
}) {
  return (
    <div className="mt-3 flex gap-2 border-t border-base-300 pt-3">
      <button type="button" className="btn btn-primary btn-sm" disabled={disabled} onClick={onNext}>
        {label}
      </button>
      {onSkip && (
        <button type="button" className="btn btn-sm" onClick={onSkip}>
          Go on without
        </button>
      )}
    </div>
  )
}
