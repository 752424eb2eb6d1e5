import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

/** All places, and what hangs together. */
export function useMap() {
  return useQuery({ queryKey: ['map'], queryFn: () => ask(api.GET('/api/v1/map')), staleTime: 10_000 })
}

/** What would come of everything if a table lost a column. */
export function useColumnImpact(table: string, column: string) {
  return useQuery({
    queryKey: ['column-impact', table, column],
    queryFn: ({ signal }) =>
      ask(api.GET('/api/v1/map/column', { params: { query: { table, column } }, signal })),
    enabled: column !== '',
    retry: false,
  })
}
