import { useState } from 'react'
import { Failed } from '../../shared/ui/parts'
import { chosen, readersOf } from './model'
import { useAddStep, useKeepAsTest, useRemoveStep, useRenameStep, useStepCatalog } from './queries'
import type { Schemas } from '../../shared/api/client'

type Props = {
  text: string
  steps: Schemas['StepView'][]
  step: string
  /** Takes the changed text, and the step that it is about. */
  onEdit: (text: string, step: string | undefined) => void
}

/** What a step may be followed by: one line and an example each. */
function Chooser({ onChoose, onClose }: { onChoose: (verb: string) => void; onClose: () => void }) {
  const catalog = useStepCatalog()
  const [search, setSearch] = useState('')
  return (
    <div
      className="border-b border-base-300 px-3 py-2"
      role="group"
      aria-label="Steps that can be added"
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <input
        className="input input-sm w-72"
        autoFocus
        aria-label="Search the steps"
        placeholder="what should happen to the rows?"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <ul className="mt-2 max-h-56 overflow-auto">
        {chosen(catalog.data ?? [], search).map((d) => (
          <li key={d.verb}>
            <button
              type="button"
              className="flex w-full items-baseline gap-3 rounded px-2 py-1 text-left hover:bg-base-200 focus-visible:bg-base-200"
              onClick={() => onChoose(d.verb)}
            >
              <b className="w-24 shrink-0 font-mono text-[0.93em]">{d.verb}</b>
              <span className="grow">{d.about}</span>
              <code className="quiet hidden max-w-[40%] truncate font-mono text-[0.83em] lg:block">
                {d.examples[0]}
              </code>
            </button>
          </li>
        ))}
      </ul>
    </div>
  )
}

/** Puts a step behind this one, renames it, or takes it out: in the text, whatever else stands there. */
export function StepActions({ text, steps, step, onEdit }: Props) {
  const [open, setOpen] = useState<'add' | 'branch' | 'rename'>()
  const [name, setName] = useState(step)
  const add = useAddStep()
  const remove = useRemoveStep()
  const rename = useRenameStep()
  const keep = useKeepAsTest()
  const isWrite = steps.find((s) => s.name === step)?.verb === 'write'
  const done = (edited: Schemas['EditedText']) => {
    setOpen(undefined)
    onEdit(edited.text, edited.step)
  }
  const put = (verb: string) =>
    add.mutate(
      { text, verb, behind: step, readers: open === 'branch' ? [] : readersOf(steps, step) },
      { onSuccess: done },
    )
  const error = add.error ?? remove.error ?? rename.error ?? keep.error
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
      {(open === 'add' || open === 'branch') && <Chooser onChoose={put} onClose={() => setOpen(undefined)} />}
    </>
  )
}
