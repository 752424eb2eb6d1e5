import { useQuery } from '@tanstack/react-query'
import { api, ask } from '../../shared/api/client'
import { alikeSteps, matchSql, spreadSql, type Alike, type Growth, type Other } from './model'

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

/** Groups of texts among the first rows that are alike, and the first of them. */
export function useAlikes(growth: Growth, by: string[], alike: Alike | undefined) {
  return useQuery({
    queryKey: ['alikes', growth.text, growth.last, by, alike],
    queryFn: async ({ signal }) => {
      let { text, last } = growth
      for (const step of alike ? alikeSteps(by, alike) : []) {
        const body = { text, behind: last, readers: [], ...step }
        const edited = await ask(api.POST('/api/v1/pipelines/edit/add', { body, signal }))
        text = edited.text
        last = edited.step ?? last
      }
      const body = { text, step: last, rows: 3, where: 'texts > 1', whole: false }
      const found = await ask(api.POST('/api/v1/pipelines/preview', { body, signal }))
      const which = found.columns.findIndex((c) => c.name === 'which')
      return { groups: found.matching ?? 0, first: found.rows.map((r) => String(r[which])) }
    },
    enabled: alike !== undefined && by.length > 0,
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
