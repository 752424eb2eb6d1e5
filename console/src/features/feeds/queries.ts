import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export const feedKeys = {
  list: ['feeds'] as const,
  detail: (name: string) => ['feed', name] as const,
  changes: (name: string) => ['feed', name, 'changes'] as const,
  version: (name: string, version: number) => ['feed', name, 'version', version] as const,
  preview: (text: string, file: string | undefined) => ['feed-preview', text, file] as const,
}

const PREVIEW_ROWS = 60

export function useFeeds() {
  return useQuery({ queryKey: feedKeys.list, queryFn: () => ask(api.GET('/api/v1/feeds')) })
}

export function useFeed(name: string) {
  return useQuery({
    queryKey: feedKeys.detail(name),
    queryFn: () => ask(api.GET('/api/v1/feeds/{name}', { params: { path: { name } } })),
  })
}

export function useFeedChanges(name: string) {
  return useQuery({
    queryKey: feedKeys.changes(name),
    queryFn: () => ask(api.GET('/api/v1/feeds/{name}/changes', { params: { path: { name } } })),
    retry: false,
  })
}

export function useFeedVersion(name: string, version: number) {
  return useQuery({
    queryKey: feedKeys.version(name, version),
    queryFn: () =>
      ask(api.GET('/api/v1/feeds/{name}/versions/{version}', { params: { path: { name, version } } })),
    enabled: version > 0,
  })
}

/** What a document makes of a file; the last answer stays while the next one comes. */
export function useFeedPreview(text: string, file: string | undefined) {
  return useQuery({
    queryKey: feedKeys.preview(text, file),
    queryFn: () => ask(api.POST('/api/v1/feeds/preview', { body: { text, file, rows: PREVIEW_ROWS } })),
    enabled: text !== '',
    placeholderData: keepPreviousData,
    retry: false,
  })
}

export function usePropose() {
  return useMutation({
    mutationFn: (files: string[]) => ask(api.POST('/api/v1/feeds/propose', { body: { files } })),
  })
}

function useFeedChange<T, A>(act: (argument: A) => Promise<T>) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: act,
    onSuccess: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: ['feed'] }),
        queries.invalidateQueries({ queryKey: feedKeys.list }),
      ]),
  })
}

export function useSaveFeed(name: string) {
  return useFeedChange((body: { text: string; basedOn?: number }) =>
    ask(api.PUT('/api/v1/feeds/{name}', { params: { path: { name } }, body })),
  )
}

export function useAcceptChanges(name: string) {
  return useFeedChange(() => ask(api.POST('/api/v1/feeds/{name}/accept', { params: { path: { name } } })))
}

/** Puts a file out of the way of all who read the feed, or gives it back. */
export function useQuarantine(name: string) {
  return useFeedChange(({ put, path, why }: { put: boolean; path: string; why?: string }) =>
    put
      ? ask(
          api.POST('/api/v1/feeds/{name}/quarantine', {
            params: { path: { name } },
            body: { paths: [path], why },
          }),
        )
      : ask(
          api.POST('/api/v1/feeds/{name}/release', { params: { path: { name } }, body: { paths: [path] } }),
        ),
  )
}

export function useLandFeed(name: string) {
  return useFeedChange(() =>
    ask(api.POST('/api/v1/feeds/{name}/land', { params: { path: { name } }, body: {} })),
  )
}

export function useOnboard() {
  return useFeedChange((texts: string[]) => ask(api.POST('/api/v1/feeds/onboard', { body: { texts } })))
}
