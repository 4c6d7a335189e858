import type { Column, Row } from '@hand-post/core'
import { expect, test } from 'vitest'
import { columnWidths, headingWidth } from './columnWidths.ts'

const column = (id: string, name: string, more: Partial<Column> = {}): Column => ({ id, name, kind: 'text', ...more })
const rows = (text: string, n = 3): Row[] =>
  Array.from({ length: n }, (_, id) => ({ id, position: '', number: id + 1, cells: { a: text } }))
const width = (c: Column, r: Row[] = []) => columnWidths([c], r).get('a')!

test('a column is as wide as its heading and nearly all its first cells need, within limits; one that was chosen stays', () => {
  expect(width(column('a', 'No'))).toBe(64)
  expect(width(column('a', 'Inspection remarks of the year'))).toBe(
    headingWidth(column('a', 'Inspection remarks of the year')),
  )
  expect(width(column('a', 'Berth'), rows('twenty characters...'))).toBe(172)
  expect(width(column('a', 'Berth'), rows('x'.repeat(9000)))).toBe(217)
  expect(width(column('a', 'Berth', { width: 77 }), rows('x'.repeat(9000)))).toBe(77)
  // One long cell among many is cut, and what stands far down is not looked through.
  expect(width(column('a', 'No'), [...rows('a', 60), ...rows('x'.repeat(100), 1)])).toBe(64)
  expect(width(column('a', 'No'), [...rows('a', 100), ...rows('x'.repeat(100), 100)])).toBe(64)
})
