import type { CameOfField } from '../people/recipes.ts'
import type { Rule, Selection } from '../people/rules.ts'
import { type Outcome, outcomeWords } from '../responses/outcome.ts'

/** Whom a round like another can be for, by what came of that one: everybody whom its rules choose, or of these some. */
export const nextTimeWho = ['everybody', 'answered', 'notAnswered', 'word', 'choice'] as const
export type NextTimeWho = (typeof nextTimeWho)[number]

/** A choice of people by what came of a round. */
export interface ByOutcome {
  who: NextTimeWho
  /** The outcome word, or the choice, of those who are meant by one. */
  word?: string
  /** Leaves those out whose letters came back or were refused. */
  reached: boolean
}

const noneOf = (...some: Outcome[]) => ({
  comparison: 'isNoneOf' as const,
  value: some.map((one) => outcomeWords[one]).join('; '),
})

/** Of each choice: the columns of what came of the round that it looks into, and the rules about them. */
const table: Readonly<
  Record<NextTimeWho, readonly { what: CameOfField; rule: (word: string) => Omit<Rule, 'column'> }[]>
> = {
  everybody: [],
  answered: [{ what: 'repliedAt', rule: () => ({ comparison: 'isFilled', value: '' }) }],
  // Whoever has had no letter has not been asked.
  notAnswered: [
    { what: 'outcome', rule: () => ({ comparison: 'isFilled', value: '' }) },
    { what: 'outcome', rule: () => noneOf('withdrawn', 'waiting') },
    { what: 'repliedAt', rule: () => ({ comparison: 'isBlank', value: '' }) },
  ],
  word: [{ what: 'word', rule: (value) => ({ comparison: 'is', value }) }],
  choice: [{ what: 'choice', rule: (value) => ({ comparison: 'is', value }) }],
}
const reachedOnly = { what: 'outcome' as const, rule: () => noneOf('bounced', 'refused') }
const partsOf = ({ who, reached }: ByOutcome) => [...table[who], ...(reached ? [reachedOnly] : [])]

/**
 * The columns of what came of a round that a choice by it looks into, each once.
 * @example columnsByOutcome({ who: 'answered', reached: false }) // ['repliedAt']
 */
export const columnsByOutcome = (choice: ByOutcome): CameOfField[] => [
  ...new Set(partsOf(choice).map(({ what }) => what)),
]

/**
 * The people whom a selection chooses and who are meant by what came of a round.
 * @param columnOf the id of the list's column that shows a field of what came of it.
 * @example choosingByOutcome({ match: 'all', rules: [] }, { who: 'answered', reached: false }, () => 'c7')
 * // { match: 'all', rules: [{ column: 'c7', comparison: 'isFilled', value: '' }] }
 */
export function choosingByOutcome(
  selection: Selection,
  choice: ByOutcome,
  columnOf: (what: CameOfField) => string,
): Selection {
  const rules = partsOf(choice).map(({ what, rule }): Rule => ({ column: columnOf(what), ...rule(choice.word ?? '') }))
  if (rules.length === 0) return selection
  const before = selection.rules.length === 0 ? [] : selection.match === 'all' ? selection.rules : [selection]
  return { match: 'all', rules: [...before, ...rules] }
}
