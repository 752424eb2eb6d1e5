import { useMutation, useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export function useStars() {
  return useQuery({ queryKey: ['stars'], queryFn: () => ask(api.GET('/api/v1/stars')) })
}

export function useStar(name: string) {
  return useQuery({
    queryKey: ['star', name],
    queryFn: () => ask(api.GET('/api/v1/stars/{name}', { params: { path: { name } } })),
  })
}

/** Holds a star against its rows. */
export function useCheckStar() {
  return useMutation({
    mutationFn: (text: string) => ask(api.POST('/api/v1/stars/check', { body: { text } })),
  })
}
