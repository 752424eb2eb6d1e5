import { useState } from 'react'
import { chosen } from './model'
import { useStepCatalog } from './queries'

/** What a step may be followed by: one line and an example each. */
export function Chooser({
  label = 'Steps that can be added',
  isBusy,
  onChoose,
  onClose,
}: {
  label?: string
  /** Whether a step is being added: no other is taken meanwhile. */
  isBusy: boolean
  onChoose: (verb: string) => void
  onClose: () => void
}) {
  const catalog = useStepCatalog()
  const [search, setSearch] = useState('')
  return (
    <div
      className="border-b border-base-300 px-3 py-2"
      role="group"
      aria-label={label}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <div className="flex items-center gap-3">
        <input
          className="input input-sm w-72"
          autoFocus
          aria-label="Search the steps"
          placeholder="what should happen to the rows?"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
        />
        <span className="quiet" role="status">
          {isBusy ? 'Adding it…' : label}
        </span>
      </div>
      <ul className="mt-2 max-h-56 overflow-auto">
        {chosen(catalog.data ?? [], search).map((d) => (
          <li key={d.verb}>
            <button
              type="button"
              className="flex w-full items-baseline gap-3 rounded px-2 py-1 text-left hover:bg-base-200 focus-visible:bg-base-200"
              aria-disabled={isBusy}
              onClick={() => !isBusy && onChoose(d.verb)}
            >
              <b className="w-24 shrink-0 font-mono text-[0.93em]">{d.verb}</b>
              <span className="grow">{d.about}</span>
              <code className="quiet hidden max-w-[40%] truncate font-mono text-[0.83em] lg:block">
                {d.examples[0]}
              </code>
            </button>
          </li>
        ))}
      </ul>
      <button type="button" className="btn btn-sm mt-1" onClick={onClose}>
        Close
      </button>
    </div>
  )
}
