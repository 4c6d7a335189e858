import { SSF } from '@e965/xlsx'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { builtInFormat, compileCellFormat, isoOfSerial, languagesOfFormat } from './cellFormat.ts'
import { knownLanguage, languageNumber, languageOfNumber, workbookLanguages } from './languages.ts'

const shows = (code: string, value: number | string, language?: string) => compileCellFormat(code, language).show(value)
/** 9 December 2025, a Tuesday. */
const day = 46_000

describe('codes of ECMA-376 Part 1, 18.8.31', () => {
  // Its printed examples; typed from memory.
  test.each([
    ['####.#', 1234.59, '1234.6'],
    ['#.000', 8.9, '8.900'],
    ['0.#', 0.631, '0.6'],
    ['#.0#', 12, '12.0'],
    ['#.0#', 1234.568, '1234.57'],
    ['???.???', 44.398, '44.398'],
    ['# ???/???', 5.25, '5 1/4'],
    ['# ???/???', 5.3, '5 3/10'],
    ['#,###', 12_000, '12,000'],
    ['#,', 12_000, '12'],
    ['0.0,,', 12_200_000, '12.2'],
    ['0000', 71, '0071'],
    ['m', day, '12'],
    ['mmm', day, 'Dec'],
    ['mmmm', day, 'December'],
    ['mmmmm', day, 'D'],
    ['d', day, '9'],
    ['dd', day, '09'],
    ['ddd', day, 'Tue'],
    ['dddd', day, 'Tuesday'],
    ['yy', day, '25'],
    ['yyyy', day, '2025'],
    ['h AM/PM', 0.168_958, '4 AM'],
    ['h:mm AM/PM', 0.168_958, '4:03 AM'],
    ['h:mm:ss A/P', 0.168_958, '4:03:18 A'],
    ['[h]:mm', 1.0431, '25:02'],
    ['[mm]:ss', 0.044, '63:22'],
    ['[ss]', 0.001, '86'],
    ['0.00E+00', 12_345.678, '1.23E+04'],
    ['##0.0E+0', 12_345.678, '12.3E+3'],
    ['[Red][<=100]0;[Blue][>100]0.0', 250, '250.0'],
    ['[Red][<=100]0;[Blue][>100]0.0', 50, '50'],
    ['0;(0);"nil";"text: "@', -5, '(5)'],
    ['0;(0);"nil";"text: "@', 0, 'nil'],
    ['0;(0);"nil";"text: "@', 'Ada', 'text: Ada'],
  ])('%s shows %s as %s', (code, value, text) => {
    expect(shows(code, value)).toBe(text)
  })

  test.each([
    ['[$-409]0000', 71, '0071'],
    ['0\\ %', 0.13, '13 %'],
    ['0\\ %', 0.125, '13 %'],
    ['##,##,##0.00', 1_234_567.5, '12,34,567.50'],
    ['[$₹-4009]\\ ##,##,##0.00', -1_234_567.5, '-₹ 12,34,567.50'],
    ['hh.mm', 10 / 24, '10.00'],
    ['General" boxes"', 1, '1 boxes'],
    ['"Mr "@', 'Ada', 'Mr Ada'],
    ['@', 'Ada', 'Ada'],
    ['#,##0.00_);(#,##0.00)', 1235.5, '1,235.50'],
    ['_-"£"* #,##0.00_-;-"£"* #,##0.00_-;_-"£"* "-"??_-;_-@_-', 1235.5, '£1,235.50'],
    ['_-"£"* #,##0.00_-;-"£"* #,##0.00_-;_-"£"* "-"??_-;_-@_-', 0, '£-'],
    ['_-"£"* #,##0.00_-;-"£"* #,##0.00_-;_-"£"* "-"??_-;_-@_-', 'Ada', 'Ada'],
    [';;;', 5, ''],
    ['[$-411]ggge"年"m"月"d"日"', day, '令和7年12月9日'],
    ['[$-411]ge.m.d', day, 'R7.12.9'],
    ['0.00', 1.005, '1.01'],
    ['0.00', 2.675, '2.68'],
  ])('%s shows %s as %s', (code, value, text) => {
    expect(shows(code, value)).toBe(text)
  })

  test('General has as many figures as a cell shows, and a long number every one', () => {
    expect(
      [1 / 3, 0.1 + 0.2, 12_345_678_901, 447_700_900_121, -447_700_900_121_234, 1e21].map((n) => shows('General', n)),
    ).toEqual(['0.333333333', '0.3', '12345678901', '447700900121', '-447700900121234', '1E+21'])
    expect(shows('General', 0.5, 'de-DE')).toBe('0,5')
    expect(shows('General" boxes"', 447_700_900_121)).toBe('447700900121 boxes')
    fc.assert(
      fc.property(fc.integer({ min: -999_999_999_999_999, max: 999_999_999_999_999 }), (n) => {
        expect(shows('General', n)).toBe(String(n))
      }),
    )
  })

  test('what is not understood is said, and nothing of it throws', () => {
    for (const code of ['[DBNum1]0', '[NatNum1]0', '[$-D00041E]0', 'B2dd/mm/yyyy', '[bad', '[$-7FFF]0', '"open'])
      expect(compileCellFormat(code).unclear, code).not.toBeNull()
    for (const code of ['0.00', '[$-40C]d mmmm', '[$£-809]0', '[$-F800]dddd', '[$kr]0', '[Color10]0'])
      expect(compileCellFormat(code).unclear, code).toBeNull()
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(fc.constantFrom(...'0#?.,%[]$-;@"\\_* dmyhsgeAP/E+'), { maxLength: 30 }).map((s) => s.join('')),
        ),
        fc.oneof(fc.double({ noNaN: false }), fc.string()),
        (code, value) => {
          expect(typeof compileCellFormat(code).show(value)).toBe('string')
        },
      ),
      { numRuns: 1500 },
    )
  })

  test('what values are is told by the format', () => {
    const means = (code: string) => compileCellFormat(code).means
    expect(
      [
        'dd/mm/yyyy',
        'dd/mm/yyyy;@',
        'dd/mm/yyyy hh:mm',
        'hh:mm',
        '[h]:mm',
        'mm:ss',
        '0.00',
        '@',
        'General',
        '"day "0',
        '0;dd/mm/yyyy',
        'mmmm',
      ].map(means),
    ).toEqual([
      'date',
      'date',
      'dateTime',
      'time',
      'duration',
      'time',
      'figure',
      'text',
      'figure',
      'figure',
      'figure',
      'date',
    ])
  })
})

// Another library that writes by the same standard, which shares no code with ours: where English is spoken they agree.
test('shows what SSF shows, for everyday codes and any value', () => {
  const figures = [
    '0',
    '0.00',
    '#,##0',
    '#,##0.00',
    '0%',
    '0.0%',
    '0.00%',
    '"£"#,##0.00',
    '#,##0.00;[Red]-#,##0.00',
    '000000',
    '#,##0.00" kg"',
    '0.0,',
  ]
  const dates = [
    'dd/mm/yyyy',
    'd/m/yy',
    'yyyy-mm-dd',
    'd mmmm yyyy',
    'ddd d mmm yyyy',
    'dddd',
    'dd/mm/yyyy hh:mm',
    'hh:mm:ss',
    'h:mm AM/PM',
    '[h]:mm',
  ]
  const cents = fc.integer({ min: -99_999_999, max: 99_999_999 }).map((n) => n / 100)
  const days = fc.integer({ min: 61 * 1440, max: 80_000 * 1440 }).map((minutes) => minutes / 1440)
  fc.assert(
    fc.property(fc.constantFrom(...figures), cents, (code, value) => {
      // The other one writes a minus before nothing.
      fc.pre(!/^-0*\.?0*%?$/.test(SSF.format(code, value)) && Math.abs(value) >= 1)
      // It rounds halves below zero towards zero, as `Math.round` does; workbooks round them away from it.
      fc.pre(value > 0 || !/5$/.test(String(value)))
      expect(shows(code, value), `${code} ${value}`).toBe(SSF.format(code, value).trim())
    }),
    { numRuns: 1500 },
  )
  fc.assert(
    fc.property(fc.constantFrom(...dates), days, (code, value) => {
      expect(shows(code, value), `${code} ${value}`).toBe(SSF.format(code, value))
    }),
    { numRuns: 1500 },
  )
})

describe('languages', () => {
  test('calendars and digits of the West that a number names beside a language are understood, others are said', () => {
    const day = 46_000
    // ECMA-376 Part 1, 18.8.31 leaves these numbers to the language identifiers; their parts are written down from memory.
    for (const [code, text, unclear] of [
      ['[$-10409]m/d/yyyy', '12/9/2025', null],
      ['[$-1000000]0', '46000', null],
      ['[$-1010409]d mmmm', '9 December', null],
      ['[$-FC19]d mmmm yyyy', '9 декабря 2025', null],
      ['[$-40B]d. mmmm"ta "yyyy', '9. joulukuuta 2025', null],
      ['[$-40B]d. mmmm yyyy', '9. joulukuuta 2025', null],
      ['[$-2000401]0', '46000', '[$-2000401]'],
      ['[$-D010000]d/mm/yyyy', '9/12/2025', '[$-D010000]'],
      ['[$-9999]0', '46000', '[$-9999]'],
    ] as const) {
      const format = compileCellFormat(code)
      expect([format.show(day), format.unclear], code).toEqual([text, unclear])
    }
  })
  // Unicode CLDR, as `Intl` has it: the whole day written by it is the oracle, not the names alone.
  test.each([
    ['en-US', 'mmmm d, yyyy'],
    ['en-GB', 'd mmmm yyyy'],
    ['de-DE', 'd. mmmm yyyy'],
    ['fr-FR', 'd mmmm yyyy'],
    ['sv-SE', 'd mmmm yyyy'],
    ['fi-FI', 'd. mmmm yyyy'],
    ['pt-BR', 'd" de "mmmm" de "yyyy'],
    ['es-ES', 'd" de "mmmm" de "yyyy'],
    ['it-IT', 'd mmmm yyyy'],
    ['nl-NL', 'd mmmm yyyy'],
    ['pl-PL', 'd mmmm yyyy'],
    ['nb-NO', 'd. mmmm yyyy'],
    ['da-DK', 'd. mmmm yyyy'],
    ['cs-CZ', 'd. mmmm yyyy'],
    ['ja-JP', 'yyyy"年"m"月"d"日"'],
    ['hi-IN', 'd mmmm yyyy'],
    ['et-EE', 'd. mmmm yyyy'],
    ['uk-UA', 'd mmmm yyyy" р."'],
  ])('%s', (language, code) => {
    const number = languageNumber(language)!.toString(16).toUpperCase()
    const by = (options: Intl.DateTimeFormatOptions) =>
      new Intl.DateTimeFormat(language, { ...options, timeZone: 'UTC' })
    for (let month = 0; month < 12; month++) {
      const at = Date.UTC(2026, month, 17)
      const serial = at / 86_400_000 + 25_569
      const wanted = by({ dateStyle: 'long' }).format(at)
      expect(shows(`[$-${number}]${code}`, serial)).toBe(wanted)
      expect(shows(code, serial, language)).toBe(wanted)
      expect(shows(`[$-${number}]dddd`, serial)).toBe(by({ weekday: 'long' }).format(at))
    }
    const parts = new Intl.NumberFormat(language, { minimumFractionDigits: 2, numberingSystem: 'latn' })
    for (const value of [1235.5, 98_765_432.1, 0.25])
      expect(shows('#,##0.00', value, language)).toBe(
        // Some languages group only from five figures on; a workbook groups as its format says.
        new Intl.NumberFormat(language, {
          ...parts.resolvedOptions(),
          useGrouping: 'always',
        } as Intl.NumberFormatOptions).format(value),
      )
  })

  test('the money of one country among figures of another keeps the separators of the workbook', () => {
    expect(shows('#,##0.00\\ [$€-407]', 1235.5)).toBe('1,235.50 €')
    expect(shows('#,##0.00\\ [$€-407]', 1235.5, 'de-DE')).toBe('1.235,50 €')
    expect(languagesOfFormat('#,##0.00\\ [$€-407];[Red]-#,##0.00\\ [$€-407]')).toEqual(['de-DE', 'de-DE'])
    expect(languagesOfFormat('[$-40C]d mmmm')).toEqual([])
  })

  test('tags and numbers name each other, and what documents write is found', () => {
    for (const tag of workbookLanguages) expect(languageOfNumber(languageNumber(tag)!)).toBe(tag)
    expect(['fr', 'fr_FR', 'FR-ca', 'de-LI', 'en', 'en-us', 'no', 'xx-XX', '', null].map(knownLanguage)).toEqual([
      'fr-FR',
      'fr-FR',
      'fr-CA',
      'de-DE',
      'en-GB',
      'en-US',
      'nb-NO',
      null,
      null,
      null,
    ])
  })
})

// ECMA-376 Part 1, 18.8.30, typed from memory; numbers 14 and 22 mean the short date of the place.
test('built-in formats', () => {
  const all = (language: string, ids: number[]) => ids.map((id) => builtInFormat(id, language))
  expect(all('en-GB', [0, 1, 2, 3, 4, 9, 10, 11, 12, 13])).toEqual([
    'General',
    '0',
    '0.00',
    '#,##0',
    '#,##0.00',
    '0%',
    '0.00%',
    '0.00E+00',
    '# ?/?',
    '# ??/??',
  ])
  expect(all('en-GB', [15, 16, 17, 18, 19, 20, 21, 45, 46, 47, 48, 49])).toEqual([
    'd-mmm-yy',
    'd-mmm',
    'mmm-yy',
    'h:mm AM/PM',
    'h:mm:ss AM/PM',
    'h:mm',
    'h:mm:ss',
    'mm:ss',
    '[h]:mm:ss',
    'mm:ss.0',
    '##0.0E+0',
    '@',
  ])
  expect(all('en-GB', [23, 59, 163, 400])).toEqual([null, null, null, null])
  const dates = ['en-GB', 'en-US', 'de-DE', 'fr-FR', 'sv-SE', 'fi-FI', 'pt-BR', 'ja-JP', 'en-IN']
  expect(dates.map((language) => shows(builtInFormat(14, language)!, day, language))).toEqual([
    '09/12/2025',
    '12/9/2025',
    '09.12.2025',
    '09/12/2025',
    '2025-12-09',
    '9.12.2025',
    '09/12/2025',
    '2025/12/09',
    '09/12/2025',
  ])
  expect(shows(builtInFormat(44, 'en-GB')!, 1235.5, 'en-GB')).toBe('£1,235.50')
  expect(shows(builtInFormat(44, 'sv-SE')!, 1235.5, 'sv-SE')).toBe('kr1\u00a0235,50')
  expect(shows(builtInFormat(31, 'ja-JP')!, day, 'ja-JP')).toBe('2025年12月9日')
})

test('day numbers: the 1900 system with the day that never was', () => {
  expect([1, 59, 60, 61, 46_115, 46_000.604_166_666_7, 46_000.5 + 1 / 86_400].map(isoOfSerial)).toEqual([
    '1900-01-01',
    '1900-02-28',
    '1900-02-29',
    '1900-03-01',
    '2026-04-03',
    '2025-12-09T14:30',
    '2025-12-09T12:00:01',
  ])
})
