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
