import { useEffect, useMemo, useRef, useState } from 'react'
import { number } from '../lib/format'
import { FlowTools, SmallMap } from './FlowTools'
import { around, fitting, inSight } from './frame'
import { BAR_WIDTH, layout, type FlowBar, type FlowStep } from './model'

const PEEL_COLOUR = {
  'set aside': 'var(--set-aside)',
  merged: 'var(--merged)',
  filtered: 'var(--filtered)',
  unmatched: 'var(--filtered)',
} as const

const BAND_COLOUR = {
  main: 'var(--flow)',
  side: 'var(--side)',
  running: 'var(--running)',
  waiting: 'var(--color-base-300)',
} as const

/** What takes a click for a bar. */
const HIT_WIDTH = 72

/** Letters that fit below a bar without reaching the next one's. */
const MOST_LETTERS = 19

function barColour(bar: FlowBar): string {
  if (bar.state === 'failed') {
    return 'var(--set-aside)'
  }
  return bar.state === 'running' ? 'var(--running)' : bar.side ? 'var(--side)' : 'var(--flow)'
}

/** A text for readers who do not see the picture. */
function description(bar: FlowBar): string {
  const t = bar.step.tally
  const what = `${bar.step.name}, ${bar.step.verb} ${bar.step.detail}`
  if (!t) {
    return what
  }
  const left = [
    t.setAside > 0 && `${number(t.setAside)} set aside`,
    t.merged > 0 && `${number(t.merged)} merged`,
    t.filtered > 0 && `${number(t.filtered)} filtered`,
    t.unmatched > 0 && `${number(t.unmatched)} unmatched`,
  ].filter(Boolean)
  return `${what}: ${number(t.rowsIn)} rows in, ${number(t.rowsOut)} out${left.length > 0 ? ', ' + left.join(', ') : ''}`
}

type Props = {
  steps: FlowStep[]
  failedStep?: string
  /** The step that the page is about now. */
  picked?: string
  /** Steps that are marked besides, to be copied together. */
  marked?: string[]
  /** `more` when it is to be marked besides what is picked. */
  onPick?: (step: string, more: boolean) => void
  /** Asked to put something between two steps. */
  onBetween?: (from: string, to: string) => void
  /** One bar was dragged onto another. */
  onDrop?: (step: string, onto: string) => void
  /** A key that was pressed on a bar; true when something came of it, so that it is typed nowhere else. */
  onKey?: (key: string, step: string) => boolean
}

/** Above so many steps a flow is drawn with what helps to find one's way in it. */
const MANY_STEPS = 9

/** How far the pointer goes before a press is a drag. */
const DRAG_FROM = 6

/** A pipeline drawn as ribbons; each bar can be reached by keyboard. */
export function FlowView({ steps, failedStep, picked, marked, onPick, onBetween, onDrop, onKey }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(960)
  const [scale, setScale] = useState(1)
  const [only, setOnly] = useState<string>()
  useEffect(() => {
    const element = box.current
    if (!element) {
      return
    }
    const observer = new ResizeObserver(() => setWidth(element.clientWidth))
    observer.observe(element)
    return () => observer.disconnect()
  }, [])
  const [drag, setDrag] = useState<{
    step: string
    x0: number
    y0: number
    x: number
    y: number
    moved: boolean
  }>()
  const point = (e: { clientX: number; clientY: number }) => {
    const frame = box.current?.querySelector('svg')?.getBoundingClientRect()
    return {
      x: (e.clientX - (frame?.left ?? 0)) / scale,
      y: (e.clientY - (frame?.top ?? 0)) / scale,
    }
  }
  const shown = useMemo(() => around(steps, only), [steps, only])
  const flow = useMemo(() => layout(shown, width / scale, failedStep), [shown, width, scale, failedStep])
  // What the page is about is in sight: it may be picked by an address, or in the text.
  const place = flow.bars.find((b) => b.step.name === picked)?.x
  useEffect(() => {
    if (box.current && place !== undefined) {
      box.current.scrollLeft = inSight(place * scale, box.current)
    }
  }, [place, scale])
  const isLarge = steps.length > MANY_STEPS || scale !== 1 || shown.length < steps.length
  return (
    <>
      {isLarge && (
        <FlowTools
          scale={scale}
          onScale={setScale}
          onFit={() => setScale(fitting(layout(shown, 0, failedStep).width, width))}
          only={shown.length < steps.length ? only : undefined}
          onOnly={setOnly}
          picked={picked}
          shown={shown.length}
          all={steps.length}
        />
      )}
      <div ref={box} className="w-full overflow-x-auto" data-testid="flow">
        <svg
          width={flow.width * scale}
          height={flow.height * scale}
          viewBox={`0 0 ${flow.width} ${flow.height}`}
          role="group"
          aria-label="The flow of rows, step by step"
          onPointerMove={(e) => {
            if (drag) {
              const { x, y } = point(e)
              setDrag({
                ...drag,
                x,
                y,
                moved: drag.moved || Math.hypot(x - drag.x0, y - drag.y0) > DRAG_FROM,
              })
            }
          }}
          onPointerUp={(e) => {
            const { x, y } = point(e)
            const onto = drag?.moved && barAt(flow.bars, x, y)
            if (drag && onto && onto.step.name !== drag.step) {
              onDrop?.(drag.step, onto.step.name)
            }
            setDrag(undefined)
          }}
          onPointerLeave={() => setDrag(undefined)}
        >
          <defs>
            <pattern id="threads" width="6" height="5" patternUnits="userSpaceOnUse">
              <path d="M0 .5H6" stroke="var(--flow-thread)" strokeWidth="1" />
            </pattern>
          </defs>
          {flow.bands.map((b) => (
            <g key={`${b.from}>${b.to}`}>
              <path
                d={b.path}
                fill="none"
                stroke={BAND_COLOUR[b.kind]}
                strokeOpacity={b.kind === 'side' ? 0.75 : b.kind === 'waiting' ? 1 : 0.88}
                strokeDasharray={b.kind === 'waiting' ? '3 3' : undefined}
                strokeWidth={b.thickness}
              />
              {b.kind !== 'waiting' && b.thickness > 8 && (
                <path d={b.path} fill="none" stroke="url(#threads)" strokeWidth={b.thickness} />
              )}
            </g>
          ))}
          {flow.peels.map((p) => (
            <path
              key={`${p.step} ${p.kind}`}
              d={p.path}
              fill="none"
              stroke={PEEL_COLOUR[p.kind]}
              strokeWidth={p.thickness}
            />
          ))}
          {flow.bars.map((bar) => (
            <g
              key={bar.step.name}
              tabIndex={0}
              role="button"
              aria-pressed={onPick ? bar.step.name === picked : undefined}
              onClick={(e) => onPick?.(bar.step.name, e.shiftKey)}
              onKeyDown={(e) => {
                if (e.key === 'Enter' || e.key === ' ') {
                  e.preventDefault()
                  onPick?.(bar.step.name, e.shiftKey)
                } else if (!e.ctrlKey && !e.metaKey && !e.altKey && onKey?.(e.key, bar.step.name)) {
                  e.preventDefault()
                }
              }}
              onPointerDown={(e) => onDrop && setDrag({ step: bar.step.name, ...from(point(e)) })}
              style={{ cursor: onPick ? 'pointer' : 'default' }}
            >
              {/* Its name, for who points at it and for who does not see it. */}
              <title>{description(bar)}</title>
              {/* A bar is thin: what is around it and its name can be clicked too. */}
              <rect
                x={bar.x + BAR_WIDTH / 2 - HIT_WIDTH / 2}
                y={bar.y - 38}
                width={HIT_WIDTH}
                height={bar.height + 44}
                fill="transparent"
              />
              {(bar.step.name === picked || marked?.includes(bar.step.name)) && (
                <rect
                  x={bar.x - 6}
                  y={bar.y - 10}
                  width={BAR_WIDTH + 12}
                  height={bar.height + 20}
                  rx={5}
                  fill="none"
                  stroke="var(--merged)"
                  strokeWidth={2}
                  strokeDasharray={bar.step.name === picked ? undefined : '3 2'}
                />
              )}
              <rect
                x={bar.x}
                y={bar.y - 4}
                width={BAR_WIDTH}
                height={bar.height + 8}
                rx={3}
                fill={bar.state === 'waiting' ? 'var(--color-base-100)' : barColour(bar)}
                stroke={bar.state === 'waiting' ? 'var(--quiet)' : 'none'}
              />
              <text
                x={bar.x + BAR_WIDTH / 2}
                y={bar.y - 25}
                textAnchor="middle"
                fontWeight={600}
                fontSize={13.5}
                fill="currentColor"
              >
                {bar.step.name}
              </text>
              <text
                x={bar.x + BAR_WIDTH / 2}
                y={bar.y - 11}
                textAnchor="middle"
                fontSize={11.5}
                fill="var(--quiet)"
              >
                {subtitle(bar)}
              </text>
            </g>
          ))}
          {onBetween &&
            flow.bands.map((b) => (
              <g
                key={`plus ${b.from}>${b.to}`}
                tabIndex={0}
                role="button"
                className="flow-plus"
                onClick={() => onBetween(b.from, b.to)}
                onKeyDown={(e) => e.key === 'Enter' && onBetween(b.from, b.to)}
              >
                <title>{`Put a step between ${b.from} and ${b.to}`}</title>
                <circle cx={b.plusX} cy={b.plusY} r={9} fill="var(--color-base-100)" stroke="var(--flow)" />
                <path
                  d={`M${b.plusX - 4} ${b.plusY}h8M${b.plusX} ${b.plusY - 4}v8`}
                  stroke="var(--flow)"
                  strokeWidth={1.6}
                />
              </g>
            ))}
          {drag?.moved && (
            <path
              d={`M${drag.x0} ${drag.y0}L${drag.x} ${drag.y}`}
              stroke="var(--merged)"
              strokeWidth={2}
              strokeDasharray="4 3"
              pointerEvents="none"
            />
          )}
          {flow.bands
            .filter((b) => b.labelled)
            .map((b) => (
              <text
                key={`label ${b.from}>${b.to}`}
                x={b.labelX}
                y={b.labelY}
                fontSize={12.5}
                fontFamily="var(--font-mono)"
                fontWeight={600}
                fill={b.labelInside ? (b.kind === 'side' ? 'var(--side-ink)' : '#fffdf8') : 'currentColor'}
              >
                {number(b.rows)}
              </text>
            ))}
          {flow.bars
            .filter((b) => b.step.verb === 'write' && b.state !== 'waiting')
            .map((b) => (
              <text
                key={`out ${b.step.name}`}
                x={b.x + BAR_WIDTH + 7}
                y={b.y + 14}
                fontSize={12.5}
                fontFamily="var(--font-mono)"
                fontWeight={600}
                fill="currentColor"
              >
                {number(b.step.tally?.rowsOut ?? 0)}
              </text>
            ))}
          {flow.peels.map((p) => (
            <text
              key={`peel ${p.step} ${p.kind}`}
              x={p.labelX}
              y={p.labelY}
              textAnchor="middle"
              fontSize={12}
              fontWeight={600}
              fill={PEEL_COLOUR[p.kind]}
              style={{ paintOrder: 'stroke', stroke: 'var(--color-base-100)', strokeWidth: 3 }}
            >
              <tspan fontFamily="var(--font-mono)">{number(p.rows)}</tspan>
              <tspan x={p.labelX} dy={14} fontWeight={400}>
                {p.kind}
              </tspan>
            </text>
          ))}
        </svg>
      </div>
      {isLarge && <SmallMap flow={flow} scale={scale} box={box} />}
    </>
  )
}

/** The bar whose part of the picture a point is in. */
function barAt(bars: FlowBar[], x: number, y: number): FlowBar | undefined {
  return bars.find(
    (b) => Math.abs(x - b.x - BAR_WIDTH / 2) < HIT_WIDTH / 2 && y > b.y - 38 && y < b.y + b.height + 10,
  )
}

function from({ x, y }: { x: number; y: number }) {
  return { x0: x, y0: y, x, y, moved: false }
}

/** What a step does: the table or feed for those that read and write, else its verb, with what belongs to it where there is room. */
function subtitle(bar: FlowBar): string {
  const { verb } = bar.step
  const detail = bar.step.detail.replace(/^(table|feed) /, '')
  if ((verb === 'read' || verb === 'write') && detail) {
    return short(detail)
  }
  const whole = `${verb} ${detail}`.trim()
  return whole.length <= MOST_LETTERS ? whole : verb
}

/** Titles stand side by side: a long one is cut here and whole in the bar's own description. */
function short(text: string): string {
  return text.length > MOST_LETTERS ? text.slice(0, MOST_LETTERS - 1) + '\u2026' : text
}
