import { useMemo } from 'react'
import { Link, useSearchParams } from 'react-router'
import { time } from '../../shared/lib/format'
import { Card, Empty, Failed, Loading, Page, stateColour } from '../../shared/ui/parts'
import { useFeeds } from '../feeds/queries'
import { usePipelines } from '../pipelines/queries'
import { useTables } from '../tables/queries'
import { ColumnImpact } from './ColumnImpact'
import { useMap } from './queries'
import { BOX_HEIGHT, BOX_WIDTH, counted, idOf, mapPicture, pageOf, sources, touched, type Box } from './model'

/** Letters that fit into a box. */
const MOST_LETTERS = 22

const KIND_COLOUR: Record<string, string> = {
  feed: 'var(--side)',
  pipeline: 'var(--flow)',
  table: 'var(--quiet)',
  star: 'var(--merged)',
  view: 'var(--code)',
  sampler: 'var(--running)',
}

type State = { words: string; colour?: string }

/** What is known of each place now: when rows came, how the last run ended, how old a table is. */
function useStates(): Map<string, State> {
  const feeds = useFeeds()
  const pipelines = usePipelines()
  const tables = useTables()
  return useMemo(() => {
    const out = new Map<string, State>()
    feeds.data?.forEach((f) =>
      out.set(`feed:${f.name}`, {
        words: f.paused
          ? 'paused'
          : f.lastIntakeAt
            ? `rows came ${time(f.lastIntakeAt)}`
            : 'nothing came yet',
        colour: f.paused ? 'var(--merged)' : undefined,
      }),
    )
    pipelines.data?.forEach((p) =>
      out.set(`pipeline:${p.name}`, {
        words: p.paused
          ? 'paused'
          : p.lastRun
            ? `${p.lastRun.state}, run ${p.lastRun.id}${p.nextRunAt ? `, due ${time(p.nextRunAt)}` : ''}`
            : 'has not run',
        colour: p.paused ? 'var(--merged)' : p.lastRun && stateColour(p.lastRun.state),
      }),
    )
    tables.data?.forEach((t) => out.set(`table:${t.name}`, { words: `as of ${time(t.updatedAt)}` }))
    return out
  }, [feeds.data, pipelines.data, tables.data])
}

function BoxView({
  box,
  state,
  pale,
  picked,
  onPick,
}: {
  box: Box
  state: State | undefined
  pale: boolean
  picked: boolean
  onPick: () => void
}) {
  const { name, kind } = box.place
  return (
    <g
      tabIndex={0}
      role="button"
      aria-pressed={picked}
      opacity={pale ? 0.25 : 1}
      style={{ cursor: 'pointer' }}
      onClick={onPick}
      onKeyDown={(e) => e.key === 'Enter' && onPick()}
    >
      <title>{`${kind} ${name}${state ? `: ${state.words}` : ''}`}</title>
      <rect
        x={box.x}
        y={box.y}
        width={BOX_WIDTH}
        height={BOX_HEIGHT}
        rx={5}
        fill="var(--color-base-100)"
        stroke={picked ? 'var(--merged)' : 'var(--color-base-300)'}
        strokeWidth={picked ? 2.5 : 1}
        strokeDasharray={box.place.isThere ? undefined : '3 3'}
      />
      <rect x={box.x} y={box.y} width={5} height={BOX_HEIGHT} rx={2} fill={KIND_COLOUR[kind]} />
      <text
        x={box.x + 13}
        y={box.y + 21.5}
        fontSize={13}
        fontWeight={kind === 'table' ? 400 : 600}
        fill="currentColor"
      >
        {name.length > MOST_LETTERS ? `${name.slice(0, MOST_LETTERS - 1)}…` : name}
      </text>
      {state?.colour && (
        <circle cx={box.x + BOX_WIDTH - 11} cy={box.y + BOX_HEIGHT / 2} r={4.5} fill={state.colour} />
      )}
    </g>
  )
}

/** Feeds, pipelines, tables, stars, views and samplers, and how they hang together; the address says which one is picked. */
export default function MapPage() {
  const map = useMap()
  const states = useStates()
  const [search, setSearch] = useSearchParams()
  const places = useMemo(() => map.data ?? [], [map.data])
  const picture = useMemo(() => mapPicture(places), [places])
  const at = search.get('at')
  const picked = places.find((p) => idOf(p) === at)
  const before = useMemo(() => (picked ? sources(places, idOf(picked)) : undefined), [places, picked])
  const behind = useMemo(() => (picked ? touched(places, idOf(picked)) : undefined), [places, picked])
  const near = (id: string) => !picked || id === at || before?.has(id) || behind?.has(id)
  const pick = (id: string) => setSearch(id === at ? {} : { at: id })
  return (
    <Page
      title="Map"
      aside={
        <span className="flex flex-wrap gap-3 text-[0.93rem]">
          {Object.entries(KIND_COLOUR).map(([kind, colour]) => (
            <span key={kind} className="flex items-center gap-1.5">
              <span className="inline-block h-3.5 w-1.5 rounded-sm" style={{ background: colour }} />
              {kind}
            </span>
          ))}
        </span>
      }
    >
      {map.isPending && <Loading what="the map" />}
      {map.error && <Failed error={map.error} />}
      {map.data && places.length === 0 && (
        <Empty command="yardage feed propose my-file.csv">Nothing is here yet. It begins with a feed.</Empty>
      )}
      {places.length > 0 && (
        <>
          <Card>
            <div className="px-3 py-2" role="status">
              {picked ? (
                <span className="flex flex-wrap items-center gap-3">
                  <b>
                    {picked.kind} {picked.name}
                  </b>
                  <span className="quiet">
                    {picked.isThere ? states.get(idOf(picked))?.words : 'no run has written it yet'}
                  </span>
                  <span>comes from {counted(before ?? [])}</span>
                  <span>
                    a change here touches <b>{counted(behind ?? [])}</b>
                  </span>
                  <Link className="name ml-auto underline" to={pageOf(picked)}>
                    Open it
                  </Link>
                  <button type="button" className="btn btn-sm" onClick={() => setSearch({})}>
                    Show all
                  </button>
                </span>
              ) : (
                <span className="quiet">
                  Pick a place to see where its rows come from, and what a change there would touch.
                </span>
              )}
            </div>
            {picked?.kind === 'table' && picked.isThere && (
              <ColumnImpact key={picked.name} table={picked.name} />
            )}
          </Card>
          <Card>
            <div className="max-h-[76vh] overflow-auto p-2" tabIndex={0} role="region" aria-label="The map">
              <svg
                width={picture.width}
                height={picture.height}
                role="group"
                aria-label={`${places.length} places`}
              >
                {picture.lines.map((l) => (
                  <path
                    key={`${l.from}>${l.to}`}
                    d={l.path}
                    fill="none"
                    stroke={picked && near(l.from) && near(l.to) ? 'var(--flow)' : 'var(--color-base-300)'}
                    strokeWidth={1.5}
                    opacity={near(l.from) && near(l.to) ? 1 : 0.3}
                  />
                ))}
                {picture.boxes.map((b) => (
                  <BoxView
                    key={b.id}
                    box={b}
                    state={states.get(b.id)}
                    pale={!near(b.id)}
                    picked={b.id === at}
                    onPick={() => pick(b.id)}
                  />
                ))}
              </svg>
            </div>
          </Card>
        </>
      )}
    </Page>
  )
}
