import { type Column, type Row, readBlock, recipes, shown } from '@hand-post/core'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { type Cells, copied, filled, pasted } from './clipboard.ts'
import { commandOf, type Key, type KeyedTable } from './keyboard.ts'
import { layoutOf, type Range, rangeOf } from './layout.ts'

const names = ['A', 'B', 'C', 'D']
const columns: Column[] = names.map((name, i) => ({ id: `c${i + 1}`, name, kind: 'text' }))
const text = fc.constantFrom('', 'x', 'yy', 'a b', '"quoted"', 'two\nlines', '1,5', 'tab\there')
/** The sheet of cells, as rows of texts: what the table is a table of. */
const sheet = fc.array(fc.array(text, { minLength: 4, maxLength: 4 }), { minLength: 1, maxLength: 6 })
const rowsOf = (cells: string[][]): Row[] =>
  cells.map((line, r) => ({
    id: r + 1,
    position: `a${r}`,
    cells: Object.fromEntries(line.flatMap((value, c) => (value === '' ? [] : [[`c${c + 1}`, value]]))),
  }))
const sheetOf = (rows: Row[]) => rows.map((row) => columns.map((c) => shown(row.cells[c.id])))
const made = (rows: Row[], cells: Cells): Row[] => {
  const byId = new Map(rows.map((row) => [row.id, { ...row, cells: { ...row.cells } }]))
  for (const [id, column, cell] of cells)
    if (cell === null) delete byId.get(id)!.cells[column]
    else byId.get(id)!.cells[column] = cell
  return [...byId.values()]
}
const rangeIn = (cells: string[][]) =>
  fc
    .tuple(fc.nat(cells.length - 1), fc.nat(3), fc.nat(cells.length - 1), fc.nat(3))
    .map(([a, b, c, d]) => rangeOf({ row: a, column: b }, { row: c, column: d }))
const withRange = sheet.chain((cells) => fc.tuple(fc.constant(cells), rangeIn(cells)))
const same = (row: Row) => row

describe('the clipboard, against a sheet of cells', () => {
  test('a block that is copied is the block, whatever stands in its cells', () => {
    fc.assert(
      fc.property(withRange, ([cells, range]) => {
        const block = cells.slice(range.top, range.bottom + 1).map((line) => line.slice(range.left, range.right + 1))
        expect(readBlock(copied(rowsOf(cells), columns, range, same))).toEqual(block)
      }),
    )
  })
  test('copied and pasted elsewhere, the sheet has it there and nothing else has changed', () => {
    fc.assert(
      fc.property(withRange, fc.nat(5), fc.nat(3), ([cells, from], top, left) => {
        fc.pre(top < cells.length)
        const rows = rowsOf(cells)
        const block = readBlock(copied(rows, columns, from, same))
        const one = { top, bottom: top, left, right: left }
        const { cells: changed, fresh, beyond } = pasted(copied(rows, columns, from, same), rows, columns, one)
        const expected: string[][] = cells.map((line) => [...line])
        let lost = 0
        const added: string[][] = []
        for (const [r, line] of block.entries())
          for (const [c, value] of line.entries()) {
            if (left + c >= columns.length) lost += value.trim() === '' ? 0 : 1
            else if (top + r < expected.length) expected[top + r][left + c] = value.trim()
            else {
              added[top + r - expected.length] ??= ['', '', '', '']
              added[top + r - expected.length][left + c] = value.trim()
            }
          }
        expect(sheetOf(made(rows, changed))).toEqual(expected)
        expect(fresh.map((line) => columns.map((c) => line[c.id] ?? ''))).toEqual(added)
        expect(beyond).toBe(lost)
      }),
    )
  })
  test('one value fills the whole block; filling changes no more than it says', () => {
    fc.assert(
      fc.property(withRange, fc.constantFrom('x', 'new'), ([cells, range], value) => {
        const rows = rowsOf(cells)
        const { cells: changed } = pasted(value, rows, columns, range)
        const within = (r: number, c: number) =>
          r >= range.top && r <= range.bottom && c >= range.left && c <= range.right
        expect(sheetOf(made(rows, changed))).toEqual(
          cells.map((line, r) => line.map((was, c) => (within(r, c) ? value : was))),
        )
        for (const [id, column] of changed) expect(shown(rows[id - 1].cells[column])).not.toBe(value)
        expect(
          sheetOf(
            made(
              rows,
              filled(rows, columns, range, () => null),
            ),
          ),
        ).toEqual(cells.map((line, r) => line.map((was, c) => (within(r, c) ? '' : was))))
      }),
    )
  })
  test('nothing goes into a column that is worked out', () => {
    const derived = columns.map((c, i) => (i === 1 ? { ...c, recipe: recipes.joined.begun(columns) } : c))
    const rows = rowsOf([['a', 'b', 'c', 'd']])
    const all: Range = { top: 0, bottom: 0, left: 0, right: 3 }
    expect(filled(rows, derived, all, () => 'x').map(([, column]) => column)).toEqual(['c1', 'c3', 'c4'])
    expect(pasted('1\t2\t3', rows, derived, { ...all, right: 0 })).toMatchObject({ beyond: 1, fresh: [] })
  })
})

describe('the keyboard', () => {
  const table = (more: Partial<KeyedTable> = {}): KeyedTable => ({
    at: { row: 5, column: 1 },
    last: { row: 99, column: 3 },
    page: 10,
    editable: true,
    derived: false,
    ...more,
  })
  const press = (key: string, more: Partial<Key> = {}) => ({ key, control: false, shift: false, alt: false, ...more })
  test.each([
    [press('ArrowDown'), { row: 6, column: 1 }],
    [press('ArrowUp', { control: true }), { row: 0, column: 1 }],
    [press('ArrowRight', { control: true }), { row: 5, column: 3 }],
    [press('PageDown'), { row: 15, column: 1 }],
    [press('Home'), { row: 5, column: 0 }],
    [press('End', { control: true }), { row: 99, column: 3 }],
  ])('%j goes to %j', (key, place) => expect(commandOf(key, table())).toEqual({ do: 'goTo', place, extend: false }))
  test('with Shift it selects on the way', () =>
    expect(commandOf(press('ArrowDown', { shift: true }), table())).toMatchObject({ do: 'goTo', extend: true }))
  test('what cannot be edited is never written to, whatever is pressed', () => {
    const key = fc.oneof(
      fc.constantFrom('Delete', 'Backspace', 'Enter', 'F2', 'z', 'y', 'd', 'v', 'x', ' ', 'ArrowUp', 'Home', 'Escape'),
      fc.string({ minLength: 1, maxLength: 3 }),
    )
    const any = fc.record({ key, control: fc.boolean(), shift: fc.boolean(), alt: fc.boolean() })
    const harmless = ['goTo', 'selectAll', 'selectRow', 'find', undefined]
    fc.assert(fc.property(any, (pressed) => harmless.includes(commandOf(pressed, table({ editable: false }))?.do)))
    // And a cell that is worked out is not written over by a letter.
    fc.assert(fc.property(any, (pressed) => commandOf(pressed, table({ derived: true }))?.do !== 'write'))
  })
  test('a letter begins to write over the cell, Enter in it; with Control or Alt it does not', () => {
    expect(commandOf(press('q'), table())).toEqual({ do: 'write', text: 'q' })
    expect(commandOf(press('Enter'), table())).toEqual({ do: 'write', text: null })
    expect(commandOf(press('q', { control: true }), table())).toBeNull()
    expect(commandOf(press('q', { alt: true }), table())).toBeNull()
    expect(commandOf(press('constructor'), table())).toBeNull()
  })
})

test('columns stand side by side without a gap, frozen ones first, hidden ones not at all', () => {
  const column = fc.record({ hidden: fc.boolean(), frozen: fc.boolean(), width: fc.integer({ min: 40, max: 400 }) })
  fc.assert(
    fc.property(
      fc.array(column, { maxLength: 12 }),
      fc.nat(200),
      fc.integer({ min: 48, max: 90 }),
      (made, lead, numbers) => {
        const all = made.map((more, i): Column => ({ id: `c${i}`, name: `N${i}`, kind: 'text', ...more }))
        const shown = all.filter((c) => !c.hidden)
        const layout = layoutOf(
          shown.filter((c) => c.frozen),
          shown.filter((c) => !c.frozen),
          (id) => all.find((c) => c.id === id)!.width!,
          { numbers, lead },
        )
        expect(layout.numbers).toBe(numbers)
        expect(layout.columns.length).toBe(all.filter((c) => !c.hidden).length)
        layout.columns.forEach((c, i) => {
          expect(c.frozen ?? false).toBe(i < layout.frozen)
          const end = i === 0 ? numbers + lead : layout.lefts[i - 1] + layout.widths[i - 1]
          expect(layout.lefts[i]).toBe(end)
        })
        expect(layout.width).toBe(numbers + lead + layout.widths.reduce((sum, width) => sum + width, 0))
      },
    ),
  )
})
