import { useQueries } from '@tanstack/react-query'
import { useState } from 'react'
import { api, ask, type Schemas } from '../../shared/api/client'
import type { Sort } from '../../shared/ui/Grid'
import type { Extent } from '../../shared/ui/windowed'

export type Kept = Schemas['KeptResult']
type Row = unknown[]

/** Rows that are fetched at once. */
const PAGE = 500

/** Has the service keep the rows of a query, which are then read a page at a time. */
export function keepRows(
  sql: string,
  parameters: Record<string, string>,
  sort: Sort | undefined,
  request: { signal?: AbortSignal; requestId?: string } = {},
): Promise<Kept> {
  const headers = request.requestId ? { 'X-Request-Id': request.requestId } : undefined
  const body = {
    sql,
    parameters,
    sort: sort && { column: sort.column, descending: sort.down },
  }
  return ask(api.POST('/api/v1/results', { body, headers, signal: request.signal }))
}

/** Tells the service that nobody looks at a result any more; it goes by itself otherwise. */
export function forget(id: string) {
  void api.DELETE('/api/v1/results/{id}', { params: { path: { id } } }).catch(() => undefined)
}

export type Paged = {
  /** Of all rows, or of those that hold the words; none while that is being found out. */
  total: number | undefined
  row: (at: number) => Row | undefined
  onInSight: (extent: Extent) => void
  error: Error | null
}

/** The rows of a kept result, those in sight of a grid that is made anew for other words; what was seen a while ago is fetched again. */
export function usePages(kept: Kept, words: string): Paged {
  const [extent, setExtent] = useState<Extent>({ first: 0, last: 1 })
  const pages: number[] = []
  for (let p = Math.floor(extent.first / PAGE); p <= Math.floor(Math.max(0, extent.last - 1) / PAGE); p++) {
    pages.push(p)
  }
  const answers = useQueries({
    queries: pages.map((page) => ({
      queryKey: ['result', kept.id, words, page],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        ask(
          api.GET('/api/v1/results/{id}/rows', {
            params: { path: { id: kept.id }, query: { from: page * PAGE, count: PAGE, words } },
            signal,
          }),
        ),
      staleTime: Infinity,
      gcTime: 30_000,
      retry: false as const,
    })),
  })
  return {
    total: words === '' ? kept.rowCount : answers.find((a) => a.data)?.data?.rowCount,
    row: (at) => {
      const answer = answers[pages.indexOf(Math.floor(at / PAGE))]
      return (answer?.data?.rows as unknown as Row[] | undefined)?.[at % PAGE]
    },
    onInSight: setExtent,
    error: answers.find((a) => a.error)?.error ?? null,
  }
}
