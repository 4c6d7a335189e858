import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { type Cell, type Row, sameTextKey } from './cell.ts'
import type { Column } from './column.ts'
import { columnValues } from './columnValues.ts'
import { compileRecipes } from './derive.ts'
import { applyEdits, type Edit, inverseOfAll } from './edits.ts'
import { findCells, rowsWith } from './find.ts'
import { cellIn, changedRow, numbered, plainRow, rowPacker } from './packed.ts'
import { nothingBeside } from './recipes.ts'
import { choosePeople } from './selection.ts'

// What a packed row could stumble over: what stands between its cells, what marks JSON, nothing, letters of two octets, half of a pair.
const text = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 5 }),
  fc.constantFrom('', '\0', 'a\0b', '\u0001', '\u0001"a"', 'łódź', '\ud800', '{"shown":"a"}', ' '),
)
const cell: fc.Arbitrary<Cell> = fc.oneof(
  text,
  fc.record({ shown: text, value: fc.oneof(text, fc.integer(), fc.boolean(), fc.constantFrom(0.5, -1e21)) }),
)
const columnIds = ['c1', 'c2', 'c3', 'c10', 'c11', 'c200']
const cells = fc.dictionary(fc.constantFrom(...columnIds), cell, { noNullPrototype: true })
const rows = fc
  .array(fc.record({ position: fc.constantFrom('a0', 'a1', 'Zz'), cells }), { maxLength: 12 })
  .map((some): Row[] => some.map((row, i) => ({ id: i + 1, ...row })))
const plain = (some: readonly Row[]) => some.map(plainRow)

describe('packed rows', () => {
  test('have the cells that they were packed of, whichever way they are asked for', () => {
    fc.assert(
      fc.property(rows, fc.constantFrom(...columnIds, 'c9'), (some, column) => {
        const packed = some.map(rowPacker())
        // One cell alone, before anything else was asked of the row, and after.
        expect(packed.map((row) => cellIn(row, column))).toEqual(some.map((row) => row.cells[column]))
        for (const [i, row] of packed.entries()) {
          expect(row.cells).toEqual(some[i].cells)
          expect(cellIn(row, column)).toEqual(some[i].cells[column])
        }
        expect(plain(packed)).toEqual(some)
        expect(JSON.parse(JSON.stringify(packed))).toEqual(JSON.parse(JSON.stringify(some)))
        // By what number it is called is not kept.
        expect(JSON.stringify(numbered(packed, 7))).toBe(JSON.stringify(packed))
      }),
    )
  })
  test('give their cells as the database orders them (jsonb: shorter keys first), and derived ones behind in theirs', () => {
    // PostgreSQL 15, 8.14: jsonb "does not preserve the order of object keys"; that the shorter come first is how it stores them (no
    // printed source; seen with SELECT '{"c10":1,"c2":2}'::jsonb).
    const pack = rowPacker(['c3', 'c1'])
    const both: Row[] = [
      { id: 1, position: 'a0', cells: { c200: 'd', c10: 'b', c1: 'x' } },
      { id: 2, position: 'a1', cells: { c3: 'y', c2: 'a', c1: 'z', c11: 'c' } },
    ]
    const [first, second] = both.map(pack)
    expect(Object.keys(second.cells)).toEqual(['c2', 'c11', 'c3', 'c1'])
    expect(Object.keys(first.cells)).toEqual(['c10', 'c200', 'c1'])
  })
  test('can be packed of JSON as the database writes it', () => {
    // As PostgreSQL writes jsonb: seen, as above.
    const written = (of: Row['cells']) =>
      `{${Object.entries(of)
        .map(
          ([id, one]) =>
            `${JSON.stringify(id)}: ${typeof one === 'string' ? JSON.stringify(one) : `{"shown": ${JSON.stringify(one.shown)}, "value": ${JSON.stringify(one.value)}}`}`,
        )
        .join(', ')}}`
    const looksLikeIt = fc.constantFrom('", "c2": "x', '{', '}', ': ', ', ', '"', '\\', 'a": "b', '')
    const some = fc.dictionary(fc.constantFrom(...columnIds), fc.oneof(cell, looksLikeIt), { noNullPrototype: true })
    fc.assert(
      fc.property(fc.array(some, { maxLength: 6 }), (all) => {
        const pack = rowPacker()
        const packed = all.map((of, i) => pack.ofJson(i, 'a0', written(of), i + 2))
        expect(plain(packed)).toEqual(all.map((of, i) => ({ id: i, position: 'a0', number: i + 2, cells: of })))
      }),
    )
    expect(() => rowPacker().ofJson(1, 'a0', '{"c1": "a"')).toThrow(SyntaxError)
    expect(() => rowPacker().ofJson(1, 'a0', '{"c1"= "a"}')).toThrow(SyntaxError)
  })
  test('one that is packed already is not packed again', () => {
    const [row] = [{ id: 1, position: 'a0', cells: { c1: 'a' } }].map(rowPacker())
    expect(rowPacker()(row)).toBe(row)
  })
  test('are changed and numbered as others are, and stay as they were', () => {
    fc.assert(
      fc.property(rows, fc.integer({ min: 1, max: 9 }), cells, (some, first, other) => {
        const packed = some.map(rowPacker())
        expect(plain(numbered(packed, first))).toEqual(numbered(some, first))
        const change = (row: Row) => changedRow(changedRow(row, { number: 7, position: 'b' }), { cells: other })
        expect(plain(packed.map(change))).toEqual(some.map(change))
        expect(plain(packed.map((row) => changedRow(row, { position: 'b' })))).toEqual(
          some.map((row) => ({ ...row, position: 'b' })),
        )
        expect(plain(packed)).toEqual(some)
      }),
    )
    const again = numbered([{ id: 1, position: 'a0', cells: {} }].map(rowPacker()))
    expect(numbered(again)[0]).toBe(again[0])
  })

  const columns: Column[] = [
    ...columnIds.map((id): Column => ({ id, name: id, kind: 'text' })),
    {
      id: 'c4',
      name: 'Both',
      kind: 'text',
      recipe: { do: 'joined', parts: [{ column: 'c2' }, { column: 'c10' }] },
    } as never,
  ]
  const edit: fc.Arbitrary<Edit> = fc.oneof(
    fc
      .array(fc.tuple(fc.integer({ min: 1, max: 12 }), fc.constantFrom(...columnIds), fc.option(cell)), {
        maxLength: 5,
      })
      .map((changed): Edit => ({ do: 'cells', cells: changed })),
    fc
      .uniqueArray(fc.integer({ min: 1, max: 12 }), { maxLength: 3 })
      .map((gone): Edit => ({ do: 'deleteRows', rows: gone })),
    fc.integer({ min: 1, max: 12 }).map((id): Edit => ({ do: 'moveRows', positions: [[id, 'Zy']] })),
  )
  test('are edited, undone and derived as others are', () => {
    fc.assert(
      fc.property(rows, fc.array(edit, { maxLength: 4 }), (some, edits) => {
        const [before, packed] = [some, some.map(rowPacker())].map((of) => ({ columns, rows: of, sort: [] }))
        const after = applyEdits(packed, edits)
        expect(plain(after.rows)).toEqual(applyEdits(before, edits).rows)
        expect(JSON.parse(JSON.stringify(inverseOfAll(packed, edits)))).toEqual(
          JSON.parse(JSON.stringify(inverseOfAll(before, edits))),
        )
        const { derive } = compileRecipes(columns, { today: '2026-11-30' }, nothingBeside)
        const pack = rowPacker(['c4'])
        expect(plain(packed.rows.map((row) => pack(derive(row))))).toEqual(some.map(derive))
      }),
    )
  })
  test('are chosen and counted as others are', () => {
    const address = fc.constantFrom('ada@quay.example', 'Ada@Quay.example', 'Bram <bram@quay.example>', '', ' ')
    const people = fc
      .array(fc.record({ c1: address, c2: fc.constantFrom('Low Water', 'low water ', 'Lee Shore', '') }), {
        maxLength: 8,
      })
      .map((some): Row[] => some.map((of, i) => ({ id: i + 1, position: `a${i}`, cells: of })))
    fc.assert(
      fc.property(
        people,
        fc.constantFrom('each', 'first', 'joined', null),
        fc.boolean(),
        (some, sameAddress, refused) => {
          const choose = (of: Row[]) => {
            const { standing, chosen, rowsOf, ...counted } = choosePeople(of, columns, {
              selection: { match: 'all', rules: [{ column: 'c2', comparison: 'is', value: 'low water' }] },
              setAside: new Set([3]),
              addressColumn: 'c1',
              sameAddress,
              doNotWrite: new Set(refused ? ['bram@quay.example'] : []),
              onPaper: { who: 'withoutAddress', byHand: new Set() },
              context: { today: '2026-11-30' },
            })
            return {
              ...counted,
              onPaper: plain(counted.onPaper),
              chosen: plain(chosen),
              together: [...rowsOf].map(([id, together]) => [id, plain(together)]),
              standing: of.map(({ id }) => standing.get(id)),
            }
          }
          const packed = some.map(rowPacker())
          expect(choose(packed)).toEqual(choose(some))
          expect(columnValues(packed, 'c2', 'low', 5)).toEqual(columnValues(some, 'c2', 'low', 5))
        },
      ),
    )
  })

  test('are looked through as others are', () => {
    const words = fc.oneof(text, fc.constantFrom('a', 'Ł', 'ł', '"', '\\', 'true', 'shown'))
    fc.assert(
      fc.property(rows, words, fc.boolean(), fc.boolean(), (some, sought, exactCase, wholeCell) => {
        const packed = some.map(rowPacker())
        const how = { words: sought, exactCase, wholeCell, columns: columnIds }
        expect(findCells(packed, how, null, false, 100)).toEqual(findCells(some, how, null, false, 100))
        expect(plain(rowsWith(packed, sought, 100))).toEqual(rowsWith(some, sought, 100))
      }),
    )
  })
})

test('texts that differ by capitals, by blanks around them and by how letters are composed are the same', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'grapheme', maxLength: 6 }), (of) => {
      expect(sameTextKey(of)).toBe(of.normalize('NFC').trim().toLocaleLowerCase('en-GB'))
    }),
  )
  expect(sameTextKey(' Ma\u0308rz ')).toBe(sameTextKey('M\u00c4RZ'))
})
