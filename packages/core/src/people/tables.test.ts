import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { Row } from './cell.ts'
import type { Column } from './column.ts'
import { comparisonsFor } from './comparisons.ts'
import { dayOf } from './day.ts'
import { findDoubles, mergeWishes } from './doubles.ts'
import { applyEdits } from './edits.ts'
import { findKind } from './findKind.testing.ts'
import { familyOf, kindNames, kinds, parsedValue } from './kinds.ts'
import { dependsOn, kindOfRecipe, recipeNames, recipeSchema, recipes } from './recipes.ts'
import { editsFor, WishRefused } from './wishes.ts'

const columns: Column[] = [
  { id: 'c1', name: 'Name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
  { id: 'c3', name: 'Due', kind: 'date' },
  { id: 'c4', name: 'Fee', kind: 'amount' },
]

describe('every kind is whole', () => {
  test.each(kindNames)('%s', (kind) => {
    const { words, one, characters, formats, parse } = kinds[kind]
    expect([words, one].every((text) => text.trim() !== '')).toBe(true)
    expect(characters).toBeGreaterThan(0)
    expect(formats.every((format) => format !== '')).toBe(true)
    // Whatever stands in a cell, it is parsed or it is not: nothing is thrown, and a blank is nothing.
    fc.assert(fc.property(fc.string({ unit: 'binary' }), (text) => parse(text, undefined, true) !== undefined))
    expect(parsedValue('', { kind })).toBeNull()
    expect(parsedValue('  ', { kind })).toBeNull()
    expect(comparisonsFor(kind)).toEqual(expect.arrayContaining(['is', 'isNot', 'isBlank', 'isFilled']))
  })
  test('each is found of what is its own, and a heading decides only where figures do not', () => {
    const own = {
      text: ['Ada', 'Bram'],
      number: ['7', '12.5'],
      amount: ['£7', '£12.50'],
      date: ['7 April 2026', '8 April 2026'],
      dateTime: ['7 April 2026 09:30', '8 April 2026 10:00'],
      time: ['09:30', '18:00'],
      duration: ['36:00', '30:15'],
      yesNo: ['yes', 'no'],
      address: ['ada@quay.example', 'bram@quay.example'],
      files: ['a.pdf', 'b.pdf'],
    }
    expect(Object.keys(own).sort()).toEqual([...kindNames].sort())
    for (const kind of kindNames) expect(findKind('Column', own[kind]).kind, kind).toBe(kind)
    expect(findKind('Fee', own.number).kind).toBe('amount')
    expect(findKind('Fee', own.text).kind).toBe('text')
  })
  test('what is parsed is of its family', () => {
    expect(parsedValue('£7', { kind: 'amount' })).toBe(7)
    expect(familyOf({ kind: 'amount' })).toBe('figure')
    expect(parsedValue('1:30', { kind: 'duration' })).toBe(5400)
    expect(parsedValue('7/4/2026', { kind: 'date', dayFirst: false })).toBe('2026-07-04')
  })
})

describe('every recipe is whole', () => {
  test.each(recipeNames)(
    '%s begins as a recipe that its own schema takes, and reads columns that are there',
    (name) => {
      const begun = recipes[name].begun(columns)
      expect(begun.do).toBe(name)
      expect(recipes[name].words.every((words) => words !== '')).toBe(true)
      // That a list or a round to look into is chosen is what is left to do.
      const whole =
        begun.do === 'lookedUp' ? { ...begun, list: 1 } : begun.do === 'cameOf' ? { ...begun, round: 1 } : begun
      expect(recipeSchema.parse(whole)).toEqual(whole)
      expect(dependsOn(begun).every((id) => columns.some((c) => c.id === id))).toBe(true)
      expect(kindNames).toContain(kindOfRecipe(begun, columns))
    },
  )
})

describe('rows of one person', () => {
  const row = (id: number, c1: string, c2: string, c3 = ''): Row => ({
    id,
    position: `a${id}`,
    number: id,
    cells: Object.fromEntries(Object.entries({ c1, c2, c3 }).filter(([, text]) => text !== '')),
  })
  const rows = [
    row(1, 'Ada Penrose', 'ada@quay.example'),
    row(2, 'A. Penrose', 'ADA@quay.example', '7 April 2026'),
    row(3, 'Bram Hill', ''),
    row(4, 'bram hill', 'bram@quay.example'),
    row(5, 'Cy', 'cy@quay.example'),
    row(6, 'Cy', 'other@quay.example'),
  ]
  test('are found by address, and by name only where an address is lacking', () => {
    expect(findDoubles(rows, 'c2', ['c1'])).toEqual([
      { rows: [1, 2], why: 'the same address, ada@quay.example' },
      { rows: [3, 4], why: 'the same name, and one has no address' },
    ])
    expect(findDoubles(rows, null, [])).toEqual([])
  })
  test('become one: the first keeps what it has, takes what it lacks, and the others go', () => {
    const wishes = mergeWishes(columns, rows, [
      [1, 2],
      [3, 4],
    ])
    const state = { columns, rows, sort: [] }
    const after = applyEdits(state, editsFor(state, wishes, { row: 9, column: 9 }))
    expect(after.rows.map((r) => r.id)).toEqual([1, 3, 5, 6])
    expect(after.rows[0].cells).toEqual({ c1: 'Ada Penrose', c2: 'ada@quay.example', c3: '7 April 2026' })
    expect(after.rows[1].cells).toEqual({ c1: 'Bram Hill', c2: 'bram@quay.example' })
    expect(() => mergeWishes(columns, rows, [[1, 99]])).toThrow(WishRefused)
  })
  test('nothing that stands in any of them is lost, but where the first has something else', () => {
    const text = fc.constantFrom('', 'a', 'b')
    fc.assert(
      fc.property(fc.array(fc.tuple(text, text, text), { minLength: 2, maxLength: 5 }), (made) => {
        const all = made.map(([a, b, c], i) => row(i + 1, a, b, c))
        const state = { columns, rows: all, sort: [] }
        const wishes = mergeWishes(columns, all, [all.map((r) => r.id)])
        const [kept, ...others] = applyEdits(state, editsFor(state, wishes, { row: 9, column: 9 })).rows
        expect(others).toEqual([])
        for (const { id } of columns) {
          const filled = all.map((r) => r.cells[id]).filter((cell) => cell !== undefined)
          expect(kept.cells[id]).toEqual(filled[0])
        }
      }),
    )
  })
})

describe('wishes that cannot be', () => {
  const state = { columns, rows: [{ id: 1, position: 'a0', cells: { c1: 'Ada' } }] as Row[], sort: [] }
  const derived: Column = { id: 'c5', name: 'Both', kind: 'text', recipe: recipes.joined.begun(columns) }
  test.each([
    ['a row that is gone', { do: 'cells' as const, cells: [[2, 'c1', 'x'] as [number, string, string]] }, 'gone'],
    ['a column that is gone', { do: 'moveColumn' as const, column: 'c9', before: null }, 'gone'],
    ['a row after one that is gone', { do: 'addRows' as const, after: 7, rows: [{ c1: 'x' }] }, 'gone'],
    ['a name that is taken', { do: 'changeColumn' as const, column: 'c1', changes: { name: ' EMAIL ' } }, 'conflict'],
    ['what is not there to be replaced', { do: 'replace' as const, find: 'zzz', put: 'y' }, 'gone'],
  ])('%s', (_, wish, why) => {
    expect(() => editsFor(state, [wish], { row: 2, column: 5 })).toThrow(expect.objectContaining({ why }))
  })
  test('typing into what is worked out, and deleting what it reads', () => {
    const withRecipe = { ...state, columns: [...columns, derived] }
    const next = { row: 2, column: 6 }
    expect(() => editsFor(withRecipe, [{ do: 'cells', cells: [[1, 'c5', 'x']] }], next)).toThrow(
      /worked out from other/,
    )
    expect(() => editsFor(withRecipe, [{ do: 'deleteColumn', column: 'c1' }], next)).toThrow(/“Both” is worked out/)
  })
})

// Days on either side of a change of the clocks and of the date line, as the calendar of each zone has them (IANA, through Intl).
test.each(['Europe/London', 'America/New_York', 'Pacific/Kiritimati', 'Pacific/Pago_Pago', 'Asia/Kolkata'])(
  'the day it is in %s is what its own calendar says',
  (timeZone) => {
    const calendar = new Intl.DateTimeFormat('sv-SE', { timeZone, dateStyle: 'short' })
    fc.assert(
      fc.property(fc.integer({ min: Date.UTC(2000, 0, 1), max: Date.UTC(2060, 0, 1) }), (at) => {
        expect(dayOf(at, timeZone)).toBe(calendar.format(at))
      }),
    )
  },
)
