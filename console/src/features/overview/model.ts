import type { Schemas } from '../../shared/api/client'

type Run = Schemas['RunSummary']

/** The pipelines whose last run that ended did not do well, each with that run. */
export function inTrouble(runs: Run[]): Run[] {
  const seen = new Set<string>()
  return runs
    .filter((r) => r.state !== 'queued' && r.state !== 'running')
    .filter((r) => !seen.has(r.pipeline) && seen.add(r.pipeline))
    .filter((r) => r.state === 'failed' || r.state === 'interrupted')
}

/** What somebody who begins should do next; nothing once all of it is done. */
export function firstSteps(counts: {
  feeds: number
  pipelines: number
  tables: number
}): { label: string; to: string; done: boolean }[] {
  const steps = [
    { label: 'Bring files in, and see what is proposed for them', to: '/feeds/new', done: counts.feeds > 0 },
    { label: 'Write a pipeline that reads the feed', to: '/pipelines/new', done: counts.pipelines > 0 },
    { label: 'Run it, and look at its table', to: '/pipelines', done: counts.tables > 0 },
    { label: 'Ask the table a question', to: '/query', done: false },
  ]
  return steps.slice(0, 3).every((s) => s.done) ? [] : steps
}

/** Tables and feeds by when something last came, those that wait the longest first. */
export function stalest<T>(all: T[], at: (item: T) => string | undefined, most: number): T[] {
  return all
    .filter((t) => at(t))
    .sort((a, b) => at(a)!.localeCompare(at(b)!))
    .slice(0, most)
}
