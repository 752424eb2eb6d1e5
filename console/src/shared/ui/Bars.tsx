import { Link } from 'react-router'
import { placeBars, type BarValue } from './bars'

/** A small chart of bars; each may lead to a page. */
export function Bars({
  values,
  label,
  width = 280,
  height = 48,
  widest,
  to,
}: {
  values: BarValue[]
  label: string
  width?: number
  height?: number
  widest?: number
  to?: (key: string) => string
}) {
  return (
    <svg width={width} height={height} role="img" aria-label={label}>
      {placeBars(values, width, height, widest).map((b) => {
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
