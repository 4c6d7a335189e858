import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Cell, Row } from './cell.ts'
import type { Column } from './column.ts'
import {
  applyEdits,
  type Edit,
  inverseOfAll,
  type ListState,
  newColumnId,
  placesBetween,
  readBlock,
  replacer,
  sortRows,
  writeBlock,
} from './edits.ts'
import { parsedValue } from './kinds.ts'
import { compareWithNewer, possibleKeys, updateEdits } from './update.ts'

const cell: fc.Arbitrary<Cell> = fc.oneof(
  fc.string({ maxLength: 6 }),
  fc.record({ shown: fc.constantFrom('£5', '01/02/2026'), value: fc.constantFrom(5, '2026-02-01') }),
)
const column = fc.integer({ min: 1, max: 4 }).map((n): Column => ({ id: `c${n}`, name: `Column ${n}`, kind: 'text' }))
const columnSet = fc.uniqueArray(column, { selector: (c) => c.id, maxLength: 4 })
const keys = placesBetween(null, null, 30)
const rowOf = (id: number): fc.Arbitrary<Row> =>
  fc.record({
    id: fc.constant(id),
    position: fc.constantFrom(...keys),
    cells: fc.dictionary(fc.constantFrom('c1', 'c2', 'c3'), cell),
  })
const inOrder = (rows: Row[]) =>
  [...rows].sort((a, b) => (a.position < b.position ? -1 : a.position > b.position ? 1 : a.id - b.id))
const list: fc.Arbitrary<ListState> = fc.record({
  columns: columnSet,
  rows: fc.tuple(...Array.from({ length: 6 }, (_, i) => rowOf(i + 1))).map(inOrder),
  sort: fc.constant([]),
})
const ids = fc.uniqueArray(fc.integer({ min: 1, max: 9 }), { maxLength: 4 })
/** Edits of every kind, also about rows that are not there, or no longer. */
const edit: fc.Arbitrary<Edit> = fc.oneof(
  fc
    .array(fc.tuple(fc.integer({ min: 1, max: 9 }), fc.constantFrom('c1', 'c2', 'c3'), fc.option(cell)), {
      maxLength: 6,
    })
    .map((cells): Edit => ({ do: 'cells', cells })),
  ids.map((rows): Edit => ({ do: 'deleteRows', rows })),
  ids.chain((rows) =>
    fc
      .tuple(...rows.map((id) => fc.tuple(fc.constant(id), fc.constantFrom(...keys))))
      .map((positions): Edit => ({ do: 'moveRows', positions })),
  ),
  columnSet.map((columns): Edit => ({ do: 'columns', columns })),
  fc.constant<Edit>({ do: 'sort', sort: [{ column: 'c1', descending: true }] }),
)

describe('edits', () => {
  test('undoing any sequence of edits gives the list back exactly, and doing them again the same', () => {
    fc.assert(
      fc.property(
        list,
        fc.array(edit, { maxLength: 12 }),
        fc.array(rowOf(0), { maxLength: 3 }),
        (start, edits, fresh) => {
          const all: Edit[] = [
            ...edits,
            { do: 'addRows', rows: inOrder(fresh.map((row, i) => ({ ...row, id: 100 + i }))) },
          ]
          const end = applyEdits(start, all)
          const back = inverseOfAll(start, all)
          const undone = applyEdits(end, back)
          expect(undone).toEqual(start)
          expect(applyEdits(undone, inverseOfAll(end, back))).toEqual(end)
          expect(end.rows).toEqual(inOrder(end.rows))
        },
      ),
      { numRuns: 300 },
    )
  })
  test('new rows find room between any two, in order, however often the same gap is used', () => {
    const gap = fc.record({ at: fc.nat(1000), count: fc.integer({ min: 1, max: 20 }) })
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 70 }), fc.array(gap, { maxLength: 60, size: 'max' }), (n, gaps) => {
        const all = placesBetween(null, null, n)
        for (const { at, count } of gaps) {
          const place = at % (all.length + 1)
          all.splice(place, 0, ...placesBetween(all[place - 1] ?? null, all[place] ?? null, count))
        }
        expect(all.every((x, i) => i === 0 || all[i - 1] < x)).toBe(true)
      }),
    )
    // Two thousand times below the same row, each nearer to it than the one before.
    let [from, to] = placesBetween(null, null, 2)
    for (let i = 0; i < 2000; i++) {
      const [between] = placesBetween(from, to, 1)
      expect(from < between && between < to).toBe(true)
      to = between
    }
    expect(newColumnId(['c2', 'c10'])).toBe('c11')
  })
  test('rows are sorted by several columns, by value, blanks last either way', () => {
    const columns: Column[] = [
      { id: 'c1', name: 'Berth', kind: 'text' },
      { id: 'c2', name: 'Fee', kind: 'amount' },
    ]
    const rows: Row[] = [
      ['A10', '£9'],
      ['a2', '£100'],
      ['', '£50'],
      ['A2', '£20'],
    ].map(([c1, c2], i) => ({ id: i + 1, position: keys[i], cells: { c1, c2 } }))
    const order = (...sort: [string, boolean][]) =>
      sortRows(
        rows,
        sort.map(([column, descending]) => ({ column, descending })),
        columns,
        (r, c) => parsedValue(r.cells[c.id], c),
      ).map((r) => r.id)
    expect(order(['c1', false], ['c2', false])).toEqual([4, 2, 1, 3])
    expect(order(['c1', true], ['c2', true])).toEqual([1, 2, 4, 3])
    expect(order(['c2', false])).toEqual([1, 4, 3, 2])
    expect(order()).toEqual([1, 2, 3, 4])
  })
  test('find and replace takes the words as they are, never as a pattern', () => {
    const put = (find: string, put: string, more = {}) =>
      replacer({ find, put, exactCase: false, wholeCell: false, ...more })
    expect(put('a.b', '$&x')('A.B and aXb')).toBe('$&x and aXb')
    expect(put('quay', 'Quay', { exactCase: true })('Quay')).toBeNull()
    expect(put('a', 'b', { wholeCell: true })('aa')).toBeNull()
    expect(put('', 'b')('aa')).toBeNull()
  })
  test('a block of cells written to the clipboard is read back as it was', () => {
    const cells = fc.string({ unit: fc.constantFrom('a', '"', '\t', '\n', ' ', 'é', ',') })
    const block = fc
      .integer({ min: 1, max: 4 })
      .chain((width) =>
        fc.array(fc.array(cells, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 4 }),
      )
    fc.assert(
      fc.property(block, (rows) => {
        // A single empty cell leaves nothing on the clipboard.
        fc.pre(rows.at(-1)!.join('') !== '' || rows[0].length > 1)
        expect(readBlock(writeBlock(rows))).toEqual(rows)
      }),
    )
    expect(readBlock('5" pipe\tb\r\nc\t"d\r\n')).toEqual([
      ['5" pipe', 'b'],
      ['c', '"d'],
    ])
  })
})

describe('a newer table', () => {
  const columns: Column[] = [
    { id: 'c1', name: 'Berth', kind: 'text' },
    { id: 'c2', name: 'Name', kind: 'text' },
    { id: 'c3', name: 'Fee', kind: 'amount' },
  ]
  const newColumns: Column[] = [
    { id: 'c1', name: 'name ', kind: 'text' },
    { id: 'c2', name: 'Berth', kind: 'text' },
    { id: 'c3', name: 'Boat', kind: 'text' },
  ]
  const everything = (c: NonNullable<ReturnType<typeof compareWithNewer>>) => ({
    added: new Set(c.added),
    changed: new Set(c.changed.map((r) => r.row)),
    gone: new Set(c.gone),
    newColumns: new Set(c.newColumns.map((n) => n.id)),
  })
  const table = fc.uniqueArray(fc.tuple(fc.integer({ min: 1, max: 12 }), fc.constantFrom('Ada', 'Bram', '')), {
    selector: ([n]) => n,
  })
  test('taken over wholly, the list says what the newer table says; undone, it is as it was', () => {
    fc.assert(
      fc.property(table, table, (before, after) => {
        const rows = before.map(
          ([n, name], i): Row => ({
            id: i + 1,
            position: keys[i],
            cells: { c1: `B${n}`, ...(name && { c2: name }), c3: `£${n}` },
          }),
        )
        const newer = {
          columns: newColumns,
          rows: after.map(
            ([n, name]): Record<string, Cell> => ({ ...(name && { c1: name }), c2: ` b${n} `, c3: `boat ${n}` }),
          ),
        }
        const found = compareWithNewer(columns, rows, newer, 'c1')!
        expect(found.added.length + found.changed.length + found.unchanged).toBe(after.length)
        expect(found.gone.length + found.changed.length + found.unchanged).toBe(before.length)
        expect(found.missingColumns).toEqual(['Fee'])
        const state = { columns, rows, sort: [] }
        const edits = updateEdits(columns, rows, newer, found, 'c1', everything(found), 50, newColumnId)
        const end = applyEdits(state, edits)
        const says = (key: unknown, name: unknown, boat: unknown) => [
          String(key).trim().toLowerCase(),
          name ?? '',
          boat ?? '',
        ]
        expect(end.rows.map((r) => says(r.cells.c1, r.cells.c2, r.cells.c4)).sort()).toEqual(
          newer.rows.map((r) => says(r.c2, r.c1, r.c3)).sort(),
        )
        for (const row of end.rows)
          if (row.id < 50) expect(row.cells.c3).toBe(rows.find((r) => r.id === row.id)!.cells.c3)
        expect(applyEdits(end, inverseOfAll(state, edits))).toEqual(state)
        const nothing = {
          added: new Set<number>(),
          changed: new Set<number>(),
          gone: new Set<number>(),
          newColumns: new Set<string>(),
        }
        expect(updateEdits(columns, rows, newer, found, 'c1', nothing, 50, newColumnId)).toEqual([])
      }),
    )
  })
  test('the surest key is offered first, none that is blank or doubled; without it nothing is compared', () => {
    const rows: Row[] = ['Ada', 'Ada'].map((name, i) => ({
      id: i,
      position: keys[i],
      cells: { c1: `B${i}`, c2: name },
    }))
    const newer = { columns: newColumns, rows: [{ c1: 'Ada', c2: 'B0' }] }
    expect(possibleKeys(columns, rows, newer)).toEqual(['c1'])
    expect(compareWithNewer(columns, rows, newer, 'c3')).toBeNull()
  })
  test('doubled and blank keys are said, and their rows left alone', () => {
    const rows: Row[] = ['B1', 'b1', ''].map((c1, i) => ({ id: i + 1, position: keys[i], cells: { c1 } }))
    const newer = {
      columns: newColumns,
      rows: [{ c2: 'B1' }, { c2: 'B2' }, { c2: 'B2' }, {}] as Record<string, string>[],
    }
    const found = compareWithNewer(columns, rows, newer, 'c1')!
    expect(found.added).toEqual([1])
    expect(found.gone).toEqual([])
    expect(found.unmatched).toHaveLength(4)
  })
})
