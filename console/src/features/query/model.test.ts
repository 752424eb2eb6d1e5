import { describe, expect, it } from 'vitest'
import { asksForData, namedIn, parametersOf, remembered } from './model'

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

describe('what a query reads from', () => {
  it('is told by the names behind from and join', () => {
    expect(
      namedIn(
        "select 'from a.b' from mart.cloth c join Mill.looms l on 1 = 1 -- from x.y\nwhere exists (select 1 FROM mart.cloth)",
      ),
    ).toEqual(['mart.cloth', 'Mill.looms'])
    expect(namedIn('select 1 from')).toEqual([])
  })
})

describe('a chart of an answer', () => {
  it('is not wanted of what a query or a table is', () => {
    expect(asksForData('select 1')).toBe(true)
    expect(asksForData('  EXPLAIN analyze select 1')).toBe(false)
    expect(asksForData('describe star.dim_loom')).toBe(false)
    expect(asksForData('select * from explained')).toBe(true)
  })
})
