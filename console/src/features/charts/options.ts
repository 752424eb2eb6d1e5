import type { Schemas } from '../../shared/api/client'
import { COLOURS, described, drawn, type Chart, type Series } from './model'

/** What the page's theme gives a chart. */
export type Look = { dark: boolean; ink: string; quiet: string; line: string; paper: string; font: string }

type Option = Record<string, unknown>

function axisText(look: Look): Option {
  return {
    axisLabel: { color: look.quiet, fontFamily: look.font, hideOverlap: true },
    axisLine: { lineStyle: { color: look.line } },
    axisTick: { lineStyle: { color: look.line } },
    splitLine: { lineStyle: { color: look.line } },
    nameTextStyle: { color: look.quiet, fontFamily: look.font },
  }
}

function thousands(value: number): string {
  return value.toLocaleString('en-GB', { maximumFractionDigits: 2 })
}

function series(s: Series, chart: Chart): Option {
  const line = chart.kind === 'line' || chart.kind === 'area'
  return {
    name: s.name,
    type: line ? 'line' : chart.kind === 'scatter' ? 'scatter' : 'bar',
    data: s.points,
    showSymbol: line ? s.points.length < 40 : undefined,
    symbolSize: chart.kind === 'scatter' ? 6 : 5,
    lineStyle: line ? { width: 2 } : undefined,
    areaStyle: chart.kind === 'area' ? { opacity: 0.25 } : undefined,
    stack: chart.kind === 'stacked bar' || chart.kind === 'area' ? 'all' : undefined,
    barMaxWidth: chart.kind === 'histogram' ? undefined : 48,
    barCategoryGap: chart.kind === 'histogram' ? '4%' : '25%',
    connectNulls: false,
    emphasis: { focus: 'series' },
  }
}

/** A chart as the charting library wants it. */
export function option(
  result: Schemas['ResultRows'],
  chart: Chart,
  look: Look,
  colourOf?: (series: string) => number,
): Option {
  const d = drawn(result, chart)
  const name = (i: number | undefined) => (i === undefined ? '' : (result.columns[i]?.name ?? ''))
  const colours = look.dark ? COLOURS.dark : COLOURS.light
  const coloured = (series: string) => colourOf && { color: colours[colourOf(series) % colours.length] }
  const base: Option = {
    color: colours,
    useUTC: true,
    animation: false,
    backgroundColor: 'transparent',
    textStyle: { fontFamily: look.font, color: look.ink },
    aria: {
      enabled: true,
      label: { description: described(result, chart) },
      decal: { show: d.series.length > 4 },
    },
    tooltip: {
      confine: true,
      trigger:
        chart.kind === 'scatter' || chart.kind === 'heat map' || chart.kind === 'share' ? 'item' : 'axis',
      valueFormatter: (v: unknown) => (typeof v === 'number' ? thousands(v) : String(v ?? 'null')),
      backgroundColor: look.paper,
      borderColor: look.line,
      textStyle: { color: look.ink },
    },
    legend:
      d.series.length > 1 || chart.kind === 'share'
        ? { type: 'scroll', top: 0, textStyle: { color: look.ink, fontFamily: look.font } }
        : undefined,
    grid: { left: 16, right: 28, top: d.series.length > 1 ? 44 : 28, bottom: 28, containLabel: true },
  }
  if (chart.kind === 'share') {
    const whole = d.series.flatMap((s) => s.points.map((p) => ({ name: String(p[0]), value: p[1] ?? 0 })))
    return {
      ...base,
      series: [
        {
          type: 'pie',
          radius: ['45%', '72%'],
          center: ['50%', '56%'],
          data: whole,
          label: { color: look.ink, formatter: '{b}  {d} %' },
          itemStyle: { borderColor: look.paper, borderWidth: 2 },
        },
      ],
    }
  }
  if (chart.kind === 'heat map') {
    const down = d.series.map((s) => s.name)
    const points = d.series.flatMap((s) => s.points.map((p) => [String(p[0]), s.name, p[1]]))
    const values = points.map((p) => Number(p[2] ?? 0))
    return {
      ...base,
      legend: undefined,
      grid: { left: 16, right: 90, top: 16, bottom: 28, containLabel: true },
      xAxis: {
        type: 'category',
        data: d.words,
        ...axisText(look),
        // All names where there are few, cut to their cells.
        axisLabel: {
          color: look.quiet,
          fontFamily: look.font,
          ...((d.words?.length ?? 0) <= 12
            ? {
                interval: 0,
                overflow: 'truncate',
                width: Math.floor(660 / Math.max(1, d.words?.length ?? 1)),
              }
            : { hideOverlap: true }),
        },
      },
      yAxis: { type: 'category', data: down, inverse: true, ...axisText(look) },
      visualMap: {
        min: Math.min(...values),
        max: Math.max(...values),
        right: 4,
        top: 'middle',
        text: [thousands(Math.max(...values)), thousands(Math.min(...values))],
        textStyle: { color: look.quiet },
        inRange: { color: look.dark ? ['#2a3350', '#e3b657'] : ['#f1ead9', '#22305c'] },
      },
      series: [{ type: 'heatmap', data: points, itemStyle: { borderColor: look.paper, borderWidth: 1 } }],
    }
  }
  const valueName = chart.by === undefined && chart.y.length > 1 ? '' : name(chart.y[0])
  return {
    ...base,
    xAxis: {
      type: d.words ? 'category' : d.time ? 'time' : 'value',
      data: d.words,
      name: chart.kind === 'scatter' ? name(chart.x) : undefined,
      nameLocation: 'middle',
      nameGap: 26,
      scale: true,
      ...axisText(look),
      splitLine: { show: chart.kind === 'scatter', lineStyle: { color: look.line } },
    },
    yAxis: {
      type: 'value',
      name: chart.kind === 'histogram' ? 'rows' : valueName,
      nameLocation: 'end',
      scale: chart.kind === 'line' || chart.kind === 'scatter',
      ...axisText(look),
      axisLabel: { color: look.quiet, fontFamily: look.font, formatter: thousands },
    },
    series: d.series.map((s) => ({ ...series(s, chart), ...coloured(s.name) })),
  }
}
