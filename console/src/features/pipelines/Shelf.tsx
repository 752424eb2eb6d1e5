import { useState } from 'react'
import { Failed } from '../../shared/ui/parts'
import { useKeepOnShelf, useShelf, useTakeOffShelf } from './queries'

/** Keeps steps by a name, for everybody or for oneself. */
export function KeepOnShelf({ steps, onClose }: { steps: string; onClose: () => void }) {
  const keep = useKeepOnShelf()
  const [name, setName] = useState('')
  const [about, setAbout] = useState('')
  const [mine, setMine] = useState(false)
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-b border-base-300 px-3 py-2"
      aria-label="Keep on the shelf"
      onSubmit={(e) => {
        e.preventDefault()
        keep.mutate({ name, about, steps, mine }, { onSuccess: onClose })
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <input
        className="input input-sm w-44 font-mono"
        autoFocus
        aria-label="Name on the shelf"
        placeholder="a-name"
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        className="input input-sm min-w-60 grow"
        aria-label="What it does"
        placeholder="what it does, in a sentence"
        value={about}
        onChange={(e) => setAbout(e.target.value)}
      />
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          className="checkbox checkbox-sm"
          checked={mine}
          onChange={(e) => setMine(e.target.checked)}
        />
        only for me
      </label>
      <button type="submit" className="btn btn-sm" disabled={name === '' || keep.isPending}>
        Keep it
      </button>
      {keep.error && <Failed error={keep.error} />}
    </form>
  )
}

/** What is on the shelf, by a part of its name or of what it does. */
export function TakeFromShelf({ onTake }: { onTake: (text: string) => void }) {
  const shelf = useShelf()
  const remove = useTakeOffShelf()
  const [wanted, setWanted] = useState('')
  const all = shelf.data ?? []
  const fitting = all.filter((s) =>
    `${s.name} ${s.about} ${s.steps.join(' ')}`.toLowerCase().includes(wanted.trim().toLowerCase()),
  )
  if (all.length === 0) {
    return <p className="quiet mt-2">Nothing is on the shelf yet. Steps come there from their own buttons.</p>
  }
  return (
    <div className="mt-2" role="group" aria-label="The shelf">
      <input
        className="input input-sm w-60"
        type="search"
        aria-label="Search the shelf"
        placeholder="on the shelf: a part of a name"
        value={wanted}
        onChange={(e) => setWanted(e.target.value)}
      />
      <ul className="max-h-40 overflow-auto">
        {fitting.map((s) => (
          <li key={s.name} className="flex items-baseline gap-2 py-0.5">
            <button type="button" className="name underline" onClick={() => onTake(s.text)}>
              {s.name}
            </button>
            <span className="quiet min-w-0 grow truncate text-[0.9rem]">
              {s.about} ({s.steps.join(', ')}; {s.mine ? 'only for you' : `by ${s.savedBy}`})
            </span>
            <button
              type="button"
              className="quiet min-h-[24px] min-w-[24px]"
              aria-label={`Take ${s.name} off the shelf`}
              onClick={() => remove.mutate(s.name)}
            >
              ✕
            </button>
          </li>
        ))}
      </ul>
      {remove.error && <Failed error={remove.error} />}
    </div>
  )
}
