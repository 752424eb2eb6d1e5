import { useEffect, useState, type RefObject } from 'react'
import { scaled, SCALES } from './frame'
import type { Flow } from './model'

const MAP_HEIGHT = 44
const MOST_WIDTH = 320

/** How large the flow is drawn, and how much of it. */
export function FlowTools({
  scale,
  onScale,
  onFit,
  only,
  onOnly,
  picked,
  shown,
  all,
}: {
  scale: number
  onScale: (scale: number) => void
  onFit: () => void
  /** The step around which it is drawn alone. */
  only: string | undefined
  onOnly: (step: string | undefined) => void
  picked: string | undefined
  shown: number
  all: number
}) {
  return (
    <div className="flex flex-wrap items-center gap-1.5 pb-1" role="group" aria-label="How the flow is drawn">
      <button
        type="button"
        className="btn btn-xs"
        aria-label="Smaller"
        disabled={scale <= SCALES[0]}
        onClick={() => onScale(scaled(scale, false))}
      >
        −
      </button>
      <span className="w-14 text-center font-mono text-[0.86em] whitespace-nowrap">
        {Math.round(scale * 100)} %
      </span>
      <button
        type="button"
        className="btn btn-xs"
        aria-label="Larger"
        disabled={scaled(scale, true) === scale}
        onClick={() => onScale(scaled(scale, true))}
      >
        +
      </button>
      <button type="button" className="btn btn-xs" onClick={onFit}>
        Fit
      </button>
      {only ? (
        <button type="button" className="btn btn-xs" onClick={() => onOnly(undefined)}>
          Show all {all} steps
        </button>
      ) : (
        picked && (
          <button type="button" className="btn btn-xs" onClick={() => onOnly(picked)}>
            Only around {picked}
          </button>
        )
      )}
      {only && (
        <span className="quiet" role="status">
          {shown} of {all} steps: what leads to {only}, and what comes of it
        </span>
      )}
    </div>
  )
}

/** The whole flow, small, with what of it is seen; a click goes there. Keys scroll the flow itself. */
export function SmallMap({
  flow,
  scale,
  box,
}: {
  flow: Flow
  scale: number
  box: RefObject<HTMLDivElement | null>
}) {
  const [seen, setSeen] = useState({ from: 0, share: 1 })
  useEffect(() => {
    const element = box.current
    if (!element) {
      return
    }
    const look = () =>
      setSeen({
        from: element.scrollLeft / Math.max(1, element.scrollWidth),
        share: element.clientWidth / Math.max(1, element.scrollWidth),
      })
    look()
    element.addEventListener('scroll', look)
    const observer = new ResizeObserver(look)
    observer.observe(element)
    return () => {
      element.removeEventListener('scroll', look)
      observer.disconnect()
    }
  }, [box, flow, scale])
  if (seen.share > 0.98) {
    return null
  }
  const width = Math.min(MOST_WIDTH, flow.width * scale)
  const go = (e: { clientX: number; currentTarget: Element; buttons: number }) => {
    const frame = e.currentTarget.getBoundingClientRect()
    const element = box.current
    if (element && e.buttons === 1) {
      const at = (e.clientX - frame.left) / frame.width
      element.scrollLeft = at * element.scrollWidth - element.clientWidth / 2
    }
  }
  return (
    <svg
      width={width}
      height={MAP_HEIGHT}
      viewBox={`0 0 ${flow.width} ${flow.height}`}
      preserveAspectRatio="none"
      aria-hidden
      data-testid="small-map"
      className="mt-1 cursor-pointer rounded border border-base-300"
      onPointerDown={go}
      onPointerMove={go}
    >
      {flow.bands.map((b) => (
        <path
          key={`${b.from}>${b.to}`}
          d={b.path}
          fill="none"
          stroke="var(--quiet)"
          strokeOpacity={0.5}
          strokeWidth={b.thickness}
        />
      ))}
      {flow.bars.map((b) => (
        <rect key={b.step.name} x={b.x} y={b.y} width={12} height={b.height} fill="var(--flow)" />
      ))}
      <rect
        x={seen.from * flow.width}
        y={1}
        width={seen.share * flow.width}
        height={flow.height - 2}
        fill="var(--merged)"
        fillOpacity={0.18}
        stroke="var(--merged)"
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  )
}
