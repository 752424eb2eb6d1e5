import { useState } from 'react'
import { number, toggled } from '../../shared/lib/format'
import { useAllColumns } from '../query/queries'
import { Foot, type StageProps } from './Foot'
import { isTrimmed, lookUps, type Other } from './model'
import { LOOKED_AT, useMatch } from './queries'

function Match({
  trimmed,
  source,
  other,
  checked,
  onToggle,
}: {
  trimmed: boolean
  source: string
  other: Other
  checked: boolean
  onToggle: () => void
}) {
  const match = useMatch(source, other, trimmed)
  // Where several rows have one value, each row here would come several times.
  if (match.data && match.data.repeated > 0) {
    return null
  }
  const share = match.data && match.data.rows > 0 ? match.data.found / match.data.rows : undefined
  return (
    <label className="flex items-center gap-2 py-1">
      <input type="checkbox" className="checkbox checkbox-sm" checked={checked} onChange={onToggle} />
      <span>
        <b>{other.table}</b> by <span className="font-mono text-[0.93em]">{other.column}</span>
        <span className="quiet ml-2 text-[0.9rem]">
          {match.isPending
            ? 'comparing values…'
            : match.error
              ? match.error.message
              : share === undefined
                ? 'no value to compare'
                : `${(100 * share).toFixed(1)} % of ${number(match.data?.rows ?? 0)} rows find a row there`}
        </span>
      </span>
    </label>
  )
}

/** Tables whose rows belong beside these. */
export function LookUp({
  growth,
  steps,
  onSkip,
  onJoin,
}: StageProps & { onJoin: (others: Other[]) => void }) {
  const all = useAllColumns()
  const columns = steps.find((s) => s.name === growth.last)?.columns ?? []
  const offers = lookUps(columns, all.data ?? []).filter((o) => o.table !== growth.source)
  const [picked, setPicked] = useState<Other[]>([])
  return (
    <>
      <p>
        Tables with a column of the same name and type, in which no value comes twice. What they have besides
        is put beside the rows; rows that find none stay, with nulls.
      </p>
      {all.isPending && <p role="status">Looking through the tables…</p>}
      {all.data && offers.length === 0 && <p className="quiet mt-2">No table has such a column.</p>}
      <div className="mt-2">
        {offers.map((o) => (
          <Match
            key={`${o.table} ${o.column}`}
            trimmed={isTrimmed(growth.text, o.column)}
            source={growth.source}
            other={o}
            checked={picked.includes(o)}
            onToggle={() => setPicked(toggled(picked, o))}
          />
        ))}
      </div>
      <p className="quiet mt-1 text-[0.86rem]">Of the first {number(LOOKED_AT)} rows.</p>
      <Foot
        label="Look them up"
        disabled={picked.length === 0}
        onNext={() => onJoin(picked)}
        onSkip={onSkip}
      />
    </>
  )
}
