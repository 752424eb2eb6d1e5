import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, ask, type Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'

export type Running = Schemas['Look']

const KEY = ['running-queries']

/** All that is asked of the service now, by anybody. */
export function useRunning(everyMillis: number) {
  return useQuery({
    queryKey: KEY,
    queryFn: ({ signal }) => ask(api.GET('/api/v1/queries', { signal })),
    refetchInterval: everyMillis,
    retry: false,
  })
}

export function useEnd() {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (id: number) => ask(api.DELETE('/api/v1/queries/{id}', { params: { path: { id } } })),
    onSettled: () => client.invalidateQueries({ queryKey: KEY }),
  })
}

/** A name by which a page finds its own query among all that run. */
export const newRequestId = () => `console-${Date.now().toString(36)}-${Math.random().toString(36).slice(2)}`

/** How much a query has read so far; none before it has read anything. */
export function readSoFar(look: Running | undefined): string | undefined {
  return look && look.parts > 0
    ? `${number(look.rowsRead)} rows read, ${number(look.partsRead)} of ${number(look.parts)} parts of its tables`
    : undefined
}
