import { lazy, Suspense, useState, type ReactNode } from 'react'
import type { Schemas } from '../../shared/api/client'
import { FlowView } from '../../shared/flow/FlowView'
import type { FlowStep } from '../../shared/flow/model'
import { toggled } from '../../shared/lib/format'
import { Card, Failed } from '../../shared/ui/parts'
import { useFeeds } from '../feeds/queries'
import { starSteps, useStars } from '../stars/queries'
import { useTables } from '../tables/queries'
import { Chooser } from './Chooser'
import { useEdits, type Edits } from './edits'
import { copied, readersOf } from './model'
import { useAddStep, useCutSteps, usePasteNow, useRemoveStep } from './queries'

const StepForm = lazy(() => import('./form/StepForm'))
const StepPanel = lazy(() => import('./StepPanel'))
const PastePanel = lazy(() => import('./PastePanel'))

type Open =
  | { what: 'between'; from: string; to: string }
  | { what: 'behind'; step: string }
  | { what: 'paste'; text: string }
  | { what: 'source' }

type Kind = 'feed' | 'table' | 'star'

/** What rows come from: a feed, a table or a fact of a star, as a first step or a further one. */
function Sources({ edits, onClose }: { edits: Edits; onClose?: () => void }) {
  const feeds = useFeeds()
  const tables = useTables()
  const paste = usePasteNow()
  const stars = useStars()
  const steps = async (kind: Kind, name: string) => {
    if (kind === 'star') {
      const [star, fact] = name.split('.') as [string, string]
      return (await starSteps(star, fact)).steps
    }
    const called = name.replace(/^.*\./, '').replaceAll(/[^a-z0-9_]/g, '_')
    return `${called}:\n  read: {${kind}: ${name}}\n`
  }
  const put = (kind: Kind, name: string) => {
    void edits
      .run(async (text) => {
        const p = await paste.mutateAsync({ text, steps: await steps(kind, name) })
        // The last one gives the rows.
        return { text: p.text, step: p.steps.at(-1) }
      })
      .then((made) => made && onClose?.())
  }
  const [picked, setPicked] = useState<Record<Kind, string>>({ feed: '', table: '', star: '' })
  const choice = (kind: Kind, names: string[] | undefined) => (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        put(kind, picked[kind])
      }}
    >
      <label className="flex items-center gap-2">
        Rows of a {kind}
        <select
          className="select select-sm w-56"
          value={picked[kind]}
          onChange={(e) => setPicked({ ...picked, [kind]: e.target.value })}
        >
          <option value="">choose…</option>
          {names?.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      </label>
      <button type="submit" className="btn btn-sm" disabled={edits.isBusy || picked[kind] === ''}>
        Read the {kind}
      </button>
    </form>
  )
  return (
    <div className="border-b border-base-300 px-3 py-2" role="group" aria-label="Where rows come from">
      <div className="flex flex-wrap items-center gap-4">
        {choice(
          'feed',
          feeds.data?.map((f) => f.name),
        )}
        {choice(
          'table',
          tables.data?.map((t) => t.name),
        )}
        {(stars.data?.length ?? 0) > 0 &&
          choice(
            'star',
            stars.data?.flatMap((s) => s.facts.map((f) => `${s.name}.${f}`)),
          )}
        {onClose && (
          <button
            type="button"
            className="btn btn-ghost btn-sm ml-auto"
            aria-label="Close the sources"
            onClick={onClose}
          >
            ✕
          </button>
        )}
      </div>
    </div>
  )
}

type Props = {
  title: ReactNode
  /** Steps as drawn, with the counts of a run. */
  flow: FlowStep[]
  pale: boolean
  /** The text that was checked, and what was said of it. */
  settled: string | undefined
  steps: Schemas['StepView'][]
  problems: Schemas['Problem'][]
  /** The text as it is now. */
  draft: string
  picked: string | undefined
  onPick: (step: string) => void
  onEdit: (text: string, step: string | undefined) => void
}

/** The flow that is worked on: bars are picked, marked, dragged; steps come between, go, and are pasted. */
export function Designer({
  title,
  flow,
  pale,
  settled,
  steps,
  problems,
  draft,
  picked,
  onPick,
  onEdit,
}: Props) {
  const [marked, setMarked] = useState<string[]>([])
  const [open, setOpen] = useState<Open>()
  const add = useAddStep()
  const remove = useRemoveStep()
  const cut = useCutSteps()
  const close = () => setOpen(undefined)
  const edits = useEdits(draft, picked, onEdit)
  const here = steps.some((s) => s.name === picked) ? picked : undefined
  const addStep = (what: Omit<Parameters<typeof add.mutateAsync>[0], 'text'>) =>
    void edits.run((text) => add.mutateAsync({ text, ...what })).then((made) => made && close())
  const put = (verb: string) => {
    if (open?.what === 'between') {
      addStep({ verb, behind: open.from, readers: [open.to] })
    } else if (open?.what === 'behind') {
      addStep({ verb, behind: open.step, readers: readersOf(steps, open.step) })
    }
  }
  /** Dragged onto another bar: joined into its line. */
  const join = (step: string, onto: string) =>
    addStep({
      verb: 'join',
      behind: onto,
      other: step,
      readers: readersOf(steps, onto).filter((r) => r !== step),
    })
  const chosen = () => [...(here ? [here] : []), ...marked.filter((m) => m !== here)]
  const key = (pressed: string, step: string): boolean => {
    if (pressed === 'Delete') {
      void edits.run((text) => remove.mutateAsync({ text, step }))
    } else if (pressed === 'a' || pressed === 'A') {
      setOpen({ what: 'behind', step })
    } else {
      return false
    }
    return true
  }
  const empty = settled !== undefined && flow.length === 0 && !pale
  return (
    <>
      <div className={here ? 'grid items-start gap-x-4 xl:grid-cols-[minmax(0,1fr)_24rem]' : ''}>
        <div className="min-w-0">
          <Card
            title={
              <span className="flex flex-wrap items-center gap-2">
                {title}
                {!pale && !empty && (
                  <span className="ml-auto flex gap-2 font-sans text-sm font-normal">
                    <button type="button" className="btn btn-sm" onClick={() => setOpen({ what: 'source' })}>
                      Add a source
                    </button>
                    <button
                      type="button"
                      className="btn btn-sm"
                      onClick={() => setOpen({ what: 'paste', text: '' })}
                    >
                      Paste steps
                    </button>
                  </span>
                )}
              </span>
            }
          >
            {(open?.what === 'between' || open?.what === 'behind') && (
              <Chooser
                label={
                  open.what === 'between' ? `between ${open.from} and ${open.to}` : `behind ${open.step}`
                }
                isBusy={edits.isBusy}
                onChoose={put}
                onClose={close}
              />
            )}
            {open?.what === 'source' && <Sources edits={edits} onClose={close} />}
            {empty && (
              <>
                <p className="quiet px-3 pt-2">
                  Nothing happens yet. Choose where rows come from, or write the first step below.
                </p>
                <Sources edits={edits} />
              </>
            )}
            {open?.what === 'paste' && (
              <Suspense>
                <PastePanel
                  key={open.text}
                  text={draft}
                  behind={here}
                  steps={steps.filter((s) => s.verb !== 'write').map((s) => s.name)}
                  begun={open.text}
                  onPaste={(text, step) => {
                    close()
                    onEdit(text, step)
                  }}
                  onClose={close}
                />
              </Suspense>
            )}
            {edits.error?.from === 'flow' && <Failed error={edits.error.error} />}
            <div
              className={`p-2 ${pale ? 'opacity-40' : ''}`}
              onCopy={(e) => {
                const text = copied(draft, chosen())
                if (text && window.getSelection()?.isCollapsed !== false) {
                  e.preventDefault()
                  e.clipboardData.setData('text/plain', text)
                }
              }}
              onCut={(e) => {
                const text = pale ? '' : copied(draft, chosen())
                if (text) {
                  e.preventDefault()
                  e.clipboardData.setData('text/plain', text)
                  const steps = chosen()
                  void edits.run(async (now) => {
                    const without = await cut.mutateAsync({ text: now, steps })
                    setMarked([])
                    return { text: without }
                  })
                }
              }}
              onPaste={(e) => {
                e.preventDefault()
                setOpen({ what: 'paste', text: e.clipboardData.getData('text/plain') })
              }}
            >
              <FlowView
                steps={flow}
                picked={picked}
                marked={marked}
                onPick={(step, more) => {
                  if (more) {
                    setMarked(toggled(marked, step))
                  } else {
                    setMarked([])
                    onPick(step)
                  }
                }}
                onBetween={pale ? undefined : (from, to) => setOpen({ what: 'between', from, to })}
                onDrop={pale ? undefined : join}
                onKey={pale ? undefined : key}
              />
            </div>
            {marked.length > 0 && (
              <p className="quiet px-3 pb-2" role="status">
                {chosen().length === 1
                  ? 'One step is marked; copy or cut takes it.'
                  : `${chosen().length} steps are marked; copy or cut takes them together.`}
              </p>
            )}
          </Card>
          {here && settled !== undefined && (
            <Suspense>
              <StepPanel
                key={here}
                text={settled}
                draft={draft}
                steps={steps}
                step={here}
                marked={chosen()}
                edits={edits}
                onPasteHere={() => setOpen({ what: 'paste', text: '' })}
                onClose={() => onPick(here)}
              />
            </Suspense>
          )}
        </div>
        {here && settled !== undefined && (
          <Suspense>
            <StepForm
              key={here}
              text={settled}
              draft={draft}
              steps={steps}
              step={here}
              problems={problems}
              edits={edits}
              onEdit={onEdit}
            />
          </Suspense>
        )}
      </div>
    </>
  )
}
