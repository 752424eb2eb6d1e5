import { useQueries, useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

export type NamedColumn = { name: string; type: string }

const columnsOf = (over: string, enabled: boolean) => ({
  queryKey: ['columns', over],
  queryFn: async (): Promise<NamedColumn[]> => {
    const result = await ask(api.POST('/api/v1/query', { body: { sql: `DESCRIBE SELECT * FROM ${over}` } }))
    return (result.rows as unknown as string[][]).map(([name, type]) => ({
      name: name ?? '',
      type: type ?? '',
    }))
  },
  enabled,
  retry: false as const,
  staleTime: 60_000,
})

/** The columns of a table, a feed or a fact of a star, as a query sees them. */
export function useColumns(over: string, enabled = true) {
  return useQuery(columnsOf(over, enabled))
}

/** The columns of several, those that are there. */
export function useColumnsOfAll(overs: string[]): (NamedColumn & { of: string })[] {
  const all = useQueries({ queries: overs.map((o) => columnsOf(o, true)) })
  return all.flatMap((q, i) => (q.data ?? []).map((c) => ({ ...c, of: overs[i] ?? '' })))
}

export type TableColumn = { table: string; column: string; type: string }

const MOST_COLUMNS = 20_000

/** The columns of all tables, each with its table. */
export function useAllColumns(enabled = true) {
  return useQuery({
    queryKey: ['all-columns'],
    queryFn: async () => {
      const sql =
        "SELECT table_schema || '.' || table_name, column_name, data_type FROM information_schema.columns WHERE table_schema NOT IN ('feed', 'view', 'information_schema')"
      const result = await ask(api.POST('/api/v1/query', { body: { sql, limit: MOST_COLUMNS } }))
      return (result.rows as unknown as string[][]).map(([table, column, type]): TableColumn => ({
        table: table ?? '',
        column: column ?? '',
        type: type ?? '',
      }))
    },
    enabled,
    staleTime: 60_000,
  })
}
