import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'

const MOST_COLUMNS = 20_000

/** The columns of all tables, each with its table. */
export function useColumnNames(enabled: boolean) {
  return useQuery({
    queryKey: ['column-names'],
    queryFn: async () => {
      const sql =
        "SELECT table_schema || '.' || table_name, column_name FROM information_schema.columns WHERE table_schema NOT IN ('feed', 'information_schema')"
      const result = await ask(api.POST('/api/v1/query', { body: { sql, limit: MOST_COLUMNS } }))
      return result.rows as unknown as [table: string, column: string][]
    },
    enabled,
    staleTime: 60_000,
  })
}
