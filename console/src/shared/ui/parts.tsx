import type { ReactNode } from 'react'
import { useEffect, useState } from 'react'
import { Link, useLocation } from 'react-router'
import { ServiceError, type Schemas } from '../api/client'
import { visible } from '../lib/format'

/** A page: its title, what stands beside it, and the content. */
export function Page({
  title,
  crumb,
  aside,
  children,
}: {
  title: ReactNode
  crumb?: ReactNode
  aside?: ReactNode
  children: ReactNode
}) {
  useEffect(() => {
    if (typeof title === 'string') {
      document.title = `${title} · Yardage`
    }
  }, [title])
  return (
    <main className="w-full min-w-0 flex-1 px-3 py-4 md:px-6 md:py-5">
      {crumb && (
        <div className="quiet flex gap-3 text-[0.86rem]">
          {crumb}
          <OnTheMap />
        </div>
      )}
      <header className="mb-4 flex flex-wrap items-center gap-3">
        <h1 className="text-[1.75rem] leading-9 font-semibold break-words">{title}</h1>
        <div className="ml-auto flex flex-wrap items-center justify-end gap-3">{aside}</div>
      </header>
      {children}
    </main>
  )
}

/** From the page of a feed, pipeline, table, star or sampler to its place on the map. */
function OnTheMap() {
  const { pathname } = useLocation()
  const at = /^\/(feed|pipeline|table|star|sampler)s\/([^/]+)$/.exec(pathname)
  return !at || at[2] === 'new' || at[2] === 'begin' ? null : (
    <Link className="underline print:hidden" to={`/map?at=${at[1]}:${at[2]}`}>
      on the map
    </Link>
  )
}

export function Card({
  title,
  children,
  className = '',
}: {
  title?: ReactNode
  children: ReactNode
  className?: string
}) {
  return (
    <section className={`card-paper mb-4 max-w-full max-md:overflow-x-auto ${className}`}>
      {title && <h2 className="border-b border-base-300 px-3 py-2 text-base font-semibold">{title}</h2>}
      {children}
    </section>
  )
}

/** Parts of a page of which one shows. */
export function Tabs<K extends string>({
  tabs,
  picked,
  onPick,
}: {
  tabs: { key: K; label: string }[]
  picked: K
  onPick: (key: K) => void
}) {
  return (
    <div role="tablist" className="flex flex-wrap gap-1 border-b border-base-300 px-2 pt-2">
      {tabs.map((t) => (
        <button
          key={t.key}
          type="button"
          role="tab"
          aria-selected={picked === t.key}
          className={`rounded-t px-3 py-1.5 ${picked === t.key ? 'bg-base-200 font-semibold' : 'quiet'}`}
          onClick={() => onPick(t.key)}
        >
          {t.label}
        </button>
      ))}
    </div>
  )
}

/** Keeps the layout still while something loads. */
export function Loading({ what }: { what: string }) {
  return (
    <div className="card-paper quiet flex h-40 items-center justify-center" role="status">
      Loading {what}…
    </div>
  )
}

/** What failed, why, and what to do, with the code. */
export function Failed({ error }: { error: unknown }) {
  const e = error instanceof ServiceError ? error : undefined
  return (
    <div
      className="card-paper mb-4 border-l-4 p-4"
      style={{ borderLeftColor: 'var(--set-aside)' }}
      role="alert"
    >
      <p className="font-semibold">{error instanceof Error ? error.message : 'Something failed'}</p>
      {e?.problems.map((p, i) => (
        <p key={i} className="mt-1">
          Line {p.place.line}: {p.message}
        </p>
      ))}
      {e?.fix && <p className="mt-1">{e.fix}.</p>}
      <p className="quiet mt-1 font-mono text-xs">
        {e ? `${e.code} (${e.status})` : 'no answer from the service'}
      </p>
    </div>
  )
}

/** A page with nothing on it yet: what to do first. */
export function Empty({ children, command }: { children: ReactNode; command?: string }) {
  return (
    <div className="card-paper p-8 text-center">
      <p>{children}</p>
      {command && (
        <code className="mt-3 inline-block rounded bg-base-200 px-3 py-1.5 font-mono text-sm">{command}</code>
      )}
    </div>
  )
}

const STATE_COLOUR: Record<string, string> = {
  queued: 'var(--quiet)',
  running: 'var(--running)',
  succeeded: 'var(--side)',
  failed: 'var(--set-aside)',
  cancelled: 'var(--quiet)',
  interrupted: 'var(--set-aside)',
}

export function stateColour(state: string): string {
  return STATE_COLOUR[state] ?? 'var(--quiet)'
}

export function StateBadge({ state, more }: { state: Schemas['RunSummary']['state']; more?: string }) {
  return (
    <span
      className="inline-block rounded px-2 py-px font-sans text-[0.86rem] leading-5 font-semibold whitespace-nowrap text-white in-data-[theme=night]:text-base-200"
      style={{ background: STATE_COLOUR[state] }}
    >
      {state.toLowerCase()}
      {more && ` · ${more}`}
    </span>
  )
}

const LONG_VALUE = 60

/** A value of a table: null, empty text and blanks can be told apart, and a long one is opened by a click or Enter. */
export function Value({ value }: { value: unknown }) {
  const [open, setOpen] = useState(false)
  if (value === null || value === undefined) {
    return <span className="quiet text-[0.85em]">null</span>
  }
  if (typeof value !== 'string') {
    return <>{String(value)}</>
  }
  if (value === '') {
    return <span title="empty text" className="inline-block h-3 w-2 border border-current opacity-50" />
  }
  const pieces = visible(value).map((p, i) =>
    p.kind === 'mark' ? (
      <span key={i} style={{ color: 'var(--set-aside)' }}>
        {p.text}
      </span>
    ) : (
      p.text
    ),
  )
  if (value.length <= LONG_VALUE) {
    return <span className="whitespace-pre">{pieces}</span>
  }
  return (
    <button
      type="button"
      className={
        open ? 'text-left whitespace-pre-wrap' : 'block max-w-96 overflow-hidden text-left whitespace-pre'
      }
      style={open ? undefined : { maskImage: 'linear-gradient(90deg, #000 80%, transparent)' }}
      title={open ? 'Show less' : 'Show all of it'}
      onClick={() => setOpen(!open)}
    >
      {pieces}
    </button>
  )
}
