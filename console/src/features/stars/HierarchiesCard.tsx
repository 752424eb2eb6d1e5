import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Card, Failed, Loading } from '../../shared/ui/parts'
import { useHierarchies, useKeepHierarchy } from './queries'

type Found = Schemas['Found']

const keyOf = (f: Found) => `${f.dimension} ${f.levels.map((l) => l.column).join(' ')}`

function Proposal({ star, found }: { star: string; found: Found }) {
  const keep = useKeepHierarchy(star)
  const [name, setName] = useState(found.name)
  const same = found.levels.filter((l) => l.same.length > 0)
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-t border-base-300 px-3 py-1.5"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate({ dimension: found.dimension, name, levels: found.levels.map((l) => l.column) })
      }}
    >
      <b>{found.dimension}</b>
      <span className="font-mono text-[0.93em]">
        {found.levels.map((l, i) => (
          <span key={l.column}>
            {i > 0 && ' › '}
            {l.column} <span className="quiet">{number(l.values)}</span>
          </span>
        ))}
      </span>
      <span className="quiet text-[0.9rem]">
        {found.share < 1 &&
          `${(100 * found.share).toFixed(1)} % of the finest stand under one value of each above. `}
        {same.map((l) => `${l.same.join(', ')} says the same as ${l.column}. `)}
      </span>
      <span className="ml-auto flex gap-2">
        <input
          className="input input-sm w-32 font-mono"
          aria-label={`Name of the hierarchy of ${found.dimension}`}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button
          type="submit"
          className="btn btn-sm"
          aria-label={`Keep ${found.levels.map((l) => l.column).join(', ')}`}
          disabled={keep.isPending || name.trim() === ''}
        >
          Keep
        </button>
      </span>
      {keep.error && (
        <div className="w-full">
          <Failed error={keep.error} />
        </div>
      )}
    </form>
  )
}

/** The hierarchies that a star has, and those that its rows suggest. */
export function HierarchiesCard({ star }: { star: Schemas['StarDetail'] }) {
  const found = useHierarchies(star.summary.name)
  const kept = star.dimensions.flatMap((d) =>
    Object.entries(d.hierarchies).map(([name, levels]) => ({ dimension: d.name, name, levels })),
  )
  return (
    <Card title="Hierarchies">
      {kept.map((h) => (
        <p key={`${h.dimension} ${h.name}`} className="px-3 py-1.5">
          <b>{h.dimension}</b> {h.name}:{' '}
          <span className="font-mono text-[0.93em]">{h.levels.join(' › ')}</span>
        </p>
      ))}
      {kept.length === 0 && (
        <p className="quiet px-3 py-1.5">
          None is in the document yet. With one, a click on a bar goes to what it is made of.
        </p>
      )}
      {found.isPending && <Loading what="what the rows suggest" />}
      {found.error && <Failed error={found.error} />}
      {found.data && found.data.length > 0 && (
        <p className="quiet px-3 py-1.5">
          The rows suggest these: each value stands under one value of the column before it.
        </p>
      )}
      {found.data?.map((f) => (
        <Proposal key={keyOf(f)} star={star.summary.name} found={f} />
      ))}
    </Card>
  )
}
