import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export function useFeeds() {
  return useQuery({ queryKey: ['feeds'], queryFn: () => ask(api.GET('/api/v1/feeds')) })
}

export function useFeed(name: string) {
  return useQuery({
    queryKey: ['feed', name],
    queryFn: () => ask(api.GET('/api/v1/feeds/{name}', { params: { path: { name } } })),
  })
}
