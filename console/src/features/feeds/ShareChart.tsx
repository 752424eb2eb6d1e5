import type { Schemas } from '../../shared/api/client'
import { shareBars } from './model'

/** The share set aside of each intake, oldest first. */
export function ShareChart({
  history,
  width = 96,
  height = 20,
}: {
  history: Schemas['FeedIntake'][]
  width?: number
  height?: number
}) {
  if (history.length === 0) {
    return <span className="quiet">no intake yet</span>
  }
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={`Share set aside over ${history.length} intakes`}
    >
      {shareBars(history, width, height).map((b) => (
        <rect
          key={b.x}
          x={b.x}
          y={height - b.height}
          width={b.width}
          height={b.height}
          fill={b.height > 1 ? 'var(--set-aside)' : 'var(--quiet)'}
        >
          <title>{b.title}</title>
        </rect>
      ))}
    </svg>
  )
}
