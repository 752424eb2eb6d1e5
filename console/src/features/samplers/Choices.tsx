import type { Schemas } from '../../shared/api/client'
import { others, trail, type Chosen, type Value } from './model'
import { useValues, type Source } from './queries'

type Page = Schemas['SamplerPage']

const words = (value: Value) => (value === null ? 'null' : value)

/** A choice of the page: one value or several, of those that the other choices leave. */
function Choice({
  source,
  choice,
  chosen,
  onChoose,
  onDrop,
}: {
  source: Source
  choice: Schemas['SamplerChoice']
  chosen: Chosen
  onChoose: (column: string, value: Value) => void
  onDrop: (column: string, value?: Value) => void
}) {
  const values = useValues(source, choice.column, chosen)
  const mine = chosen[choice.column] ?? []
  const all = (values.data?.rows.rows ?? []).map((r) => {
    const value = (r as unknown[])[0]
    return value === null || value === undefined ? null : String(value)
  })
  return (
    <span className="flex flex-wrap items-center gap-1">
      <label className="flex items-center gap-1.5">
        <span className="quiet">{choice.label}</span>
        <select
          className="select select-sm w-auto min-w-24 max-w-48"
          aria-label={choice.label}
          value={choice.many || mine.length !== 1 ? '' : `v${words(mine[0]!)}`}
          onChange={(e) => {
            const at = e.target.selectedIndex - 1
            if (at < 0) {
              onDrop(choice.column)
            } else {
              onChoose(choice.column, all[at]!)
            }
          }}
        >
          <option value="">
            {mine.length > 1 || (choice.many && mine.length > 0) ? 'one more…' : 'all'}
          </option>
          {all.map((v) => (
            <option key={`${v}`} value={`v${words(v)}`} disabled={choice.many && mine.includes(v)}>
              {words(v)}
            </option>
          ))}
        </select>
      </label>
      {choice.many &&
        mine.map((v) => (
          <Chip key={`${v}`} text={words(v)} onDrop={() => onDrop(choice.column, v)} what={choice.label} />
        ))}
      {values.data?.rows.truncated && <span className="quiet text-[0.86rem]">the first {all.length}</span>}
      {values.error && (
        <span className="text-[0.9rem]" style={{ color: 'var(--set-aside)' }}>
          {values.error.message}
        </span>
      )}
    </span>
  )
}

function Chip({ text, what, onDrop }: { text: string; what: string; onDrop: () => void }) {
  return (
    <span className="inline-flex items-center rounded bg-base-300 pl-2">
      <span className="quiet mr-1 text-[0.86rem]">{what}</span>
      <b>{text}</b>
      <button
        type="button"
        className="min-h-[24px] min-w-[24px] rounded px-1 hover:bg-base-200 print:hidden"
        aria-label={`Give back ${what} ${text}`}
        onClick={onDrop}
      >
        ✕
      </button>
    </span>
  )
}

/** What narrows the whole page: its choices, the trails of its paths, and what was clicked besides. */
export function Choices({
  page,
  source,
  chosen,
  onChoose,
  onDrop,
}: {
  page: Page
  source: Source
  chosen: Chosen
  onChoose: (column: string, value: Value) => void
  onDrop: (column: string, value?: Value) => void
}) {
  const own = new Set(page.choices.map((c) => c.column))
  const trails = Object.entries(page.paths).map(([name, path]) => ({ name, at: trail(path, chosen) }))
  return (
    <div
      className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2"
      role="group"
      aria-label="What is chosen"
    >
      {page.choices.map((c) => (
        <Choice
          key={c.column}
          source={source}
          choice={c}
          chosen={chosen}
          onChoose={onChoose}
          onDrop={onDrop}
        />
      ))}
      {others(page, chosen).map((column) =>
        (chosen[column] ?? []).map((v) => (
          <Chip key={`${column} ${v}`} text={words(v)} what={column} onDrop={() => onDrop(column, v)} />
        )),
      )}
      <div className="ml-auto flex flex-wrap gap-x-4">
        {trails
          .filter((t) => t.at.length > 0)
          .map((t) => (
            <nav key={t.name} aria-label={`Trail of ${t.name}`}>
              <button type="button" className="name underline" onClick={() => onDrop(t.at[0]!.column)}>
                all
              </button>
              {t.at.map((step, i) => (
                <span key={step.column}>
                  {' › '}
                  {i === t.at.length - 1 ? (
                    <b>{words(step.value)}</b>
                  ) : (
                    <button
                      type="button"
                      className="name underline"
                      title={`Back to ${words(step.value)}`}
                      onClick={() => onDrop(t.at[i + 1]!.column)}
                    >
                      {words(step.value)}
                    </button>
                  )}
                  {i === t.at.length - 1 && !own.has(step.column) && (
                    <button
                      type="button"
                      className="quiet min-h-[24px] min-w-[24px] print:hidden"
                      aria-label={`Give back ${step.column} ${words(step.value)}`}
                      onClick={() => onDrop(step.column)}
                    >
                      ✕
                    </button>
                  )}
                </span>
              ))}
            </nav>
          ))}
      </div>
    </div>
  )
}
