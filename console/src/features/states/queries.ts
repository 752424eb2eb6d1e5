import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export type Kind = 'pipelines' | 'feeds'

/** Something done to a pipeline or feed as a whole; lists and pages are loaded again afterwards. */
export function useStateChange(kind: Kind, name: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (act: 'pause' | 'resume' | 'remove') => {
      const params = { path: { name } }
      if (act === 'remove') {
        return kind === 'feeds'
          ? ask(api.DELETE('/api/v1/feeds/{name}', { params }))
          : ask(api.DELETE('/api/v1/pipelines/{name}', { params }))
      }
      if (act === 'resume') {
        return kind === 'feeds'
          ? ask(api.POST('/api/v1/feeds/{name}/resume', { params }))
          : ask(api.POST('/api/v1/pipelines/{name}/resume', { params }))
      }
      return kind === 'feeds'
        ? ask(api.POST('/api/v1/feeds/{name}/pause', { params, body: {} }))
        : ask(api.POST('/api/v1/pipelines/{name}/pause', { params, body: {} }))
    },
    onSuccess: () => queries.invalidateQueries(),
  })
}
