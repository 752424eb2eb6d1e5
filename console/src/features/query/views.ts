import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../../shared/api/client'

export type View = Schemas['ViewSummary']

/** Queries that are kept under a name. */
export function useViews() {
  return useQuery({ queryKey: ['views'], queryFn: () => ask(api.GET('/api/v1/views')) })
}

function useChange<T, R>(change: (what: T) => Promise<R>) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: change,
    onSuccess: () =>
      Promise.all(
        ['views', 'columns', 'all-columns', 'sampler-answer'].map((key) =>
          queries.invalidateQueries({ queryKey: [key] }),
        ),
      ),
  })
}

export function useKeepView() {
  return useChange(({ name, ...body }: { name: string; about: string; sql: string; basedOn?: number }) =>
    ask(api.PUT('/api/v1/views/{name}/query', { params: { path: { name } }, body })),
  )
}

export function useRemoveView() {
  return useChange((name: string) => ask(api.DELETE('/api/v1/views/{name}', { params: { path: { name } } })))
}
