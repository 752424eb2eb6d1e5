import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'
import { matchSql, spreadSql, type Growth, type Other } from './model'

/** Rows that are looked at to tell how many find what they look up. */
export const LOOKED_AT = 10_000

/** How many of the first rows find a column of another table. */
export function useMatch(source: string, other: Other, trimmed: boolean) {
  return useQuery({
    queryKey: ['match', source, other, trimmed],
    queryFn: async ({ signal }) => {
      const body = { sql: matchSql(source, other, LOOKED_AT, trimmed) }
      const result = await ask(api.POST('/api/v1/query', { body, signal }))
      const [rows, found, repeated] = result.rows[0] as unknown as [number, number, number]
      return { rows, found, repeated }
    },
    retry: false,
    staleTime: 60_000,
  })
}

/** The rows of a source, and the partitions that they would make. */
export function useSpread(growth: Growth, partition: string) {
  const sql = spreadSql(growth, partition)
  return useQuery({
    queryKey: ['spread', sql],
    queryFn: async ({ signal }) => {
      const result = await ask(api.POST('/api/v1/query', { body: { sql: sql ?? '' }, signal }))
      const [rows, partitions] = result.rows[0] as unknown as [number, number]
      return { rows, partitions }
    },
    enabled: sql !== undefined,
    retry: false,
    staleTime: 60_000,
  })
}
