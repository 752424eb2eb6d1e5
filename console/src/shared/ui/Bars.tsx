import { Link } from 'react-router'
import type { PlacedBar } from './bars'

/** A small chart of bars; each may lead to a page. */
export function Bars({
  bars,
  label,
  width,
  height,
  to,
}: {
  bars: PlacedBar[]
  label: string
  width: number
  height: number
  to?: (key: string) => string
}) {
  return (
    <svg width={width} height={height} role={to ? 'group' : 'img'} aria-label={label}>
      {bars.map((b) => {
        const rect = (
          <rect x={b.x} y={b.y} width={b.width} height={b.height} fill={b.colour} rx={1}>
            <title>{b.title}</title>
          </rect>
        )
        return to ? (
          <Link key={b.key} to={to(b.key)} aria-label={b.title}>
            {rect}
          </Link>
        ) : (
          <g key={b.key}>{rect}</g>
        )
      })}
    </svg>
  )
}
