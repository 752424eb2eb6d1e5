import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Empty, Failed, Value } from '../../shared/ui/parts'
import { leftWord, parseKey } from './model'
import { useFollowRow } from './queries'

function Rows({ chapter }: { chapter: Schemas['ChapterView'] }) {
  const rows = [
    ...(chapter.rows as unknown[][]).map((values) => ({ left: false, values })),
    ...(chapter.left as unknown[][]).map((values) => ({ left: true, values })),
  ]
  return (
    <div className="my-1 overflow-x-auto">
      <table className="ledger">
        <thead>
          <tr>
            <th />
            {chapter.columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r, i) => (
            <tr key={i}>
              <td style={{ color: r.left ? 'var(--merged)' : 'var(--side)' }}>
                {r.left ? leftWord(chapter.verb) : 'stayed'}
              </td>
              {r.values.map((v, c) => (
                <td key={c} className="font-mono text-[0.9em]">
                  <Value value={v} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Chapter({ chapter }: { chapter: Schemas['ChapterView'] }) {
  const changed = chapter.in !== chapter.out && chapter.in > 0
  const [open, setOpen] = useState(chapter.left.length > 0)
  return (
    <li className="border-b border-base-300 px-3 py-1.5 last:border-0">
      <button
        type="button"
        className="grid w-full grid-cols-[11rem_6rem_9rem_1fr] items-baseline gap-2 text-left"
        aria-expanded={open}
        title={open ? 'Hide the rows' : 'Show the rows'}
        onClick={() => setOpen(!open)}
      >
        <span className="font-semibold">{chapter.step}</span>
        <span className="quiet">{chapter.verb}</span>
        <span className="font-mono text-[0.9em]">
          {changed ? `${number(chapter.in)} → ${number(chapter.out)}` : number(chapter.out)}{' '}
          {chapter.out === 1 && !changed ? 'row' : 'rows'}
        </span>
        <span>
          {chapter.words || (chapter.verb === 'read' && `from ${chapter.detail}`)}
          {chapter.places.map((p) => (
            <span key={p} className="quiet block font-mono text-[0.86em]">
              {p}
            </span>
          ))}
        </span>
      </button>
      {open && <Rows chapter={chapter} />}
    </li>
  )
}

/** Chapters of one pipeline under its name. */
function byPipeline(chapters: Schemas['ChapterView'][]) {
  const out: { pipeline: string; chapters: Schemas['ChapterView'][] }[] = []
  for (const c of chapters) {
    const last = out.at(-1)
    if (last?.pipeline === c.pipeline) {
      last.chapters.push(c)
    } else {
      out.push({ pipeline: c.pipeline, chapters: [c] })
    }
  }
  return out
}

/** The story of a row: where it came from, and what each step did to it. */
export function FollowPanel({ table }: { table: Schemas['TableDetail'] }) {
  const [text, setText] = useState('')
  const follow = useFollowRow(table.summary.name)
  const key = parseKey(text)
  const first = table.columns[0]?.name ?? 'column'
  return (
    <div className="p-3">
      <form
        className="mb-3 flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          follow.mutate(key)
        }}
      >
        <label className="flex flex-1 items-center gap-2 whitespace-nowrap">
          The row with
          <input
            className="input input-sm w-full max-w-xl font-mono"
            placeholder={`${first}=its value, and other columns that tell it apart`}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </label>
        <button
          type="submit"
          className="btn btn-primary btn-sm"
          disabled={Object.keys(key).length === 0 || follow.isPending}
        >
          {follow.isPending ? 'Following…' : 'Follow'}
        </button>
      </form>
      {follow.error && <Failed error={follow.error} />}
      {!follow.data && !follow.error && (
        <p className="quiet">
          Says which file and line the row came from, what each step did to it, and which rows went into it.
          The steps run again over what is there now; nothing is written.
        </p>
      )}
      {follow.data?.chapters.length === 0 && <Empty>No row with these values was found on the way.</Empty>}
      {follow.data &&
        byPipeline(follow.data.chapters).map((p, i) => (
          <section key={i} className="mb-3" aria-label={p.pipeline}>
            <h3 className="text-base font-semibold">
              <Link className="name" to={`/pipelines/${p.pipeline}`}>
                {p.pipeline}
              </Link>
            </h3>
            <ol className="rounded border border-base-300">
              {p.chapters.map((c) => (
                <Chapter key={c.step} chapter={c} />
              ))}
            </ol>
          </section>
        ))}
      {follow.data && follow.data.aside.length > 0 && (
        <section>
          <h3 className="text-base font-semibold" style={{ color: 'var(--set-aside)' }}>
            Set aside on the way, with these values
          </h3>
          {follow.data.aside.map((a) => (
            <p key={a} className="font-mono text-[0.9em]">
              {a}
            </p>
          ))}
        </section>
      )}
    </div>
  )
}
