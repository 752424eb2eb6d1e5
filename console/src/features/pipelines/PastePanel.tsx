import { useState } from 'react'
import { Failed } from '../../shared/ui/parts'
import { usePaste } from './queries'
import { TakeFromShelf } from './Shelf'

/** Steps as plain text, and what they will be called and read here, before they are put in. */
export default function PastePanel({
  text,
  behind,
  steps,
  begun,
  onPaste,
  onClose,
}: {
  text: string
  /** The step that they follow; the end without one. */
  behind: string | undefined
  /** Steps of the document that can be read. */
  steps: string[]
  begun: string
  onPaste: (text: string, step: string | undefined) => void
  onClose: () => void
}) {
  const [pasted, setPasted] = useState(begun)
  const [inputs, setInputs] = useState<Record<string, string>>({})
  const proposal = usePaste(text, pasted, behind, inputs)
  const shown = pasted.trim() !== '' && !proposal.error ? proposal.data : undefined
  return (
    <div
      className="border-b border-base-300 px-3 py-2"
      role="group"
      aria-label="Paste steps"
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <div className="flex items-center gap-3">
        <span className="font-semibold">{behind ? `Paste behind ${behind}` : 'Paste at the end'}</span>
        <span className="quiet">steps as text: from here, from another pipeline, or from a mail</span>
        <button
          type="button"
          className="btn btn-ghost btn-sm ml-auto"
          aria-label="Close the paste"
          onClick={onClose}
        >
          ✕
        </button>
      </div>
      <div className="mt-1 grid gap-3 lg:grid-cols-2">
        <textarea
          className="textarea h-44 w-full font-mono text-[0.86rem]"
          autoFocus
          spellCheck={false}
          aria-label="Steps to paste"
          placeholder={'tidy:\n  from: rolls\n  shape: {trim: {of: text}}'}
          value={pasted}
          onChange={(e) => setPasted(e.target.value)}
        />
        <div aria-live="polite">
          {pasted.trim() === '' && <TakeFromShelf onTake={setPasted} />}
          {pasted.trim() !== '' && proposal.error && <Failed error={proposal.error} />}
          {shown && (
            <>
              <p>
                Puts in <b className="font-mono">{shown.steps.join(', ')}</b>.
              </p>
              {Object.entries(shown.renamed).map(([was, now]) => (
                <p key={was} className="quiet">
                  There is a step {was} already: the pasted one becomes {now}.
                </p>
              ))}
              {shown.inputs.map((i) => (
                <label key={i.name} className="mt-1 flex items-center gap-2">
                  <span className="font-mono">{i.name}</span> is here
                  <select
                    className="select select-sm w-48"
                    aria-label={`Step in place of ${i.name}`}
                    value={i.chosen ?? ''}
                    onChange={(e) => setInputs({ ...inputs, [i.name]: e.target.value })}
                  >
                    <option value="">no step yet</option>
                    {steps.map((s) => (
                      <option key={s}>{s}</option>
                    ))}
                  </select>
                </label>
              ))}
              <button
                type="button"
                className="btn btn-primary btn-sm mt-2"
                disabled={proposal.isFetching}
                onClick={() => onPaste(shown.text, shown.steps[0])}
              >
                Put in
              </button>
            </>
          )}
        </div>
      </div>
    </div>
  )
}
