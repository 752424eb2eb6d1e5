import { lazy, Suspense, useMemo, useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { isNumeric, number } from '../../shared/lib/format'
import { Failed, Value as Shown } from '../../shared/ui/parts'
import { changeOf, chartOf, told, valueAt, type Chosen, type Value } from './model'
import { useAnswer, type Source } from './queries'

const Picture = lazy(() => import('../charts/Picture'))
const Markdown = lazy(() => import('react-markdown'))

type Answer = Schemas['SamplerAnswer']
type Block = Schemas['SamplerBlock']

const HEIGHT = 260
/** Rows of a chart that are listed when it is read as a table. */
const MOST_LISTED = 200

function BigNumber({ block, answer }: { block: Block; answer: Answer }) {
  const change = changeOf(answer)
  return (
    <div className="px-4 pb-3">
      <p className="font-mono text-[1.8rem] leading-10 font-semibold">
        {told((answer.rows.rows[0] as unknown[] | undefined)?.[0])}{' '}
        <span className="text-[1.1rem] font-normal">{block.unit}</span>
      </p>
      {change !== undefined && (
        <p className="text-[0.93rem]" style={{ color: change < 0 ? 'var(--set-aside)' : 'var(--side)' }}>
          {change < 0 ? '▼' : '▲'} {Math.abs(100 * change).toFixed(1)} % {change < 0 ? 'less' : 'more'} than
          before
        </p>
      )}
    </div>
  )
}

/** The rows of an answer; a value that the block goes by narrows the page. */
function Rows({
  answer,
  most,
  onChoose,
}: {
  answer: Answer
  most: number
  onChoose: (column: string, value: Value) => void
}) {
  const { columns } = answer.rows
  const rows = answer.rows.rows as unknown[][]
  return (
    <div className="max-h-80 overflow-auto" tabIndex={0} role="region" aria-label="Rows">
      <table className="ledger">
        <thead className="sticky top-0 bg-base-100">
          <tr>
            {columns.map((c) => (
              <th key={c.name} className={isNumeric(c.type) ? 'num' : ''}>
                {c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, most).map((row, r) => (
            <tr key={r}>
              {columns.map((c, i) => {
                const numeric = isNumeric(c.type)
                const goesBy = answer.by.some((b) => b.toLowerCase() === c.name.toLowerCase())
                const value = row[i]
                return (
                  <td key={c.name} className={`font-mono text-[0.9em] ${numeric ? 'num' : ''}`}>
                    {goesBy ? (
                      <button
                        type="button"
                        className="underline decoration-dotted"
                        title={`Only ${c.name} ${String(value)}`}
                        onClick={() => onChoose(c.name, value === null ? null : String(value))}
                      >
                        <Shown value={value} />
                      </button>
                    ) : numeric && !/(_key|_id|_code|year|number)$/.test(c.name) ? (
                      told(value)
                    ) : (
                      <Shown value={value} />
                    )}
                  </td>
                )
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

/** Where the page is narrowed but this block is not, it says so. */
function Notes({ answer, listed }: { answer: Answer; listed?: number }) {
  const notes = [
    answer.passed.length > 0 && `not narrowed by ${answer.passed.join(', ')}, which these rows do not have`,
    answer.rows.truncated && `only the first ${number(answer.rows.rows.length)} rows`,
    listed !== undefined &&
      answer.rows.rows.length > listed &&
      `${number(listed)} of ${number(answer.rows.rows.length)} rows are listed`,
    ...answer.rows.notes,
  ].filter(Boolean)
  return notes.length === 0 ? null : <p className="quiet px-4 pb-2 text-[0.9rem]">{notes.join('; ')}</p>
}

/** One block of the page: its title, and its answer in the form that the document gives it. */
export function BlockView({
  block,
  source,
  version,
  chosen,
  colourOf,
  onChoose,
}: {
  block: Block
  source: Source
  version: number
  chosen: Chosen
  colourOf: (series: string) => number
  onChoose: (choices: [column: string, value: Value][]) => void
}) {
  return (
    <section
      className="card-paper min-w-0 pt-2 sampler-block"
      style={{ gridColumn: `span ${block.width} / span ${block.width}` }}
      aria-label={block.title || block.name}
    >
      {block.form === 'text' ? (
        <div className="sampler-text px-4 pb-3">
          {block.title && <h2 className="text-base font-semibold">{block.title}</h2>}
          <Suspense fallback={<p className="quiet">{block.text}</p>}>
            {/* Markup of other kinds stays text: nothing in it runs. */}
            <Markdown>{block.text}</Markdown>
          </Suspense>
        </div>
      ) : (
        <Asked
          block={block}
          source={source}
          version={version}
          chosen={chosen}
          colourOf={colourOf}
          onChoose={onChoose}
        />
      )}
    </section>
  )
}

function Asked({ block, source, version, chosen, colourOf, onChoose }: Parameters<typeof BlockView>[0]) {
  const answer = useAnswer(source, version, block.name, chosen)
  const [asRows, setAsRows] = useState(false)
  const data = answer.data
  const chart = useMemo(
    () => (block.form === 'chart' && data ? chartOf(block, data) : undefined),
    [block, data],
  )
  const choose = (column: string, value: Value) => onChoose([[column, value]])
  return (
    <>
      <div className="flex items-baseline gap-2 px-4">
        <h2
          className={
            block.form === 'number' ? 'quiet font-sans text-[0.93rem] font-normal' : 'text-base font-semibold'
          }
        >
          {block.title || block.name.replaceAll('_', ' ')}
          {block.unit && block.form !== 'number' && (
            <span className="quiet text-[0.86rem] font-normal"> in {block.unit}</span>
          )}
        </h2>
        <span className="quiet ml-auto text-[0.86rem]" role="status">
          {answer.isFetching && 'asking…'}
        </span>
        {chart && (
          <button
            type="button"
            className="quiet text-[0.9rem] underline print:hidden"
            aria-pressed={asRows}
            onClick={() => setAsRows(!asRows)}
          >
            {asRows ? 'as a chart' : 'as rows'}
          </button>
        )}
      </div>
      {answer.error ? (
        <Failed error={answer.error} />
      ) : !data ? (
        <div style={{ height: block.form === 'number' ? 44 : HEIGHT }} />
      ) : block.form === 'number' ? (
        <BigNumber block={block} answer={data} />
      ) : data.rows.rows.length === 0 ? (
        <p className="quiet px-4 py-6">No row is left of what is chosen.</p>
      ) : chart && !asRows ? (
        <div className="px-2 pb-1">
          <Suspense fallback={<div style={{ height: HEIGHT }} />}>
            <Picture
              result={data.rows}
              chart={chart}
              height={HEIGHT}
              name={block.name}
              colourOf={chart.by === undefined ? undefined : colourOf}
              onMark={(x, series) => {
                const [along, by] = data.by
                onChoose([
                  ...(along ? [[along, valueAt(data.rows, along, x)] as [string, Value]] : []),
                  ...(by ? [[by, valueAt(data.rows, by, series)] as [string, Value]] : []),
                ])
              }}
            />
          </Suspense>
        </div>
      ) : (
        <div className="pb-2">
          <Rows answer={data} most={chart ? MOST_LISTED : data.rows.rows.length} onChoose={choose} />
        </div>
      )}
      {data && <Notes answer={data} listed={chart && asRows ? MOST_LISTED : undefined} />}
    </>
  )
}
