import { useState } from 'react'
import { Failed } from '../../shared/ui/parts'
import { Chooser } from './Chooser'
import { KeepOnShelf } from './Shelf'
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
  /** Takes the changed text, and the step that it is about. */
  onEdit: (text: string, step: string | undefined) => void
}

/** Puts a step behind this one, renames it, or takes it out: in the text, whatever else stands there. */
export function StepActions({ text, steps, step, marked, onPasteHere, onEdit }: Props) {
  const [open, setOpen] = useState<'add' | 'branch' | 'join' | 'move' | 'rename' | 'shelf'>()
  const [isCopied, setCopied] = useState(false)
  const [name, setName] = useState(step)
  const add = useAddStep()
  const remove = useRemoveStep()
  const rename = useRenameStep()
  const keep = useKeepAsTest()
  const move = useMoveStep()
  const here = steps.find((s) => s.name === step)
  const isWrite = here?.verb === 'write'
  const others = steps.filter((s) => s.name !== step && s.verb !== 'write').map((s) => s.name)
  const done = (edited: Schemas['EditedText']) => {
    setOpen(undefined)
    onEdit(edited.text, edited.step)
  }
  const put = (verb: string) =>
    add.mutate(
      { text, verb, behind: step, readers: open === 'branch' ? [] : readersOf(steps, step) },
      { onSuccess: done },
    )
  const error = add.error ?? remove.error ?? rename.error ?? move.error ?? keep.error
  const toggle = (what: typeof open) => setOpen(open === what ? undefined : what)
  return (
    <>
      <div className="flex flex-wrap items-center gap-2 border-b border-base-300 px-3 py-2">
        {!isWrite && (
          <>
            <button
              type="button"
              className="btn btn-sm"
              aria-expanded={open === 'add'}
              onClick={() => toggle('add')}
            >
              Add a step behind
            </button>
            <button
              type="button"
              className="btn btn-sm"
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
            onToggle={() => toggle('join')}
            onPick={(other) =>
              add.mutate(
                {
                  text,
                  verb: 'join',
                  behind: step,
                  other,
                  readers: readersOf(steps, step).filter((r) => r !== other),
                },
                { onSuccess: done },
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
            onToggle={() => toggle('move')}
            onPick={(behind) =>
              move.mutate(
                {
                  text,
                  step,
                  behind,
                  readers: isWrite ? [] : readersOf(steps, behind).filter((r) => r !== step),
                },
                { onSuccess: done },
              )
            }
          />
        )}
        {open === 'rename' ? (
          <form
            className="flex items-center gap-2"
            onSubmit={(e) => {
              e.preventDefault()
              rename.mutate({ text, step, name }, { onSuccess: done })
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
            <button type="submit" className="btn btn-sm">
              Rename it
            </button>
          </form>
        ) : (
          <button type="button" className="btn btn-sm" onClick={() => toggle('rename')}>
            Rename
          </button>
        )}
        <button
          type="button"
          className="btn btn-sm"
          disabled={remove.isPending}
          onClick={() => remove.mutate({ text, step }, { onSuccess: done })}
        >
          Take out
        </button>
        <button
          type="button"
          className="btn btn-sm"
          title="As text, to be pasted here, in another pipeline, or in a mail"
          onClick={() => navigator.clipboard.writeText(copied(text, marked)).then(() => setCopied(true))}
        >
          {isCopied ? 'Copied' : marked.length > 1 ? `Copy ${marked.length} steps` : 'Copy'}
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
      {error && <Failed error={error} />}
      {open === 'shelf' && <KeepOnShelf steps={copied(text, marked)} onClose={() => setOpen(undefined)} />}
      {(open === 'add' || open === 'branch') && <Chooser onChoose={put} onClose={() => setOpen(undefined)} />}
    </>
  )
}

/** A button that becomes a list of steps. Nothing happens before one is taken: the keys that go through a list change it. */
function Pick({
  label,
  help,
  names,
  isOpen,
  onToggle,
  onPick,
}: {
  label: string
  help: string
  names: string[]
  isOpen: boolean
  onToggle: () => void
  onPick: (name: string) => void
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
      <button type="submit" className="btn btn-sm" disabled={name === ''}>
        {label.split(' ')[0]} it
      </button>
    </form>
  ) : (
    <button type="button" className="btn btn-sm" title={help} onClick={onToggle}>
      {label}
    </button>
  )
}
