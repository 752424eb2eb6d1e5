import { useMutation } from '@tanstack/react-query'
import { lazy, Suspense, useEffect, useState } from 'react'
import { duration, number } from '../../shared/lib/format'
import { Card, Failed } from '../../shared/ui/parts'
import { Grid, type Sort } from '../../shared/ui/Grid'
import { forget, keepRows, usePages, type Kept } from './kept'
import { inZone } from './result'
import { WordsField } from './WordsField'
import { ZoneChoice } from './ZoneChoice'

const ChartView = lazy(() => import('../charts/ChartView'))
/** Words are looked for once somebody stops typing for so long. */
const PAUSE_MILLIS = 300

/** An answer of very many rows: the service keeps them, and those in sight are fetched. */
export function KeptAnswer({
  sql,
  parameters,
  begin,
}: {
  sql: string
  parameters: Record<string, string>
  begin: Kept
}) {
  const [kept, setKept] = useState(begin)
  const [sort, setSort] = useState<Sort>()
  const [zone, setZone] = useState('UTC')
  const [typed, setTyped] = useState('')
  const [words, setWords] = useState('')
  useEffect(() => {
    const timer = setTimeout(() => setWords(typed.trim()), PAUSE_MILLIS)
    return () => clearTimeout(timer)
  }, [typed])
  useEffect(() => () => forget(kept.id), [kept.id])
  const pages = usePages(kept, words)
  const order = useMutation({
    mutationFn: (next: Sort | undefined) => keepRows(sql, parameters, next),
    onSuccess: (now, next) => {
      setKept(now)
      setSort(next)
    },
  })
  const { columns } = kept.first
  const times = columns.map((c) => c.type.startsWith('timestamp'))
  const row = (at: number) =>
    zone === 'UTC' ? pages.row(at) : pages.row(at)?.map((v, i) => (times[i] ? inZone(v, zone) : v))
  return (
    <Card
      title={`${kept.first.truncated ? 'The first ' : ''}${number(kept.rowCount)} rows in ${duration(kept.first.elapsedMillis)}`}
    >
      <div className="flex flex-wrap items-center gap-3 border-b border-base-300 px-3 py-2">
        <WordsField value={typed} onType={setTyped} />
        <span className="quiet" role="status">
          {order.isPending
            ? 'Sorting…'
            : words !== '' &&
              (pages.total === undefined
                ? 'Looking…'
                : `${number(pages.total)} of ${number(kept.rowCount)} rows`)}
        </span>
        <ZoneChoice columns={columns} zone={zone} onPick={setZone} />
      </div>
      {order.error && <Failed error={order.error} />}
      {pages.error && <Failed error={pages.error} />}
      <Suspense>
        <ChartView
          key={kept.id}
          result={{ ...kept.first, truncated: kept.rowCount > kept.first.rows.length }}
        />
      </Suspense>
      <Grid
        key={`${kept.id} ${words}`}
        columns={columns}
        total={pages.total ?? 0}
        row={row}
        sort={sort}
        onSort={(next) => order.mutate(next)}
        onInSight={pages.onInSight}
      />
    </Card>
  )
}
