import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { Cell, Row } from './cell.ts'
import type { Column } from './column.ts'
import { applyEdits, type Edit, inverseOfAll, type ListState, placesBetween } from './edits.ts'
import { takeBack } from './takeBack.ts'
import { editsFor, type Wish, WishRefused } from './wishes.ts'

// Two people change one list, one change after another, as the desk has them; then one of them undoes what is theirs.

const column = (id: string, name: string): Column => ({ id, name, kind: 'text' })
const places = placesBetween(null, null, 5)
const start: ListState = {
  columns: [column('c1', 'Name'), column('c2', 'Berth'), column('c3', 'Fee')],
  rows: places.map((position, i): Row => ({ id: i + 1, position, cells: { c1: `Person ${i + 1}`, c2: `B${i + 1}` } })),
  sort: [],
}

interface Change {
  by: 'Ada' | 'Ben'
  edits: Edit[]
  inverse: Edit[]
  undone: boolean
}
/** The list with what was done to it, as the desk keeps it. */
class Desk {
  state = start
  readonly log: Change[] = []
  private readonly next = { row: 6, column: 4 }

  change(by: Change['by'], wish: Wish): Change | null {
    let edits: Edit[]
    try {
      edits = editsFor(this.state, [wish], this.next)
    } catch (error) {
      if (error instanceof WishRefused) return null
      throw error
    }
    this.next.column = Math.max(this.next.column, ...this.state.columns.map((c) => Number(c.id.slice(1)) + 1))
    const change = { by, edits, inverse: inverseOfAll(this.state, edits), undone: false }
    this.state = applyEdits(this.state, edits)
    for (const c of this.state.columns) this.next.column = Math.max(this.next.column, Number(c.id.slice(1)) + 1)
    this.log.push(change)
    return change
  }

  undo(by: Change['by']) {
    const change = this.log.findLast((one) => one.by === by && !one.undone)
    if (!change) return null
    const { edits, left } = takeBack(this.state, change.edits, change.inverse)
    this.state = applyEdits(this.state, edits)
    change.undone = true
    return left
  }
  redo(by: Change['by']) {
    const change = this.log.find((one) => one.by === by && one.undone)
    if (!change) return null
    const { edits, left } = takeBack(this.state, change.inverse, change.edits)
    this.state = applyEdits(this.state, edits)
    change.undone = false
    return left
  }
}

const row = fc.integer({ min: 1, max: 8 })
const columnId = fc.constantFrom('c1', 'c2', 'c3', 'c4')
const text = fc.constantFrom('', 'x', 'y', 'z', '12')
const wish: fc.Arbitrary<Wish> = fc.oneof(
  {
    weight: 4,
    arbitrary: fc
      .array(fc.tuple(row, columnId, text), { minLength: 1, maxLength: 3 })
      .map((cells): Wish => ({ do: 'cells', cells })),
  },
  fc.record({
    do: fc.constant('addRows' as const),
    rows: fc.array(fc.dictionary(columnId, text), { minLength: 1, maxLength: 2 }),
  }),
  fc.record({ do: fc.constant('deleteRows' as const), rows: fc.uniqueArray(row, { minLength: 1, maxLength: 2 }) }),
  fc.record({
    do: fc.constant('moveRows' as const),
    rows: fc.uniqueArray(row, { minLength: 1, maxLength: 2 }),
    after: fc.option(row),
  }),
  fc
    .string({ minLength: 1, maxLength: 4 })
    .map((name): Wish => ({ do: 'addColumn', column: { name: `New ${name}`, kind: 'text' }, copyOf: 'c2' })),
  fc
    .tuple(columnId, text)
    .map(([id, name]): Wish => ({ do: 'changeColumn', column: id, changes: { name: `Column ${name}` } })),
  fc.tuple(columnId, fc.option(columnId)).map(([id, before]): Wish => ({ do: 'moveColumn', column: id, before })),
  columnId.map((id): Wish => ({ do: 'deleteColumn', column: id })),
  fc.boolean().map((descending): Wish => ({ do: 'sort', sort: [{ column: 'c1', descending }] })),
)
const nothingLeft = { cells: [], rows: [], columns: [], moved: [], sort: false }
/** The list as people see it: blank cells, and cells of columns that are gone, are nothing. */
const seen = ({ columns, rows, sort }: ListState) => ({
  columns,
  sort,
  rows: rows.map((r) => [r.id, columns.map((c) => r.cells[c.id] ?? null)]),
})

test('alone, undoing takes everything back and redoing does it all again, with nothing left over', () => {
  fc.assert(
    fc.property(fc.array(wish, { maxLength: 10 }), (wishes) => {
      const desk = new Desk()
      for (const one of wishes) desk.change('Ada', one)
      const end = desk.state
      for (let left = desk.undo('Ada'); left !== null; left = desk.undo('Ada')) expect(left).toEqual(nothingLeft)
      expect(seen(desk.state)).toEqual(seen(start))
      for (let left = desk.redo('Ada'); left !== null; left = desk.redo('Ada')) expect(left).toEqual(nothingLeft)
      expect(seen(desk.state)).toEqual(seen(end))
    }),
    { numRuns: 500 },
  )
})

test('whatever Ada undoes, what Ben has written last stands as he wrote it, and what he took away stays away', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.constantFrom('Ada' as const, 'Ben' as const), wish), { maxLength: 14 }),
      (changes) => {
        const desk = new Desk()
        /** Cells by whoever wrote them last, with what stands there; and columns whose name or place they gave. */
        const last = new Map<string, { by: string; cell: Cell | null }>()
        const named = new Map<string, string>()
        // It goes by what stands there: what Ben has written just as Ada had it before is taken for hers.
        const hers = new Set<string>()
        for (const [by, one] of changes) {
          const { rows, columns } = desk.state
          const done = desk.change(by, one)
          // Whoever writes what stands there already has changed nothing.
          const was = new Map(rows.map((r) => [r.id, r.cells]))
          for (const { id, cells } of done ? desk.state.rows : [])
            for (const c of new Set([...Object.keys(cells), ...Object.keys(was.get(id) ?? {})]))
              if (cells[c] !== was.get(id)?.[c]) {
                last.set(`${id} ${c}`, { by, cell: cells[c] ?? null })
                if (by === 'Ada') hers.add(`${id} ${c} ${cells[c] ?? ''}`)
              }
          const isNamed = (all: Column[], id: string) => all.find((c) => c.id === id)?.name
          if (
            done &&
            one.do === 'changeColumn' &&
            isNamed(columns, one.column) !== isNamed(desk.state.columns, one.column)
          ) {
            named.set(one.column, by)
            if (by === 'Ada') hers.add(`${one.column} ${isNamed(desk.state.columns, one.column)}`)
          }
        }
        const before = desk.state
        while (desk.undo('Ada') !== null);
        const after = desk.state
        for (const [key, { by, cell }] of last) {
          const [r, c] = key.split(' ')
          const was = before.rows.find(({ id }) => id === Number(r))
          if (by !== 'Ben' || !was || hers.has(`${key} ${cell ?? ''}`)) continue
          expect(after.rows.find(({ id }) => id === Number(r))?.cells[c] ?? null, key).toEqual(cell)
        }
        for (const [id, by] of named)
          if (by === 'Ben' && before.columns.some((c) => c.id === id)) {
            const { name } = before.columns.find((c) => c.id === id)!
            if (!hers.has(`${id} ${name}`)) expect(after.columns.find((c) => c.id === id)?.name).toBe(name)
          }
        // A row that Ben took away is not there again, unless Ada had taken some away herself.
        if (!desk.log.some(({ by, edits }) => by === 'Ada' && edits.some((e) => e.do === 'deleteRows')))
          expect(before.rows.map((r) => r.id)).toEqual(expect.arrayContaining(after.rows.map((r) => r.id)))
        const names = after.columns.map((c) => c.name.trim().toLowerCase())
        expect(new Set(names).size).toBe(names.length)
        expect(after.rows.map((r) => r.position)).toEqual(after.rows.map((r) => r.position).sort())
      },
    ),
    { numRuns: 1000 },
  )
})

test('of two cells that Ada set, the one that Ben has set since stays, and it is said which', () => {
  const desk = new Desk()
  desk.change('Ada', {
    do: 'cells',
    cells: [
      [1, 'c2', 'A1'],
      [2, 'c2', 'A2'],
    ],
  })
  desk.change('Ben', { do: 'cells', cells: [[2, 'c2', 'Ben’s']] })
  expect(desk.undo('Ada')).toEqual({ ...nothingLeft, cells: [[2, 'c2']] })
  expect(desk.state.rows.slice(0, 2).map((r) => r.cells.c2)).toEqual(['B1', 'Ben’s'])
  // And when Ben undoes his own, what Ada had written stands there again, whom nobody asked to undo it twice.
  expect(desk.undo('Ben')).toEqual(nothingLeft)
  expect(desk.state.rows[1].cells.c2).toBe('A2')
})

test('a row that Ada added stays when Ben has written in it, or blanked something of it, or in a column that she added', () => {
  for (const cells of [[[6, 'c3', '£5']], [[6, 'c1', '']]] as [number, string, string][][]) {
    const desk = new Desk()
    desk.change('Ada', { do: 'addRows', rows: [{ c1: 'New person' }] })
    desk.change('Ben', { do: 'cells', cells })
    expect(desk.undo('Ada')).toEqual({ ...nothingLeft, rows: [6] })
    expect(desk.state.rows).toHaveLength(6)
  }
  const desk = new Desk()
  desk.change('Ada', { do: 'addColumn', column: { name: 'Size', kind: 'text' } })
  desk.change('Ben', { do: 'cells', cells: [[3, 'c4', 'large']] })
  expect(desk.undo('Ada')).toEqual({ ...nothingLeft, columns: ['c4'] })
  expect(desk.state.columns.map((c) => c.name)).toEqual(['Name', 'Berth', 'Fee', 'Size'])
})

test('Ada’s renaming is taken back beside a column that Ben has added, and not where he has renamed it again', () => {
  const desk = new Desk()
  desk.change('Ada', { do: 'changeColumn', column: 'c2', changes: { name: 'Mooring' } })
  desk.change('Ada', { do: 'changeColumn', column: 'c3', changes: { name: 'Due' } })
  desk.change('Ben', { do: 'addColumn', before: 'c1', column: { name: 'Title', kind: 'text' } })
  desk.change('Ben', { do: 'changeColumn', column: 'c2', changes: { name: 'Place' } })
  expect(desk.undo('Ada')).toEqual(nothingLeft)
  expect(desk.undo('Ada')).toEqual({ ...nothingLeft, columns: ['c2'] })
  expect(desk.state.columns.map((c) => c.name)).toEqual(['Title', 'Name', 'Place', 'Fee'])
})

test('a name that Ben has given to another column meanwhile does not come back, nor goes what he has worked out from', () => {
  const desk = new Desk()
  desk.change('Ada', { do: 'changeColumn', column: 'c2', changes: { name: 'Mooring' } })
  desk.change('Ben', { do: 'addColumn', column: { name: 'berth', kind: 'text' } })
  expect(desk.undo('Ada')).toEqual({ ...nothingLeft, columns: ['c2'] })
  expect(desk.state.columns.map((c) => c.name)).toEqual(['Name', 'Mooring', 'Fee', 'berth'])
  desk.change('Ada', { do: 'addColumn', column: { name: 'Size', kind: 'text' } })
  const size = desk.state.columns.at(-1)!.id
  desk.change('Ben', {
    do: 'addColumn',
    column: {
      name: 'Both',
      kind: 'text',
      recipe: { do: 'joined', parts: [{ column: 'c1' }, { column: size }], between: ' ' },
    },
  })
  expect(desk.undo('Ada')).toEqual({ ...nothingLeft, columns: [size] })
  expect(desk.state.columns.map((c) => c.name)).toContain('Size')
})
