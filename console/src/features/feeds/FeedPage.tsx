import { useState, type ReactNode } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page, Tabs } from '../../shared/ui/parts'
import { useRun } from '../runs/queries'
import { SetAsidePanel } from '../setaside/SetAsidePanel'
import { FeedEditor } from './FeedEditor'
import { ShareChart } from './ShareChart'
import { diff, share } from './model'
import {
  useAcceptChanges,
  useFeed,
  useFeedChanges,
  useFeedVersion,
  useLandFeed,
  useSaveFeed,
} from './queries'

type Feed = Schemas['FeedDetail']
type Tab = 'contract' | 'files' | 'set-aside' | 'edit' | 'versions'

export default function FeedPage() {
  const name = useParams().name ?? ''
  const feed = useFeed(name)
  const land = useLandFeed(name)
  const navigate = useNavigate()
  const [tab, setTab] = useState<Tab>('contract')
  if (!feed.data) {
    return (
      <Page crumb={<Link to="/feeds">Feeds</Link>} title={name}>
        {feed.error ? <Failed error={feed.error} /> : <Loading what="the feed" />}
      </Page>
    )
  }
  const f = feed.data
  const bad = f.history.filter((h) => h.setAside > 0)
  const tabs: { key: Tab; label: string }[] = [
    { key: 'contract', label: `Contract · ${f.columns.length} columns` },
    { key: 'files', label: `Files · ${number(f.files.length)}` },
    ...(bad.length > 0 ? [{ key: 'set-aside' as const, label: 'Set aside' }] : []),
    { key: 'edit', label: 'Edit' },
    { key: 'versions', label: `Versions · ${f.versions.length}` },
  ]
  return (
    <Page
      crumb={<Link to="/feeds">Feeds</Link>}
      title={name}
      aside={
        <>
          <ShareChart history={f.history} width={140} height={28} />
          <span className="quiet">
            {f.format} · v{f.version}
          </span>
          <button
            type="button"
            className="btn btn-sm"
            disabled={land.isPending}
            onClick={() => land.mutate(undefined, { onSuccess: (l) => void navigate(`/runs/${l.run.id}`) })}
          >
            Land in a raw table
          </button>
        </>
      }
    >
      <p className="mb-3">{f.about}</p>
      {land.error && <Failed error={land.error} />}
      <ChangesCard name={name} />
      <Card>
        <Tabs tabs={tabs} picked={tab} onPick={setTab} />
        {tab === 'contract' && <Contract feed={f} />}
        {tab === 'files' && <FilesPart feed={f} />}
        {tab === 'set-aside' && <SetAsidePart runs={bad} />}
        {tab === 'edit' && <EditPart key={f.version} feed={f} />}
        {tab === 'versions' && <VersionsPart feed={f} />}
      </Card>
    </Page>
  )
}

/** How the newest files differ from the contract, and the one click that accepts it. */
function ChangesCard({ name }: { name: string }) {
  const changes = useFeedChanges(name)
  const accept = useAcceptChanges(name)
  if (!changes.data || changes.data.changes.length === 0) {
    return null
  }
  return (
    <div
      className="card-paper mb-4 border-l-4 p-3"
      style={{ borderLeftColor: 'var(--merged)' }}
      role="status"
    >
      <p className="font-semibold">The newest files are not as the contract says</p>
      <ul className="my-1">
        {changes.data.changes.map((c) => (
          <li key={c.kind + c.field}>
            <b>{c.kind}</b>: {c.found}
            {c.proposed && (
              <>
                ; it would be <code className="font-mono">{c.proposed}</code>
              </>
            )}
          </li>
        ))}
      </ul>
      {changes.data.acceptable && (
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={accept.isPending}
          onClick={() => accept.mutate(undefined)}
        >
          Accept as version {changes.data.version + 1}
        </button>
      )}
      {accept.error && <Failed error={accept.error} />}
    </div>
  )
}

function Contract({ feed }: { feed: Feed }) {
  return (
    <div className="grid grid-cols-2 gap-4 p-3">
      <table className="ledger self-start">
        <thead>
          <tr>
            <th>column</th>
            <th>type</th>
            <th>comes from</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {feed.columns.map((c) => (
            <tr key={c.name}>
              <td className="font-semibold">{c.name}</td>
              <td className="font-mono text-[0.9em]">{c.type}</td>
              <td className="quiet">{c.source === c.name ? '' : c.source}</td>
              <td className="quiet">{c.required ? 'required' : ''}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <pre className="max-h-[32rem] overflow-auto font-mono text-[0.86rem]">{feed.text}</pre>
    </div>
  )
}

function FilesPart({ feed }: { feed: Feed }) {
  return (
    <div className="p-3">
      {feed.filesProblem && <p className="mb-2">{feed.filesProblem}</p>}
      <div className="max-h-[32rem] overflow-auto">
        <table className="ledger">
          <thead className="sticky top-0 bg-base-100">
            <tr>
              <th>file</th>
              <th className="num">size</th>
              <th>changed</th>
              <th>fate</th>
              <th className="num">records</th>
              <th className="num">set aside</th>
            </tr>
          </thead>
          <tbody>
            {feed.files.map((f) => (
              <tr key={f.path}>
                <td className="font-mono text-[0.9em]">{f.path}</td>
                <td className="num">{bytes(f.sizeBytes)}</td>
                <td>{time(f.modifiedAt)}</td>
                <td>
                  {f.takenBy.length === 0
                    ? f.fate
                    : f.takenBy.map((t) => (
                        <Intake key={t.pipeline} run={t.run}>
                          {t.pipeline}
                        </Intake>
                      ))}
                </td>
                <td className="num">{f.takenBy[0] && number(f.takenBy[0].records)}</td>
                <td className="num">{f.takenBy[0] && share(f.takenBy[0].setAside, f.takenBy[0].records)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  )
}

function Intake({ run, children }: { run: number; children: ReactNode }) {
  return (
    <span className="mr-2 whitespace-nowrap">
      {children}, <Link to={`/runs/${run}`}>run {run}</Link>
    </span>
  )
}

/** The rows of one intake at a time, the newest first. */
function SetAsidePart({ runs }: { runs: Schemas['FeedIntake'][] }) {
  const [id, setId] = useState(runs.at(-1)?.run ?? 0)
  const run = useRun(id)
  return (
    <div>
      <div className="flex flex-wrap gap-2 px-3 pt-3" role="group" aria-label="Runs">
        {[...runs].reverse().map((r) => (
          <button
            key={r.run}
            type="button"
            aria-pressed={r.run === id}
            className={`btn btn-xs ${r.run === id ? 'btn-primary' : ''}`}
            onClick={() => setId(r.run)}
          >
            run {r.run} · {number(r.setAside)}
          </button>
        ))}
      </div>
      {run.error && <Failed error={run.error} />}
      {run.data && (
        <SetAsidePanel
          key={id}
          run={id}
          published={run.data.summary.state === 'succeeded'}
          reasons={run.data.setAsideByReason}
        />
      )}
    </div>
  )
}

function EditPart({ feed }: { feed: Feed }) {
  const [text, setText] = useState(feed.text)
  const save = useSaveFeed(feed.name)
  return (
    <div>
      <div className="flex items-center gap-3 px-3 pt-3">
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={text === feed.text || save.isPending}
          onClick={() => save.mutate({ text, basedOn: feed.version })}
        >
          Save as version {feed.version + 1}
        </button>
        {text !== feed.text && <span className="quiet">not saved yet</span>}
      </div>
      {save.error && <Failed error={save.error} />}
      <FeedEditor text={text} onChange={setText} />
    </div>
  )
}

function VersionsPart({ feed }: { feed: Feed }) {
  const [version, setVersion] = useState(Math.max(1, feed.version - 1))
  const older = useFeedVersion(feed.name, version)
  return (
    <div className="grid grid-cols-[16rem_minmax(0,1fr)] gap-3 p-3">
      <ul>
        {feed.versions.map((v) => (
          <li key={v.version}>
            <button
              type="button"
              aria-pressed={v.version === version}
              className={`w-full rounded px-2 py-1 text-left ${v.version === version ? 'bg-base-200' : ''}`}
              onClick={() => setVersion(v.version)}
            >
              <b>v{v.version}</b>{' '}
              <span className="quiet">
                {v.savedBy}, {time(v.savedAt)}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {older.data && (
        <pre
          className="overflow-auto font-mono text-[0.86rem]"
          aria-label={`Version ${version} and the newest`}
        >
          {diff(older.data.text, feed.text).map((l, i) => (
            <div
              key={i}
              style={
                l.kind === 'same'
                  ? undefined
                  : { color: l.kind === 'more' ? 'var(--side)' : 'var(--set-aside)' }
              }
            >
              {l.kind === 'same' ? '  ' : l.kind === 'more' ? '+ ' : '− '}
              {l.text}
            </div>
          ))}
        </pre>
      )}
    </div>
  )
}
