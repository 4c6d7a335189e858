import fc from 'fast-check'
import { expect, test } from 'vitest'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { compileRecipes } from './derive.ts'
import { type CameOfField, type DateUnit, kindOfRecipe, type OtherList, type Recipe, type Sign } from './recipes.ts'

const context = { today: '2026-11-26' }
const typedIn: Column[] = [
  { id: 'c1', name: 'First', kind: 'text' },
  { id: 'c2', name: 'Last', kind: 'text' },
  { id: 'c3', name: 'Fee', kind: 'amount' },
  { id: 'c4', name: 'Metres', kind: 'number' },
  { id: 'c5', name: 'Due', kind: 'date', dayFirst: true },
  { id: 'c6', name: 'Pontoon', kind: 'text' },
]
const row: Row = {
  id: 1,
  position: '',
  number: 1,
  cells: { c1: 'ada', c2: "o'hara-penrose", c3: '£1,234.50', c4: '12.5', c5: '30/01/2026', c6: ' b ' },
}
const lists = new Map<number, OtherList>([
  [
    9,
    {
      name: 'Pontoons',
      columns: [
        { id: 'c1', name: 'Letter', kind: 'text' },
        { id: 'c2', name: 'Warden', kind: 'text' },
      ],
      rows: [
        ['A', 'Tolland'],
        ['B', 'Marsh'],
        ['C', 'Reed'],
        ['c', 'Fenn'],
      ].map(([c1, c2], i) => ({ id: i + 1, position: '', place: i, cells: { c1, c2 } })),
    },
  ],
])
const beside = {
  lists,
  rounds: new Map([
    [
      4,
      {
        title: 'Permits',
        rows: new Map([
          [1, { outcome: 'replied', word: 'coming' }],
          [2, { outcome: 'not answered', choice: 'I shall come', repliedAt: '2026-11-05 10:30', chased: '2' }],
        ]),
      },
    ],
  ]),
}
const derivedBy = (recipe: Recipe, of: Row = row) => {
  const deriver = compileRecipes([...typedIn, { id: 'c9', name: 'New', kind: 'text', recipe }], context, beside)
  return { shown: shown(deriver.derive(of).cells.c9), fault: deriver.faults(of).c9 }
}
const worked = (left: string | number, sign: Sign, right: string | number, decimals: number | null = null): Recipe => {
  const figure = (f: string | number) => (typeof f === 'number' ? { number: f } : { column: f })
  return { do: 'workedOut', left: figure(left), sign, right: figure(right), decimals }
}
const moved = (by: number, unit: DateUnit, daysOff: string[] = []): Recipe => ({
  do: 'dateMoved',
  column: 'c5',
  by,
  unit,
  daysOff,
})

test.each<[string, Recipe]>([
  ['ada, berth b', { do: 'joined', parts: [{ column: 'c1' }, { text: 'berth b' }], between: ', ' }],
  [
    'long',
    {
      do: 'byRule',
      cases: [
        {
          when: { match: 'all', rules: [{ column: 'c4', comparison: 'above', value: '12' }] },
          write: { text: 'long' },
        },
      ],
      otherwise: { column: 'c1' },
    },
  ],
  ['£1,481.40', worked('c3', '×', 1.2)],
  ['£411.50', worked('c3', '÷', 3)],
  ['-£0.50', worked(1234, '−', 'c3')],
  ['25.0', worked('c4', '×', 2, 1)],
  ['0.3', worked(0.1, '+', 0.2)],
  ['28/02/2026', moved(1, 'months')],
  ['16/01/2026', moved(-2, 'weeks')],
  ['02/02/2026', moved(1, 'workingDays')],
  ['04/02/2026', moved(1, 'workingDays', ['2026-02-02', '2026-02-03'])],
  ['hara-penrose', { do: 'partOf', column: 'c2', part: 'after', count: 0, mark: "'" }],
  ['o', { do: 'partOf', column: 'c2', part: 'firstLetters', count: 1, mark: '' }],
  ["O'Hara-Penrose", { do: 'case', column: 'c2', case: 'title' }],
  ["O'hara-penrose", { do: 'case', column: 'c2', case: 'sentence' }],
  ['Marsh', { do: 'lookedUp', column: 'c6', list: 9, key: 'c1', value: 'c2' }],
])('%s', (words, recipe) => expect(derivedBy(recipe)).toEqual({ shown: words, fault: undefined }))

test.each<[RegExp, Recipe, Record<string, string>]>([
  [/“Fee” is blank here/, worked('c3', '+', 1), { c3: '' }],
  [/“free” in “Fee” is not a number/, worked('c3', '+', 1), { c3: 'free' }],
  [/divide by nothing/, worked('c3', '÷', 'c4'), { c4: '0' }],
  [/“soon” in “Due” is not a date/, moved(1, 'days'), { c5: 'soon' }],
  [
    /“Pontoons” has no row with “Z” in “Letter”/,
    { do: 'lookedUp', column: 'c6', list: 9, key: 'c1', value: 'c2' },
    { c6: 'Z' },
  ],
  [/several rows with “C”/, { do: 'lookedUp', column: 'c6', list: 9, key: 'c1', value: 'c2' }, { c6: 'C' }],
  [/looks into is gone/, { do: 'lookedUp', column: 'c6', list: 8, key: 'c1', value: 'c2' }, {}],
  [/round that it looks into is gone/, { do: 'cameOf', round: 5, what: 'outcome' }, {}],
  [/“:” does not stand in it/, { do: 'partOf', column: 'c1', part: 'before', count: 0, mark: ':' }, {}],
  [/column that its recipe reads is gone/, { do: 'case', column: 'c77', case: 'upper' }, {}],
])('a cell that cannot be worked out says why: %s', (words, recipe, cells) => {
  const { shown, fault } = derivedBy(recipe, { ...row, cells: { ...row.cells, ...cells } })
  expect(shown).toBe('')
  expect(fault).toMatch(words)
})

test('what came of a round is told for each row that has a letter of it', () => {
  const tell = (what: CameOfField, id: number) => derivedBy({ do: 'cameOf', round: 4, what }, { ...row, id })
  expect(tell('outcome', 1)).toEqual({ shown: 'replied', fault: undefined })
  expect(tell('word', 1)).toEqual({ shown: 'coming', fault: undefined })
  expect(tell('choice', 1)).toEqual({ shown: '', fault: undefined })
  expect(tell('choice', 2)).toEqual({ shown: 'I shall come', fault: undefined })
  expect([tell('repliedAt', 2).shown, tell('chased', 2).shown]).toEqual(['2026-11-05 10:30', '2'])
  expect(
    (['outcome', 'repliedAt', 'files'] as const).map((what) => kindOfRecipe({ do: 'cameOf', round: 4, what }, typedIn)),
  ).toEqual(['text', 'dateTime', 'number'])
  // Who has no letter of it is blank, which is no fault.
  expect(tell('outcome', 3)).toEqual({ shown: '', fault: undefined })
})

test('recipes read one another in whatever order the columns stand; circles say so and stop nothing else', () => {
  const chain: Column[] = [
    { id: 'd1', name: 'Gross', kind: 'amount', recipe: worked('c3', '×', 1.2) },
    { id: 'd2', name: 'Half', kind: 'amount', recipe: worked('d1', '÷', 2) },
    {
      id: 'd3',
      name: 'Words',
      kind: 'text',
      recipe: { do: 'joined', parts: [{ text: 'Pay' }, { column: 'd2' }], between: ' ' },
    },
    { id: 'e1', name: 'One', kind: 'text', recipe: { do: 'case', column: 'e2', case: 'upper' } },
    { id: 'e2', name: 'Two', kind: 'text', recipe: { do: 'case', column: 'e1', case: 'upper' } },
    { id: 'e3', name: 'Three', kind: 'text', recipe: { do: 'joined', parts: [{ column: 'e1' }], between: '' } },
  ]
  fc.assert(
    fc.property(fc.shuffledSubarray(chain, { minLength: chain.length }), (shuffled) => {
      const deriver = compileRecipes([...shuffled, ...typedIn], context, beside)
      expect(shown(deriver.derive(row).cells.d3)).toBe('Pay £740.70')
      const faults = deriver.faults(row)
      expect(faults.e1).toMatch(/leads back to itself/)
      expect(faults.e2).toMatch(/leads back to itself/)
      expect(faults.e3).toMatch(/“One” cannot be worked out here/)
      expect(Object.keys(faults).sort()).toEqual(['e1', 'e2', 'e3'])
    }),
  )
})

test('money is worked out to the penny (against whole pence, which have no fractions to lose)', () => {
  const pence = fc.integer({ min: -5_000_000, max: 5_000_000 })
  const money = (p: number) =>
    `${p < 0 ? '-' : ''}£${Math.floor(Math.abs(p) / 100)}.${String(Math.abs(p) % 100).padStart(2, '0')}`
  const plainly = (text: string) => BigInt(text.replace(/[£,.]/g, ''))
  fc.assert(
    fc.property(pence, pence, fc.integer({ min: 0, max: 500 }), (a, b, n) => {
      const of = (recipe: Recipe) =>
        plainly(derivedBy(recipe, { ...row, cells: { c3: money(a), c4: String(n) } }).shown)
      expect(of(worked('c3', '+', b / 100))).toBe(BigInt(a + b))
      expect(of(worked('c3', '×', 'c4'))).toBe(BigInt(a) * BigInt(n))
    }),
  )
})

test('working days count as a calendar on the wall does', () => {
  const day = fc.date({ min: new Date('2020-01-01'), max: new Date('2035-12-31'), noInvalidDate: true })
  fc.assert(
    fc.property(
      day,
      fc.integer({ min: -40, max: 40 }),
      fc.array(fc.integer({ min: -60, max: 60 }), { maxLength: 5 }),
      (d, by, off) => {
        const iso = (n: number) => new Date(Date.parse(d.toISOString().slice(0, 10)) + n * 86_400_000)
        const daysOff = off.map((n) => iso(n).toISOString().slice(0, 10))
        // Walked through day by day.
        let at = 0
        for (let left = Math.abs(by); left > 0; ) {
          at += Math.sign(by)
          const weekday = iso(at).getUTCDay()
          if (weekday !== 0 && weekday !== 6 && !daysOff.includes(iso(at).toISOString().slice(0, 10))) left--
        }
        const { shown } = derivedBy(moved(by, 'workingDays', daysOff), {
          ...row,
          cells: { c5: iso(0).toISOString().slice(0, 10) },
        })
        if (by !== 0) expect(shown).toBe(iso(at).toISOString().slice(0, 10))
      },
    ),
  )
})

test('a derived column has the kind of what it makes', () => {
  expect(kindOfRecipe(worked('c3', '×', 2), typedIn)).toBe('amount')
  expect(kindOfRecipe(worked('c4', '×', 2), typedIn)).toBe('number')
  expect(kindOfRecipe(moved(1, 'days'), typedIn)).toBe('date')
  expect(kindOfRecipe({ do: 'case', column: 'c1', case: 'upper' }, typedIn)).toBe('text')
})
