import { useState } from 'react'
import { number, toggled } from '../../shared/lib/format'
import { Failed } from '../../shared/ui/parts'
import { offered } from '../pipelines/model'
import { FIRST_ROWS, useStepProfile } from '../pipelines/queries'
import { Boxes } from './Boxes'
import { Foot, type StageProps } from './Foot'
import { alikeTexts, bestKey, dedupeBody, keys, mends, ownShare, type Alike, type Growth } from './model'
import { useAlikes } from './queries'

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
  const [wanted, setAlike] = useState<Alike>()
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Counting values…</p>
  }
  const all = keys(profile.data)
  const chosen = picked ?? bestKey(profile.data)
  // A text that has become a part of the key is compared as it is.
  const alike = wanted && !chosen.includes(wanted.on) ? wanted : undefined
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
      <AlikeTexts
        growth={growth}
        by={chosen}
        texts={alikeTexts(profile.data, chosen)}
        alike={alike}
        onPick={setAlike}
      />
      <Foot
        label="Keep one row of each"
        disabled={chosen.length === 0}
        onNext={() => onAdd([{ verb: 'dedupe', body: dedupeBody(chosen, alike) }])}
        onSkip={onSkip}
      />
    </>
  )
}

const SHARES = [60, 70, 80, 90]
const USUAL_SHARE = 70

/** One more column in which rows that count as one need be only nearly the same, with texts that would be taken together. */
function AlikeTexts({
  growth,
  by,
  texts,
  alike,
  onPick,
}: {
  growth: Growth
  by: string[]
  texts: string[]
  alike: Alike | undefined
  onPick: (next: Alike | undefined) => void
}) {
  const found = useAlikes(growth, by, alike)
  if (texts.length === 0) {
    return null
  }
  return (
    <div className="mt-3 border-t border-base-300 pt-3">
      <label className="flex items-start gap-2">
        <input
          type="checkbox"
          className="checkbox checkbox-sm mt-0.5"
          checked={alike !== undefined}
          onChange={(e) => onPick(e.target.checked ? { on: texts[0]!, least: USUAL_SHARE } : undefined)}
        />
        <span>And a text that is nearly the same, such as a name that people type</span>
      </label>
      {alike && (
        <div className="mt-2 flex flex-wrap items-center gap-2 pl-7">
          <select
            className="select select-sm w-auto font-mono"
            aria-label="Text that is nearly the same"
            value={alike.on}
            onChange={(e) => onPick({ ...alike, on: e.target.value })}
          >
            {texts.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </select>
          <span>alike by at least</span>
          <select
            className="select select-sm w-auto"
            aria-label="Least likeness"
            value={alike.least}
            onChange={(e) => onPick({ ...alike, least: Number(e.target.value) })}
          >
            {SHARES.map((s) => (
              <option key={s} value={s}>
                {s} %
              </option>
            ))}
          </select>
        </div>
      )}
      {alike && (
        <div className="mt-2 pl-7 text-[0.9rem]" role="status">
          {by.length === 0 && <p className="quiet">Tick a column above: texts are compared within it.</p>}
          {found.error && <Failed error={found.error} />}
          {found.data && (
            <>
              <p>
                {found.data.groups === 0
                  ? 'Among the first rows no two texts are taken together.'
                  : `Among the first rows ${number(found.data.groups)} ${found.data.groups === 1 ? 'group has' : 'groups have'} texts that differ. Are they the same?`}
              </p>
              {found.data.first.map((texts) => (
                <p key={texts} className="mt-1 font-mono break-words">
                  {texts}
                </p>
              ))}
            </>
          )}
        </div>
      )}
    </div>
  )
}
