// @vitest-environment jsdom
import { act, renderHook } from '@testing-library/react'
import { expect, it } from 'vitest'
import { useDraft } from './draft'

it('a draft stays based on what it began from, and one without changes goes along', () => {
  const { result, rerender } = renderHook((kept: { text: string; version: number }) => useDraft(kept), {
    initialProps: { text: 'a', version: 1 },
  })
  rerender({ text: 'b', version: 2 })
  expect([result.current.text, result.current.basis.version, result.current.isChanged]).toEqual([
    'b',
    2,
    false,
  ])

  act(() => result.current.setText('mine'))
  rerender({ text: 'c', version: 3 })
  expect([result.current.text, result.current.basis.version, result.current.isChanged]).toEqual([
    'mine',
    2,
    true,
  ])

  act(() => result.current.saved({ text: 'mine', version: 4 }))
  rerender({ text: 'mine', version: 4 })
  expect([result.current.basis.version, result.current.isChanged]).toEqual([4, false])
})
