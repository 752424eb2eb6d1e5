import { useState } from 'react'
import type { Schemas } from '../../shared/api/client'
import { bytes, number } from '../../shared/lib/format'
import { TIMES, withSchedule, type Growth } from './model'

/** When it runs, what a run is expected to write, and what is still wrong. */
export function When({
  growth,
  problems,
  forecasts,
  onText,
  onDone,
  busy,
}: {
  growth: Growth
  problems: Schemas['Problem'][]
  forecasts: Schemas['ForecastView'][]
  onText: (text: string) => void
  onDone: (run: boolean) => void
  busy: boolean
}) {
  const [cron, setCron] = useState('')
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC'
  const errors = problems.filter((p) => p.severity === 'error')
  return (
    <>
      <fieldset>
        <legend className="quiet text-[0.86rem]">When it runs, in {zone}</legend>
        {TIMES.map((t) => (
          <label key={t.words} className="flex items-center gap-2 py-0.5">
            <input
              type="radio"
              className="radio radio-sm"
              name="when"
              checked={cron === t.cron}
              onChange={() => {
                setCron(t.cron)
                onText(withSchedule(growth.text, t.cron, zone))
              }}
            />
            {t.words}
          </label>
        ))}
      </fieldset>
      {forecasts.map((f) => (
        <p key={f.step} className="quiet mt-2">
          By the last {number(f.runs)} runs, each makes about {number(f.files)} files of {bytes(f.fileBytes)}{' '}
          in {number(f.partitions)} partitions of {f.table}.
        </p>
      ))}
      {problems.map((p, i) => (
        <p
          key={i}
          className="mt-1"
          style={{ color: p.severity === 'error' ? 'var(--set-aside)' : 'var(--merged)' }}
        >
          line {p.place.line}: {p.message}
        </p>
      ))}
      <div className="mt-3 flex flex-wrap gap-2 border-t border-base-300 pt-3">
        <button
          type="button"
          className="btn btn-primary btn-sm"
          disabled={busy || errors.length > 0}
          onClick={() => onDone(true)}
        >
          Save and run
        </button>
        <button
          type="button"
          className="btn btn-sm"
          disabled={busy || errors.length > 0}
          onClick={() => onDone(false)}
        >
          Save
        </button>
      </div>
    </>
  )
}
