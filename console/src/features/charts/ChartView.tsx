import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { drawn, KINDS, numberOf, proposed, roleOf, type Chart, type Kind } from './model'
import Picture from './Picture'

function BigNumber({ result, chart }: { result: Schemas['ResultRows']; chart: Chart }) {
  const found = numberOf(result, chart)
  if (!found) {
    return <p className="quiet p-4">There is no number here.</p>
  }
  const change = found.change
  return (
    <div className="p-4">
      <p className="quiet">{result.columns[chart.y[0] ?? 0]?.name}</p>
      <p className="font-mono text-4xl">{number(found.value)}</p>
      {change !== undefined && (
        <p style={{ color: change < 0 ? 'var(--set-aside)' : 'var(--side)' }}>
          {change < 0 ? '▼' : '▲'} {Math.abs(100 * change).toFixed(1)} % {change < 0 ? 'less' : 'more'} than
          before
        </p>
      )}
    </div>
  )
}

/** A choice of one column, or of none. */
function Column({
  label,
  result,
  value,
  none,
  onPick,
}: {
  label: string
  result: Schemas['ResultRows']
  value: number | undefined
  none?: string
  onPick: (column: number | undefined) => void
}) {
  return (
    <label className="flex items-center gap-1">
      <span className="quiet">{label}</span>
      <select
        className="select select-sm w-44"
        value={value ?? ''}
        onChange={(e) => onPick(e.target.value === '' ? undefined : Number(e.target.value))}
      >
        {none !== undefined && <option value="">{none}</option>}
        {result.columns.map((c, i) => (
          <option key={c.name} value={i} disabled={none === undefined && roleOf(c.type) !== 'number'}>
            {c.name}
          </option>
        ))}
      </select>
    </label>
  )
}

/** An answer as a picture: one that fits it, or one that somebody chooses. The rows stand below it. */
export default function ChartView({
  result,
  begin,
  onMark,
}: {
  result: Schemas['ResultRows']
  /** Told of the mark that was clicked: the values of the columns along the chart and by series. */
  onMark?: (values: { column: string; at: unknown }[]) => void
  /** The chart that is drawn at first, where it is known which columns are measures. */
  begin?: Chart
}) {
  const [chosen, setChosen] = useState<Chart>()
  const chart = chosen ?? begin ?? proposed(result)
  const numbers = result.columns.flatMap((c, i) => (roleOf(c.type) === 'number' ? [i] : []))
  if (!chart || numbers.length === 0) {
    return null
  }
  const leftOut = chart.kind === 'number' ? 0 : drawn(result, chart).leftOut
  return (
    <div className="border-b border-base-300 px-3 py-2">
      <div className="flex flex-wrap items-center gap-3 text-[0.93rem]">
        <select
          className="select select-sm w-32"
          aria-label="Kind of chart"
          value={chart.kind}
          onChange={(e) => setChosen({ ...chart, kind: e.target.value as Kind })}
        >
          {KINDS.map((k) => (
            <option key={k}>{k}</option>
          ))}
        </select>
        <Column
          label="of"
          result={result}
          value={chart.y[0]}
          onPick={(y) => setChosen({ ...chart, y: y === undefined ? chart.y : [y] })}
        />
        {chart.kind !== 'histogram' && chart.kind !== 'number' && (
          <>
            <Column
              label="over"
              result={result}
              value={chart.x}
              none="nothing"
              onPick={(x) => setChosen({ ...chart, x })}
            />
            <Column
              label="by"
              result={result}
              value={chart.by}
              none="nothing"
              onPick={(by) => setChosen({ ...chart, by })}
            />
          </>
        )}
        {(leftOut > 0 || result.truncated) && (
          <span className="quiet">
            {result.truncated && `of the first ${number(result.rows.length)} rows`}
            {leftOut > 0 && ` ${number(leftOut)} points are not drawn`}
          </span>
        )}
      </div>
      {chart.kind === 'number' ? (
        <BigNumber result={result} chart={chart} />
      ) : (
        <Picture
          result={result}
          chart={chart}
          onMark={
            onMark &&
            ((x, series) =>
              onMark(
                [
                  { place: chart.x, at: x },
                  { place: chart.by, at: series },
                ].flatMap(({ place, at }) => {
                  const column = place === undefined ? undefined : result.columns[place]?.name
                  return column === undefined ? [] : [{ column, at }]
                }),
              ))
          }
        />
      )}
    </div>
  )
}
