// @vitest-environment jsdom
import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import MergePanel from './MergePanel'
import { changedParts, merged } from './merge'

const BASE = `pipeline: p
steps:
  rolls:
    read: {feed: rolls}

  # blanks of the scale
  tidy:
    from: rolls
    shape: {trim: [hall]}
  out:
    from: tidy
    write: {table: mart.out}
`
const with1 = BASE.replace('trim: [hall]', 'trim: [hall, loom]')
const with2 = BASE.replace('{table: mart.out}', '{table: mart.out, mode: replace}')

describe('two who write one document', () => {
  it('keep both changes where they changed different parts', () => {
    const parts = changedParts(BASE, with1, with2)
    expect(parts.map((p) => `${p.name} ${p.whose}`)).toEqual(['tidy mine', 'out theirs'])
    expect(merged(with2, parts, {})).toBe(with2.replace('trim: [hall]', 'trim: [hall, loom]'))
    expect(changedParts(BASE, with1, with1)).toEqual([])
  })

  it('choose where both changed one part', () => {
    const theirs = BASE.replace('trim: [hall]', 'trim: [note]')
    const parts = changedParts(BASE, with1, theirs)
    expect(parts.map((p) => p.whose)).toEqual(['both'])
    expect(merged(theirs, parts, { tidy: 'mine' })).toBe(with1)
    expect(merged(theirs, parts, { tidy: 'theirs' })).toBe(theirs)
  })

  it('keep steps that one added, and take those out that one removed', () => {
    const more = '  also:\n    from: tidy\n    keep: metres > 0\n  more:\n    from: also\n    keep: 1 = 1\n'
    const added = BASE + more
    const parts = changedParts(BASE, added, with2)
    expect(merged(with2, parts, {})).toBe(with2 + more)
    const without = BASE.replace(
      '  # blanks of the scale\n  tidy:\n    from: rolls\n    shape: {trim: [hall]}\n',
      '',
    )
    const gone = merged(with2, changedParts(BASE, without, with2), {})
    expect(gone).toBe(without.replace('{table: mart.out}', '{table: mart.out, mode: replace}'))
    const head = BASE.replace('pipeline: p', 'pipeline: p\nabout: What it makes.')
    expect(merged(with1, changedParts(BASE, head, with1), {})).toBe(
      head.replace('trim: [hall]', 'trim: [hall, loom]'),
    )
  })

  it('are asked before anything is put together', async () => {
    const theirs = BASE.replace('trim: [hall]', 'trim: [note]')
    const onMerged = vi.fn()
    render(<MergePanel base={BASE} mine={with1} theirs={theirs} by="ana" version={4} onMerged={onMerged} />)
    const put = screen.getByRole<HTMLButtonElement>('button', { name: 'Put them together' })
    expect(put.disabled).toBe(true)
    await userEvent.click(screen.getByLabelText('step tidy: mine'))
    await userEvent.click(put)
    expect(onMerged).toHaveBeenCalledWith(with1)
  })
})
