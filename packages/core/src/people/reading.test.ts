import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { languagesOfDate } from './dateWords.ts'
import { errorIn, isErrorValue } from './failedFormula.ts'
import { cellProblem, findHeadings, findLastRow, findTable, type SheetCells } from './reading.ts'

const people: SheetCells[] = [
  ['Ada Penrose', 'ada@quay.example', '420.00'],
  ['Bram Tolland', 'bram@quay.example', '365.50'],
  ['Cora Wexley', 'cora@quay.example', '80.00'],
  ['Dov Ashby', 'dov@quay.example', '12.25'],
]
const heads = ['Name', 'Email', 'Fee']

describe('headings', () => {
  test('a table without any is noticed, and the cell in doubt is named', () => {
    expect(findHeadings(people)).toEqual({ row: 0, rows: 0, doubtful: 'Ada Penrose' })
    const { columns, rowCount, said, headingRows } = findTable(people)
    expect(headingRows).toBe(0)
    expect(columns.map((c) => [c.name, c.kind])).toEqual([
      ['Column A', 'text'],
      ['Column B', 'address'],
      ['Column C', 'number'],
    ])
    expect(rowCount).toBe(4)
    expect(said).toContain('The table has no headings; its columns are called by their letters.')
  })
  test('whoever says that it is a heading has it as one', () => {
    const { columns, rowCount } = findTable(people, { headingsRow: 0, headingRows: 1 })
    expect(columns.map((c) => c.name)).toEqual(['Ada Penrose', 'ada@quay.example', '420.00'])
    expect(rowCount).toBe(3)
  })
  test('figures over figures are a row of somebody’s; years over figures and words over figures are headings', () => {
    expect(
      findHeadings([
        ['12', '7'],
        ['3', '9'],
        ['5', '1'],
      ]).rows,
    ).toBe(0)
    expect(findHeadings([heads, ...people])).toEqual({ row: 0, rows: 1, doubtful: null })
    expect(
      findHeadings([
        ['Berth', 'Due'],
        ['A12', { shown: '3 May', value: '2027-05-03' }],
      ]).rows,
    ).toBe(1)
  })
  const groups: SheetCells[] = [
    ['Berths of the harbour'],
    ['Person', undefined, 'Payment', undefined, 'Notes'],
    ['Name', 'Email', 'Fee', 'Due', 'Notes'],
    ...people.map((row) => [...row, '1 May 2027', '-']),
  ]
  const merges = [
    { row: 0, from: 0, to: 4 },
    { row: 1, from: 0, to: 1 },
    { row: 1, from: 2, to: 3 },
  ]
  test('groups over headings are joined with them', () => {
    expect(findHeadings(groups, merges)).toEqual({ row: 1, rows: 2, doubtful: null })
    // The reader fills merged headings over their columns first.
    const filled = groups.map((row, r) => (r === 1 ? ['Person', 'Person', 'Payment', 'Payment', 'Notes'] : row))
    const found = findTable(filled, { headingsRow: 1, headingRows: 2 })
    expect(found.columns.map((c) => c.name)).toEqual([
      'Person: Name',
      'Person: Email',
      'Payment: Fee',
      'Payment: Due',
      'Notes',
    ])
    expect(found.rowNumbers).toEqual([4, 5, 6, 7])
    expect(found.columnIndexes).toEqual([0, 1, 2, 3, 4])
    expect(found.said.slice(0, 2)).toEqual([
      '1 row above the headings was left out.',
      'The headings take two rows; each group’s name stands before those of its columns.',
    ])
  })
  test('a title that is merged over the table is no group', () => {
    expect(findHeadings([['Berths'], heads, ...people], [{ row: 0, from: 0, to: 2 }])).toEqual({
      row: 1,
      rows: 1,
      doubtful: null,
    })
  })
})

describe('where a table ends', () => {
  // The words are those of the trade in each language; written down from memory.
  test.each([
    'Total',
    'Grand total',
    'Sub-total:',
    'Summe',
    'Gesamtsumme',
    'Total général',
    'Totale',
    'Totaal',
    'Totalt',
    'Summa',
    'Yhteensä',
    'Suma',
    'Razem',
    'Итого',
    '合計',
    '总计',
    '합계',
    'कुल',
    'المجموع',
    'סה"כ',
  ])('a row of totals in other words: %s', (word) => {
    const found = findTable([heads, ...people, [word, undefined, '877.75']])
    expect(found.rowCount).toBe(4)
    expect(found.said.at(-1)).toBe(`1 row below the table was left out, beginning with “${word}”.`)
  })
  test('a row of sums without a word is one; a person who owes just as much is none', () => {
    expect(findTable([heads, ...people, [undefined, undefined, '877.75']]).rowCount).toBe(4)
    expect(findTable([heads, ...people, ['Edda Quill', 'edda@quay.example', '877.75']]).rowCount).toBe(5)
    // Of two cells that are no sum nothing tells that they are not somebody’s.
    expect(findTable([heads, ...people, ['Edda Quill', undefined, '877.74']]).rowCount).toBe(5)
    // With words that merely begin alike it is somebody.
    expect(findTable([heads, ...people, ['Sumalee Boon', undefined, '3.00']]).rowCount).toBe(5)
  })
  test.each([
    ['Average', undefined, '219.44'],
    ['Mean', undefined, '219.44'],
    ['Count', '4'],
    ['Durchschnitt:', undefined, '219,44'],
    [undefined, undefined, '877.74'],
    ['Prices hold until May'],
  ])('a row that sums up or remarks, right below the people, is left out and said: %s %s %s', (...row) => {
    const found = findTable([heads, ...people, row])
    expect(found.rowCount).toBe(4)
    expect(found.said.at(-1)).toContain(`beginning with “${row.find(Boolean)}”`)
    // The writer can have it nevertheless.
    expect(findTable([heads, ...people, row], { lastRow: 5 }).rowCount).toBe(5)
  })
  test('an address alone is somebody, and so is a name where the table has nothing else', () => {
    expect(findTable([heads, ...people, [undefined, 'edda@quay.example']]).rowCount).toBe(5)
    expect(findTable([['Name'], ['Ada'], ['Bram'], ['Cy'], ['Edda']]).rowCount).toBe(4)
  })
  test('another table on the sheet is said, with where it begins', () => {
    const second: SheetCells[] = [
      ['Boat', 'Length'],
      ['Heron', '12'],
      ['Tern', '9'],
    ]
    const found = findTable([heads, ...people, [], ...second])
    expect(found.rowCount).toBe(4)
    expect(found.said.join(' ')).toContain('Another table begins in row 7 (Boat, Length). It was left out')
    expect(findTable([heads, ...people, [], heads, ...people]).rowCount).toBe(9)
    expect(
      findTable([heads, ...people, [], ...second], { headingsRow: 6, headingRows: 1 }).columns.map((c) => c.name),
    ).toEqual(['Boat', 'Length'])
  })
  test('cells that stand further right than any of the first thousand rows are a column too', () => {
    const wide = Array.from(
      { length: 1500 },
      (_, i): SheetCells => [...people[i % 4], ...(i === 1400 ? ['', 'late'] : [])],
    )
    const found = findTable([heads, ...wide])
    expect(found.columns.map((c) => c.name)).toEqual([...heads, 'Column E'])
    expect([...found.rows()][1400].c4).toBe('late')
    expect(found.said).toContain('1 blank column left out.')
  })
  test('a sheet with nothing in it has no rows, and nothing is said of blank ones', () => {
    for (const headingRows of [0, 1, 2] as const)
      expect(findTable([], { headingsRow: 0, headingRows })).toMatchObject({ rowCount: 0, rowNumbers: [], columns: [] })
    expect(findTable([], { headingsRow: 0, headingRows: 0 }).said).toEqual([
      'The table has no headings; its columns are called by their letters.',
    ])
  })
  test('sums and remarks without end are taken off a few times, and take no square of their number', () => {
    const many: SheetCells[] = [
      heads,
      ...Array.from({ length: 60_000 }, (_, i) => people[i % 4]),
      ...Array.from({ length: 40_000 }, () => ['Total', undefined, '3']),
    ]
    expect(findLastRow(many, 0)).toBeGreaterThan(60_000)
  })
  test('whatever the sheet is, no row of an address is lost and nothing throws', () => {
    const cell = fc.oneof(
      { weight: 3, arbitrary: fc.constant(undefined) },
      fc.constantFrom('Name', 'Total', '12', '3.50', '#N/A', 'a note.', 'x@quay.example', 'Ada'),
      fc.record({ shown: fc.constantFrom('£3.00', '3 May'), value: fc.constantFrom(3, '2027-05-03') }),
    )
    fc.assert(
      fc.property(fc.array(fc.array(cell, { maxLength: 5 }), { minLength: 1, maxLength: 14 }), (sheet) => {
        const found = findTable(sheet)
        const kept = new Set(found.rowNumbers.map((n) => n - 1))
        const below = found.headingsRow + found.headingRows
        sheet.forEach((row, r) => {
          if (r >= below && r <= found.lastRow && row.includes('x@quay.example')) expect(kept.has(r)).toBe(true)
        })
        // What was left out below is said.
        const after = sheet.slice(found.lastRow + 1).filter((row) => row.some((c) => c !== undefined)).length
        expect(found.said.some((s) => /below the table/.test(s))).toBe(after > 0)
      }),
    )
  })
})

describe('formulas that failed', () => {
  // ECMA-376 Part 1, 18.17.3: the error values of the standard.
  test.each([
    '#DIV/0!',
    '#N/A',
    '#NAME?',
    '#NULL!',
    '#NUM!',
    '#REF!',
    '#VALUE!',
    '#GETTING_DATA',
    'Err:502',
    '#WERT!',
    '#VALEUR!',
    '#NV',
  ])('%s', (text) => {
    expect(isErrorValue(` ${text} `)).toBe(true)
    expect(errorIn(`Dear ${text}, your`)).toBe(text)
    expect(errorIn(text)).toBe(text)
    expect(cellProblem(text, { id: 'c1', name: 'x', kind: 'text' })).toMatch(/formula of the workbook failed/)
  })
  test.each(['#harbour', '#1', 'N/A', '#NAMES', 'x#N/A', 'Err:5', '#N/AB', 'Error'])('%s is none', (text) => {
    expect(isErrorValue(text)).toBe(false)
    expect(errorIn(text)).toBeNull()
  })
})

describe('the languages of a date in words', () => {
  test.each([
    ['3 March 2026', 'en', true],
    ['3 mars 2026', 'fr', true],
    ['3 mars 2026', 'en', false],
    ['Dienstag, 9. Dezember 2025', 'de', true],
    ['9 de dezembro de 2025', 'pt', true],
    ['3 мая 2026', 'ru', true],
    ['3 May 2026', 'en', true],
  ])('%s in %s: %s', (text, language, is) => expect(languagesOfDate(text)?.has(language)).toBe(is))
  test.each(['Ada Penrose', 'May', '12', '31/03/2027', 'Berth A12', ''])('“%s” is no date in words', (text) =>
    expect(languagesOfDate(text)).toBeNull(),
  )
  test('every month that a language has, beside its day, is one of that language (CLDR through Intl)', () => {
    for (const language of ['en', 'de', 'fr', 'es', 'it', 'nl', 'pl', 'sv', 'fi', 'pt', 'cs', 'ru', 'el', 'tr'])
      for (let month = 0; month < 12; month++) {
        const text = new Intl.DateTimeFormat(language, { dateStyle: 'long', timeZone: 'UTC' }).format(
          Date.UTC(2026, month, 14),
        )
        expect(languagesOfDate(text)?.has(language), text).toBe(true)
      }
  })
})
