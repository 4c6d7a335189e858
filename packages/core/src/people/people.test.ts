import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { addressFault } from './address.ts'
import { findAddressColumn, findFilesColumn, findNameColumns, findTable } from './reading.ts'
import { choosePeople, countSentence } from './selection.ts'
import type { Column, Row } from './table.ts'
import { findKind, readAmount, readDate, typed } from './value.ts'

describe('finding the table in a sheet', () => {
  const people = [
    ['Ada Penrose', 'ada@saltmail.example', '12.5'],
    ['Bram Tolland', 'bram@quaymail.example', '9'],
  ]
  test.each([0, 1, 2, 4])('the heading row is found under a title block of %d rows', (n) => {
    const title = [['Brindle Quay Harbour Trust'], ['Berth holders', undefined, '2027'], [], ['as of today']].slice(
      0,
      n,
    )
    const found = findTable([...title, ['Name', 'Email', 'Length'], ...people])
    expect(found.headingsRow).toBe(n)
    expect(found.columns.map((c) => [c.name, c.kind])).toEqual([
      ['Name', 'text'],
      ['Email', 'address'],
      ['Length', 'number'],
    ])
    expect(found.rows).toHaveLength(2)
  })
  test('blank and doubled headings, blank rows and columns are handled and said', () => {
    const found = findTable([
      ['Name', '', 'Name', undefined],
      ['Ada', 'x', 'Penrose', undefined],
      [],
      ['Bram', undefined, 'Tolland', undefined],
    ])
    expect(found.columns.map((c) => c.name)).toEqual(['Name', 'Column B', 'Name (2)'])
    expect(found.rows).toHaveLength(2)
    expect(found.rowNumbers).toEqual([2, 4])
    expect(found.said.join(' ')).toMatch(/no heading.*more than once.*1 blank column.*1 blank row/s)
  })
  test('the columns of addresses, names and files are found by content and heading', () => {
    const { columns } = findTable([
      ['Last name', 'First name', 'Contact', 'Permit'],
      ['Penrose', 'Ada', 'ada@saltmail.example', 'permit 1.pdf'],
      ['Tolland', 'Bram', 'bram@saltmail.example', 'permit 2.pdf'],
    ])
    expect(findAddressColumn(columns)).toBe('c3')
    expect(findNameColumns(columns)).toEqual(['c2', 'c1'])
    expect(findFilesColumn(columns)).toBe('c4')
  })
})

describe('kinds and values', () => {
  test('leading zeros and long figures stay text', () => {
    expect(findKind('Permit', ['0071', '0072']).kind).toBe('text')
    expect(findKind('Card', ['4929000000000006', '4929000000000014']).kind).toBe('text')
    expect(findKind('Length', ['7', '12.5', '1,200']).kind).toBe('number')
    expect(findKind('Fee', ['£1,234.50', '€20']).kind).toBe('amount')
    expect(findKind('Seen', ['yes', 'No', 'y']).kind).toBe('yesNo')
  })
  test('the order of day and month is decided from the whole column, and said where it cannot be', () => {
    expect(findKind('Due', ['07/04/2026', '25/04/2026'])).toEqual({ kind: 'date', dayFirst: true })
    expect(findKind('Due', ['07/04/2026', '04/25/2026'])).toEqual({ kind: 'date', dayFirst: false })
    expect(findKind('Due', ['07/04/2026', '08/04/2026'])).toEqual({ kind: 'date', dayFirst: true, undecided: true })
  })
  test('every date is read back from every way of writing it (against the calendar of ECMA-262)', () => {
    const day = fc.date({ min: new Date('1900-01-01'), max: new Date('2199-12-31'), noInvalidDate: true })
    fc.assert(
      fc.property(day, (d) => {
        const iso = d.toISOString().slice(0, 10)
        const [y, m, n] = iso.split('-')
        const month = d.toLocaleString('en-GB', { month: 'long', timeZone: 'UTC' })
        expect(readDate(`${n}/${m}/${y}`)).toBe(iso)
        expect(readDate(`${m}/${n}/${y}`, false)).toBe(iso)
        expect(readDate(iso)).toBe(iso)
        expect(readDate(`${Number(n)} ${month} ${y}`)).toBe(iso)
      }),
    )
  })
  test.each(['31/02/2026', '00/01/2026', '2026-13-01', '7 Brumaire 2026', '1/2', ''])('%s is no date', (text) =>
    expect(readDate(text)).toBeNull(),
  )
  test('amounts keep their sign and pence', () => {
    expect(['£1,234.50', '(£20)', '-£3', '1234 EUR', 'free'].map(readAmount)).toEqual([1234.5, -20, -3, 1234, null])
  })
})

describe('addresses', () => {
  // RFC 5322 section 3.4.1 and RFC 6532 allow these; the local parts are among the examples people try.
  test.each([
    'ada@saltmail.example',
    'a.b+tag@sub.quay.example',
    "o'hara_1@quay.example",
    'zoë@hafen.example',
    'ada@xn--hfn-qla.example',
  ])('%s can be written to', (address) => expect(addressFault(address)).toBeNull())
  test.each([
    '',
    'ada',
    'ada@',
    '@quay.example',
    'a b@quay.example',
    'ada@quay',
    'a..b@quay.example',
    '.a@quay.example',
    'a@b@quay.example',
    'a@quay.example, b@quay.example',
    'ada@-quay.example',
    'ada@quay.example\r\nBcc: x@y.example',
    `${'a'.repeat(65)}@quay.example`,
  ])('“%s” cannot', (address) => expect(addressFault(address)).not.toBeNull())
})

describe('choosing people', () => {
  const columns: Column[] = [
    { id: 'c1', name: 'Group', kind: 'text' },
    { id: 'c2', name: 'Due', kind: 'date', dayFirst: true },
    { id: 'c3', name: 'Fee', kind: 'amount' },
    { id: 'c4', name: 'Seen', kind: 'yesNo' },
  ]
  const rows: Row[] = [
    ['Pontoon A', '01/05/2026', '£300', 'yes'],
    ['pontoon b', '31/12/2025', '£1,200.50', 'no'],
    ['', '', '', ''],
  ].map((cells, i) => ({
    id: i + 1,
    position: i,
    cells: Object.fromEntries(cells.map((c, n) => [`c${n + 1}`, c]).filter(([, c]) => c)),
  }))
  const chosen = (match: 'all' | 'any', ...rules: [string, string, string?][]) =>
    choosePeople(
      rows,
      columns,
      {
        match,
        rules: rules.map(([column, comparison, value = '']) => ({ column, comparison: comparison as 'is', value })),
      },
      new Set(),
    ).chosen.map((r) => r.id)
  test('each comparison means what it says', () => {
    expect(chosen('all', ['c1', 'is', 'PONTOON A'])).toEqual([1])
    expect(chosen('all', ['c1', 'isNot', 'Pontoon A'])).toEqual([2, 3])
    expect(chosen('all', ['c1', 'contains', 'toon'])).toEqual([1, 2])
    expect(chosen('all', ['c1', 'isBlank'])).toEqual([3])
    expect(chosen('all', ['c2', 'after', '31 December 2025'])).toEqual([1])
    expect(chosen('all', ['c2', 'before', '2026-01-01'])).toEqual([2])
    expect(chosen('all', ['c3', 'above', '300'])).toEqual([2])
    expect(chosen('all', ['c4', 'is', 'Y'])).toEqual([1])
    expect(chosen('any', ['c1', 'isBlank'], ['c3', 'below', '£301'])).toEqual([1, 3])
    expect(chosen('all', ['c9', 'isFilled'])).toEqual([])
  })
  test('every row is in exactly one standing, and the sentence adds up', () => {
    fc.assert(
      fc.property(fc.uniqueArray(fc.integer({ min: 1, max: 3 })), fc.boolean(), (aside, ruled) => {
        const { counts, standing } = choosePeople(
          rows,
          columns,
          { match: 'all', rules: ruled ? [{ column: 'c1', comparison: 'isFilled', value: '' }] : [] },
          new Set(aside),
        )
        expect(counts.round + counts.byRule + counts.setAside).toBe(counts.list)
        expect(standing.size).toBe(3)
        expect(countSentence(counts)).toContain(`3 in the list, ${counts.round} in this round`)
      }),
    )
  })
  test('a typed value is what the file kept, else what the text reads as', () => {
    expect(typed({ shown: '£5', value: 5.25 }, columns[2])).toBe(5.25)
    expect(typed('(£5)', columns[2])).toBe(-5)
    expect(typed('maybe', columns[3])).toBeNull()
  })
})
