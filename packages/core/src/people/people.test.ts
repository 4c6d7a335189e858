import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { addressFault } from './address.ts'
import { findKind } from './findKind.testing.ts'
import { parsedValue } from './kinds.ts'
import { findAddressColumn, findFilesColumn, findNameColumns, findNames, findTable } from './reading.ts'
import { readAmount, readDate } from './readValue.ts'

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
    expect(found.rowCount).toBe(2)
  })
  test('blank and doubled headings, blank rows and columns are handled and said', () => {
    const found = findTable([
      ['Name', '', 'Name', undefined],
      ['Ada', 'x', 'Penrose', undefined],
      [],
      ['Bram', undefined, 'Tolland', undefined],
    ])
    expect(found.columns.map((c) => c.name)).toEqual(['Name', 'Column B', 'Name (2)'])
    expect(found.rowCount).toBe(2)
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

describe('the columns of names', () => {
  const table = (headings: string[], ...rows: string[][]) => {
    const found = findTable([headings, ...rows])
    return { columns: found.columns, rows: Array.from(found.rows(), (cells) => ({ cells })) }
  }
  const names = ['Ada Penrose', 'Bram Tolland', 'Cy Vane', 'Dora Ash', 'Edda Moor']
  const of = (heading: string, values: string[]) => {
    const { columns, rows } = table([heading, 'Email'], ...values.map((v, i) => [v, `p${i}@quay.example`]))
    return findNames(columns, rows)
  }
  test.each(['Name', 'Full name', 'Permit holder', 'Member', 'Contact', 'Name of the tenant'])(
    '“%s” is one',
    (heading) => {
      expect(of(heading, names)).toEqual({ columns: ['c1'], sure: true })
      // Whatever is odd about some of them.
      expect(of(heading, [...names, 'Boats & Co. 24 Ltd'])).toEqual({ columns: ['c1'], sure: true })
    },
  )
  test.each([
    ['Personnel number', ['100871', '100872', '100873', '100874', '100875']],
    ['Person code', ['P-871', 'P-872', 'P-873', 'P-874', 'P-875']],
    [
      'Personal line',
      [
        'We look forward to seeing you.',
        'Thank you for the boat!',
        'It was good to meet.',
        'Do ring us.',
        'See you soon.',
      ],
    ],
    ['Name', ['100871', '100872', '100873', '100874', '100875']],
    ['Contact', ['01632 960001', '01632 960002', '01632 960003', '01632 960004', '01632 960005']],
    ['Username', ['apenrose1', 'btolland2', 'cvane3', 'dash4', 'emoor5']],
    ['Boat name', ['Osprey', 'Heron', 'Gannet', 'Petrel', 'Tern']],
    ['Member type', ['Full', 'Full', 'Junior', 'Full', 'Senior']],
  ])('“%s” is none', (heading, values) => {
    expect(of(heading, values)).toMatchObject({ columns: [], sure: false })
  })
  test('where it is not sure, it is offered and not taken', () => {
    // Reads as names of people, and is not called so; called something of the kind, of one word each.
    expect(of('Allotment', names)).toEqual({ columns: ['c1'], sure: false })
    expect(of('Nickname', ['Addie', 'Bra', 'Cyril', 'Dodo', 'Edie'])).toEqual({ columns: ['c1'], sure: false })
    expect(of('Skipper’s name', names)).toEqual({ columns: ['c1'], sure: true })
    const { columns, rows } = table(['Allotment', 'Email'], ...names.map((n) => [n, 'x@quay.example']))
    expect(findNameColumns(columns, rows)).toEqual([])
  })
  test('first and last names go together, in that order', () => {
    const { columns, rows } = table(
      ['Surname', 'Forename', 'Email'],
      ['Penrose', 'Ada', 'a@quay.example'],
      ['Vane', 'Cy', 'c@quay.example'],
    )
    expect(findNames(columns, rows)).toEqual({ columns: ['c2', 'c1'], sure: true })
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
  test('a typed value is what the file kept, else what the text reads as', () => {
    expect(parsedValue({ shown: '£5', value: 5.25 }, { kind: 'amount' })).toBe(5.25)
    expect(parsedValue('(£5)', { kind: 'amount' })).toBe(-5)
    expect(parsedValue('maybe', { kind: 'yesNo' })).toBeNull()
  })
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
