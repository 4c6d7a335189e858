import { sameAddressKey } from './address.ts'
import { type Cell, sameTextKey, shown } from './cell.ts'
import { type Family, familyOf, isDay, type Kind, kinds, type PlainColumn, parsedValue } from './kinds.ts'
import { readAmount, readDate, readDuration, readTime } from './readValue.ts'
import { comparisons as say } from './words.ts'
/** What rules may look at besides the row itself. */
export interface RuleContext {
  /** The day on which the choice is made, as ISO text ("2026-11-26"). */
  today: string
  /** The addresses of a contact group, as {@link sameAddressKey} makes them; none when there is no such group. */
  members?: (group: number) => ReadonlySet<string> | undefined
}

/** Whether a cell passes. */
export type Test = (cell: Cell | undefined) => boolean

/** One comparison that a rule may make: its words, the kinds it is for, what the writer gives to it, and what it means. */
interface Comparison {
  words: string
  /** The kinds, or families of kinds, that it makes sense for; all when left out. */
  for?: readonly (Kind | Family)[]
  takes: 'nothing' | 'value' | 'two' | 'many' | 'days' | 'group'
  compile(column: PlainColumn, rule: { value: string; to?: string }, context: RuleContext): Test
}

const ranked = ['day', 'figure', 'time', 'duration'] as const
const never: Test = () => false

const words = (cell: Cell | undefined) => sameTextKey(shown(cell))
const isWords = (column: PlainColumn) => familyOf(column) === 'words'

/**
 * Compiles the comparison of a column's cells with a typed-in value: below, equal or above 0, NaN when the cell does not
 * read as its kind. Null when the value itself does not.
 */
function comparer(column: PlainColumn, value: string): ((cell: Cell | undefined) => number) | null {
  if (isDay(column)) {
    const other = readDate(value, column.dayFirst ?? true)
    if (other === null) return null
    const length = column.kind === 'date' || other.length === 10 ? 10 : 16
    return (cell) => {
      const own = parsedValue(cell, column)
      if (own === null) return Number.NaN
      const day = String(own).slice(0, length)
      return day < other.slice(0, length) ? -1 : day > other.slice(0, length) ? 1 : 0
    }
  }
  if (familyOf(column) === 'time') {
    const other = readTime(value)
    if (other === null) return null
    return (cell) => {
      const own = parsedValue(cell, column)
      return own === null ? Number.NaN : String(own) < other ? -1 : String(own) > other ? 1 : 0
    }
  }
  const other = familyOf(column) === 'duration' ? readDuration(value) : readAmount(value)
  if (other === null) return null
  return (cell) => {
    const own = parsedValue(cell, column)
    return typeof own === 'number' ? own - other : Number.NaN
  }
}

const ranking =
  (holds: (difference: number) => boolean) =>
  (column: PlainColumn, { value }: { value: string }): Test => {
    const compare = comparer(column, value)
    return compare ? (cell) => holds(compare(cell)) : never
  }

function equals(column: PlainColumn, value: string): Test {
  if (isWords(column)) {
    const wanted = sameTextKey(value)
    return (cell) => words(cell) === wanted
  }
  if (familyOf(column) === 'yesNo') {
    const wanted = parsedValue(value, column)
    return (cell) => wanted !== null && parsedValue(cell, column) === wanted
  }
  const compare = comparer(column, value)
  return compare ? (cell) => compare(cell) === 0 : never
}

function between(column: PlainColumn, from: string, to: string): Test {
  const low = comparer(column, from)
  const high = comparer(column, to)
  return low && high ? (cell) => low(cell) >= 0 && high(cell) <= 0 : never
}

/** The single values of "is one of", separated by semicolons or line ends. */
export const manyValues = (value: string) =>
  value
    .split(/[;\n]/)
    .map((v) => v.trim())
    .filter((v) => v !== '')

/** Figures may be given as ranges: 2-40. */
const rangeIn = (column: PlainColumn, value: string) =>
  column.kind === 'number' ? /^(\d[\d,.]*)\s*[-–]\s*(\d[\d,.]*)$/.exec(value) : null

function oneOf(column: PlainColumn, value: string): Test {
  const values = manyValues(value)
  if (isWords(column)) {
    const wanted = new Set(values.map(sameTextKey))
    return (cell) => wanted.has(words(cell))
  }
  const tests = values.map((one) => {
    const range = rangeIn(column, one)
    return range ? between(column, range[1], range[2]) : equals(column, one)
  })
  return (cell) => tests.some((test) => test(cell))
}

/** The day so many days after (or, below 0, before) a day; both as ISO text. */
export function dayAfter(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10)
}

/** From so many days before today to so many after. */
function days(column: PlainColumn, context: RuleContext, back: number, ahead: number): Test {
  if (Number.isNaN(back + ahead)) return never
  const first = dayAfter(context.today, -back)
  const last = dayAfter(context.today, ahead)
  return (cell) => {
    const own = parsedValue(cell, column)
    if (own === null) return false
    const day = String(own).slice(0, 10)
    return day >= first && day <= last
  }
}

const wholeDays = (value: string) => {
  const n = readAmount(value)
  return n !== null && n >= 0 && n <= 36_500 ? Math.floor(n) : Number.NaN
}
const not =
  (test: Test): Test =>
  (cell) =>
    !test(cell)

/** Every comparison a rule can make, by name, in the order in which they are offered. */
export const comparisons = {
  is: { words: 'is', takes: 'value', compile: (c, r) => equals(c, r.value) },
  isNot: { words: say.not, takes: 'value', compile: (c, r) => not(equals(c, r.value)) },
  isOneOf: {
    words: say.one,
    for: ['words', ...ranked],
    takes: 'many',
    compile: (c, r) => oneOf(c, r.value),
  },
  isNoneOf: {
    words: say.none,
    for: ['words', ...ranked],
    takes: 'many',
    compile: (c, r) => not(oneOf(c, r.value)),
  },
  contains: {
    words: 'contains',
    for: ['words'],
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = sameTextKey(value)
      return (cell) => words(cell).includes(wanted)
    },
  },
  containsNot: {
    words: say.doesNotContain,
    for: ['words'],
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = sameTextKey(value)
      return (cell) => !words(cell).includes(wanted)
    },
  },
  begins: {
    words: say.begins,
    for: ['words'],
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = sameTextKey(value)
      return (cell) => words(cell).startsWith(wanted)
    },
  },
  ends: {
    words: say.ends,
    for: ['words'],
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = sameTextKey(value)
      return (cell) => words(cell).endsWith(wanted)
    },
  },
  before: { words: say.before, for: ['day'], takes: 'value', compile: ranking((d) => d < 0) },
  after: { words: say.after, for: ['day'], takes: 'value', compile: ranking((d) => d > 0) },
  inNextDays: {
    words: say.todayOrNextDays,
    for: ['day'],
    takes: 'days',
    compile: (c, r, context) => days(c, context, 0, wholeDays(r.value)),
  },
  inLastDays: {
    words: say.todayOrLastDays,
    for: ['day'],
    takes: 'days',
    compile: (c, r, context) => days(c, context, wholeDays(r.value), 0),
  },
  below: { words: say.below, for: ['figure'], takes: 'value', compile: ranking((d) => d < 0) },
  above: { words: say.above, for: ['figure'], takes: 'value', compile: ranking((d) => d > 0) },
  between: {
    words: say.between,
    for: ranked,
    takes: 'two',
    compile: (c, r) => between(c, r.value, r.to ?? ''),
  },
  inGroup: {
    words: say.group,
    for: ['address'],
    takes: 'group',
    compile: (_, { value }, { members }) => {
      const group = members?.(Number(value))
      return group ? (cell) => group.has(sameAddressKey(shown(cell))) : never
    },
  },
  notInGroup: {
    words: say.notGroup,
    for: ['address'],
    takes: 'group',
    compile: (_, { value }, { members }) => {
      const group = members?.(Number(value))
      return group ? (cell) => !group.has(sameAddressKey(shown(cell))) : never
    },
  },
  isBlank: { words: say.blank, takes: 'nothing', compile: () => (cell) => words(cell) === '' },
  isFilled: { words: say.filled, takes: 'nothing', compile: () => (cell) => words(cell) !== '' },
} satisfies Record<string, Comparison>

/** Whether there is a rule anywhere in something written (a letter, a selection) that reckons from today: tomorrow it may say otherwise. */
export function reckonsFromToday(written: unknown): boolean {
  const text = JSON.stringify(written)
  return Object.entries(comparisons).some(([name, { takes }]) => takes === 'days' && text.includes(`"${name}"`))
}

/** Whether a value reads as what the cells of a column are. */
function reads(column: PlainColumn, value: string): boolean {
  if (isWords(column)) return true
  if (familyOf(column) === 'yesNo') return parsedValue(value, column) !== null
  return comparer(column, value) !== null
}

/** The values of a rule, as it was given: none while it is not finished. */
export function valuesOf({ comparison, value, to = '' }: { comparison: ComparisonName; value: string; to?: string }) {
  const { takes } = comparisons[comparison]
  const given =
    takes === 'nothing' ? [] : takes === 'many' ? manyValues(value) : takes === 'two' ? [value, to] : [value]
  const finished = takes === 'nothing' || (given.length > 0 && given.every((one) => one.trim() !== ''))
  return { finished, given }
}

/**
 * The values of a finished rule that do not read as what the column holds ("soon" where it holds dates): no row can be compared with
 * them.
 */
export function unreadValues(
  column: PlainColumn,
  rule: { comparison: ComparisonName; value: string; to?: string },
): string[] {
  const { takes } = comparisons[rule.comparison]
  if (takes === 'nothing' || takes === 'group') return []
  return valuesOf(rule).given.filter((value) => {
    if (takes === 'days') return Number.isNaN(wholeDays(value))
    const range = takes === 'many' ? rangeIn(column, value) : null
    return range ? !reads(column, range[1]) || !reads(column, range[2]) : !reads(column, value)
  })
}

export type ComparisonName = keyof typeof comparisons
export const comparisonNames = Object.keys(comparisons) as [ComparisonName, ...ComparisonName[]]

/** The comparisons that make sense for a kind, in the order they are offered. */
export function comparisonsFor(kind: Kind): ComparisonName[] {
  return comparisonNames.filter((name) => {
    const fits: Comparison['for'] = (comparisons[name] as Comparison).for
    return fits === undefined || fits.includes(kind) || fits.includes(kinds[kind].family)
  })
}
