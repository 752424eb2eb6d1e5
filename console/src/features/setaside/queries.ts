import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

const PAGE_ROWS = 100

export const setAsideKeys = {
  all: (run: number) => ['set-aside', run] as const,
  page: (run: number, reason: string, state: string) => ['set-aside', run, reason, state] as const,
}

export function useSetAside(run: number, reason: string, state: string) {
  return useQuery({
    queryKey: setAsideKeys.page(run, reason, state),
    queryFn: () =>
      ask(
        api.GET('/api/v1/runs/{run}/set-aside', {
          params: { path: { run }, query: { reason, state, limit: PAGE_ROWS } },
        }),
      ),
  })
}

export function useCheckCorrection(run: number, number: number) {
  return useMutation({
    mutationFn: (text: string) =>
      ask(
        api.POST('/api/v1/runs/{run}/set-aside/{number}/check', {
          params: { path: { run, number } },
          body: { text },
        }),
      ),
  })
}

export function useCorrect(run: number, number: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (text: string) =>
      ask(
        api.PUT('/api/v1/runs/{run}/set-aside/{number}', {
          params: { path: { run, number } },
          body: { text },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: setAsideKeys.all(run) }),
  })
}

export function useReplay(run: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: { rows?: number[]; reason?: string }) =>
      ask(api.POST('/api/v1/runs/{run}/set-aside/replay', { params: { path: { run } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: setAsideKeys.all(run) }),
  })
}

/** Takes corrections back, and replays that no run has taken in yet. */
export function useWithdraw(run: number) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (number: number) =>
      ask(
        api.POST('/api/v1/runs/{run}/set-aside/withdraw', {
          params: { path: { run } },
          body: { rows: [number] },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: setAsideKeys.all(run) }),
  })
}
