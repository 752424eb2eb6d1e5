import { useMemo, useState } from 'react'
import type { Schemas } from '../api/client'
import { isNumeric } from '../lib/format'
import { Grid, type Sort } from './Grid'

/** Rows of a query or a sample that are all here. Values of some columns can be picked. */
export function RowsTable({
  result,
  picks,
  onPick,
}: {
  result: Schemas['ResultRows']
  picks?: string[]
  onPick?: (column: string, value: unknown) => void
}) {
  const [sort, setSort] = useState<Sort>()
  const rows = useMemo(() => {
    const all = result.rows as unknown[][]
    if (!sort) {
      return all
    }
    const numeric = isNumeric(result.columns[sort.column]?.type ?? '')
    const sign = sort.down ? -1 : 1
    return [...all].sort((a, b) => compared(a[sort.column], b[sort.column], numeric) * sign)
  }, [result, sort])
  return (
    <Grid
      columns={result.columns}
      total={rows.length}
      row={(at) => rows[at]}
      sort={sort}
      onSort={setSort}
      picks={picks}
      onPick={onPick}
    />
  )
}

/** Nulls stand last going up, as the engine has them. */
function compared(a: unknown, b: unknown, numeric: boolean): number {
  if (a === null || b === null) {
    return a === b ? 0 : a === null ? 1 : -1
  }
  if (numeric) {
    return Number(a) - Number(b)
  }
  const [x, y] = [String(a), String(b)]
  return x < y ? -1 : x > y ? 1 : 0
}
