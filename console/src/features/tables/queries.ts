import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export function useTables() {
  return useQuery({ queryKey: ['tables'], queryFn: () => ask(api.GET('/api/v1/tables')) })
}

export function useTable(name: string) {
  return useQuery({
    queryKey: ['table', name],
    queryFn: () => ask(api.GET('/api/v1/tables/{name}', { params: { path: { name } } })),
  })
}

export function useTableSample(name: string) {
  return useQuery({
    queryKey: ['table', name, 'sample'],
    queryFn: () =>
      ask(api.GET('/api/v1/tables/{name}/sample', { params: { path: { name }, query: { rows: 100 } } })),
  })
}
