import { useState, type ReactNode } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { bytes, number, time } from '../../shared/lib/format'
import { Card, Failed, Loading, Page, Tabs } from '../../shared/ui/parts'
import { useRun } from '../runs/queries'
import { SetAsidePanel } from '../setaside/SetAsidePanel'
import { Bars } from '../../shared/ui/Bars'
import { placeBars } from '../../shared/ui/bars'
import { PausedNote, StateButtons } from '../states/StateButtons'
import { ChangesCard } from './ChangesCard'
import { useDraft } from '../../shared/lib/draft'
import { FeedEditor } from './FeedEditor'
import { PreviewRows } from './PreviewPanel'
import { ShareChart } from './ShareChart'
import { diff, share } from './model'
import { useFeed, useFeedPreview, useFeedVersion, useLandFeed, useQuarantine, useSaveFeed } from './queries'

type Feed = Schemas['FeedDetail']
type Tab = 'contract' | 'rows' | 'files' | 'set-aside' | 'edit' | 'versions'

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
    ...(f.files.length > 0 ? [{ key: 'rows' as const, label: 'Rows' }] : []),
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
          <StateButtons kind="feeds" name={name} paused={f.paused} />
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
      <PausedNote paused={f.paused} />
      {land.error && <Failed error={land.error} />}
      <ChangesCard name={name} />
      <IntakeCard feed={f} />
      <Card>
        <Tabs tabs={tabs} picked={tab} onPick={setTab} />
        {tab === 'contract' && <Contract feed={f} />}
        {tab === 'rows' && <RowsPart feed={f} />}
        {tab === 'files' && <FilesPart feed={f} />}
        {tab === 'set-aside' && <SetAsidePart runs={bad} />}
        {tab === 'edit' && <EditPart key={f.version} feed={f} />}
        {tab === 'versions' && <VersionsPart feed={f} />}
      </Card>
    </Page>
  )
}

const CHART = { width: 360, height: 48 }

/** What came in, intake by intake, and how much of it was set aside. */
function IntakeCard({ feed }: { feed: Feed }) {
  const last = feed.history.at(-1)
  if (!last) {
    return (
      <p className="card-paper quiet mb-4 p-3">
        Nothing has been taken in yet. Land the feed in a raw table, or read it in a pipeline.
      </p>
    )
  }
  return (
    <div className="card-paper mb-4 flex flex-wrap items-end gap-8 p-3">
      <div>
        <div className="quiet mb-1">records, intake by intake</div>
        <Bars
          label={`Records of the last ${feed.history.length} intakes`}
          bars={placeBars(
            feed.history.map((h) => ({
              key: String(h.run),
              value: h.records,
              colour: 'var(--flow)',
              title: `run ${h.run}, ${time(h.takenAt)}: ${number(h.records)} records of ${number(h.files)} files`,
            })),
            CHART.width,
            CHART.height,
          )}
          to={(run) => `/runs/${run}`}
          {...CHART}
        />
      </div>
      <div>
        <div className="quiet mb-1">share set aside</div>
        <ShareChart history={feed.history} width={240} height={48} />
      </div>
      <div className="ml-auto text-right">
        <div className="font-mono text-lg font-semibold">{share(last.setAside, last.records) || '0 %'}</div>
        <div className="quiet">
          of {number(last.records)} records set aside by{' '}
          <Link className="name" to={`/runs/${last.run}`}>
            run {last.run}
          </Link>
          , {time(last.takenAt)}
        </div>
      </div>
    </div>
  )
}

/** The first rows of the newest file, as the contract reads them. */
function RowsPart({ feed }: { feed: Feed }) {
  const preview = useFeedPreview(feed.text, feed.files.at(-1)?.path)
  if (preview.error) {
    return <Failed error={preview.error} />
  }
  return preview.data ? (
    <>
      <p className="quiet px-3 pt-2">
        The first rows of <code className="font-mono">{preview.data.file}</code>
      </p>
      <PreviewRows preview={preview.data} />
    </>
  ) : (
    <Loading what="rows" />
  )
}

function Contract({ feed }: { feed: Feed }) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4 p-3 md:grid-cols-2">
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
              <th />
            </tr>
          </thead>
          <tbody>
            {feed.files.map((f) => (
              <tr key={f.path}>
                <td className="font-mono text-[0.9em]">{f.path}</td>
                <td className="num">{bytes(f.sizeBytes)}</td>
                <td>{time(f.modifiedAt)}</td>
                <td>
                  {f.held
                    ? `in quarantine: ${f.held.why}`
                    : f.takenBy.length === 0
                      ? f.fate
                      : f.takenBy.map((t) => (
                          <Intake key={t.pipeline} run={t.run}>
                            {t.pipeline}
                          </Intake>
                        ))}
                </td>
                <td className="num">{f.takenBy[0] && number(f.takenBy[0].records)}</td>
                <td className="num">{f.takenBy[0] && share(f.takenBy[0].setAside, f.takenBy[0].records)}</td>
                <td className="text-right">
                  <HoldButton feed={feed.name} file={f} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  )
}

/** Puts a file into quarantine, or gives it back; why it is there stands beside. */
function HoldButton({ feed, file }: { feed: string; file: Schemas['FeedFile'] }) {
  const quarantine = useQuarantine(feed)
  return (
    <>
      <button
        type="button"
        className="btn btn-xs"
        disabled={quarantine.isPending}
        title={file.held ? undefined : 'No run and no query reads a file in quarantine'}
        onClick={() => quarantine.mutate({ put: !file.held, path: file.path })}
      >
        {file.held ? 'Give back' : 'Quarantine'}
      </button>
      {quarantine.error && <Failed error={quarantine.error} />}
    </>
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
  const { text, setText, basis, isChanged, saved } = useDraft(feed)
  const save = useSaveFeed(feed.name)
  return (
    <div>
      <div className="flex items-center gap-3 px-3 pt-3">
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={!isChanged || save.isPending}
          onClick={() => save.mutate({ text, basedOn: basis.version }, { onSuccess: saved })}
        >
          Save as version {basis.version + 1}
        </button>
        {isChanged && <span className="quiet">not saved yet</span>}
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
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3 p-3 md:grid-cols-[16rem_minmax(0,1fr)]">
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
