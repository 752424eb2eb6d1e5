import type { Schemas } from '../../shared/api/client'
import { duration, number } from '../../shared/lib/format'
import { MarkedRows } from '../../shared/ui/MarkedRows'
import { Card } from '../../shared/ui/parts'
import { changes } from '../tables/model'

const KIND_COLOUR: Record<string, string> = {
  added: 'var(--side)',
  removed: 'var(--set-aside)',
  before: 'var(--quiet)',
  after: 'var(--merged)',
}

function Table({ table }: { table: Schemas['TrialTable'] }) {
  const byColumn = Object.entries(table.changedColumns)
  return (
    <details
      className="border-t border-base-300 px-3 py-2"
      open={table.examples.length > 0 && table.before !== undefined}
    >
      <summary className="cursor-pointer">{table.words}</summary>
      {table.before !== undefined && table.columnsAdded.length > 0 && (
        <p>New columns: {table.columnsAdded.join(', ')}</p>
      )}
      {table.columnsRemoved.length > 0 && <p>Columns that go: {table.columnsRemoved.join(', ')}</p>}
      {byColumn.length > 0 && (
        <p className="quiet">
          Changed values: {byColumn.map(([name, n]) => `${name} (${number(n)})`).join(', ')}
        </p>
      )}
      <MarkedRows
        label={`Examples of ${table.table}`}
        columns={table.columns}
        rows={table.examples.map((e, i) => ({
          word: e.kind,
          colour: KIND_COLOUR[e.kind],
          values: e.values,
          changed: changes(table.examples, i),
        }))}
      />
    </details>
  )
}

/** What a run would do to each table, and whether it would come to its end. */
export default function TrialCard({ trial, onClose }: { trial: Schemas['TrialView']; onClose: () => void }) {
  const unmet = trial.checks.filter((c) => c.outcome !== 'met')
  return (
    <Card>
      <div className="flex items-center px-3 py-2">
        <h2 className="text-base font-semibold">Trial run</h2>
        <p className="quiet ml-3 grow">nothing is published · {duration(trial.elapsedMillis)}</p>
        <button type="button" className="btn btn-ghost btn-sm" aria-label="Close the trial" onClick={onClose}>
          ✕
        </button>
      </div>
      {trial.failure && (
        <p className="px-3 pb-2 font-semibold" style={{ color: 'var(--set-aside)' }} role="alert">
          A run would fail{trial.failure.step ? ` at ${trial.failure.step}` : ''}: {trial.failure.message}
        </p>
      )}
      <p className="px-3 pb-2" style={{ color: trial.failure ? 'var(--quiet)' : 'var(--side)' }}>
        {trial.balance}
      </p>
      {[
        ...trial.warnings,
        ...unmet.map((c) => `${c.step}, ${c.rule}: ${c.words}`),
        ...Object.entries(trial.setAsideByReason).map(
          ([reason, n]) => `${number(n)} rows set aside: ${reason}`,
        ),
      ].map((w) => (
        <p key={w} className="px-3 pb-1" style={{ color: 'var(--merged)' }}>
          {w}
        </p>
      ))}
      {trial.tables.map((t) => (
        <Table key={t.step} table={t} />
      ))}
    </Card>
  )
}
