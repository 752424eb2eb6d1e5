import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'
import { matchSql, type Other } from './model'

/** Rows that are looked at to tell how many find what they look up. */
export const LOOKED_AT = 10_000

/** The columns of all tables with their types. */
export function useAllColumns() {
  return useQuery({
    queryKey: ['all-columns'],
    queryFn: async () => {
      const sql =
        "SELECT table_schema || '.' || table_name, column_name, data_type FROM information_schema.columns WHERE table_schema NOT IN ('feed', 'information_schema')"
      const result = await ask(api.POST('/api/v1/query', { body: { sql, limit: 20_000 } }))
      return (result.rows as unknown as string[][]).map(([table, column, type]): Other => ({
        table: table ?? '',
        column: column ?? '',
        type: type ?? '',
      }))
    },
    staleTime: 60_000,
  })
}

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
