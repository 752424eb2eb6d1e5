import { useEffect, useMemo, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { pageOf } from '../map/model'
import { useMap } from '../map/queries'
import { useAllColumns } from '../query/queries'
import { found, PAGES, type Place } from './model'

/** Columns are many: they are asked for when somebody has begun to type. */
const FROM_LETTERS = 2

/** Finds a page, feed, pipeline, step, table, column, star, view, sampler or run by its name, and goes there. */
export default function FindDialog({ onClose }: { onClose: () => void }) {
  const map = useMap()
  const navigate = useNavigate()
  const box = useRef<HTMLDialogElement>(null)
  const [wanted, setWanted] = useState('')
  const [at, setAt] = useState(0)
  useEffect(() => box.current?.showModal(), [])
  const columns = useAllColumns(wanted.length >= FROM_LETTERS)
  const places = useMemo<Place[]>(
    () => [
      ...PAGES,
      ...(map.data ?? []).map((p) => ({ kind: p.kind, name: p.name, to: pageOf(p) })),
      ...(map.data ?? []).flatMap((p) =>
        p.steps.map((step) => ({
          kind: 'step',
          name: step,
          of: p.name,
          to: `${pageOf(p)}?step=${encodeURIComponent(step)}`,
        })),
      ),
      ...(columns.data ?? []).map(({ table, column }) => ({
        kind: 'column',
        name: column,
        of: table,
        to: `/tables/${encodeURIComponent(table)}`,
      })),
    ],
    [map.data, columns.data],
  )
  const results = found(places, wanted)
  const go = (place: Place | undefined) => {
    if (place) {
      onClose()
      void navigate(place.to)
    }
  }
  return (
    <dialog
      ref={box}
      className="card-paper mx-auto mt-24 w-[36rem] max-w-[92vw] p-3 text-base-content backdrop:bg-black/30"
      aria-label="Find"
      onClose={onClose}
      onClick={(e) => e.target === box.current && onClose()}
    >
      <input
        className="input w-full"
        autoFocus
        role="combobox"
        aria-label="Find a page, feed, pipeline, step, table, column, star, view, sampler or run"
        aria-expanded
        aria-controls="found"
        aria-activedescendant={results[at] ? `found-${at}` : undefined}
        placeholder="a part of a name, or a run's number"
        value={wanted}
        onChange={(e) => {
          setWanted(e.target.value)
          setAt(0)
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
            e.preventDefault()
            const step = e.key === 'ArrowDown' ? 1 : -1
            setAt((n) => (results.length === 0 ? 0 : (n + step + results.length) % results.length))
          } else if (e.key === 'Enter') {
            go(results[at])
          }
        }}
      />
      <ul id="found" role="listbox" aria-label="Found" className="mt-2">
        {results.map((place, i) => (
          <li
            key={`${place.kind} ${place.name} ${place.to}`}
            id={`found-${i}`}
            role="option"
            aria-selected={i === at}
            className={`flex cursor-pointer items-baseline gap-3 rounded px-3 py-1.5 ${i === at ? 'bg-base-200' : ''}`}
            onMouseEnter={() => setAt(i)}
            onClick={() => go(place)}
          >
            <span className="quiet w-20 shrink-0 text-[0.86rem]">{place.kind}</span>
            <span className="font-semibold">{place.name}</span>
            {place.of && <span className="quiet truncate text-[0.86rem]">in {place.of}</span>}
          </li>
        ))}
        {results.length === 0 && <li className="quiet px-3 py-1.5">Nothing is called so.</li>}
      </ul>
    </dialog>
  )
}
