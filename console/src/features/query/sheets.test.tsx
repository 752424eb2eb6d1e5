// @vitest-environment jsdom
import { beforeEach, describe, expect, it } from 'vitest'
import { changed, closed, isFull, opened, store, storedSheets, titleOf, type Sheets } from './sheets'

const TWO: Sheets = {
  all: [
    { id: 1, text: 'select 1' },
    { id: 2, text: 'select * from mill.looms', view: { name: 'looms', about: '', version: 3 } },
  ],
  shown: 1,
}

describe('sheets', () => {
  beforeEach(() => localStorage.clear())

  it('open beside each other, a view once', () => {
    expect(opened(TWO, 'select 2')).toMatchObject({ shown: 3, all: [{}, {}, { id: 3, text: 'select 2' }] })
    expect(opened(TWO, 'select 9', { name: 'looms', about: '', version: 3 })).toEqual({ ...TWO, shown: 2 })
  })

  it('take an empty one before another is made', () => {
    const empty = opened(TWO, '')
    expect(opened(empty, 'select 2').all).toHaveLength(3)
    expect(opened(empty, 'select 2').shown).toBe(3)
  })

  it('close to the one beside, and the last one leaves an empty one', () => {
    expect(closed({ ...TWO, shown: 2 }, 2)).toMatchObject({ shown: 1, all: [{ id: 1 }] })
    expect(closed(TWO, 2).shown).toBe(1)
    const none = closed(closed(TWO, 1), 2)
    expect(none.all).toEqual([{ id: none.shown, text: '' }])
  })

  it('are so many and no more', () => {
    let many: Sheets = TWO
    for (let i = 0; i < 30; i++) {
      many = opened(many, `select ${i}`)
    }
    expect(many.all).toHaveLength(12)
    expect(isFull(many)).toBe(true)
    expect(new Set(many.all.map((s) => s.id)).size).toBe(12)
  })

  it('are called by their view, by what they read, or by how they go', () => {
    expect(TWO.all.map(titleOf)).toEqual(['select 1', 'looms'])
    expect(titleOf({ id: 1, text: 'select a\n  from mill.mills m' })).toBe('mill.mills')
    expect(titleOf({ id: 1, text: ' ' })).toBe('new')
  })

  it('are there again the next time, whatever was kept', () => {
    store(changed(TWO, 1, { text: 'select 7' }))
    expect(storedSheets('x').all[0]).toEqual({ id: 1, text: 'select 7' })
    for (const kept of ['{', '[]', '{"all":[{"id":"x"}]}', 'null']) {
      localStorage.setItem('yardage-sheets', kept)
      expect(storedSheets('select 1')).toEqual({ all: [{ id: 1, text: 'select 1' }], shown: 1 })
    }
  })
})
