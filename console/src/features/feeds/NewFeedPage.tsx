import { useState } from 'react'
import { Link } from 'react-router'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Card, Failed, Loading, Page } from '../../shared/ui/parts'
import { DropFiles } from '../uploads/DropFiles'
import { FeedEditor } from './FeedEditor'
import { useOnboard, usePropose, useSaveFeed } from './queries'

type Proposal = Schemas['FeedProposal']

/** From dropped files to feeds: upload, see what is proposed and why, change it, keep it. */
export default function NewFeedPage() {
  const propose = usePropose()
  const [paths, setPaths] = useState<string[]>([])
  const [picked, setPicked] = useState(0)
  const arrived = (more: string[]) => {
    const all = [...paths, ...more]
    setPaths(all)
    propose.mutate(all)
  }
  const proposals = propose.data?.proposals ?? []
  const proposal = proposals[Math.min(picked, proposals.length - 1)]
  return (
    <Page crumb={<Link to="/feeds">Feeds</Link>} title="Bring files in">
      <Card title="1 · Files">
        <DropFiles onDone={arrived} />
        <div className="border-t border-base-300 px-3 py-2">
          <button type="button" className="link" onClick={() => propose.mutate([])}>
            or propose feeds for all that is in the inbox
          </button>
        </div>
      </Card>
      {propose.isPending && <Loading what="proposals" />}
      {propose.error && <Failed error={propose.error} />}
      {propose.data && (
        <>
          {Object.entries(propose.data.unknown).map(([pattern, why]) => (
            <p key={pattern} className="mb-2">
              <code className="font-mono">{pattern}</code>: {why}
            </p>
          ))}
          {proposals.length > 1 && (
            <Card title={`2 · ${number(proposals.length)} kinds of files`}>
              <ProposalList proposals={proposals} picked={picked} onPick={setPicked} />
            </Card>
          )}
          {proposal && (
            <ProposalCard
              key={proposal.name + proposal.text}
              step={proposals.length > 1 ? 3 : 2}
              proposal={proposal}
            />
          )}
        </>
      )}
    </Page>
  )
}

function ProposalList({
  proposals,
  picked,
  onPick,
}: {
  proposals: Proposal[]
  picked: number
  onPick: (n: number) => void
}) {
  const onboard = useOnboard()
  return (
    <div className="p-3">
      <div className="mb-2 flex flex-wrap gap-2" role="group" aria-label="Proposed feeds">
        {proposals.map((p, n) => (
          <button
            key={p.name}
            type="button"
            aria-pressed={n === picked}
            className={`btn btn-sm ${n === picked ? 'btn-primary' : ''}`}
            onClick={() => onPick(n)}
          >
            {p.name} · {number(p.files.length)} {p.files.length === 1 ? 'file' : 'files'}
          </button>
        ))}
      </div>
      <button
        type="button"
        className="btn btn-sm"
        disabled={onboard.isPending || onboard.isSuccess}
        onClick={() => onboard.mutate(proposals.map((p) => p.text))}
      >
        Keep all as proposed, and land each in a raw table
      </button>
      {onboard.error && <Failed error={onboard.error} />}
      {onboard.data?.landings.map((l) => (
        <p key={l.pipeline} className="mt-1">
          {l.table}: <Link to={`/runs/${l.run.id}`}>run {l.run.id}</Link>
        </p>
      ))}
    </div>
  )
}

function ProposalCard({ step, proposal }: { step: number; proposal: Proposal }) {
  const [text, setText] = useState(proposal.text)
  const name = /^feed:\s*(\S+)/m.exec(text)?.[1] ?? proposal.name
  const save = useSaveFeed(name)
  const onboard = useOnboard()
  return (
    <Card
      title={
        <span className="flex items-center gap-3">
          {step} · {name}
          <span className="ml-auto flex gap-2">
            <button
              type="button"
              className="btn btn-sm"
              disabled={save.isPending}
              onClick={() => save.mutate({ text })}
            >
              Keep the feed
            </button>
            <button
              type="button"
              className="btn btn-primary btn-sm"
              disabled={onboard.isPending}
              onClick={() => onboard.mutate([text])}
            >
              Keep and land
            </button>
          </span>
        </span>
      }
    >
      {(save.error || onboard.error) && <Failed error={save.error ?? onboard.error} />}
      {save.data && (
        <p className="px-3 pt-2" role="status">
          Kept as <Link to={`/feeds/${save.data.name}`}>{save.data.name}</Link>, version {save.data.version}.
        </p>
      )}
      {onboard.data?.landings.map((l) => (
        <p key={l.pipeline} className="px-3 pt-2" role="status">
          Landing in {l.table}: <Link to={`/runs/${l.run.id}`}>run {l.run.id}</Link>.
        </p>
      ))}
      <FeedEditor text={text} onChange={setText} />
    </Card>
  )
}
