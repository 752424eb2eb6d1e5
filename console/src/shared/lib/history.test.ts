import { describe, expect, it } from 'vitest'
import { begun, changed, redone, typed, undone, type History } from './history'

describe('texts that can be taken back', () => {
  it('letters that follow soon are one change, and others are not', () => {
    let h = typed(typed(begun('a'), 'ab', 1000), 'abc', 1500)
    h = typed(h, 'abcd', 9000)

    expect(undone(h).now).toBe('abc')
    expect(undone(undone(h)).now).toBe('a')
    expect(undone(undone(undone(h))).now).toBe('a')
  })

  it('goes all the way back and forth through any changes', () => {
    let seed = 7
    const random = (n: number) => {
      seed = (seed * 1103515245 + 12345) % 2147483648
      return seed % n
    }
    for (let round = 0; round < 50; round++) {
      const texts = ['0']
      let h: History = begun('0')
      for (let i = 1; i <= 40; i++) {
        const next = `${h.now} ${i}`
        h = random(2) === 0 ? changed(h, next) : typed(h, next, i * 5000)
        texts.push(next)
      }
      for (let i = texts.length - 2; i >= 0; i--) {
        h = undone(h)
        expect(h.now).toBe(texts[i])
      }
      const forth = random(40)
      for (let i = 0; i < forth; i++) {
        h = redone(h)
      }
      expect(h.now).toBe(texts[forth])
      expect(redone(changed(h, 'another')).now).toBe('another')
    }
  })
})
