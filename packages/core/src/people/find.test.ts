import fc from 'fast-check'
import { expect, test } from 'vitest'
import { type Row, shown } from './cell.ts'
import { type FoundCell, findCells, rowsWith } from './find.ts'

const columns = ['c1', 'c2', 'c3']
const rowsOf = (texts: string[][]): Row[] =>
  texts.map((cells, i) => ({
    id: 10 * i + 7,
    position: String(i),
    cells: Object.fromEntries(cells.map((text, c) => [columns[c], text])),
  }))
const sought = { words: 'ada', exactCase: false, wholeCell: false, columns }

/** A table of few letters, so that most words stand in several cells. */
const table = fc.array(fc.array(fc.constantFrom('a', 'A', 'ab', 'b', ''), { minLength: 3, maxLength: 3 }), {
  maxLength: 7,
})
/** A cell of it, or one of a row or a column that is not there. */
const place = fc.record({
  row: fc.integer({ min: 0, max: 8 }).map((i) => 10 * i + 7),
  column: fc.constantFrom(...columns, 'c9'),
})

/** The cells of a table as one reads it, beginning behind one of them, which comes last. Written from what is asked, not from the code. */
function asRead(rows: Row[], from: FoundCell | null): (FoundCell & { text: string })[] {
  const all = rows.flatMap((row) => columns.map((column) => ({ row: row.id, column, text: shown(row.cells[column]) })))
  const there = rows.findIndex(({ id }) => id === from?.row)
  if (from === null || there < 0) return all
  // A column that is not looked through stands before the first.
  const behind = there * 3 + (columns.indexOf(from.column) + 1)
  return [...all.slice(behind), ...all.slice(0, behind)]
}

test('finds what one comes to when reading on from a cell, round the end, each cell once', () => {
  fc.assert(
    fc.property(table, fc.option(place), fc.boolean(), fc.boolean(), (texts, from, exactCase, wholeCell) => {
      const rows = rowsOf(texts)
      const fits = ({ text }: { text: string }) =>
        exactCase ? (wholeCell ? text === 'a' : text.includes('a')) : wholeCell ? /^a$/i.test(text) : /a/i.test(text)
      const wanted = asRead(rows, from)
        .filter(fits)
        .map(({ row, column }) => ({ row, column }))
      const how = { words: 'a', exactCase, wholeCell, columns }
      expect(findCells(rows, how, from, false, 1000)).toEqual(wanted)
      expect(findCells(rows, how, from, false, 2)).toEqual(wanted.slice(0, 2))
    }),
  )
})

test('the other way gives the same cells the other way round', () => {
  fc.assert(
    fc.property(table, fc.option(place), (texts, from) => {
      const rows = rowsOf(texts)
      fc.pre(from === null || columns.includes(from.column))
      const how = { ...sought, words: 'a' }
      const forth = findCells(rows, how, from, false, 1000)
      const back = findCells(rows, how, from, true, 1000)
      // The cell that was begun at is the last of both ways.
      const begun = ({ row, column }: FoundCell) => row === from?.row && column === from.column
      const others = (cells: FoundCell[]) => cells.filter((cell) => !begun(cell))
      expect(others(back)).toEqual(others(forth).reverse())
      expect(back.filter(begun)).toEqual(forth.filter(begun))
      if (back.some(begun)) expect(begun(back[back.length - 1])).toBe(true)
    }),
  )
})

test('stepped along, one comes to every cell that fits, and then to the first again', () => {
  const rows = rowsOf([
    ['Ada', 'x', 'Ada'],
    ['x', 'adamant', ''],
  ])
  const visited: FoundCell[] = []
  let from: FoundCell | null = null
  for (let i = 0; i < 4; i++) {
    ;[from] = findCells(rows, sought, from, false, 1)
    visited.push(from)
  }
  expect(visited).toEqual([
    { row: 7, column: 'c1' },
    { row: 7, column: 'c3' },
    { row: 17, column: 'c2' },
    { row: 7, column: 'c1' },
  ])
})

test('begun in a column that is not looked through, its row is gone through whole, either way', () => {
  const rows = rowsOf([
    ['ada', 'x', 'x'],
    ['ada', 'x', 'ada'],
    ['x', 'x', 'ada'],
  ])
  const from = { row: 17, column: 'c9' }
  expect(findCells(rows, sought, from, false, 1)).toEqual([{ row: 17, column: 'c1' }])
  expect(findCells(rows, sought, from, true, 1)).toEqual([{ row: 17, column: 'c3' }])
})

test('no words, no rows and no columns find nothing', () => {
  const rows = rowsOf([['a', 'b', 'c']])
  expect(findCells(rows, { ...sought, words: '' }, null, false, 9)).toEqual([])
  expect(findCells([], sought, null, true, 9)).toEqual([])
  expect(findCells(rows, { ...sought, columns: [] }, null, false, 9)).toEqual([])
})

test('what is shown of a number is found, and columns that are left out are not looked through', () => {
  const rows: Row[] = [{ id: 1, position: 'a', cells: { c1: { value: 71, shown: '0071' }, c2: 'ada' } }]
  expect(findCells(rows, { ...sought, words: '0071' }, null, false, 9)).toEqual([{ row: 1, column: 'c1' }])
  expect(findCells(rows, { ...sought, columns: ['c1'] }, null, false, 9)).toEqual([])
})

test('the first rows in which words stand, in any of their cells', () => {
  const rows = rowsOf([
    ['Cy Tarn', 'cy@quay.example', ''],
    ['Ada Penrose', 'ada@quay.example', ''],
    ['Bram Sloe', 'bram@quay.example', 'asked by Ada'],
    ['Di Vane', 'di@quay.example', ''],
  ])
  const ids = (words: string, most = 9) => rowsWith(rows, words, most).map(({ id }) => id)
  expect(ids(' aDA ')).toEqual([17, 27])
  expect(ids('quay', 3)).toEqual([7, 17, 27])
  expect(ids('nobody')).toEqual([])
  expect(ids('  ')).toEqual([])
})
