// @vitest-environment jsdom
import { act, renderHook } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it } from 'vitest'
import { useEdits } from './edits'

/** A text that is changed, by the service and by hand. */
const begin = (text: string) =>
  renderHook(() => {
    const [draft, setDraft] = useState(text)
    const [step, setStep] = useState<string>()
    const edits = useEdits(draft, step, (now, about) => {
      setDraft(now)
      setStep(about)
    })
    return { draft, step, edits, type: setDraft, pick: setStep }
  })

/** A change that ends when it is told to. */
function slow(add: string) {
  let end = () => {}
  const begun: string[] = []
  const change = (text: string) => {
    begun.push(text)
    return new Promise<{ text: string; step: string }>((resolve) => {
      end = () => resolve({ text: `${text} ${add}`, step: add })
    })
  }
  return { change, begun, end: () => act(async () => end()) }
}

describe('changes of a text that the service makes', () => {
  it('begin each from what the one before left, however quickly they come', async () => {
    const page = begin('looms')
    const first = slow('kept')
    const second = slow('written')
    await act(async () => {
      void page.result.current.edits.run(first.change)
      void page.result.current.edits.run(second.change)
    })
    expect(page.result.current.edits.isBusy).toBe(true)
    expect(second.begun).toEqual([])

    await first.end()
    expect(page.result.current.draft).toBe('looms kept')
    await second.end()
    expect(page.result.current.draft).toBe('looms kept written')
    expect(page.result.current.step).toBe('written')
    expect(page.result.current.edits.isBusy).toBe(false)
  })

  it('keep what is typed meanwhile', async () => {
    const page = begin('looms')
    const kept = slow('kept')
    await act(async () => void page.result.current.edits.run(kept.change))
    act(() => page.result.current.type('looms of mine'))
    await kept.end()
    await kept.end()

    expect(kept.begun).toEqual(['looms', 'looms of mine'])
    expect(page.result.current.draft).toBe('looms of mine kept')
  })

  it('of a form leave the step picked that came meanwhile', async () => {
    const page = begin('looms')
    const kept = slow('kept')
    const filled = slow('usable')
    await act(async () => {
      void page.result.current.edits.run(kept.change)
      void page.result.current.edits.run(filled.change, 'form')
    })
    await kept.end()
    await filled.end()
    expect(page.result.current.draft).toBe('looms kept usable')
    expect(page.result.current.step).toBe('kept')
  })

  it('give way to somebody who types all the while, and say so', async () => {
    const page = begin('looms')
    const kept = slow('kept')
    let made: boolean | undefined
    await act(async () => void page.result.current.edits.run(kept.change).then((m) => (made = m)))
    for (let i = 0; i < 5; i++) {
      act(() => page.result.current.type(`looms ${i}`))
      await kept.end()
    }
    expect(made).toBe(false)
    expect(page.result.current.draft).toBe('looms 4')
    expect(String(page.result.current.edits.error?.error)).toContain('changed all the while')
  })

  it('leave a step picked that was picked meanwhile', async () => {
    const page = begin('looms')
    const kept = slow('kept')
    const written = slow('written')
    await act(async () => {
      void page.result.current.edits.run(kept.change)
      void page.result.current.edits.run(written.change)
    })
    await kept.end()
    expect(page.result.current.step).toBe('kept')
    act(() => page.result.current.pick('looms'))
    await written.end()
    expect(page.result.current.step).toBe('looms')
    expect(page.result.current.draft).toBe('looms kept written')

    await act(async () => {
      await page.result.current.edits.run(async (text) => ({ text, step: 'tidy' }))
    })
    expect(page.result.current.step).toBe('tidy')
  })

  it('leave the buttons of the flow alone while a form is changed', async () => {
    const page = begin('looms')
    const field = slow('wider')
    const kept = slow('kept')
    await act(async () => void page.result.current.edits.run(field.change, 'form'))
    expect(page.result.current.edits.isBusy).toBe(false)

    await act(async () => void page.result.current.edits.run(kept.change))
    expect(page.result.current.edits.isBusy).toBe(true)
    await field.end()
    await kept.end()
    expect(page.result.current.draft).toBe('looms wider kept')
    expect(page.result.current.edits.isBusy).toBe(false)
  })

  it('tell why one failed until another has not, and leave the text', async () => {
    const page = begin('looms')
    await act(async () => {
      const made = await page.result.current.edits.run(
        () => Promise.reject(new Error('no such step')),
        'form',
      )
      expect(made).toBe(false)
    })
    expect(page.result.current.edits.error).toEqual({ from: 'form', error: new Error('no such step') })
    expect(page.result.current.draft).toBe('looms')
    expect(page.result.current.edits.isBusy).toBe(false)

    await act(async () => {
      expect(await page.result.current.edits.run(async (text) => ({ text: `${text} kept` }))).toBe(true)
    })
    expect(page.result.current.edits.error).toBeUndefined()
    expect(page.result.current.draft).toBe('looms kept')
  })
})
