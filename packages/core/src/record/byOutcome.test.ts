import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import type { CameOfField } from '../people/recipes.ts'
import { compileSelection, type Selection } from '../people/rules.ts'
import { outcomes, outcomeWords } from '../responses/outcome.ts'
import { type ByOutcome, choosingByOutcome, columnsByOutcome, nextTimeWho } from './byOutcome.ts'

const fields: CameOfField[] = ['outcome', 'word', 'choice', 'repliedAt']
const columns: Column[] = [
  { id: 'c1', name: 'Group', kind: 'text' },
  ...fields.map((name, i): Column => ({ id: `c${i + 2}`, name, kind: name === 'repliedAt' ? 'dateTime' : 'text' })),
]
const columnOf = (what: CameOfField) => `c${fields.indexOf(what) + 2}`

/** What came of a round for a person, or null where they had no letter; and the group that the rules may look at. */
const person = fc.record({
  group: fc.constantFrom('A', 'B'),
  came: fc.option(
    fc.record({
      outcome: fc.constantFrom(...outcomes),
      word: fc.constantFrom('', 'coming', 'paid'),
      choice: fc.constantFrom('', 'yes', 'no'),
      answered: fc.boolean(),
    }),
  ),
})
const wanted: fc.Arbitrary<ByOutcome> = fc.record({
  who: fc.constantFrom(...nextTimeWho),
  word: fc.constantFrom('coming', 'yes'),
  reached: fc.boolean(),
})
const ofGroup = (value: string) => ({ column: 'c1', comparison: 'is' as const, value })
const selections: fc.Arbitrary<Selection> = fc.constantFrom(
  { match: 'all', rules: [] },
  { match: 'any', rules: [] },
  { match: 'all', rules: [ofGroup('A')] },
  { match: 'any', rules: [ofGroup('A'), ofGroup('Z')] },
)

test('those are chosen whom the rules choose and who are meant by what came of the round', () =>
  fc.assert(
    fc.property(fc.array(person), wanted, selections, (people, choice, selection) => {
      const chosen = compileSelection(choosingByOutcome(selection, choice, columnOf), columns, { today: '2026-11-29' })
      for (const { group, came } of people) {
        const cells = {
          c1: group,
          c2: came ? outcomeWords[came.outcome] : '',
          c3: came?.word ?? '',
          c4: came?.choice ?? '',
          c5: came?.answered ? '2026-11-20T10:00' : '',
        }
        const row: Row = { id: 1, position: '', cells }
        const meant = {
          everybody: true,
          answered: came?.answered === true,
          notAnswered: came !== null && !came.answered && came.outcome !== 'withdrawn' && came.outcome !== 'waiting',
          word: came?.word === choice.word,
          choice: came?.choice === choice.word,
        }[choice.who]
        const back = came?.outcome === 'bounced' || came?.outcome === 'refused'
        const byRules = selection.rules.length === 0 || group === 'A'
        expect(chosen(row)).toBe(byRules && meant && !(choice.reached && back))
      }
    }),
  ))

test('each column is named once, and none where nothing is looked at', () => {
  expect(columnsByOutcome({ who: 'everybody', reached: false })).toEqual([])
  expect(columnsByOutcome({ who: 'notAnswered', reached: true })).toEqual(['outcome', 'repliedAt'])
  const selection: Selection = { match: 'any', rules: [ofGroup('A')] }
  expect(choosingByOutcome(selection, { who: 'everybody', reached: false }, columnOf)).toBe(selection)
})
