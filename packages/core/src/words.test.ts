import { expect, test } from 'vitest'
import { sentence, some, times, verb } from './words.ts'

// The categories of English are those of Unicode CLDR: "one" for 1, "other" for all else.
test.each([
  [0, '0 letters'],
  [1, '1 letter'],
  [2, '2 letters'],
  [21, '21 letters'],
  [1200, '1,200 letters'],
])('%s: %s', (n, words) => expect(times(n, 'letter')).toBe(words))

test('words that make their plural otherwise, and verbs', () => {
  expect([times(1, 'person', 'people'), times(3, 'person', 'people')]).toEqual(['1 person', '3 people'])
  expect([verb(1, 'goes', 'go'), verb(0, 'goes', 'go')]).toEqual(['goes', 'go'])
})

test.each([
  [1, 1, 'the letter'],
  [2, 2, 'both letters'],
  [58, 58, 'all 58 letters'],
  [1, 58, '1 of 58 letters'],
  [0, 1, '0 of 1 letter'],
  [1000, 1200, '1,000 of 1,200 letters'],
])('%s of %s: %s', (n, of, words) => {
  expect(some(n, of, 'letter')).toBe(words)
  expect(sentence(some(n, of, 'letter')).charAt(0)).toMatch(/[A-Z\d]/)
})
