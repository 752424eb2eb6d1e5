import type { Schemas } from '../../shared/api/client'
import { Bars } from '../../shared/ui/Bars'
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
    <Bars
      label={`Share set aside over ${history.length} intakes`}
      bars={shareBars(history, width, height)}
      width={width}
      height={height}
    />
  )
}
