import { Pin } from 'lucide-react'
import {
  Fragment,
  memo,
  useEffect,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type CSSProperties,
} from 'react'
import type { Schemas } from '../api/client'
import { isNumeric, toggled } from '../lib/format'
import { Value } from './parts'
import { columnsIn, windowOf, type Extent } from './windowed'

export type Sort = { column: number; down: boolean }

/** Where nothing is laid out, and before it is, so much is taken to be in sight. */
const IN_SIGHT = 800
const WIDE = 1200

type Props = {
  columns: Schemas['ResultColumn'][]
  total: number
  /** The values of a row; none while they are on their way. */
  row: (at: number) => unknown[] | undefined
  sort?: Sort
  onSort: (sort: Sort | undefined) => void
  /** Told which rows are in sight. */
  onInSight?: (extent: Extent) => void
  /** Columns whose values can be picked. */
  picks?: string[]
  onPick?: (column: string, value: unknown) => void
}

/** The next order of a column's header: up, down, as the rows came. */
const turned = (sort: Sort | undefined, column: number): Sort | undefined =>
  sort?.column !== column ? { column, down: false } : sort.down ? undefined : { column, down: true }

type Layout = {
  columns: Schemas['ResultColumn'][]
  /** Places of the columns that are drawn, from the left. */
  order: number[]
  /** How many of these are pinned, and the room of those that are not drawn. */
  pinned: number
  before: number
  behind: number
  styles: (CSSProperties | undefined)[]
  numeric: boolean[]
  picks: string[]
}

/** The value of before as long as the new one says the same. */
function useSame(now: Layout): Layout {
  const words = JSON.stringify(now)
  return useMemo(() => now, [words])
}

/** The room of columns that are not drawn, behind a place of those that are. */
const Skipped = ({ width }: { width: number }) =>
  width > 0 && <td aria-hidden="true" style={{ minWidth: width, padding: 0 }} />

/** A row; one that stays in sight is not drawn again. */
const GridRow = memo(function GridRow({
  at,
  values,
  layout,
  onPick,
}: {
  at: number
  values: unknown[] | undefined
  layout: Layout
  onPick?: (column: string, value: unknown) => void
}) {
  return (
    <tr aria-rowindex={at + 2}>
      {layout.order.map((i, place) => {
        const name = layout.columns[i]?.name ?? ''
        const style = layout.styles[place]
        return (
          <Fragment key={i}>
            {place === layout.pinned && <Skipped width={layout.before} />}
            <td
              aria-colindex={i + 1}
              className={`${layout.numeric[i] ? 'num' : 'font-mono text-[0.9em]'} ${style ? 'bg-base-100' : ''}`}
              style={style}
            >
              {values === undefined ? (
                <span className="quiet">…</span>
              ) : onPick && layout.picks.includes(name) ? (
                <button
                  type="button"
                  className="underline decoration-dotted"
                  title={`Only ${name} ${String(values[i])}`}
                  onClick={() => onPick(name, values[i])}
                >
                  <Value value={values[i]} />
                </button>
              ) : (
                <Value value={values[i]} />
              )}
            </td>
          </Fragment>
        )
      })}
      <Skipped width={layout.behind} />
    </tr>
  )
})

/** Rows and columns of which only those in sight are drawn, however many there are. Columns can be pinned to the left. */
export function Grid({ columns, total, row, sort, onSort, onInSight, picks = [], onPick }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const heads = useRef<(HTMLTableCellElement | null)[]>([])
  const [at, setAt] = useState({ top: 0, height: IN_SIGHT, left: 0, width: WIDE })
  const [pinned, setPinned] = useState<number[]>([])
  const [widths, setWidths] = useState<number[]>([])
  const numeric = useMemo(() => columns.map((c) => isNumeric(c.type)), [columns])
  const shown = windowOf(total, at.top, at.height)
  useEffect(() => {
    onInSight?.({ first: shown.first, last: shown.last })
  }, [onInSight, shown.first, shown.last])
  const moving = columns.map((_, i) => i).filter((i) => !pinned.includes(i))
  const across = columnsIn(
    moving.map((i) => widths[i] ?? 0),
    at.left,
    at.width,
  )
  const order = [...pinned, ...moving.slice(across.first, across.last)]
  // Columns only grow, so that they do not tremble while rows pass.
  useLayoutEffect(() => {
    const next = columns.map((_, i) => Math.max(widths[i] ?? 0, heads.current[i]?.offsetWidth ?? 0))
    if (next.some((w, i) => w > (widths[i] ?? 0))) {
      setWidths(next)
    }
  })
  const styles = order.map((i, place): CSSProperties | undefined =>
    pinned.includes(i)
      ? {
          position: 'sticky',
          left: order.slice(0, place).reduce((sum, o) => sum + (widths[o] ?? 0), 0),
          zIndex: 1,
        }
      : undefined,
  )
  const layout = useSame({
    columns,
    order,
    pinned: pinned.length,
    before: across.before,
    behind: across.behind,
    styles,
    numeric,
    picks,
  })
  const scrolled = () => {
    const element = box.current
    if (element) {
      setAt({
        top: element.scrollTop,
        height: element.clientHeight || IN_SIGHT,
        left: element.scrollLeft,
        width: element.clientWidth || WIDE,
      })
    }
  }
  useLayoutEffect(scrolled, [])
  const rows = Array.from({ length: shown.last - shown.first }, (_, i) => shown.first + i)
  const spacer = (height: number) =>
    height > 0 && (
      <tr aria-hidden="true">
        <td colSpan={order.length + 2} style={{ height, padding: 0, border: 0 }} />
      </tr>
    )
  return (
    <div
      ref={box}
      className="overflow-auto"
      style={{ maxHeight: '60vh' }}
      tabIndex={0}
      role="region"
      aria-label="Rows"
      onScroll={scrolled}
    >
      <table className="ledger" aria-rowcount={total + 1} aria-colcount={columns.length}>
        <thead className="sticky top-0 z-10 bg-base-100">
          <tr>
            {order.map((i, place) => {
              const c = columns[i]!
              const isPinned = pinned.includes(i)
              return (
                <Fragment key={i}>
                  {place === pinned.length && <Skipped width={across.before} />}
                  <th
                    aria-colindex={i + 1}
                    ref={(e) => {
                      heads.current[i] = e
                    }}
                    className={`bg-base-100 ${numeric[i] ? 'num' : ''}`}
                    style={{ minWidth: widths[i], ...styles[place] }}
                    aria-sort={sort?.column === i ? (sort.down ? 'descending' : 'ascending') : undefined}
                  >
                    <button type="button" title="Sort the rows" onClick={() => onSort(turned(sort, i))}>
                      {c.name} <span className="text-[0.8em] font-normal">{c.type}</span>
                      {sort?.column === i && (sort.down ? ' ↓' : ' ↑')}
                    </button>
                    {columns.length > 1 && (
                      <button
                        type="button"
                        className={`ml-0.5 inline-grid size-6 place-items-center align-middle focus:opacity-100 ${isPinned ? '' : 'opacity-40 hover:opacity-100'}`}
                        aria-label={`Pin ${c.name}`}
                        aria-pressed={isPinned}
                        title={isPinned ? 'Let it move with the others' : 'Keep it in sight at the left'}
                        onClick={() => setPinned(toggled(pinned, i))}
                      >
                        <Pin size={12} fill={isPinned ? 'currentColor' : 'none'} />
                      </button>
                    )}
                  </th>
                </Fragment>
              )
            })}
            <Skipped width={across.behind} />
          </tr>
        </thead>
        <tbody>
          {spacer(shown.above)}
          {rows.map((r) => (
            <GridRow key={r} at={r} values={row(r)} layout={layout} onPick={onPick} />
          ))}
          {spacer(shown.below)}
        </tbody>
      </table>
    </div>
  )
}
