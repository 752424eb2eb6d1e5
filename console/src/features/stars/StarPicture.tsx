import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { starPicture } from './model'

/** Facts in the middle, dimensions around them, and a line for each key. */
export function StarPicture({ star }: { star: Schemas['StarDetail'] }) {
  const picture = starPicture(star)
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${picture.width} ${picture.height}`}
      style={{ maxWidth: picture.width }}
      role="group"
      aria-label={`The star ${star.summary.name}: ${picture.boxes.length} tables, ${picture.lines.length} keys`}
    >
      {picture.lines.map((l) => (
        <path key={l.key} d={l.path} fill="none" stroke="var(--side)" strokeWidth={1.5}>
          <title>{l.title}</title>
        </path>
      ))}
      {picture.boxes.map((b) => (
        <Link key={b.name} to={`/tables/${b.table}`}>
          <title>{`${b.name} ${b.words}, ${b.kind}, table ${b.table}`}</title>
          <rect
            x={b.x}
            y={b.y}
            width={b.width}
            height={b.height}
            rx={5}
            fill={b.kind === 'fact' ? 'var(--flow)' : 'var(--color-base-100)'}
            stroke={b.kind === 'fact' ? 'none' : 'var(--side)'}
          />
          <text
            x={b.x + b.width / 2}
            y={b.y + 19}
            textAnchor="middle"
            fontSize={14}
            fontWeight={600}
            fill={b.kind === 'fact' ? '#fff' : 'currentColor'}
          >
            {b.name}
          </text>
          <text
            x={b.x + b.width / 2}
            y={b.y + 36}
            textAnchor="middle"
            fontSize={12}
            fill={b.kind === 'fact' ? '#ffffffcc' : 'var(--quiet)'}
          >
            {b.words}
          </text>
        </Link>
      ))}
    </svg>
  )
}
