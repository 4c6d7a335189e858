import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { findKind } from './findKind.testing.ts'
import { parsedValue } from './kinds.ts'
import { isoDuration, readAmount, readDuration, readTime, secondsOfIso } from './readValue.ts'

describe('amounts', () => {
  // ISO 4217, as Unicode CLDR lists its codes.
  const codes = Intl.supportedValuesOf('currency')
  test('of every currency of ISO 4217, by its code before or behind', () => {
    expect(codes.length).toBeGreaterThan(150)
    for (const code of codes) {
      expect(readAmount(`${code} 1,235.50`), code).toBe(1235.5)
      expect(readAmount(`1.235,50 ${code}`), code).toBe(1235.5)
      expect(readAmount(`-12 ${code}`), code).toBe(-12)
    }
  })
  test('as each language writes its money (Intl, Unicode CLDR)', () => {
    for (const [language, currency] of [
      ['en-GB', 'GBP'],
      ['en-US', 'USD'],
      ['de-DE', 'EUR'],
      ['fr-FR', 'EUR'],
      ['sv-SE', 'SEK'],
      ['fi-FI', 'EUR'],
      ['pt-BR', 'BRL'],
      ['ja-JP', 'JPY'],
      ['en-IN', 'INR'],
      ['de-CH', 'CHF'],
      ['nb-NO', 'NOK'],
      ['pl-PL', 'PLN'],
      ['cs-CZ', 'CZK'],
      ['hu-HU', 'HUF'],
      ['nl-NL', 'EUR'],
      ['tr-TR', 'TRY'],
      ['uk-UA', 'UAH'],
      ['ko-KR', 'KRW'],
      ['he-IL', 'ILS'],
    ])
      for (const value of [0.25, 7, 365.5, 1235.5, 1_234_567.89]) {
        const format = new Intl.NumberFormat(language, { style: 'currency', currency })
        const { maximumFractionDigits: places } = format.resolvedOptions()
        const text = format.format(value).replace(/[\u200e\u200f]/g, '')
        expect(readAmount(text), `${language} ${text}`).toBe(Number(value.toFixed(places)))
      }
  })
  test.each([
    ['(£20)', -20],
    ['£ 1,234', 1234],
    ['1.234 €', 1234],
    ['KWD 1.234', 1.234],
    ['−£3.50', -3.5],
    ['1 234,50 kr', 1234.5],
    ["CHF 1'234.50", 1234.5],
    ['12', 12],
    ['£', null],
    ['£12 €', null],
    ['12 apples', null],
    ['£1,2,3.4.5', null],
    ['', null],
    [`£${'9'.repeat(80)}`, null],
  ])('%s', (text, value) => expect(readAmount(text)).toBe(value))
})

describe('times of day and durations', () => {
  test.each([
    ['10:00', '10:00'],
    ['6:30 pm', '18:30'],
    ['12:00 a.m.', '00:00'],
    ['12:05 PM', '12:05'],
    ['9:05:07', '09:05:07'],
    ['24:00', null],
    ['13:00 pm', null],
    ['10:60', null],
    ['10', null],
  ])('%s', (text, time) => expect(readTime(text)).toBe(time))
  test('a duration is the same in and out, as ISO 8601 writes it', () => {
    // Examples of ISO 8601 durations in hours, minutes and seconds.
    expect([isoDuration(129_600), isoDuration(5400), isoDuration(-90), isoDuration(0)]).toEqual([
      'PT36H',
      'PT1H30M',
      '-PT1M30S',
      'PT0S',
    ])
    fc.assert(
      fc.property(fc.integer({ min: -4_000_000, max: 4_000_000 }), (seconds) => {
        expect(secondsOfIso(isoDuration(seconds))).toBe(seconds)
        const size = Math.abs(seconds)
        const two = (n: number) => String(n).padStart(2, '0')
        const text = `${seconds < 0 ? '-' : ''}${Math.floor(size / 3600)}:${two(Math.floor(size / 60) % 60)}:${two(size % 60)}`
        expect(readDuration(text)).toBe(seconds)
      }),
    )
    expect(['P1Y', 'PT', 'x', '36:60', '1:2'].map((text) => secondsOfIso(text) ?? readDuration(text))).toEqual([
      null,
      0,
      null,
      null,
      null,
    ])
  })
  test('a column is of times, or of durations as soon as one goes beyond a day', () => {
    expect(findKind('At', ['10:00', '18:15'])).toEqual({ kind: 'time' })
    // Failed formulas say nothing of their column.
    expect(findKind('At', ['10:00', '#N/A', '#N/A', '#VALUE!'])).toEqual({ kind: 'time' })
    expect(findKind('Spent', ['10:00', '36:00'])).toEqual({ kind: 'duration' })
    expect(findKind('Spent', [{ shown: '1:30', value: 'PT1H30M' }])).toEqual({ kind: 'duration' })
    expect(parsedValue('36:00', { kind: 'duration' })).toBe(129_600)
    expect(parsedValue({ shown: '10.00', value: '10:00' }, { kind: 'time' })).toBe('10:00')
  })
})
