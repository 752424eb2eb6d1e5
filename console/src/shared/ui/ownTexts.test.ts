import { expect, test } from 'vitest'
import { OwnTexts } from './ownTexts'

test('an older text of the editor does not come back over what was typed since', () => {
  const texts = new OwnTexts('a')
  texts.tell('ab')
  texts.tell('abc')
  expect(texts.isFromElsewhere('a')).toBe(false)
  expect(texts.isFromElsewhere('ab')).toBe(false)
  expect(texts.isFromElsewhere('abc')).toBe(false)
})

test('what the page puts in goes into the editor, also when it is a text of before', () => {
  const texts = new OwnTexts('a')
  texts.tell('ab')
  expect(texts.isFromElsewhere('ab')).toBe(false)
  expect(texts.isFromElsewhere('a')).toBe(true)
  texts.tell('a!')
  expect(texts.isFromElsewhere('other')).toBe(true)
  expect(texts.isFromElsewhere('other')).toBe(false)
})
