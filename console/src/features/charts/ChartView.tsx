import { BarChart, HeatmapChart, LineChart, PieChart, ScatterChart } from 'echarts/charts'
import {
  AriaComponent,
  GridComponent,
  LegendComponent,
  TooltipComponent,
  VisualMapComponent,
} from 'echarts/components'
import { init, use, type EChartsType } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'
import { useEffect, useRef, useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { described, drawn, KINDS, numberOf, proposed, roleOf, type Chart, type Kind } from './model'
import { option, type Look } from './options'

use([
  AriaComponent,
  BarChart,
  GridComponent,
  HeatmapChart,
  LegendComponent,
  LineChart,
  PieChart,
  ScatterChart,
  SVGRenderer,
  TooltipComponent,
  VisualMapComponent,
])

const HEIGHT = 300

function lookOf(element: HTMLElement): Look {
  const style = getComputedStyle(element)
  const of = (name: string) => style.getPropertyValue(name).trim()
  return {
    dark: document.documentElement.dataset.theme === 'night',
    ink: of('--color-base-content'),
    quiet: of('--quiet'),
    line: of('--color-base-300'),
    paper: of('--color-base-100'),
    font: style.fontFamily,
  }
}

/** Counts the changes of the page's theme. */
function useTheme(): number {
  const [changes, setChanges] = useState(0)
  useEffect(() => {
    const observer = new MutationObserver(() => setChanges((n) => n + 1))
    observer.observe(document.documentElement, { attributes: true, attributeFilter: ['data-theme'] })
    return () => observer.disconnect()
  }, [])
  return changes
}

function save(blob: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}

/** The picture in dots, twice as fine as it is shown. */
async function png(svg: string, width: number): Promise<Blob> {
  const image = new Image(width, HEIGHT)
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = 2 * width
  canvas.height = 2 * HEIGHT
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((done, failed) =>
    canvas.toBlob((b) => (b ? done(b) : failed(new Error('The picture could not be made')))),
  )
}

function Picture({ result, chart }: { result: Schemas['ResultRows']; chart: Chart }) {
  const box = useRef<HTMLDivElement>(null)
  const made = useRef<EChartsType>(undefined)
  const theme = useTheme()
  useEffect(() => {
    const element = box.current
    if (!element) {
      return
    }
    const view = init(element, undefined, { renderer: 'svg', height: HEIGHT })
    made.current = view
    view.setOption(option(result, chart, lookOf(element)))
    const observer = new ResizeObserver(() => view.resize())
    observer.observe(element)
    return () => {
      observer.disconnect()
      view.dispose()
    }
  }, [result, chart, theme])
  const words = described(result, chart)
  return (
    <>
      <div ref={box} role="img" aria-label={words} style={{ height: HEIGHT }} />
      <div className="flex justify-end gap-2">
        <button
          type="button"
          className="btn btn-ghost btn-sm"
          onClick={() =>
            made.current &&
            save(new Blob([made.current.renderToSVGString()], { type: 'image/svg+xml' }), 'chart.svg')
          }
        >
          Save as SVG
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-sm"
          onClick={() => {
            const view = made.current
            if (view) {
              void png(view.renderToSVGString(), view.getWidth()).then((b) => save(b, 'chart.png'))
            }
          }}
        >
          Save as PNG
        </button>
      </div>
    </>
  )
}

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
        className="select select-sm w-36"
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
export default function ChartView({ result }: { result: Schemas['ResultRows'] }) {
  const [chosen, setChosen] = useState<Chart>()
  const chart = chosen ?? proposed(result)
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
        <Picture result={result} chart={chart} />
      )}
    </div>
  )
}
