import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { number } from '../../shared/lib/format'
import { Failed, Loading, Value } from '../../shared/ui/parts'
import { dedupeSteps, fateOf } from './model'
import { useDuplicates } from './queries'

type Group = Schemas['DuplicateGroup']

const COLOURS = { stays: 'var(--side)', goes: 'var(--merged)', merged: 'var(--merged)', made: 'var(--side)' }

function Line({
  what,
  likeness,
  values,
  differs,
}: {
  what: keyof typeof COLOURS
  likeness?: number | null
  values: (string | null)[]
  differs: boolean[]
}) {
  return (
    <tr>
      <td className="font-semibold" style={{ color: COLOURS[what] }}>
        {what}
      </td>
      {likeness !== undefined && <td className="text-right tabular-nums">{likeness?.toFixed(2)}</td>}
      {values.map((v, i) => (
        <td key={i} className={differs[i] ? 'font-semibold' : 'quiet'}>
          <Value value={v} />
        </td>
      ))}
    </tr>
  )
}

function GroupRows({ group, columns, scored }: { group: Group; columns: string[]; scored: boolean }) {
  const differs = columns.map((c) => group.differing.includes(c))
  const width = columns.length + (scored ? 2 : 1)
  const more = group.size - group.rows.length
  return (
    <tbody>
      <tr>
        <th colSpan={width} scope="rowgroup" className="pt-3! text-left font-normal!">
          <b>{number(group.size)} rows</b>
          {group.differing.length > 0
            ? `, different in ${group.differing.join(', ')}`
            : ', the same in every column'}
          {more > 0 && `; ${number(more)} of them are not shown`}
        </th>
      </tr>
      {group.rows.map((r, i) => (
        <Line
          key={i}
          what={fateOf(r, group)}
          likeness={scored ? (r.likeness ?? 1) : undefined}
          values={r.values}
          differs={differs}
        />
      ))}
      {group.made && (
        <Line what="made" likeness={scored ? null : undefined} values={group.made} differs={differs} />
      )}
    </tbody>
  )
}

function Groups({ groups, columns }: { groups: Group[]; columns: string[] }) {
  const scored = groups.some((g) => g.rows.some((r) => r.likeness !== undefined))
  return (
    <div className="overflow-x-auto">
      <table className="ledger w-auto!">
        <thead>
          <tr>
            <th>
              <span className="sr-only">What became of it</span>
            </th>
            {scored && <th className="text-right">Likeness</th>}
            {columns.map((c) => (
              <th key={c}>{c}</th>
            ))}
          </tr>
        </thead>
        {groups.map((g, i) => (
          <GroupRows key={i} group={g} columns={columns} scored={scored} />
        ))}
      </table>
    </div>
  )
}

function Duplicates({ document, step }: { document: string; step: string }) {
  const [typed, setTyped] = useState('')
  const [find, setFind] = useState('')
  const duplicates = useDuplicates(document, step, find)
  return (
    <div className="px-3 pb-3">
      <form
        className="flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          setFind(typed)
        }}
      >
        <label className="flex items-center gap-2">
          Groups with
          <input
            className="input input-sm w-56"
            value={typed}
            placeholder="a value, or a part of it"
            onChange={(e) => setTyped(e.target.value)}
          />
        </label>
        <button className="btn btn-sm">Find</button>
      </form>
      {duplicates.error && <Failed error={duplicates.error} />}
      {duplicates.isPending && <Loading what="the rows that were there twice" />}
      {duplicates.data && (
        <>
          <p className="py-1">
            By {duplicates.data.by.join(', ')}: {number(duplicates.data.removed)} of{' '}
            {number(duplicates.data.rows)} rows go; {number(duplicates.data.found)}{' '}
            {duplicates.data.found === 1 ? 'group' : 'groups'} of several rows
            {find && <> with [{find}]</>}
            {duplicates.data.found > duplicates.data.groups.length && (
              <>, the largest {duplicates.data.groups.length} below</>
            )}
          </p>
          <Groups groups={duplicates.data.groups} columns={duplicates.data.columns} />
          {duplicates.data.sampled && (
            <p className="quiet">The input is long; its beginning was looked at.</p>
          )}
        </>
      )}
    </div>
  )
}

/** A run's dedupes: on demand the rows that each takes for the same, as they are now. */
export function DuplicatesPanel({ run }: { run: Schemas['RunDetail'] }) {
  const [picked, setPicked] = useState<string>()
  return (
    <ul>
      {dedupeSteps(run.steps).map((d) => (
        <li key={d.name} className="border-b border-base-300 last:border-0">
          <p className="flex items-center gap-3 px-3 py-2">
            <b>{d.name}</b>
            <span className="quiet">{d.from.join(', ')}</span>
            <span className="tabular-nums">
              {number(d.tally.merged)} of {number(d.tally.rowsIn)} rows merged
            </span>
            <button
              className="btn btn-xs ml-auto"
              aria-expanded={picked === d.name}
              onClick={() => setPicked(picked === d.name ? undefined : d.name)}
            >
              {picked === d.name ? 'Close' : 'Look into it'}
            </button>
          </p>
          {picked === d.name && <Duplicates document={run.document} step={d.name} />}
        </li>
      ))}
    </ul>
  )
}
