import { useMutation, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export type Kind = 'pipelines' | 'feeds'

/** Something done to a pipeline or feed as a whole; lists and pages are loaded again afterwards. */
export function useStateChange(kind: Kind, name: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (act: 'pause' | 'resume' | 'remove') => {
      const params = { path: { kind, name } }
      return act === 'remove'
        ? ask(api.DELETE('/api/v1/{kind}/{name}', { params }))
        : act === 'pause'
          ? ask(api.POST('/api/v1/{kind}/{name}/pause', { params, body: {} }))
          : ask(api.POST('/api/v1/{kind}/{name}/resume', { params }))
    },
    onSuccess: () => queries.invalidateQueries(),
  })
}
