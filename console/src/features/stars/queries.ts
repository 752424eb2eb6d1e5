import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../../shared/api/client'

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

/** Hierarchies that the rows have and the document does not name. */
export function useHierarchies(name: string) {
  return useQuery({
    queryKey: ['star', name, 'hierarchies'],
    queryFn: () => ask(api.GET('/api/v1/stars/{name}/hierarchies', { params: { path: { name } } })),
    // Each column is held against each other one: not at every visit of the page.
    staleTime: 600_000,
    retry: false,
  })
}

/** Puts a hierarchy into the document. */
export function useKeepHierarchy(name: string) {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (body: Schemas['HierarchyToKeep']) =>
      ask(api.POST('/api/v1/stars/{name}/hierarchies', { params: { path: { name } }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ['star', name] }),
  })
}

/** Steps of a pipeline that read a fact with its dimensions, as text. */
export function starSteps(name: string, fact: string) {
  return ask(api.GET('/api/v1/stars/{name}/facts/{fact}/steps', { params: { path: { name, fact } } }))
}
