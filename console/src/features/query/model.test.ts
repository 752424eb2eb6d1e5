import { describe, expect, it } from 'vitest'
import type { Schemas } from '../../shared/api/client'
import { barsOf, parametersOf, remembered } from './model'

const answer = (types: string[], rows: unknown[][]) =>
  ({ columns: types.map((type, i) => ({ name: `c${i}`, type })), rows }) as unknown as Schemas['ResultRows']

describe('the parameters of a query', () => {
  it('are found outside quotes and comments, each once', () => {
    expect(
      parametersOf(
        "select ':no', \":no\" -- :no\n from t where a = :hall and b > :day_1 and c = :hall /* :no */ or d = time '10:30'",
      ),
    ).toEqual(['hall', 'day_1'])
    expect(parametersOf('select 1')).toEqual([])
  })
})

describe('queries asked before', () => {
  it('are kept once each, the newest first, and not for ever', () => {
    expect(remembered(['a', 'b'], ' b ')).toEqual(['b', 'a'])
    expect(remembered(['a'], '  ')).toEqual(['a'])
    const many = Array.from({ length: 20 }, (_, i) => `q${i}`)
    expect(remembered(many, 'new')).toHaveLength(20)
  })
})

describe('the chart of an answer', () => {
  it('has a bar for each name', () => {
    const bars = barsOf(
      answer(
        ['varchar', 'bigint'],
        [
          ['north', 5],
          ['south', '7.5'],
        ],
      ),
    )

    expect(bars?.bars.map((b) => [b.title, b.value])).toEqual([
      ['north: 5', 5],
      ['south: 7.5', 7.5],
    ])
  })

  it.each([
    [
      'two texts',
      answer(
        ['varchar', 'varchar'],
        [
          ['a', 'b'],
          ['c', 'd'],
        ],
      ),
    ],
    [
      'two numbers',
      answer(
        ['int', 'int'],
        [
          [1, 2],
          [3, 4],
        ],
      ),
    ],
    ['one column', answer(['int'], [[1], [2]])],
    ['one row', answer(['varchar', 'int'], [['a', 1]])],
    [
      'a value below zero',
      answer(
        ['varchar', 'int'],
        [
          ['a', 1],
          ['b', -1],
        ],
      ),
    ],
    [
      'no value',
      answer(
        ['varchar', 'double'],
        [
          ['a', 1],
          ['b', 'NaN'],
        ],
      ),
    ],
  ])('is not drawn for %s', (_, result) => {
    expect(barsOf(result)).toBeUndefined()
  })
})
