import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

/** All places, and what hangs together. */
export function useMap() {
  return useQuery({ queryKey: ['map'], queryFn: () => ask(api.GET('/api/v1/map')), staleTime: 10_000 })
}
