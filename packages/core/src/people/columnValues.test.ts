import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { Row } from './cell.ts'
import { columnValues } from './columnValues.ts'
import { compileSelection } from './rules.ts'

const rowsOf = (texts: string[]) =>
  texts.map((text, i): Row => ({ id: i + 1, position: '', cells: text === '' ? {} : { c1: text } }))

test('values stand with their rows, those of most rows first; capitals and spaces around make no difference', () => {
  const rows = rowsOf(['Pontoon B', 'pontoon a', '', 'Pontoon A ', 'Pontoon C', '  '])
  expect(columnValues(rows, 'c1', '', 10)).toEqual({
    values: [
      { value: 'pontoon a', rows: 2 },
      { value: 'Pontoon B', rows: 1 },
      { value: 'Pontoon C', rows: 1 },
    ],
    different: 3,
    blank: 2,
  })
  expect(columnValues(rows, 'c1', 'TOON B', 10).values).toEqual([{ value: 'Pontoon B', rows: 1 }])
  expect(columnValues(rows, 'c1', '', 1)).toMatchObject({ values: [{ value: 'pontoon a', rows: 2 }], different: 3 })
})

test('each value is offered with just as many rows as a rule with it chooses', () => {
  const text = fc.oneof(fc.constantFrom('A1', 'a1', 'Café', 'cafe\u0301', '10', '9', ''), fc.string({ maxLength: 4 }))
  fc.assert(
    fc.property(fc.array(text, { maxLength: 30 }), (texts) => {
      const rows = rowsOf(texts)
      const { values, different, blank } = columnValues(rows, 'c1', '', 100)
      expect(values.length).toBe(different)
      for (const { value, rows: n } of values) {
        const fits = compileSelection(
          { match: 'all', rules: [{ column: 'c1', comparison: 'is', value }] },
          [{ id: 'c1', name: 'Berth', kind: 'text' }],
          { today: '2026-11-27' },
        )
        expect(rows.filter(fits).length).toBe(n)
      }
      expect(values.reduce((sum, v) => sum + v.rows, blank)).toBe(rows.length)
    }),
  )
})
