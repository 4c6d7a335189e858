import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Column } from '../people/column.ts'
import { guessPostalColumns, type PostalColumn, postalLines } from './postal.ts'
import {
  addressPlace,
  addressSetting,
  alwaysSeen,
  envelopes,
  everSeen,
  folds,
  maxPostalLines,
  type PaperForm,
  sheet,
  windowOf,
  windowOnSheet,
  windowSides,
} from './sheet.ts'

const forms: PaperForm[] = envelopes.flatMap((envelope) => windowSides.map((window) => ({ envelope, window })))

describe('the window of an envelope', () => {
  test('is where DIN 680 has it, on envelopes of ISO 269 (both from memory)', () => {
    expect(windowOf({ envelope: 'dl', window: 'left' })).toEqual({ left: 20, top: 50, right: 110, bottom: 95 })
    expect(windowOf({ envelope: 'dl', window: 'right' })).toEqual({ left: 110, top: 50, right: 200, bottom: 95 })
    expect(windowOf({ envelope: 'c56', window: 'left' })).toEqual({ left: 20, top: 54, right: 110, bottom: 99 })
  })
  test('lies over the address field of DIN 5008, form B, where the sheet lies in its middle', () => {
    // The field is 85 mm × 45 mm, 20 mm from the left and 45 mm from the top of the sheet; its address the lower 27.3 mm (from memory).
    const field = { left: 20, top: 45 + 17.7, right: 105, bottom: 90 }
    const seen = alwaysSeen({ envelope: 'dl', window: 'left' })
    expect(seen.left).toBeLessThanOrEqual(field.left)
    expect(seen.top).toBeLessThanOrEqual(field.top)
    expect(seen.bottom).toBeGreaterThanOrEqual(field.bottom)
  })
  test.each(forms)('$envelope, $window: the whole address is seen wherever the sheet slides', (form) => {
    const place = addressPlace(form)
    const { line } = addressSetting
    const width = form.envelope === 'dl' ? 220 : 229
    const height = form.envelope === 'dl' ? 110 : 114
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), fc.double({ min: 0, max: 1, noNaN: true }), (x, y) => {
        const seen = windowOnSheet(form, { right: x * (width - sheet.width), down: y * (height - folds[0]) })
        expect(place.left).toBeGreaterThan(seen.left)
        expect(place.left + place.width).toBeLessThan(seen.right)
        expect(place.top).toBeGreaterThan(seen.top)
        expect(place.top + maxPostalLines * line).toBeLessThan(seen.bottom)
        const ever = everSeen(form)
        expect(seen.left).toBeGreaterThanOrEqual(ever.left)
        expect(seen.right).toBeLessThanOrEqual(ever.right)
        expect(seen.top).toBeGreaterThanOrEqual(ever.top)
        expect(seen.bottom).toBeLessThanOrEqual(ever.bottom)
      }),
    )
    // What stands below the fold is never seen, nor is what stands above the window.
    expect(everSeen(form).bottom).toBeLessThan(folds[0])
    expect(everSeen(form).top).toBeGreaterThan(40)
  })
})

const text = (id: string, name: string, kind: Column['kind'] = 'text'): Column => ({ id, name, kind })
const at = (...columns: (string | [string])[]): PostalColumn[] =>
  columns.map((c) => (typeof c === 'string' ? { column: c, sameLine: false } : { column: c[0], sameLine: true }))

describe('postal addresses', () => {
  test('a line for each column, those that belong together in one, blank ones in none', () => {
    const cells = { n: ' Ada ', s: 'Marsh', a: '1 Quay\n\nSecond floor', b: '', p: '1010', t: 'Wien' }
    expect(postalLines({ cells }, at('n', ['s'], 'a', 'b', 'p', ['t']))).toEqual([
      'Ada Marsh',
      '1 Quay',
      'Second floor',
      '1010 Wien',
    ])
    // What goes on in a line whose beginning is blank begins it.
    expect(postalLines({ cells: { ...cells, p: '' } }, at('n', 'p', ['t']))).toEqual(['Ada', 'Wien'])
    expect(postalLines({ cells: {} }, at('n', 'gone'))).toEqual([])
  })
  test('no line is blank, none has a break, and no word is lost', () => {
    const words = fc.string({ unit: fc.constantFrom('a', 'B', '1', ' ', '\n', '\t', 'é') })
    fc.assert(
      fc.property(fc.array(fc.tuple(words, fc.boolean()), { maxLength: 8 }), (given) => {
        const cells = Object.fromEntries(given.map(([cell], i) => [`c${i}`, cell]))
        const lines = postalLines(
          { cells },
          given.map(([, sameLine], i) => ({ column: `c${i}`, sameLine })),
        )
        for (const line of lines) expect(line).toMatch(/^\S(?:[^\n\t]*\S)?$/)
        const plain = (all: string[]) => all.join(' ').split(/\s+/).filter(Boolean)
        expect(plain(lines)).toEqual(plain(given.map(([cell]) => cell)))
      }),
    )
  })
  test('the columns are guessed by their names, in the order in which an address is read', () => {
    const columns = [
      text('k', 'Country'),
      text('z', 'Post code'),
      text('e', 'Email', 'address'),
      text('w', 'Town'),
      text('l2', 'Address line 2'),
      text('l1', 'Address line 1'),
      text('n', 'Name'),
      text('o', 'Organisation'),
      text('b', 'Berth'),
      // Names that only begin so are others.
      text('s', 'State of payment'),
      text('by', 'By whom'),
    ]
    expect(guessPostalColumns(columns, ['n'])).toEqual(at('n', 'o', 'l1', 'l2', 'w', 'z', 'k'))
    expect(
      guessPostalColumns(
        [text('n', 'Vorname'), text('m', 'Nachname'), text('s', 'Straße'), text('o', 'Ort')],
        ['n', 'm'],
      ),
    ).toEqual(at('n', ['m'], 's', 'o'))
    // Addresses for mail are none, and a country alone tells nobody where to go.
    expect(
      guessPostalColumns([text('a', 'Address', 'address'), text('k', 'Country'), text('n', 'Name')], ['n']),
    ).toEqual([])
  })
})
