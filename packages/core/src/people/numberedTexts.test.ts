import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Cell, Row } from './cell.ts'
import type { PlainColumn } from './kinds.ts'
import { numberedTexts } from './numberedTexts.ts'
import { changedRow, rowPacker } from './packed.ts'
import { compileSelection, compileSelectionOf, type Rule, type Selection } from './rules.ts'

const columns: PlainColumn[] = [
  { id: 'c1', name: 'Town', kind: 'text' },
  { id: 'c2', name: 'Fee', kind: 'amount' },
]
const context = { today: '2026-11-30' }
const cell = fc.constantFrom<Cell | undefined>(
  'Low Water',
  'low water',
  'Lee Shore',
  '',
  '12',
  '£12.00',
  { shown: '£12.00', value: 12 },
  { shown: 'yes', value: true },
  undefined,
)
const row = fc.record({ c1: cell, c2: cell })
const asRows = (some: { c1?: Cell; c2?: Cell }[]): Row[] =>
  some.map((cells, i) => ({
    id: i + 1,
    position: `a${i}`,
    number: i + 1,
    cells: Object.fromEntries(Object.entries(cells).filter(([, one]) => one !== undefined)) as Row['cells'],
  }))
const rule: fc.Arbitrary<Rule> = fc.record({
  column: fc.constantFrom('c1', 'c2', 'row', 'gone'),
  comparison: fc.constantFrom(
    'is',
    'isNot',
    'isBlank',
    'isFilled',
    'above',
    'contains',
    'isOneOf',
  ) as fc.Arbitrary<'is'>,
  value: fc.constantFrom('low water', 'Lee Shore', '12', '', '3'),
})
const selection: fc.Arbitrary<Selection> = fc.record({
  match: fc.constantFrom('all', 'any'),
  rules: fc.array(
    fc.oneof(rule, fc.record({ match: fc.constantFrom('all', 'any'), rules: fc.array(rule, { maxLength: 2 }) })),
    {
      maxLength: 3,
    },
  ),
}) as fc.Arbitrary<Selection>

describe('rows of which it is remembered what stands in their columns', () => {
  test('fit what they fit by themselves, whatever was asked of them before, and in whatever order', () => {
    fc.assert(
      fc.property(
        fc.array(row, { minLength: 1, maxLength: 12 }),
        fc.array(selection, { minLength: 1, maxLength: 4 }),
        fc.array(fc.nat(), { maxLength: 20 }),
        fc.boolean(),
        (some, selections, order, isPacked) => {
          const rows = isPacked ? asRows(some).map(rowPacker()) : asRows(some)
          for (const one of selections) {
            const fits = compileSelectionOf(rows, one, columns, context)
            const alone = compileSelection(one, columns, context)
            for (const n of order) {
              const place = n % rows.length
              expect(fits(rows[place], place)).toBe(alone(rows[place]))
            }
            expect(rows.filter(fits)).toEqual(rows.filter(alone))
          }
        },
      ),
    )
  })

  test('and a row that was changed is another: the list comes as other rows', () => {
    const rows = asRows([{ c1: 'Low Water' }, { c1: 'Lee Shore' }])
    const inLowWater: Selection = { match: 'all', rules: [{ column: 'c1', comparison: 'is', value: 'Low Water' }] }
    const fitting = (of: Row[]) => of.filter(compileSelectionOf(of, inLowWater, columns, context)).map(({ id }) => id)
    expect(fitting(rows)).toEqual([1])
    const changed = rows.map((one) => (one.id === 2 ? changedRow(one, { cells: { c1: 'Low Water' } }) : one))
    expect(fitting(changed)).toEqual([1, 2])
    expect(fitting(rows)).toEqual([1])
  })

  test('a text is looked at once, however often it stands there and is asked for', () => {
    let [taken, looked] = [0, 0]
    const rows = Array.from(
      { length: 900 },
      (_, i): Row => ({
        id: i + 1,
        position: '',
        get cells() {
          taken++
          return { c1: `Town ${i % 3}` }
        },
      }),
    )
    for (let times = 0; times < 3; times++) {
      const fits = numberedTexts(rows, 'c1').compile((one) => {
        looked++
        return one === 'Town 1'
      })
      expect(rows.filter(fits)).toHaveLength(300)
      // Once more: nothing is looked at again.
      expect(rows.filter(fits)).toHaveLength(300)
      expect(looked).toBe(3 * (times + 1))
      // Nor is it taken out of its row again, but where it is the first to be looked at of those that are the same.
      expect(taken).toBe(900 + 3 * times)
    }
  })

  test('what is different in nearly every row is told apart still, far beyond what is numbered', () => {
    const many = 70_000
    const rows = asRows(Array.from({ length: many }, (_, i) => ({ c1: `Person ${i}` })))
    for (const wanted of [0, 19_999, 20_000, 65_535, 65_536, many - 1])
      for (let twice = 0; twice < 2; twice++) {
        const fits = numberedTexts(rows, 'c1').compile((one) => one === `Person ${wanted}`)
        expect(rows.filter(fits).map(({ id }) => id)).toEqual([wanted + 1])
      }
  })
})
