import { asBeforeDefusing, countSheet, findTable } from '@hand-post/core'
import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, test } from 'vitest'
import { decodeText, utf8Of } from '../src/people/text.ts'
import { type Separated, TextSheet, TooLong, TooMany } from '../src/people/textSheet.ts'

const comma: Separated = { delimiter: ',', quoteChar: '"', newline: '\n' }

/** A text with whatever parts and quotes in it, at the places where pieces are cut too. */
const text = (newline: string) =>
  fc
    .array(
      fc.oneof(
        { weight: 4, arbitrary: fc.constantFrom(',', '"', newline, ' ', '""', '","', `"${newline}`, `${newline}"`) },
        { weight: 3, arbitrary: fc.constantFrom('Ada', 'B12', 'ö', '’', '\u{1f6a2}', "'+44", '=1+1', '\t', ';') },
        { weight: 2, arbitrary: fc.constant(`"a, ""b"" ${newline}c"`) },
      ),
      { maxLength: 60 },
    )
    .map((parts) => parts.join(''))
    .filter((one) => one !== '')

describe('a text as a sheet', () => {
  // The judge is Papa Parse over the whole text at once, which knows nothing of pieces.
  test.each(['\n', '\r', '\r\n'] as const)(
    'whatever it is and wherever it is cut, its rows are those of the whole (%j)',
    (newline) => {
      fc.assert(
        fc.property(text(newline), fc.integer({ min: 1, max: 40 }), fc.array(fc.nat(70)), (given, size, asked) => {
          const how = { ...comma, newline }
          // None is kept as rows: each is parted again.
          const sheet = new TextSheet(Buffer.from(given), how, { size, kept: 0 })
          const { data, errors } = Papa.parse<string[]>(given, how)
          const whole = data.map((row) => row.map(asBeforeDefusing))
          expect([...sheet]).toEqual(whole)
          expect(sheet.length).toBe(whole.length)
          // In any order, and again.
          for (const row of asked) expect(sheet.at(row)).toEqual(whole[row])
          expect(sheet.at(-1)).toBeUndefined()
          expect({ ...sheet.counted, filled: [...sheet.counted.filled] }).toEqual({
            ...countSheet(whole),
            filled: [...countSheet(whole).filled],
          })
          expect(sheet.defused).toBe(data.flat().filter((cell) => asBeforeDefusing(cell) !== cell).length)
          expect(sheet.badQuote).toBe(errors.find(({ type }) => type === 'Quotes')?.row ?? null)
        }),
        { numRuns: 2000 },
      )
    },
  )

  test('more rows than are kept are found in it, forwards, backwards and here and there', () => {
    const rows = Array.from({ length: 5000 }, (_, i) => [`Person ${i}`, `person${i}@village.example`])
    const sheet = new TextSheet(Buffer.from(Papa.unparse(rows, { newline: '\n' })), comma, { size: 1000 })
    expect([...sheet]).toEqual(rows)
    for (const i of [4999, 0, 2500, 2499, 2501, 17, 4998, 4999]) expect(sheet.at(i)).toEqual(rows[i])
    expect(sheet.at(5000)).toBeUndefined()
    expect(findTable(sheet).rowCount).toBe(5000)
  })

  test('a row without an end is not looked through for ever, nor is a cell that is longer than any', () => {
    const rest = 'x,'.repeat(20_000_000)
    expect(() => new TextSheet(Buffer.from(`a,b\n"c,${rest}`), comma)).toThrow(
      expect.objectContaining({ row: 1, column: null, quotes: true }),
    )
    const fault = (() => {
      try {
        return new TextSheet(Buffer.from(`a,b\nc,${'x'.repeat(100_001)}\n`), comma)
      } catch (error) {
        return error
      }
    })()
    expect(() => new TextSheet(Buffer.alloc(2_000_001, '\n'), comma)).toThrow(TooMany)
    expect(fault).toBeInstanceOf(TooLong)
    expect(fault).toMatchObject({ row: 1, column: 1, characters: 100_001, quotes: false })
  })
})

test('what is given as UTF-8 to be parted says what the decoded text says, whatever it was written in', () => {
  const marks = [[], [0xef, 0xbb, 0xbf], [0xff, 0xfe], [0xfe, 0xff]].map((mark) => Buffer.from(mark))
  const content = fc.oneof(
    fc.uint8Array({ maxLength: 12 }).map((octets) => Buffer.from(octets)),
    fc.string({ unit: 'grapheme', maxLength: 8 }).map((of) => Buffer.from(of)),
  )
  const wanted = fc.constantFrom(undefined, 'utf-8', 'UTF8', 'windows-1252', 'utf-16le', 'iso-8859-2')
  fc.assert(
    fc.property(fc.constantFrom(...marks), content, wanted, (mark, rest, encoding) => {
      const bytes = Buffer.concat([mark, rest])
      const decoded = decodeText(bytes, encoding)
      const given = utf8Of(bytes, encoding)
      // Half of a pair has no UTF-8 (RFC 3629, section 3).
      expect(given.bytes.toString()).toBe(decoded.text.toWellFormed())
      expect(given.encoding).toBe(decoded.encoding)
    }),
    { numRuns: 2000 },
  )
})
