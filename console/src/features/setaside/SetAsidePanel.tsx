import { useEffect, useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Failed, Loading, Value } from '../../shared/ui/parts'
import { useCheckCorrection, useCorrect, useReplay, useSetAside, useWithdraw } from './queries'

type Row = Schemas['SetAsideRow']

const CHECK_AFTER_MILLIS = 350

/** Rows that a run has set aside: filtered, seen in full, corrected, given back to their feed. */
export function SetAsidePanel({
  run,
  published,
  reasons,
}: {
  run: number
  published: boolean
  reasons: Record<string, number>
}) {
  const [reason, setReason] = useState('')
  const [state, setState] = useState('')
  const [open, setOpen] = useState<number>()
  const rows = useSetAside(run, reason, state)
  const replay = useReplay(run)
  const withdraw = useWithdraw(run)
  const total = Object.values(reasons).reduce((a, b) => a + b, 0)
  const picked = rows.data?.rows.find((r) => r.number === open)
  return (
    <div className="p-3">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <div className="flex flex-wrap gap-2" role="group" aria-label="Reasons">
          {[['', total] as const, ...Object.entries(reasons)].map(([r, n]) => (
            <button
              key={r}
              type="button"
              aria-pressed={reason === r}
              className={`btn btn-xs ${reason === r ? 'btn-primary' : ''}`}
              onClick={() => setReason(r)}
            >
              {r || 'every reason'} · {number(n)}
            </button>
          ))}
        </div>
        <select
          className="select select-xs ml-auto w-36"
          aria-label="State"
          value={state}
          onChange={(e) => setState(e.target.value)}
        >
          <option value="">open or not</option>
          <option value="open">open</option>
          <option value="corrected">corrected</option>
          <option value="replayed">replayed</option>
        </select>
        <a
          className="btn btn-xs"
          href={`/api/v1/runs/${run}/set-aside/export?format=csv&reason=${encodeURIComponent(reason)}`}
        >
          Export
        </a>
        <button
          type="button"
          className="btn btn-xs"
          disabled={!published || replay.isPending}
          title={
            published
              ? undefined
              : 'This run did not publish, so its files will be read again with these rows in them'
          }
          onClick={() => replay.mutate(reason ? { reason } : {})}
        >
          Replay {reason ? 'these' : 'all'}
        </button>
      </div>
      {replay.data && (
        <p className="mb-2" role="status">
          {replay.data.message}
          {replay.data.before > 0 && `; ${number(replay.data.before)} were replayed before`}.
        </p>
      )}
      {replay.error && <Failed error={replay.error} />}
      {withdraw.data && (
        <p className="mb-2" role="status">
          Taken back: {number(withdraw.data.replays)} of the rows replayed,{' '}
          {number(withdraw.data.corrections)} of the rows corrected.
        </p>
      )}
      {withdraw.error && <Failed error={withdraw.error} />}
      {rows.isPending && <Loading what="set-aside rows" />}
      {rows.error && <Failed error={rows.error} />}
      {rows.data?.rows.length === 0 && (
        <p className="quiet py-2" role="status">
          No row is as you ask. Choose another reason or state.
        </p>
      )}
      {rows.data && rows.data.rows.length > 0 && (
        <div className="max-h-[26rem] overflow-auto">
          <table className="ledger">
            <thead className="sticky top-0 bg-base-100">
              <tr>
                <th className="num">row</th>
                <th>file</th>
                <th className="num">line</th>
                <th>why</th>
                <th>as it arrived</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {rows.data.rows.map((r) => (
                <tr key={r.number} className={open === r.number ? 'bg-base-200' : ''}>
                  <td className="num">{number(r.number)}</td>
                  <td className="whitespace-nowrap">{r.file}</td>
                  <td className="num">{number(r.line)}</td>
                  <td>
                    <Why row={r} />
                  </td>
                  <td className="font-mono text-[0.86em]">
                    <Value value={r.original} />
                    {r.corrected !== undefined && (
                      <div className="flex items-baseline gap-2">
                        <span className="quiet font-sans">now</span>
                        <Value value={r.corrected} />
                      </div>
                    )}
                  </td>
                  <td className="whitespace-nowrap">
                    {r.state === 'replayed' ? (
                      <span className="quiet">replayed</span>
                    ) : (
                      <button
                        type="button"
                        className="link"
                        onClick={() => setOpen(open === r.number ? undefined : r.number)}
                      >
                        {r.state === 'corrected' ? 'corrected' : 'correct'}
                      </button>
                    )}
                    {r.state !== 'open' && (
                      <button
                        type="button"
                        className="link ml-3"
                        disabled={withdraw.isPending}
                        title={
                          r.state === 'replayed'
                            ? 'Takes back the replay that this row is part of, unless a run has taken it in'
                            : 'The row is open again, as it arrived'
                        }
                        onClick={() => withdraw.mutate(r.number)}
                      >
                        withdraw
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {rows.data && rows.data.total > rows.data.rows.length && (
        <p className="quiet pt-2">
          The first {number(rows.data.rows.length)} of {number(rows.data.total)}. All of them: Export, or{' '}
          <code className="font-mono">
            yardage set-aside {run} --rows {rows.data.total}
          </code>
        </p>
      )}
      {picked && picked.state !== 'replayed' && (
        <Correction
          key={`${picked.number} ${picked.corrected ?? ''}`}
          run={run}
          row={picked}
          published={published}
        />
      )}
    </div>
  )
}

function Why({ row }: { row: Row }) {
  return (
    <>
      {row.failures.map((f, k) => (
        <div key={k}>
          {f.field && <b>{f.field}: </b>}
          {f.message}
        </div>
      ))}
    </>
  )
}

/** The record as text, what the feed makes of it while it is written, and the way back in. */
function Correction({ run, row, published }: { run: number; row: Row; published: boolean }) {
  const [text, setText] = useState(row.corrected ?? row.original)
  const check = useCheckCorrection(run, row.number)
  const correct = useCorrect(run, row.number)
  const replay = useReplay(run)
  const { mutate } = check
  useEffect(() => {
    const timer = setTimeout(() => mutate(text), CHECK_AFTER_MILLIS)
    return () => clearTimeout(timer)
  }, [text, mutate])
  const result = check.data
  return (
    <section className="mt-3 border-t border-base-300 pt-3" aria-label={`Correct row ${row.number}`}>
      <div className="mb-1 flex items-center gap-2">
        <h3 className="font-semibold">
          Row {row.number}, {row.file}, line {number(row.line)}
        </h3>
        <span className="quiet">byte {number(row.byteOffset)}</span>
      </div>
      <textarea
        className="textarea w-full font-mono text-[0.86rem] whitespace-pre"
        rows={Math.min(10, text.split('\n').length + 1)}
        aria-label="The record"
        spellCheck={false}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {result && !result.fits && (
        <ul className="mt-1" style={{ color: 'var(--set-aside)' }} role="status">
          {result.failures.length === 0 && <li>The text holds no record.</li>}
          {result.failures.map((f, i) => (
            <li key={i}>
              {f.field && <b>{f.field}: </b>}
              {f.message}
            </li>
          ))}
        </ul>
      )}
      {result?.fits && (
        <div className="mt-1 overflow-auto" role="status">
          <table className="ledger">
            <thead>
              <tr>
                {result.columns.map((c) => (
                  <th key={c}>{c}</th>
                ))}
              </tr>
            </thead>
            <tbody>
              <tr>
                {result.values.map((v, i) => (
                  <td key={i} className="font-mono text-[0.9em]">
                    <Value value={v} />
                  </td>
                ))}
              </tr>
            </tbody>
          </table>
        </div>
      )}
      <div className="mt-2 flex gap-2">
        <button
          type="button"
          className="btn btn-sm"
          disabled={!result?.fits || correct.isPending}
          onClick={() => correct.mutate(text)}
        >
          Keep the correction
        </button>
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={!result?.fits || !published || correct.isPending || replay.isPending}
          onClick={() => correct.mutate(text, { onSuccess: () => replay.mutate({ rows: [row.number] }) })}
        >
          Correct and replay
        </button>
      </div>
      {(correct.error || replay.error) && <Failed error={correct.error ?? replay.error} />}
    </section>
  )
}
