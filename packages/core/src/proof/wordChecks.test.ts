import fc from 'fast-check'
import { expect, test } from 'vitest'
import { messageSize } from '../enclosures/size.ts'
import { findTooMany } from './wordChecks.ts'

/** What is too many, as one would write it down; it looks behind at every character, which takes several times as long. */
const plainly = /(?<=\S)[ \u00a0]{2,200}(?=\S)| [,;](?=\s|$)|,,|\( {0,60}\)/m

test('a space or a character too many is found where one would find it, whatever stands around it', () => {
  const text = fc
    .array(
      fc.oneof(fc.constantFrom(' ', '\u00a0', '\n', '\t', ',', ';', '(', ')', 'a', 'é'), fc.constant(' '.repeat(201))),
      {
        maxLength: 14,
      },
    )
    .map((parts) => parts.join(''))
  fc.assert(
    fc.property(text, (of) => {
      const [found, wanted] = [findTooMany(of), plainly.exec(of)]
      expect(found === null).toBe(wanted === null)
      if (wanted !== null) expect(found).toContain(wanted[0])
    }),
    { numRuns: 5000 },
  )
  // The words around it tell which is meant.
  expect(findTooMany('  Dear  Ada, ,')).toBe('Dear  Ada,')
  expect(findTooMany('\n  ,\n')).toBe(' ,')
})

test('the size of a message is estimated by its characters: one octet for those of ASCII, six for others', () => {
  const octets = (text: string) => [...text].reduce((sum, c) => sum + (c < '\x80' ? 1 : 6 * c.length), 0)
  const empty = messageSize('', '', [])
  fc.assert(
    fc.property(fc.string({ unit: 'binary', maxLength: 60 }), (text) => {
      expect(messageSize(text, '', []) - empty).toBe(Math.ceil(octets(text) * 1.06))
    }),
  )
})
