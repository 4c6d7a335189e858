import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { sameAddressKey } from './address.ts'
import { type Cell, type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { contactEdits, planContacts } from './contacts.ts'
import { applyEdits, newColumnId } from './edits.ts'

const book: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
  { id: 'c3', name: 'Telephone', kind: 'text' },
]
const row = (id: number, ...cells: string[]): Row => ({
  id,
  position: `a${id}`,
  cells: Object.fromEntries(cells.flatMap((cell, i) => (cell === '' ? [] : [[`c${i + 1}`, cell]]))),
})
const contacts = [
  row(1, 'Ada Penrose', 'ada@quay.example', ''),
  row(2, 'Bram Sloe', 'bram@quay.example', '01'),
  row(3, 'Cy Tarn'),
]
const table = (headings: [string, Column['kind']][], ...rows: string[][]) => ({
  columns: headings.map(([name, kind], i): Column => ({ id: `t${i + 1}`, name, kind })),
  rows: rows.map((cells) =>
    Object.fromEntries(cells.flatMap((cell, i): [string, Cell][] => (cell === '' ? [] : [[`t${i + 1}`, cell]]))),
  ),
})
const plan = (given: ReturnType<typeof table>, asGroups = false, rows = contacts) =>
  planContacts(book, rows, given, asGroups, newColumnId)
/** The address book after it has taken a table in. */
const after = (given: ReturnType<typeof table>, differing: 'keep' | 'replace' = 'keep', rows = contacts) => {
  const planned = plan(given, false, rows)
  const { edits, rowIds } = contactEdits(book, rows, planned, differing, 10)
  return { ...applyEdits({ columns: book, rows, sort: [] }, edits), rowIds, planned }
}

describe('bringing contacts in', () => {
  test('who is new is added, who is known is filled in where something was blank, and nobody goes', () => {
    const given = table(
      [
        ['E-mail', 'address'],
        ['Name', 'text'],
        ['Telephone', 'text'],
        ['Boat', 'text'],
      ],
      ['ADA@quay.example', 'Ada Penrose', '02', 'Tern'],
      ['bram@quay.example', 'Bram Sloe', '99', ''],
      ['dora@quay.example', 'Dora Finch', '03', 'Heron'],
    )
    const { columns, rows, rowIds } = after(given)
    expect(columns.map((c) => c.name)).toEqual(['Name', 'Email', 'Telephone', 'Boat'])
    expect(rowIds).toEqual([1, 2, 10])
    expect(rows.map((r) => [r.id, ...['c1', 'c2', 'c3', 'c4'].map((id) => shown(r.cells[id]))])).toEqual([
      [1, 'Ada Penrose', 'ada@quay.example', '02', 'Tern'],
      [2, 'Bram Sloe', 'bram@quay.example', '01', ''],
      [3, 'Cy Tarn', '', '', ''],
      [10, 'Dora Finch', 'dora@quay.example', '03', 'Heron'],
    ])
    expect(after(given, 'replace').rows[1].cells.c3).toBe('99')
  })
  test('names in parts become the whole name that the address book has', () => {
    const given = table(
      [
        ['First name', 'text'],
        ['Last name', 'text'],
        ['Email', 'address'],
      ],
      ['Dora', 'Finch', 'dora@quay.example'],
    )
    expect(after(given).rows.at(-1)!.cells).toMatchObject({ c1: 'Dora Finch', c2: 'dora@quay.example' })
  })
  test('without an address a name makes known only whom no address tells apart', () => {
    const given = table(
      [
        ['Name', 'text'],
        ['Telephone', 'text'],
      ],
      ['Cy Tarn', '7'],
      ['Ada Penrose', '8'],
    )
    const { planned, rows } = after(given)
    expect(planned.contacts.map((c) => c.row)).toEqual([3, null])
    expect(rows.find((r) => r.id === 3)!.cells.c3).toBe('7')
  })
  test('the same person twice in the table is one contact', () => {
    const given = table(
      [
        ['Email', 'address'],
        ['Telephone', 'text'],
      ],
      ['dora@quay.example', ''],
      ['Dora@quay.example', '5'],
    )
    const { planned, rows } = after(given)
    expect([planned.contacts.length, planned.repeated]).toEqual([1, 1])
    expect(rows.at(-1)!.cells).toEqual({ c2: 'dora@quay.example', c3: '5' })
  })
  test('categories make groups where that is wished, and a column where it is not', () => {
    const given = table(
      [
        ['Email', 'address'],
        ['Groups', 'text'],
      ],
      ['dora@quay.example', 'Pontoon A, Members'],
      ['ada@quay.example', ''],
    )
    expect(plan(given, true)).toMatchObject({
      newColumns: [],
      contacts: [{ groups: ['Pontoon A', 'Members'] }, { groups: [] }],
    })
    expect(plan(given).newColumns.map((c) => c.name)).toEqual(['Groups'])
  })
  test('a column of the address book that is worked out is neither written to nor doubled', () => {
    const worked: Column[] = [
      ...book,
      { id: 'c4', name: 'Greeting', kind: 'text', recipe: { do: 'case', column: 'c1', case: 'upper' } },
    ]
    const given = table(
      [
        ['Email', 'address'],
        ['greeting', 'text'],
      ],
      ['ada@quay.example', 'Hello'],
    )
    const planned = planContacts(worked, contacts, given, false, newColumnId)
    expect([planned.newColumns, planned.contacts[0].fills]).toEqual([[], []])
  })
  test('whatever is brought in, every contact stays, no address comes twice, and doing it again changes nothing', () => {
    const address = fc.constantFrom('', 'a@q.example', 'B@q.example', 'b@q.example', 'c@q.example', 'd@q.example')
    const line = fc.tuple(fc.constantFrom('', 'Ada', 'Bo', 'Cy'), address, fc.constantFrom('', '1', '2'))
    fc.assert(
      fc.property(
        fc.uniqueArray(line, { selector: (l) => sameAddressKey(l[1]) || l[0], maxLength: 5 }),
        fc.array(line, { maxLength: 6 }),
        (own, theirs) => {
          const rows = own.map((cells, i) => row(i + 1, ...cells))
          const given = table(
            [
              ['Name', 'text'],
              ['Email', 'address'],
              ['Telephone', 'text'],
            ],
            ...theirs,
          )
          const first = after(given, 'keep', rows)
          for (const before of rows) {
            const now = first.rows.find((r) => r.id === before.id)!
            for (const [id, cell] of Object.entries(before.cells)) expect(now.cells[id]).toEqual(cell)
          }
          const keys = first.rows.map((r) => sameAddressKey(shown(r.cells.c2))).filter((k) => k !== '')
          expect(new Set(keys).size).toBe(keys.length)
          expect(first.rowIds.every((id) => first.rows.some((r) => r.id === id))).toBe(true)
          const again = planContacts(first.columns, first.rows, given, false, newColumnId)
          // Of a row without name and address nothing tells that it is there already.
          const telling = again.contacts.filter((c) => c.cells.c1 !== undefined || c.cells.c2 !== undefined)
          expect(telling.flatMap((c) => c.fills)).toEqual([])
          expect(telling.filter((c) => c.row === null && c.cells.c2 !== undefined)).toEqual([])
        },
      ),
    )
  })
})
