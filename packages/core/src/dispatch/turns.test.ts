import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { inLeavingOrder } from './turns.ts'

const columns: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Due', kind: 'date' },
]
const row = (id: number, name: string, due = ''): Row => ({ id, position: `a${id}`, cells: { c1: name, c2: due } })
const some = [row(1, 'Bo', '3/2/2027'), row(2, 'ada', '28/1/2027'), row(3, 'Cy')]
const ids = (rows: Row[]) => rows.map((r) => r.id)

test('as the list has them, by a column, blanks last, and at random but always the same', () => {
  expect(ids(inLeavingOrder(some, { by: 'list' }, columns, 1))).toEqual([1, 2, 3])
  expect(ids(inLeavingOrder(some, { by: 'column', column: 'c1', descending: false }, columns, 1))).toEqual([2, 1, 3])
  expect(ids(inLeavingOrder(some, { by: 'column', column: 'c2', descending: false }, columns, 1))).toEqual([2, 1, 3])
  expect(ids(inLeavingOrder(some, { by: 'column', column: 'c2', descending: true }, columns, 1))).toEqual([1, 2, 3])
  expect(ids(inLeavingOrder(some, { by: 'column', column: 'gone', descending: true }, columns, 1))).toEqual([1, 2, 3])
  const many = Array.from({ length: 200 }, (_, i) => row(i + 1, `P${i}`))
  const once = ids(inLeavingOrder(many, { by: 'random' }, columns, 7))
  expect(once).not.toEqual(ids(many))
  expect(ids(inLeavingOrder([...many].reverse(), { by: 'random' }, columns, 7))).toEqual(once)
  expect(ids(inLeavingOrder(many, { by: 'random' }, columns, 8))).not.toEqual(once)
  // Nobody stays near their place for being where they were: about as many have moved forward as back.
  const forward = once.filter((id, i) => id - 1 > i).length
  expect(forward).toBeGreaterThan(70)
  expect(forward).toBeLessThan(130)
})

test('whatever the order, everybody is in it once', () => {
  const order = fc.constantFrom(
    { by: 'list' as const },
    { by: 'random' as const },
    { by: 'column' as const, column: 'c1', descending: true },
  )
  fc.assert(
    fc.property(fc.uniqueArray(fc.nat(10_000)), order, fc.nat(), (all, by, seed) => {
      const rows = all.map((id) => row(id, `P${id % 7}`))
      const left = ids(inLeavingOrder(rows, by, columns, seed))
      expect(left.sort((a, b) => a - b)).toEqual([...all].sort((a, b) => a - b))
    }),
  )
})
