import { Failed } from '../../shared/ui/parts'
import { readSoFar, useEnd, useRunning } from './running'

const EVERY_MILLIS = 5_000

/** What is asked of the service now, by anybody, each with a way to end it. */
export function RunningNow() {
  const running = useRunning(EVERY_MILLIS)
  const end = useEnd()
  const looks = running.data ?? []
  return looks.length === 0 && !end.error ? null : (
    <section className="card-paper mt-4 p-2" aria-label="Running now">
      <h2 className="font-semibold">Running now</h2>
      <ul>
        {looks.map((look) => (
          <li key={look.id} className="flex items-start gap-2 border-t border-base-300 py-1">
            <div className="min-w-0 grow">
              <div className="truncate font-mono text-[0.86em]" title={look.what}>
                {look.what}
              </div>
              <div className="quiet">
                {look.kind} of {look.askedBy}
                {look.parts > 0 && `: ${readSoFar(look)}`}
              </div>
            </div>
            <button
              type="button"
              className="btn btn-xs"
              aria-label={`End ${look.kind} ${look.id}`}
              disabled={end.isPending}
              onClick={() => end.mutate(look.id)}
            >
              End
            </button>
          </li>
        ))}
      </ul>
      {end.error && <Failed error={end.error} />}
    </section>
  )
}
