import { useState } from 'react'
import { Foot, type StageProps } from './Foot'
import { number } from '../../shared/lib/format'
import { FEW_ROWS, isTable, partitions, writeBody, type Target } from './model'
import { TableName } from './TableName'
import { useSpread } from './queries'

const MODES: [string, string][] = [
  ['append', 'add the rows to those that are there'],
  ['replace', 'put these rows in the place of all that are there'],
  ['upsert', 'change rows with the same key, add the others'],
]

/** Where the rows go, and how the table lies. */
export function Write({ growth, steps, onAdd }: StageProps) {
  const columns = steps.find((s) => s.name === growth.last)?.columns ?? []
  const [target, setTarget] = useState<Target>({
    table: growth.table ?? '',
    mode: growth.table === undefined ? 'append' : 'replace',
    partition: '',
    key: [],
  })
  const layouts = partitions(columns)
  const spread = useSpread(growth, target.partition)
  return (
    <>
      <TableName
        label="Table"
        value={target.table}
        example="mart.my_table"
        onType={(table) => setTarget({ ...target, table })}
      />
      <fieldset className="mt-2">
        <legend className="quiet text-[0.86rem]">What a run does</legend>
        {MODES.map(([mode, words]) => (
          <label key={mode} className="flex items-center gap-2 py-0.5">
            <input
              type="radio"
              className="radio radio-sm"
              name="mode"
              checked={target.mode === mode}
              onChange={() => setTarget({ ...target, mode })}
            />
            {words}
          </label>
        ))}
      </fieldset>
      {target.mode === 'upsert' && (
        <label className="mt-2 block">
          <span className="quiet block text-[0.86rem]">Key</span>
          <select
            className="select select-sm w-72"
            value={target.key[0] ?? ''}
            onChange={(e) => setTarget({ ...target, key: e.target.value === '' ? [] : [e.target.value] })}
          >
            <option value="">choose…</option>
            {columns.map((c) => (
              <option key={c.name}>{c.name}</option>
            ))}
          </select>
        </label>
      )}
      <label className="mt-2 block">
        <span className="quiet block text-[0.86rem]">Files by</span>
        <select
          className="select select-sm w-full"
          value={target.partition}
          onChange={(e) => setTarget({ ...target, partition: e.target.value })}
        >
          <option value="">nothing: for up to some millions of rows</option>
          {layouts.map((l) => (
            <option key={l}>{l}</option>
          ))}
        </select>
      </label>
      {spread.data && spread.data.partitions > 0 && (
        <p className="quiet mt-1 text-[0.9rem]" role="status">
          {number(spread.data.rows)} rows of {growth.source} lie in {number(spread.data.partitions)}{' '}
          partitions, {number(Math.round(spread.data.rows / spread.data.partitions))} rows each.
          {spread.data.partitions > 1 &&
            spread.data.rows / spread.data.partitions < FEW_ROWS &&
            ' Such files are small: a coarser layout, or none, is read faster.'}
        </p>
      )}
      <Foot
        label="Write it"
        disabled={!isTable(target.table) || (target.mode === 'upsert' && target.key.length === 0)}
        onNext={() => onAdd([{ verb: 'write', body: writeBody(target) }])}
      />
    </>
  )
}
