import type { Schemas } from '../../shared/api/client'
import { ZONES } from './result'

/** In which zone the times of an answer are shown; nothing where it has none, or there is but one zone. */
export function ZoneChoice({
  columns,
  zone,
  onPick,
}: {
  columns: Schemas['ResultColumn'][]
  zone: string
  onPick: (zone: string) => void
}) {
  return columns.some((c) => c.type.startsWith('timestamp')) && ZONES.length > 1 ? (
    <label className="flex items-center gap-1.5">
      <span className="quiet">times in</span>
      <select className="select select-sm w-44" value={zone} onChange={(e) => onPick(e.target.value)}>
        {ZONES.map((z) => (
          <option key={z}>{z}</option>
        ))}
      </select>
    </label>
  ) : null
}
