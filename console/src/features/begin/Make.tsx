import { useState } from 'react'
import { number } from '../../shared/lib/format'
import { Failed } from '../../shared/ui/parts'
import { FIRST_ROWS, useStepProfile } from '../pipelines/queries'
import { useAllColumns } from '../query/queries'
import { Boxes } from './Boxes'
import { Foot, type StageProps } from './Foot'
import { TableName } from './TableName'
import {
  bestKey,
  dimensions,
  groupings,
  isTable,
  keys,
  keyNames,
  memberBody,
  numbers,
  ownShare,
  sumSteps,
  timesOf,
  type Facts,
  type Members,
} from './model'

const KINDS = [
  ['rows', 'the rows as they are'],
  ['sums', 'counts and sums of groups'],
  ['dimension', 'the members of a dimension of a star: looms, patterns, suppliers'],
  ['fact', 'a fact of a star: what happened, with keys of dimensions and numbers'],
] as const
type Kind = (typeof KINDS)[number][0]

type Props = StageProps & {
  onFact: (fact: Facts, table: string) => void
  onMembers: (body: string, table: string) => void
}

/** Boxes under what they are ticked for. */
function Several({ label, ...boxes }: Omit<Parameters<typeof Boxes>[0], 'className'>) {
  return (
    <fieldset className="mt-2">
      <legend className="quiet text-[0.86rem]">{label}</legend>
      {boxes.all.length === 0 ? (
        <p className="quiet">None fits.</p>
      ) : (
        <Boxes label={label} className="max-h-44" {...boxes} />
      )}
    </fieldset>
  )
}

function Time({
  label,
  all,
  value,
  onPick,
}: {
  label: string
  all: string[]
  value: string
  onPick: (c: string) => void
}) {
  return (
    <label className="mt-2 block">
      <span className="quiet block text-[0.86rem]">{label}</span>
      <select className="select select-sm w-72" value={value} onChange={(e) => onPick(e.target.value)}>
        <option value="">choose…</option>
        {all.map((c) => (
          <option key={c}>{c}</option>
        ))}
      </select>
    </label>
  )
}

/** What the rows become: themselves, sums, members of a dimension, or a fact. */
export function Make(props: Props) {
  const { growth, steps, onSkip } = props
  const [kind, setKind] = useState<Kind>('rows')
  const profile = useStepProfile(growth.text, growth.last, FIRST_ROWS)
  const columns = steps.find((s) => s.name === growth.last)?.columns ?? []
  if (profile.error) {
    return <Failed error={profile.error} />
  }
  if (!profile.data) {
    return <p role="status">Counting values…</p>
  }
  const common = { ...props, profile: profile.data, columns }
  return (
    <>
      <fieldset>
        <legend className="quiet text-[0.86rem]">They become</legend>
        {KINDS.map(([k, words]) => (
          <label key={k} className="flex items-center gap-2 py-0.5">
            <input
              type="radio"
              className="radio radio-sm"
              name="kind"
              checked={kind === k}
              onChange={() => setKind(k)}
            />
            {words}
          </label>
        ))}
      </fieldset>
      {kind === 'rows' && <Foot label="Next" onNext={onSkip} />}
      {kind === 'sums' && <Sums {...common} />}
      {kind === 'dimension' && <Dimension {...common} />}
      {kind === 'fact' && <Fact {...common} />}
    </>
  )
}

type Shaped = Props & {
  profile: Parameters<typeof keys>[0]
  columns: StageProps['steps'][number]['columns']
}

function Sums({ profile, columns, onAdd }: Shaped) {
  const groups = groupings(profile, columns)
  const [by, setBy] = useState<string[]>([])
  const [sums, setSums] = useState<string[]>([])
  return (
    <>
      <Several
        label="A row for each"
        all={groups.map((g) => ({
          name: g.name,
          words: g.of ? `the day of ${g.of}` : `${number(g.values ?? 0)} values in the rows looked at`,
        }))}
        picked={by}
        onPick={setBy}
      />
      <Several
        label="Added up, beside the count of rows"
        all={numbers(columns).map((name) => ({ name }))}
        picked={sums}
        onPick={setSums}
      />
      <Foot
        label="Count and add up"
        disabled={by.length === 0}
        onNext={() =>
          onAdd(
            sumSteps(
              groups.filter((g) => by.includes(g.name)),
              sums,
            ),
          )
        }
      />
    </>
  )
}

function Dimension({ profile, columns, onMembers }: Shaped) {
  const all = keys(profile)
  const [m, setMembers] = useState<Members>({
    table: '',
    key: bestKey(profile),
    history: [],
    changedAt: '',
  })
  const set = (next: Partial<Members>) => setMembers({ ...m, ...next })
  return (
    <>
      <Several
        label="A member is known by"
        all={all.map((k) => ({
          name: k.name,
          words: ownShare(k),
        }))}
        picked={m.key}
        onPick={(key) => set({ key })}
      />
      <Several
        label="What it was before stays known of"
        all={columns.filter((c) => !m.key.includes(c.name)).map((c) => ({ name: c.name }))}
        picked={m.history}
        onPick={(history) => set({ history })}
      />
      {m.history.length > 0 && (
        <Time
          label="When it changed; without one, when the run saw it"
          all={timesOf(columns)}
          value={m.changedAt}
          onPick={(changedAt) => set({ changedAt })}
        />
      )}
      <TableName
        label="Its table"
        value={m.table}
        example="star.dim_loom"
        onType={(table) => set({ table })}
      />
      <Foot
        label="Make the dimension"
        disabled={m.key.length === 0 || !isTable(m.table)}
        onNext={() => onMembers(memberBody(m), m.table)}
      />
    </>
  )
}

function Fact({ profile, columns, onFact }: Shaped) {
  const others = useAllColumns()
  const offers = dimensions(columns, others.data ?? [])
  const times = timesOf(columns)
  const [grain, setGrain] = useState(bestKey(profile))
  const [to, setTo] = useState<string[]>([])
  const [measures, setMeasures] = useState<string[]>([])
  const [at, setAt] = useState('')
  const [table, setTable] = useState('')
  const nameOf = (p: (typeof offers)[number]) => `${p.table} by ${p.mine}`
  const picked = offers.filter((o) => to.includes(nameOf(o)))
  const needsTime = picked.some((p) => p.history)
  return (
    <>
      <Several
        label="What no two rows share"
        all={keys(profile).map((k) => ({ name: k.name }))}
        picked={grain}
        onPick={setGrain}
      />
      {others.isPending && <p role="status">Looking through the tables…</p>}
      <Several
        label="Dimensions that the rows point to"
        all={offers.map((o) => ({
          name: nameOf(o),
          words: o.ofTime ? 'by its day' : o.history ? 'as it was at the time' : undefined,
        }))}
        picked={to}
        onPick={setTo}
      />
      {needsTime && <Time label="The time at which it happened" all={times} value={at} onPick={setAt} />}
      <Several
        label="Numbers to measure"
        all={numbers(columns).map((name) => ({ name }))}
        picked={measures}
        onPick={setMeasures}
      />
      {picked.length > 0 && (
        <p className="quiet mt-2 text-[0.9rem]">
          Its keys are {keyNames(picked).join(', ')}. A row without a member points to the one for the
          unknown.
        </p>
      )}
      <TableName label="Its table" value={table} example="star.fact_roll" onType={setTable} />
      <Foot
        label="Make the fact"
        disabled={grain.length === 0 || picked.length === 0 || !isTable(table) || (needsTime && at === '')}
        onNext={() => onFact({ grain, to: picked, at, measures }, table)}
      />
    </>
  )
}
