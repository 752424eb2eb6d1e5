import { useState } from 'react'
import { number } from '../../shared/lib/format'
import { Card } from '../../shared/ui/parts'
import { Sure } from '../../shared/ui/Sure'
import { inFrom } from '../feeds/model'
import { useFeeds } from '../feeds/queries'
import { useStars } from '../stars/queries'
import { byNamespace } from '../tables/model'
import { useTables } from '../tables/queries'
import { useColumns } from './queries'
import { useRemoveView, useViews, type View } from './views'

type Source = { name: string; rows?: number; view?: View }

/** Views, facts of stars, tables and feeds, as queries name them. */
export function useAskable(): { title: string; names: Source[] }[] {
  const tables = useTables()
  const stars = useStars()
  const feeds = useFeeds()
  const views = useViews()
  return [
    { title: 'Views', names: (views.data ?? []).map((v) => ({ name: v.inFrom, view: v })) },
    {
      title: 'Stars',
      names: (stars.data ?? []).flatMap((s) => s.facts.map((f) => ({ name: `${s.name}.${f}` }))),
    },
    {
      title: 'Tables',
      names: byNamespace(tables.data ?? [], '').flatMap((g) =>
        g.tables.map((t) => ({ name: t.name, rows: t.rows })),
      ),
    },
    {
      title: 'Feeds',
      names: (feeds.data ?? []).map((f) => ({ name: inFrom(f.name) })),
    },
  ]
}

/** What can be asked, each with its columns; a view is opened to be asked or changed. */
export function Sources({
  onPick,
  onOpen,
}: {
  onPick: (text: string) => void
  onOpen: (view: View) => void
}) {
  const [wanted, setWanted] = useState('')
  const [open, setOpen] = useState('')
  const fits = (name: string) => name.toLowerCase().includes(wanted.trim().toLowerCase())
  const groups = useAskable()
  return (
    <Card title="What can be asked" className="self-start">
      <div className="p-2">
        <input
          className="input input-sm w-full"
          type="search"
          aria-label="Search what can be asked"
          placeholder="a part of a name"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
      </div>
      <div
        className="max-h-[60vh] overflow-auto pb-2"
        tabIndex={0}
        role="region"
        aria-label="Views, stars, tables and feeds"
      >
        {groups
          .map((g) => ({ ...g, names: g.names.filter((n) => fits(`${n.name} ${n.view?.about ?? ''}`)) }))
          .filter((g) => g.names.length > 0)
          .map((g) => (
            <section key={g.title}>
              <h3 className="quiet px-3 pt-1 font-sans text-[0.86rem] font-normal">{g.title}</h3>
              <ul>
                {g.names.map((t) => (
                  <li key={t.name}>
                    <button
                      type="button"
                      className="flex w-full items-baseline gap-2 px-3 py-1 text-left hover:bg-base-200"
                      aria-expanded={open === t.name}
                      onClick={() => setOpen(open === t.name ? '' : t.name)}
                    >
                      <span className="truncate font-semibold" title={t.name}>
                        {t.view?.name ?? t.name}
                      </span>
                      {t.rows !== undefined && (
                        <span className="quiet ml-auto font-mono text-[0.86em]">{number(t.rows)}</span>
                      )}
                    </button>
                    {open === t.name &&
                      (t.view ? (
                        <Kept view={t.view} onPick={onPick} onOpen={onOpen} />
                      ) : (
                        <Columns of={t.name} onPick={onPick} />
                      ))}
                  </li>
                ))}
              </ul>
            </section>
          ))}
      </div>
    </Card>
  )
}

/** A view: what it is for, how others name it, and what can be done with it. */
function Kept({
  view,
  onPick,
  onOpen,
}: {
  view: View
  onPick: (text: string) => void
  onOpen: (view: View) => void
}) {
  const remove = useRemoveView()
  return (
    <div className="border-y border-base-300 bg-base-200">
      <div className="px-3 pt-1">
        {view.about && <p>{view.about}</p>}
        <p className="quiet text-[0.93em]">
          {view.parameters.length > 0 ? `asks for ${view.parameters.join(', ')}` : `in FROM: ${view.inFrom}`}
        </p>
        <div className="flex flex-wrap gap-1 py-1">
          <button type="button" className="btn btn-xs" onClick={() => onOpen(view)}>
            Open
          </button>
          <Sure
            label="Remove"
            again={`Remove ${view.name}?`}
            small
            disabled={remove.isPending}
            onSure={() => remove.mutate(view.name)}
          />
        </div>
        {remove.error && (
          <p role="alert" style={{ color: 'var(--set-aside)' }}>
            {remove.error.message}
          </p>
        )}
      </div>
      {view.parameters.length === 0 && <Columns of={view.inFrom} onPick={onPick} />}
    </div>
  )
}

function Columns({ of, onPick }: { of: string; onPick: (text: string) => void }) {
  const columns = useColumns(of)
  return (
    <div className="border-y border-base-300 bg-base-200 px-3 py-1">
      <button type="button" className="btn btn-xs my-1" onClick={() => onPick(`SELECT * FROM ${of}`)}>
        Select its rows
      </button>
      {columns.isPending && <p className="quiet">Looking…</p>}
      {columns.error && <p style={{ color: 'var(--set-aside)' }}>{columns.error.message}</p>}
      {columns.data?.map((c) => (
        <div key={c.name} className="flex justify-between gap-2 text-[0.93em]">
          <span>{c.name}</span> <span className="quiet font-mono text-[0.86em]">{c.type}</span>
        </div>
      ))}
    </div>
  )
}
