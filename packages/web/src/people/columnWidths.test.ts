import type { Column, Row } from '@hand-post/core'
import { expect, test } from 'vitest'
import { columnWidths, headingWidth } from './columnWidths.ts'

const column = (id: string, name: string, more: Partial<Column> = {}): Column => ({ id, name, kind: 'text', ...more })
const rows = (text: string, n = 3): Row[] =>
  Array.from({ length: n }, (_, id) => ({ id, position: '', place: id, cells: { a: text } }))
const width = (c: Column, r: Row[] = []) => columnWidths([c], r).get('a')!

test('a column is as wide as its heading and first cells ask for, within limits; one that was chosen stays', () => {
  expect(width(column('a', 'Berth'))).toBe(128)
  expect(width(column('a', 'Inspection remarks of the year'))).toBe(
    headingWidth(column('a', 'Inspection remarks of the year')),
  )
  expect(width(column('a', 'Berth'), rows('thirty characters wide, or nearly so'))).toBeGreaterThan(200)
  expect(width(column('a', 'Berth'), rows('x'.repeat(9000)))).toBe(344)
  expect(width(column('a', 'Berth', { width: 77 }), rows('x'.repeat(9000)))).toBe(77)
  // What stands far down does not count: a long list is not looked through.
  expect(width(column('a', 'Berth'), [...rows('a', 60), ...rows('x'.repeat(100))])).toBe(128)
})
