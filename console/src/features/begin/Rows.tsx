import { useState } from 'react'
import { toggled } from '../../shared/lib/format'
import { Failed } from '../../shared/ui/parts'
import { offered } from '../pipelines/model'
import { FIRST_ROWS, useStepProfile } from '../pipelines/queries'
import { Boxes } from './Boxes'
import { Foot, type StageProps } from './Foot'
import { bestKey, dedupeBody, keys, mends, ownShare } from './model'

/** What is odd about the rows, and the steps that mend it. */
export function Clean({ growth, onAdd, onSkip }: StageProps) {
  const profile = useStepProfile(growth.text, growth.last, FIRST_ROWS)
  const [left, setLeft] = useState<string[]>([])
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Looking at the first rows…</p>
  }
  const found = mends(profile.data)
  const taken = found.filter((m) => !left.includes(m.offer))
  return (
    <>
      <p>
        {profile.data.sources.join('; ')}:{' '}
        {found.length === 0
          ? 'nothing odd was found that a step would mend.'
          : 'what is odd, and the step that mends it.'}
      </p>
      {found.map((m) => (
        <label key={m.offer} className="mt-2 flex items-start gap-2">
          <input
            type="checkbox"
            className="checkbox checkbox-sm mt-0.5"
            checked={!left.includes(m.offer)}
            onChange={() => setLeft(toggled(left, m.offer))}
          />
          <span className="min-w-0">
            <code className="font-mono text-[0.9em] break-all">{m.offer}</code>
            {m.why.map((w) => (
              <span key={w} className="quiet block text-[0.9rem]">
                {w}
              </span>
            ))}
          </span>
        </label>
      ))}
      <Foot
        label={taken.length === 0 ? 'Next' : `Put ${taken.length === 1 ? 'it' : `all ${taken.length}`} in`}
        onNext={() => (taken.length === 0 ? onSkip() : onAdd(taken.map((m) => offered(m.offer))))}
        onSkip={taken.length === 0 ? undefined : onSkip}
      />
    </>
  )
}

/** The columns in which rows that count as one are the same. */
export function Key({ growth, onAdd, onSkip }: StageProps) {
  const profile = useStepProfile(growth.text, growth.last, FIRST_ROWS)
  const [picked, setPicked] = useState<string[]>()
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Counting values…</p>
  }
  const all = keys(profile.data)
  const chosen = picked ?? bestKey(profile.data)
  return (
    <>
      <p>
        Rows that are the same in these columns count as one: the last one stays, the others are counted as
        merged.
      </p>
      <Boxes
        label="Columns"
        className="mt-2 max-h-72"
        all={all.map((k) => ({ name: k.name, words: ownShare(k) }))}
        picked={chosen}
        onPick={setPicked}
      />
      <Foot
        label="Keep one row of each"
        disabled={chosen.length === 0}
        onNext={() => onAdd([{ verb: 'dedupe', body: dedupeBody(chosen) }])}
        onSkip={onSkip}
      />
    </>
  )
}
