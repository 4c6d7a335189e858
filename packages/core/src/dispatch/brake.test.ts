import fc from 'fast-check'
import { expect, test } from 'vitest'
import { brakeLeast, brakeWindow, braking, brakingWords, type Fate } from './brake.ts'

const fates = (bad: readonly boolean[]): Fate[] =>
  bad.map((is, at) => ({ at, address: `p${at}@quay.example`, bad: is ? 'There is no such mailbox.' : null }))

test('holds when any fifty, or the first letters, have too many, and only then', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.integer({ min: 0, max: 9 }).map((n) => n === 0),
        { maxLength: 150, size: 'max' },
      ),
      fc.integer({ min: 1, max: 40 }),
      (bad, share) => {
        const found = braking(fates(bad), share)
        // Each stretch counted by itself, as it is said: the first letters up to fifty, and then every fifty in a row.
        const tooMany = bad.flatMap((_, end) => {
          const of = Math.min(end + 1, brakeWindow)
          const wrong = bad.slice(end + 1 - of, end + 1).filter(Boolean).length
          return wrong >= brakeLeast && wrong / of > share / 100 ? [{ wrong, of }] : []
        })
        if (tooMany.length === 0) expect(found).toBeNull()
        else expect({ wrong: found?.bad.length, of: found?.of }).toEqual(tooMany.at(-1))
      },
    ),
  )
})

test('looked at around one letter only, it finds whatever stretch with that letter has too many', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.integer({ min: 0, max: 7 }).map((n) => n === 0),
        { minLength: 1, maxLength: 200, size: 'max' },
      ),
      fc.nat(),
      fc.integer({ min: 1, max: 40 }),
      (bad, where, share) => {
        const one = where % bad.length
        const first = Math.max(0, one + 1 - brakeWindow)
        const found = braking(fates(bad).slice(first, one + 1 + brakeWindow), share, one - first)
        const tooMany = (end: number) => {
          const stretch = bad.slice(Math.max(0, end + 1 - brakeWindow), end + 1)
          const wrong = stretch.filter(Boolean).length
          return wrong >= brakeLeast && wrong / stretch.length > share / 100
        }
        const ends = bad.map((_, end) => end).filter((end) => end >= one && end < one + brakeWindow)
        if (ends.some(tooMany)) expect(found).not.toBeNull()
        // The stretch that begins just behind it is looked at as well.
        else if (!tooMany(Math.min(bad.length - 1, one + brakeWindow))) expect(found).toBeNull()
      },
    ),
  )
})

test('two of the first letters are not enough, three are; four of fifty are the usual share and no more', () => {
  expect(braking(fates([true, true]), 8)).toBeNull()
  expect(braking(fates([true, true, true]), 8)).toMatchObject({ of: 3, bad: { length: 3 } })
  const spread = Array.from({ length: 50 }, (_, i) => i >= 46)
  expect(braking(fates(spread), 8)).toBeNull()
  expect(braking(fates([...spread, true]), 8)).toMatchObject({ of: 50, bad: { length: 5 } })
})

test('says where they went, by domain, with what was said there', () => {
  const at = (address: string, bad: string | null): Fate => ({ at: 0, address, bad })
  const some = [
    at('a@quaymail.example', 'The mailbox is full.'),
    at('b@quaymail.example', 'The mailbox is full. (4.2.2)'),
    at('c@village.example', ''),
  ]
  expect(brakingWords({ bad: some, of: 12 })).toBe(
    'The round holds itself: of its first 12 letters, 3 were refused or came back: 2 at quaymail.example (The mailbox is full) and 1 at village.example. Look at them, and carry on when the rest may go.',
  )
  const many = Array.from({ length: 7 }, (_, i) => at(`a@d${i}.example`, ''))
  expect(brakingWords({ bad: many, of: 50 })).toBe(
    'The round holds itself: of fifty letters in a row, 7 were refused or came back: 1 at d0.example, 1 at d1.example, 1 at d2.example, 1 at d3.example and 3 letters. Look at them, and carry on when the rest may go.',
  )
})
