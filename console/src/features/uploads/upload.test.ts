import { describe, expect, it } from 'vitest'
import { inboxPath, pauseMillis } from './upload'

describe('inboxPath', () => {
  it('joins folder and name and takes off what the inbox refuses', () => {
    expect(inboxPath('/days/', 'a b ç.csv')).toBe('days/a b ç.csv')
    expect(inboxPath('', '..hidden')).toBe('hidden')
    expect(inboxPath('x', 'a\u0000/b\\c')).toBe('x/a__b_c')
  })
})

describe('pauseMillis', () => {
  it('grows and stays bounded', () => {
    expect([1, 2, 3].map(pauseMillis)).toEqual([600, 1200, 2400])
    expect(pauseMillis(20)).toBe(10_000)
  })
})
