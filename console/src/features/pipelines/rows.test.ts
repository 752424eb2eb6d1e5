import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { head, linesOf, unionOfColumns } from './rows'

const TEXT = `pipeline: p
parameters:
  rows: {type: int, default: 1}
steps:
  rows:
    read: {feed: f}

  # About what follows.
  asked:
    from: rows
    sql: |
      select *
      # no comment of the document
      from rows
  publish: {from: asked, write: {table: a.b, mode: append}}
`

describe('the lines of a step', () => {
  it('end before blank lines and the next step’s comment, and hold a query whole', () => {
    expect(linesOf(TEXT, 'rows')).toEqual({ from: 5, to: 6 })
    expect(linesOf(TEXT, 'asked')).toEqual({ from: 9, to: 14 })
    expect(linesOf(TEXT, 'publish')).toEqual({ from: 15, to: 15 })
    expect(linesOf(TEXT, 'sql')).toBeUndefined()
  })
})

describe('the head of rows', () => {
  const preview = (more: Partial<Schemas['PreviewView']>) =>
    ({
      given: 967,
      sources: [{ words: 'first 1,000 of 9,128 rows of rolls' }],
      ...more,
    }) as Schemas['PreviewView']

  it('says what was read, and how many rows meet a condition', () => {
    expect(head(preview({}))).toBe('967 rows from first 1,000 of 9,128 rows of rolls')
    expect(head(preview({ matching: 1, given: 1 }))).toBe(
      '1 of 1 row from first 1,000 of 9,128 rows of rolls',
    )
  })
})

describe('columns before and behind a step', () => {
  const column = (name: string, change = 'same') => ({ name, change, type: 'int' })

  it('put new ones behind the first, and lost ones last', () => {
    expect(
      unionOfColumns(
        [column('id'), column('a'), column('b', 'new')],
        [column('id'), column('a'), column('c')],
      ).map((c) => c.name),
    ).toEqual(['id', 'b', 'a', 'c'])
  })
})
