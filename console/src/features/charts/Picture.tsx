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
import { described, type Chart } from './model'
import { option, type Look } from './options'
import { save } from '../../shared/lib/save'

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

/** The picture in dots, twice as fine as it is shown. */
async function png(svg: string, width: number, height: number): Promise<Blob> {
  const image = new Image(width, height)
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = 2 * width
  canvas.height = 2 * height
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((done, failed) =>
    canvas.toBlob((b) => (b ? done(b) : failed(new Error('The picture could not be made')))),
  )
}

type Props = {
  result: Schemas['ResultRows']
  chart: Chart
  height?: number
  /** What the files are called that it is saved in. */
  name?: string
  /** The place of a series' colour among all; one name has one colour on a whole page. */
  colourOf?: (series: string) => number
  /** Told of the mark that was clicked: its place along the chart, and its series. */
  onMark?: (x: unknown, series: string) => void
}

/** A chart, which can be saved. */
export default function Picture({ result, chart, height = 300, name = 'chart', colourOf, onMark }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const made = useRef<EChartsType>(undefined)
  const told = useRef(onMark)
  useEffect(() => {
    told.current = onMark
  })
  const theme = useTheme()
  useEffect(() => {
    const element = box.current
    if (!element) {
      return
    }
    const view = init(element, undefined, { renderer: 'svg', height })
    made.current = view
    view.setOption(option(result, chart, lookOf(element), colourOf))
    view.on('click', (e) => {
      const value = Array.isArray(e.value) ? e.value[0] : e.name
      told.current?.(value, e.seriesName ?? '')
    })
    const observer = new ResizeObserver(() => view.resize())
    observer.observe(element)
    return () => {
      observer.disconnect()
      view.dispose()
    }
  }, [result, chart, theme, height, colourOf])
  return (
    <>
      <div ref={box} role="img" aria-label={described(result, chart)} style={{ height }} />
      <div className="flex justify-end gap-3 px-2 print:hidden">
        <button
          type="button"
          className="quiet text-[0.86rem] underline"
          onClick={() =>
            made.current &&
            save(new Blob([made.current.renderToSVGString()], { type: 'image/svg+xml' }), `${name}.svg`)
          }
        >
          Save as SVG
        </button>
        <button
          type="button"
          className="quiet text-[0.86rem] underline"
          onClick={() => {
            const view = made.current
            if (view) {
              void png(view.renderToSVGString(), view.getWidth(), height).then((b) => save(b, `${name}.png`))
            }
          }}
        >
          Save as PNG
        </button>
      </div>
    </>
  )
}
