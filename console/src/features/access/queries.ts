import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask, ServiceError } from '../../shared/api/client'

const SESSION = ['session']
const TOKENS = ['tokens']

/** Who is signed in; null for nobody. */
export function useSession() {
  return useQuery({
    queryKey: SESSION,
    queryFn: async () => {
      try {
        return await ask(api.GET('/api/v1/session'))
      } catch (e) {
        if (e instanceof ServiceError && e.status === 401) {
          return null
        }
        throw e
      }
    },
  })
}

export function useSignIn() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: { name: string; password: string }) => ask(api.POST('/api/v1/session', { body })),
    onSuccess: (session) => queries.setQueryData(SESSION, session),
  })
}

export function useSignOut() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: () => ask(api.DELETE('/api/v1/session')),
    onSettled: () => {
      // The session's own entry stays, since the page looks at it.
      queries.setQueryData(SESSION, null)
      queries.removeQueries({ predicate: (q) => q.queryKey[0] !== SESSION[0] })
    },
  })
}

export function useChangePassword() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: { current: string; next: string }) =>
      ask(api.POST('/api/v1/session/password', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: SESSION }),
  })
}

export function useTokens() {
  return useQuery({ queryKey: TOKENS, queryFn: () => ask(api.GET('/api/v1/tokens')) })
}

export function useMakeToken() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: { name: string; scope: string; days: number }) =>
      ask(api.POST('/api/v1/tokens', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: TOKENS }),
  })
}

export function useRevokeToken() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (id: number) => ask(api.DELETE('/api/v1/tokens/{id}', { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: TOKENS }),
  })
}
