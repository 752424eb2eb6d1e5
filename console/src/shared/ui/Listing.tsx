import type { ReactNode } from 'react'
import { useAddress } from '../lib/address'
import { number } from '../lib/format'
import { foundIn, ordered } from './listed'

export type ListColumn<T> = {
  head: string
  /** What its rows are sorted by; a column without it cannot sort. */
  by?: (item: T) => string | number | undefined
  cell: (item: T) => ReactNode
  /** Of a head and its cells. */
  className?: string
  /** Of cells alone. */
  cellClass?: string
}

/** What a list is narrowed to and sorted by. The address says it, so that a list can be sent as it is seen. */
function useWanted() {
  const [search, changeAddress] = useAddress()
  const change = (values: Record<string, string | undefined>) =>
    changeAddress(
      (now) => {
        Object.entries(values).forEach(([name, value]) =>
          value === undefined || value === '' ? now.delete(name) : now.set(name, value),
        )
        return now
      },
      { replace: true },
    )
  return {
    find: search.get('find') ?? '',
    by: search.get('by') ?? '',
    down: search.has('down'),
    change,
  }
}

/** The words that a list is narrowed to. */
export function useFind(): string {
  return useWanted().find
}

/** Where words are typed that a list is narrowed to. */
export function Find({ label, placeholder }: { label: string; placeholder: string }) {
  const { find, change } = useWanted()
  return (
    <input
      className="input input-sm w-72 max-w-full"
      type="search"
      aria-label={label}
      placeholder={placeholder}
      value={find}
      onChange={(e) => change({ find: e.target.value })}
    />
  )
}

/** Items as a ledger, sorted by a click on a head. */
export function Ledger<T>({
  items,
  columns,
  keyOf,
  className = '',
}: {
  items: T[]
  columns: ListColumn<T>[]
  keyOf: (item: T) => string
  className?: string
}) {
  const { by, down, change } = useWanted()
  const shown = ordered(items, columns.find((c) => c.head === by)?.by, down)
  const turn = (head: string) =>
    change(
      by !== head
        ? { by: head, down: undefined }
        : down
          ? { by: undefined, down: undefined }
          : { by: head, down: '1' },
    )
  return (
    <table className={`ledger ${className}`}>
      <thead>
        <tr>
          {columns.map((c) => (
            <th
              key={c.head}
              className={c.className}
              aria-sort={by === c.head && c.by ? (down ? 'descending' : 'ascending') : undefined}
            >
              {c.by ? (
                <button type="button" title={`Sort by ${c.head}`} onClick={() => turn(c.head)}>
                  {c.head}
                  {by === c.head && (down ? ' ↓' : ' ↑')}
                </button>
              ) : (
                c.head
              )}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {shown.map((item) => (
          <tr key={keyOf(item)}>
            {columns.map((c) => (
              <td key={c.head} className={`${c.className ?? ''} ${c.cellClass ?? ''}`}>
                {c.cell(item)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** A ledger that is narrowed by words. */
export function Listing<T>({
  items,
  words,
  ...ledger
}: {
  items: T[]
  /** What is searched of an item. */
  words: (item: T) => (string | undefined)[]
  columns: ListColumn<T>[]
  keyOf: (item: T) => string
}) {
  const find = useFind()
  const found = items.filter((item) => foundIn(find, words(item)))
  return (
    <>
      {find.trim() !== '' && (
        <p className="quiet px-3 py-1.5" role="status">
          {found.length === 0
            ? `Nothing has [${find}] in it.`
            : `${number(found.length)} of ${number(items.length)}`}
        </p>
      )}
      {found.length > 0 && <Ledger items={found} {...ledger} />}
    </>
  )
}
