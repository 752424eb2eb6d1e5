/** Something that can be gone to. */
export type Place = {
  kind: string
  name: string
  /** What it is a part of: a step's pipeline, a column's table. */
  of?: string
  to: string
}

const MOST = 14

export const PAGES: Place[] = [
  { kind: 'page', name: 'Overview', to: '/' },
  { kind: 'page', name: 'Feeds', to: '/feeds' },
  { kind: 'page', name: 'New feed', to: '/feeds/new' },
  { kind: 'page', name: 'Pipelines', to: '/pipelines' },
  { kind: 'page', name: 'New pipeline', to: '/pipelines/new' },
  { kind: 'page', name: 'Begin a pipeline, guided', to: '/pipelines/begin' },
  { kind: 'page', name: 'Runs', to: '/runs' },
  { kind: 'page', name: 'Tables', to: '/tables' },
  { kind: 'page', name: 'Stars', to: '/stars' },
  { kind: 'page', name: 'Samplers', to: '/samplers' },
  { kind: 'page', name: 'Map', to: '/map' },
  { kind: 'page', name: 'Query', to: '/query' },
  { kind: 'page', name: 'Account', to: '/account' },
]

/** How well a name fits: the whole, its beginning, the beginning of one of its words, somewhere in it; none is not found. */
function fit(name: string, word: string): number | undefined {
  const text = name.toLowerCase()
  const at = text.indexOf(word)
  if (at < 0) {
    return undefined
  }
  return text === word ? 0 : at === 0 ? 1 : /[^a-z0-9]/.test(text[at - 1] ?? '') ? 2 : 3
}

/** Parts stand behind what can be gone to by itself. */
const rank = (place: Place) => (place.of === undefined ? 0 : 1)

/** The places whose names have all words, those that fit best first; a number is a run too. */
export function found(places: Place[], wanted: string): Place[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean)
  const run = /^\d+$/.test(wanted.trim())
    ? [{ kind: 'run', name: wanted.trim(), to: `/runs/${wanted.trim()}` }]
    : []
  const fitting = places.flatMap((place) => {
    const fits = words.map(
      (w) => fit(place.name, w) ?? fit(`${place.kind} ${place.name} ${place.of ?? ''}`, w),
    )
    return fits.every((f) => f !== undefined) ? [{ place, fit: Math.max(0, ...fits) }] : []
  })
  return [
    ...run,
    ...fitting
      .sort(
        (a, b) => a.fit - b.fit || rank(a.place) - rank(b.place) || a.place.name.localeCompare(b.place.name),
      )
      .map((f) => f.place),
  ].slice(0, MOST)
}
