import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import { api, ask, type Schemas } from '../../shared/api/client'

export const runKeys = {
  list: (pipeline: string, state: string) => ['runs', pipeline, state] as const,
  detail: (id: number) => ['run', id] as const,
  log: (id: number) => ['run', id, 'log'] as const,
}

/** What came of the run's rules, each with the pipeline's runs before it. */
export function useChecks(pipeline: string, run: number, ended: boolean) {
  return useQuery({
    queryKey: ['checks', pipeline, run, ended],
    queryFn: () => ask(api.GET('/api/v1/pipelines/{name}/checks', { params: { path: { name: pipeline } } })),
  })
}

/** The rows that a dedupe takes for the same. */
export function useDuplicates(document: string, step: string, find: string) {
  return useQuery({
    queryKey: ['duplicates', document, step, find],
    queryFn: () =>
      ask(api.POST('/api/v1/pipelines/duplicates', { body: { text: document, step, find, most: 10 } })),
    gcTime: 60_000,
  })
}

/** Why a join of a document finds what it finds, over all that is there now. */
export function useDiagnosis(document: string, step: string) {
  return useQuery({
    queryKey: ['diagnosis', document, step],
    queryFn: () => ask(api.POST('/api/v1/pipelines/diagnose', { body: { text: document, step } })),
    gcTime: 60_000,
  })
}

/** What the run itself said of its joins that found little. */
export function useRunJoins(id: number, ended: boolean) {
  return useQuery({
    queryKey: ['run', id, 'joins', ended],
    queryFn: () => ask(api.GET('/api/v1/runs/{id}/joins', { params: { path: { id } } })),
    staleTime: ended ? Infinity : 0,
  })
}

/** A pipeline's document of now with a remedy's step put in: what was changed since a run stays. Nothing is kept. */
export function useMendJoin() {
  return useMutation({
    mutationFn: async ({ pipeline, step, remedy }: { pipeline: string; step: string; remedy: string }) => {
      const { text } = await ask(
        api.GET('/api/v1/pipelines/{name}', { params: { path: { name: pipeline } } }),
      )
      return ask(api.POST('/api/v1/pipelines/mend', { body: { text, step, remedy } }))
    },
  })
}

const LIST_EVERY_MILLIS = 3000

export function useRuns(pipeline = '', state = '') {
  return useQuery({
    queryKey: runKeys.list(pipeline, state),
    queryFn: () => ask(api.GET('/api/v1/runs', { params: { query: { pipeline, state, limit: 100 } } })),
    refetchInterval: LIST_EVERY_MILLIS,
  })
}

export function isEnd(state: Schemas['RunSummary']['state']): boolean {
  return state !== 'queued' && state !== 'running'
}

/** A run, kept up to date by the service's events while it is at work. */
export function useRun(id: number) {
  const queries = useQueryClient()
  const run = useQuery({
    queryKey: runKeys.detail(id),
    queryFn: () => ask(api.GET('/api/v1/runs/{id}', { params: { path: { id } } })),
  })
  const live = run.data !== undefined && !isEnd(run.data.summary.state)
  useEffect(() => {
    if (!live) {
      return
    }
    const events = new EventSource(`/api/v1/runs/${id}/events`)
    events.addEventListener('run', (e) => {
      const detail = JSON.parse((e as MessageEvent<string>).data) as Schemas['RunDetail']
      queries.setQueryData(runKeys.detail(id), detail)
      queries.invalidateQueries({ queryKey: runKeys.log(id) })
      if (isEnd(detail.summary.state)) {
        events.close()
      }
    })
    return () => events.close()
  }, [id, live, queries])
  return run
}

export function useRunLog(id: number) {
  return useQuery({
    queryKey: runKeys.log(id),
    queryFn: () => ask(api.GET('/api/v1/runs/{id}/log', { params: { path: { id }, query: {} } })),
  })
}

export function useCancelRun(id: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: () => ask(api.POST('/api/v1/runs/{id}/cancel', { params: { path: { id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: runKeys.detail(id) }),
  })
}
