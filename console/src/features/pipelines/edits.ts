import { useEffect, useRef, useState } from 'react'

type From = 'flow' | 'form'
type Edited = { text: string; step?: string }

/** Changes of a text that the service makes. */
export type Edits = {
  /**
   * Makes a change of the text as it is when its turn comes. It lands wherever the page has gone
   * meanwhile, and on what was typed meanwhile too. Says whether it was made.
   */
  run: (change: (text: string) => Promise<Edited>, from?: From) => Promise<boolean>
  /**
   * Whether one of the flow is on its way. Those of a form are not told: a click that leaves a field
   * would find its button disabled.
   */
  isBusy: boolean
  /** Why the last one failed, for where it came from. */
  error?: { from: From; error: unknown }
}

/** So often a change is made anew because somebody types all the while. */
const MOST_TRIES = 5

/**
 * Changes that come one behind the other: each begins from the text that the one before left. What
 * one of the flow is about is picked then, unless another step was picked meanwhile.
 */
export function useEdits(
  draft: string,
  picked: string | undefined,
  onEdit: (text: string, step: string | undefined) => void,
): Edits {
  const latest = useRef(draft)
  const chain = useRef(Promise.resolve(true))
  const land = useRef(onEdit)
  const at = useRef(picked)
  const landed = useRef(picked)
  const picks = useRef(0)
  const [open, setOpen] = useState(0)
  const [error, setError] = useState<Edits['error']>()
  useEffect(() => {
    latest.current = draft
  }, [draft])
  useEffect(() => {
    land.current = onEdit
  }, [onEdit])
  useEffect(() => {
    at.current = picked
    picks.current += picked === landed.current ? 0 : 1
    landed.current = picked
  }, [picked])
  const run: Edits['run'] = (change, from = 'flow') => {
    const counts = from === 'flow' ? 1 : 0
    setOpen((n) => n + counts)
    const before = picks.current
    chain.current = chain.current.then(async () => {
      try {
        let edited: Edited
        let begun: string
        let tries = 0
        do {
          begun = latest.current
          edited = await change(begun)
        } while (latest.current !== begun && ++tries < MOST_TRIES)
        if (latest.current !== begun) {
          // What is typed goes first: nothing of it is lost.
          throw new Error(
            'The text was being changed all the while. Stop typing for a moment, then try again',
          )
        }
        latest.current = edited.text
        setError(undefined)
        // What is filled in may end after somebody has gone on to another step.
        const goes = from === 'flow' && picks.current === before
        if (goes) {
          landed.current = edited.step
        }
        land.current(edited.text, goes ? edited.step : at.current)
        return true
      } catch (e) {
        setError({ from, error: e })
        return false
      } finally {
        setOpen((n) => n - counts)
      }
    })
    return chain.current
  }
  return { run, isBusy: open > 0, error }
}
