import { useEffect } from 'react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'
import type { Chosen } from './model'

/** A page that is kept, or one that is written just now. */
export type Source = { sampler: string } | { text: string }

export function useSamplers() {
  return useQuery({ queryKey: ['samplers'], queryFn: () => ask(api.GET('/api/v1/samplers')) })
}

export function useSampler(name: string) {
  return useQuery({
    queryKey: ['sampler', name],
    queryFn: () => ask(api.GET('/api/v1/samplers/{name}', { params: { path: { name } } })),
    enabled: name !== '',
  })
}

/** A timer waits no longer than this; a later time is waited for in pieces. */
const MOST_WAIT = 3_600_000
/** The service looks every five seconds for what is due. */
const AFTER = 6_000

/** Asks a page's questions anew when it is refreshed by itself. */
export function useRefresh(name: string, refreshesAt: string | undefined) {
  const queries = useQueryClient()
  useEffect(() => {
    if (refreshesAt === undefined) {
      return
    }
    let timer: ReturnType<typeof setTimeout>
    const wait = () => {
      const left = Date.parse(refreshesAt) + AFTER - Date.now()
      timer = setTimeout(
        () => {
          if (left > MOST_WAIT) {
            wait()
          } else {
            void queries.invalidateQueries({ queryKey: ['sampler', name], exact: true })
            void queries.invalidateQueries({ queryKey: ['sampler-answer'] })
          }
        },
        Math.min(Math.max(0, left), MOST_WAIT),
      )
    }
    wait()
    return () => clearTimeout(timer)
  }, [queries, name, refreshesAt])
}

/** What the service says of a text, without keeping it. */
export function useSamplerCheck(text: string | undefined) {
  return useQuery({
    queryKey: ['sampler-check', text],
    queryFn: ({ signal }) => ask(api.POST('/api/v1/samplers/check', { body: { text: text ?? '' }, signal })),
    enabled: text !== undefined,
    placeholderData: (before) => before,
    gcTime: 60_000,
  })
}

export function useSaveSampler() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ({ name, text, basedOn }: { name: string; text: string; basedOn?: number }) =>
      ask(api.PUT('/api/v1/samplers/{name}', { params: { path: { name } }, body: { text, basedOn } })),
    onSuccess: (saved) => {
      queries.setQueryData(['sampler', saved.summary.name], saved)
      void queries.invalidateQueries({ queryKey: ['samplers'] })
      void queries.invalidateQueries({ queryKey: ['sampler-answer'] })
    },
  })
}

export function useRemoveSampler() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (name: string) => ask(api.DELETE('/api/v1/samplers/{name}', { params: { path: { name } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['samplers'] }),
  })
}

/** What a page was, the newest version first. */
export function useSamplerVersions(name: string) {
  return useQuery({
    queryKey: ['sampler', name, 'versions'],
    queryFn: () => ask(api.GET('/api/v1/samplers/{name}/versions', { params: { path: { name } } })),
  })
}

/** The text of a version. */
export function useSamplerVersion() {
  return useMutation({
    mutationFn: ({ name, version }: { name: string; version: number }) =>
      ask(api.GET('/api/v1/samplers/{name}/versions/{version}', { params: { path: { name, version } } })),
  })
}

/** What a block answers; the one before stays while another is worked out. */
export function useAnswer(source: Source, version: number, block: string, chosen: Chosen) {
  return useQuery({
    queryKey: ['sampler-answer', source, version, block, chosen],
    queryFn: ({ signal }) =>
      ask(
        api.POST('/api/v1/samplers/answer', { body: { ...source, block, chosen: chosen as never }, signal }),
      ),
    placeholderData: (before) => before,
    retry: false,
  })
}

/** What can be chosen of a column. */
export function useValues(source: Source, column: string, chosen: Chosen) {
  return useQuery({
    queryKey: ['sampler-answer', source, 'values', column, chosen],
    queryFn: ({ signal }) =>
      ask(
        api.POST('/api/v1/samplers/answer', { body: { ...source, column, chosen: chosen as never }, signal }),
      ),
    placeholderData: (before) => before,
    retry: false,
  })
}
