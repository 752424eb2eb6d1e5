import { describe, expect, it } from 'vitest'
import { parametersOf, remembered } from './model'

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
