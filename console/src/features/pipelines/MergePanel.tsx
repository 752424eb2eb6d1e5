import { useState } from 'react'
import { Card } from '../../shared/ui/parts'
import { changedParts, merged, type Part } from './merge'

const WORDS = {
  mine: 'changed here',
  theirs: 'changed there',
  both: 'changed in both',
}

function Side({ title, text }: { title: string; text: string }) {
  return (
    <div className="min-w-0">
      <p className="quiet text-[0.86rem]">{title}</p>
      <pre
        className="overflow-auto rounded bg-base-200 p-2 font-mono text-[0.86rem]"
        tabIndex={0}
        aria-label={title}
      >
        {text === '' ? '(not there)' : text.trimEnd()}
      </pre>
    </div>
  )
}

/** Somebody else kept the document meanwhile: what both changed, part by part, and whose stays. */
export default function MergePanel({
  base,
  mine,
  theirs,
  by,
  version,
  onMerged,
}: {
  base: string
  mine: string
  theirs: string
  by: string
  version: number
  onMerged: (text: string) => void
}) {
  const parts = changedParts(base, mine, theirs)
  const both = parts.filter((p) => p.whose === 'both')
  const [choices, setChoices] = useState<Record<string, 'mine' | 'theirs'>>({})
  const open = both.filter((p) => choices[p.name] === undefined)
  const name = (p: Part) => (p.name === '' ? 'before the steps' : `step ${p.name}`)
  return (
    <Card title={`${by} kept version ${version} while you wrote`}>
      <div className="px-3 py-2">
        <p>
          {both.length === 0
            ? 'You changed different parts: both changes can stay.'
            : 'What only one of you changed stays. Choose for what both changed.'}
        </p>
        <ul className="mt-2" aria-label="Changed parts">
          {parts.map((p) => (
            <li key={p.name} className="border-t border-base-300 py-2">
              <p className="flex flex-wrap items-center gap-3">
                <b>{name(p)}</b>
                <span className="quiet">{WORDS[p.whose]}</span>
                {p.whose === 'both' &&
                  (['mine', 'theirs'] as const).map((who) => (
                    <label key={who} className="flex items-center gap-1.5">
                      <input
                        type="radio"
                        className="radio radio-sm"
                        name={`whose ${p.name}`}
                        aria-label={`${name(p)}: ${who}`}
                        checked={choices[p.name] === who}
                        onChange={() => setChoices({ ...choices, [p.name]: who })}
                      />
                      {who === 'mine' ? 'mine' : `that of ${by}`}
                    </label>
                  ))}
              </p>
              <div className="mt-1 grid gap-2 lg:grid-cols-2">
                {p.whose !== 'theirs' && <Side title="mine" text={p.mine} />}
                {p.whose !== 'mine' && <Side title={`that of ${by}`} text={p.theirs} />}
              </div>
            </li>
          ))}
        </ul>
        <div className="mt-2 flex gap-2">
          <button
            type="button"
            className="btn btn-primary btn-sm"
            disabled={open.length > 0}
            onClick={() => onMerged(merged(theirs, parts, choices))}
          >
            Put them together
          </button>
          <button type="button" className="btn btn-sm" onClick={() => onMerged(theirs)}>
            Take version {version} and drop mine
          </button>
        </div>
      </div>
    </Card>
  )
}
