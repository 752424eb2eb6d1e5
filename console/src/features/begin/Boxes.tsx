import { toggled } from '../../shared/lib/format'

/** Boxes of which several can be ticked. */
export function Boxes({
  label,
  className,
  all,
  picked,
  onPick,
}: {
  label: string
  className: string
  all: { name: string; words?: string }[]
  picked: string[]
  onPick: (next: string[]) => void
}) {
  return (
    <div className={`overflow-auto ${className}`} tabIndex={0} role="region" aria-label={label}>
      {all.map(({ name, words }) => (
        <label key={name} className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            className="checkbox checkbox-sm"
            checked={picked.includes(name)}
            onChange={() => onPick(toggled(picked, name))}
          />
          <span className="font-mono text-[0.93em]">{name}</span>
          {words && <span className="quiet text-[0.9rem]">{words}</span>}
        </label>
      ))}
    </div>
  )
}
