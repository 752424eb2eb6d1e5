import { useState } from 'react'
import { Failed } from '../../shared/ui/parts'
import { Chooser } from './Chooser'
import { KeepOnShelf } from './Shelf'
import type { Edits } from './edits'
import { copied, readersOf } from './model'
import { useAddStep, useKeepAsTest, useMoveStep, useRemoveStep, useRenameStep } from './queries'
import type { Schemas } from '../../shared/api/client'

type Props = {
  text: string
  steps: Schemas['StepView'][]
  step: string
  /** The steps that a copy takes. */
  marked: string[]
  onPasteHere: () => void
  edits: Edits
}

/** Puts a step behind this one, renames it, or takes it out: in the text, whatever else stands there. */
export function StepActions({ text, steps, step, marked, onPasteHere, edits }: Props) {
  const [open, setOpen] = useState<'add' | 'branch' | 'join' | 'move' | 'rename' | 'shelf'>()
  const [taken, setTaken] = useState<string>()
  const [name, setName] = useState(step)
  const add = useAddStep()
  const remove = useRemoveStep()
  const rename = useRenameStep()
  const keep = useKeepAsTest()
  const move = useMoveStep()
  const here = steps.find((s) => s.name === step)
  const isWrite = here?.verb === 'write'
  const others = steps.filter((s) => s.name !== step && s.verb !== 'write').map((s) => s.name)
  const change = (how: Parameters<Edits['run']>[0]) =>
    edits.run(how).then((made) => made && setOpen(undefined))
  const put = (verb: string) => {
    const readers = open === 'branch' ? [] : readersOf(steps, step)
    return change((now) => add.mutateAsync({ text: now, verb, behind: step, readers }))
  }
  const copy = copied(text, marked)
  // What is clicked meanwhile would go to a panel that is about to make room for the next.
  const isBusy = edits.isBusy
  const toggle = (what: typeof open) => setOpen(open === what ? undefined : what)
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 border-b border-base-300 px-3 py-2">
        {!isWrite && (
          <>
            <button
              type="button"
              className="btn btn-sm"
              disabled={isBusy}
              aria-expanded={open === 'add'}
              onClick={() => toggle('add')}
            >
              Add a step behind
            </button>
            <button
              type="button"
              className="btn btn-sm"
              disabled={isBusy}
              aria-expanded={open === 'branch'}
              title="A step that takes these rows too; the others go on as they were"
              onClick={() => toggle('branch')}
            >
              Branch
            </button>
          </>
        )}
        {!isWrite && (
          <Pick
            label="Join with"
            help="Brings columns of another step to these rows"
            names={others}
            isOpen={open === 'join'}
            isBusy={isBusy}
            onToggle={() => toggle('join')}
            onPick={(other) =>
              change((now) =>
                add.mutateAsync({
                  text: now,
                  verb: 'join',
                  behind: step,
                  other,
                  readers: readersOf(steps, step).filter((r) => r !== other),
                }),
              )
            }
          />
        )}
        {here && here.from.length > 0 && (
          <Pick
            label="Move behind"
            help="Takes the step to another place; the flow heals where it was"
            names={others}
            isOpen={open === 'move'}
            isBusy={isBusy}
            onToggle={() => toggle('move')}
            onPick={(behind) =>
              change((now) =>
                move.mutateAsync({
                  text: now,
                  step,
                  behind,
                  readers: isWrite ? [] : readersOf(steps, behind).filter((r) => r !== step),
                }),
              )
            }
          />
        )}
        {open === 'rename' ? (
          <form
            className="flex items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault()
              void change((now) => rename.mutateAsync({ text: now, step, name }))
            }}
          >
            <input
              className="input input-sm w-44 font-mono"
              autoFocus
              aria-label={`New name of ${step}`}
              value={name}
              onChange={(e) => setName(e.target.value)}
              onKeyDown={(e) => e.key === 'Escape' && setOpen(undefined)}
            />
            <button type="submit" className="btn btn-sm" disabled={isBusy}>
              Rename it
            </button>
          </form>
        ) : (
          <button type="button" className="btn btn-sm" disabled={isBusy} onClick={() => toggle('rename')}>
            Rename
          </button>
        )}
        <button
          type="button"
          className="btn btn-sm"
          disabled={isBusy}
          onClick={() => void change((now) => remove.mutateAsync({ text: now, step }))}
        >
          Take out
        </button>
        <button
          type="button"
          className="btn btn-sm"
          title="As text, to be pasted here, in another pipeline, or in a mail"
          onClick={() => navigator.clipboard.writeText(copy).then(() => setTaken(copy))}
        >
          {taken === copy ? 'Copied' : marked.length > 1 ? `Copy ${marked.length} steps` : 'Copy'}
        </button>
        <button type="button" className="btn btn-sm" onClick={onPasteHere}>
          Paste behind
        </button>
        <button
          type="button"
          className="btn btn-sm"
          aria-expanded={open === 'shelf'}
          title="By a name, to be pasted from there into any pipeline"
          onClick={() => toggle('shelf')}
        >
          Shelve
        </button>
        <button
          type="button"
          className="btn btn-sm"
          disabled={keep.isPending}
          title="Given the first rows of each source, expected what this step gives of them"
          onClick={() => keep.mutate({ text, step, sources: {} })}
        >
          {keep.isPending ? 'Making a test…' : 'Keep as a test'}
        </button>
        {keep.data && (
          <span role="status" style={{ color: 'var(--side)' }}>
            Kept as {keep.data.name}.
          </span>
        )}
      </div>
      {keep.error && <Failed error={keep.error} />}
      {open === 'shelf' && <KeepOnShelf steps={copy} onClose={() => setOpen(undefined)} />}
      {(open === 'add' || open === 'branch') && (
        <Chooser isBusy={isBusy} onChoose={(verb) => void put(verb)} onClose={() => setOpen(undefined)} />
      )}
    </>
  )
}

/** A button that becomes a list of steps. Nothing happens before one is taken: the keys that go through a list change it. */
function Pick({
  label,
  help,
  names,
  isOpen,
  isBusy,
  onToggle,
  onPick,
}: {
  label: string
  help: string
  names: string[]
  isOpen: boolean
  isBusy: boolean
  onToggle: () => void
  onPick: (name: string) => unknown
}) {
  const [name, setName] = useState('')
  return isOpen ? (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        onPick(name)
      }}
      onKeyDown={(e) => e.key === 'Escape' && onToggle()}
    >
      <select
        className="select select-sm w-44"
        autoFocus
        aria-label={label}
        value={name}
        onChange={(e) => setName(e.target.value)}
      >
        <option value="">{label.toLowerCase()}…</option>
        {names.map((n) => (
          <option key={n}>{n}</option>
        ))}
      </select>
      <button type="submit" className="btn btn-sm" disabled={isBusy || name === ''}>
        {label.split(' ')[0]} it
      </button>
    </form>
  ) : (
    <button type="button" className="btn btn-sm" title={help} disabled={isBusy} onClick={onToggle}>
      {label}
    </button>
  )
}
