import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export function useTables() {
  return useQuery({ queryKey: ['tables'], queryFn: () => ask(api.GET('/api/v1/tables')) })
}

export function useTablesHealth() {
  return useQuery({
    queryKey: ['tables', 'health'],
    queryFn: () => ask(api.GET('/api/v1/tables/health')),
  })
}

export function useTable(name: string) {
  return useQuery({
    queryKey: ['table', name],
    queryFn: () => ask(api.GET('/api/v1/tables/{name}', { params: { path: { name } } })),
  })
}

export function useTableHealth(name: string) {
  return useQuery({
    queryKey: ['table', name, 'health'],
    queryFn: () => ask(api.GET('/api/v1/tables/{name}/health', { params: { path: { name } } })),
  })
}

/** Some rows, of now or of a snapshot. */
export function useTableSample(name: string, snapshot?: string) {
  return useQuery({
    queryKey: ['table', name, 'sample', snapshot],
    queryFn: () =>
      ask(
        api.GET('/api/v1/tables/{name}/sample', {
          params: { path: { name }, query: { rows: 100, asOf: snapshot } },
        }),
      ),
  })
}

export type ComparisonChoice = { from: string; to?: string; key: string }

export function useComparison(name: string, choice: ComparisonChoice) {
  return useQuery({
    queryKey: ['table', name, 'compare', choice],
    retry: false,
    queryFn: () =>
      ask(
        api.GET('/api/v1/tables/{name}/compare', {
          params: { path: { name }, query: { ...choice, examples: 20 } },
        }),
      ),
  })
}

/** Something done to the table, whose page is loaded again afterwards. */
function useCare<T, V>(work: (input: V) => Promise<T>) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: work,
    onSuccess: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: ['table'] }),
        client.invalidateQueries({ queryKey: ['tables'] }),
      ]),
  })
}

export function useCompactTable(name: string) {
  return useCare(() => ask(api.POST('/api/v1/tables/{name}/compact', { params: { path: { name } } })))
}

export function useExpireTable(name: string) {
  return useCare(() =>
    ask(api.POST('/api/v1/tables/{name}/expire', { params: { path: { name } }, body: {} })),
  )
}

export function useRollBackTable(name: string) {
  return useCare((snapshot: string) =>
    ask(api.POST('/api/v1/tables/{name}/roll-back', { params: { path: { name } }, body: { snapshot } })),
  )
}

export function useLineage(table: string, column: string) {
  return useQuery({
    queryKey: ['lineage', table, column],
    queryFn: () => ask(api.GET('/api/v1/follow/column', { params: { query: { table, column } } })),
  })
}

export function useFollowRow(table: string) {
  return useMutation({
    mutationFn: (key: Record<string, string>) =>
      ask(api.POST('/api/v1/follow/row', { body: { table, key } })),
  })
}

/** What a table's columns hold. */
export function useTableProfile(name: string) {
  return useQuery({
    queryKey: ['table-profile', name],
    queryFn: ({ signal }) =>
      ask(api.GET('/api/v1/tables/{name}/profile', { params: { path: { name } }, signal })),
    staleTime: 60_000,
  })
}
