import { sameAddressKey } from './address.ts'
import { type Cell, type Column, type Kind, kinds, type Row, shown } from './table.ts'
import { readAmount, readDate, readDuration, readTime, typed } from './value.ts'

/** What rules may look at besides the row itself. */
export interface RuleContext {
  /** The day on which the choice is made, as ISO text ("2026-11-26"). */
  today: string
  /** The addresses of a contact group, as {@link sameAddressKey} makes them; none when there is no such group. */
  members?: (group: number) => ReadonlySet<string> | undefined
}

type Test = (cell: Cell | undefined) => boolean

/** One comparison that a rule may make: its words, the kinds it is for, what the writer gives to it, and what it means. */
interface Comparison {
  words: string
  kinds: readonly Kind[]
  takes: 'nothing' | 'value' | 'two' | 'many' | 'days' | 'group'
  compile(column: Column, rule: Rule, context: RuleContext): Test
}

const every: readonly Kind[] = kinds
const wordKinds: readonly Kind[] = ['text', 'address', 'files']
const dateKinds: readonly Kind[] = ['date', 'dateTime']
const figureKinds: readonly Kind[] = ['number', 'amount']
const ranked: readonly Kind[] = [...dateKinds, ...figureKinds, 'time', 'duration']
const never: Test = () => false

/** Lists repeat their values: what has been found about a text is found once. */
function remembered<T>(find: (cell: Cell | undefined) => T): (cell: Cell | undefined) => T {
  const known = new Map<string, T>()
  return (cell) => {
    if (typeof cell !== 'string') return find(cell)
    let found = known.get(cell)
    if (found === undefined) {
      found = find(cell)
      if (known.size < 20_000) known.set(cell, found)
    }
    return found
  }
}

// Composed and decomposed letters, capitals and small ones, and spaces around count as the same.
const plain = (text: string) => text.normalize('NFC').trim().toLocaleLowerCase('en-GB')
const words = (cell: Cell | undefined) => plain(shown(cell))
const isWords = (column: Column) => wordKinds.includes(column.kind)

/**
 * Compiles the comparison of a column's cells with a typed-in value: below, equal or above 0, NaN when the cell does not
 * read as its kind. Null when the value itself does not.
 */
function comparer(column: Column, value: string): ((cell: Cell | undefined) => number) | null {
  if (dateKinds.includes(column.kind)) {
    const other = readDate(value, column.dayFirst ?? true)
    if (other === null) return null
    const length = column.kind === 'date' || other.length === 10 ? 10 : 16
    return (cell) => {
      const own = typed(cell, column)
      if (own === null) return Number.NaN
      const day = String(own).slice(0, length)
      return day < other.slice(0, length) ? -1 : day > other.slice(0, length) ? 1 : 0
    }
  }
  if (column.kind === 'time') {
    const other = readTime(value)
    if (other === null) return null
    return (cell) => {
      const own = typed(cell, column)
      return own === null ? Number.NaN : String(own) < other ? -1 : String(own) > other ? 1 : 0
    }
  }
  const other = column.kind === 'duration' ? readDuration(value) : readAmount(value)
  if (other === null) return null
  return (cell) => {
    const own = typed(cell, column)
    return typeof own === 'number' ? own - other : Number.NaN
  }
}

const ranking =
  (holds: (difference: number) => boolean) =>
  (column: Column, { value }: Rule): Test => {
    const compare = comparer(column, value)
    return compare ? (cell) => holds(compare(cell)) : never
  }

function equals(column: Column, value: string): Test {
  if (isWords(column)) {
    const wanted = plain(value)
    return (cell) => words(cell) === wanted
  }
  if (column.kind === 'yesNo') {
    const wanted = typed(value, column)
    return (cell) => wanted !== null && typed(cell, column) === wanted
  }
  const compare = comparer(column, value)
  return compare ? (cell) => compare(cell) === 0 : never
}

function between(column: Column, from: string, to: string): Test {
  const low = comparer(column, from)
  const high = comparer(column, to)
  return low && high ? (cell) => low(cell) >= 0 && high(cell) <= 0 : never
}

/** The single values of "is one of", parted by semicolons or line ends. */
export const manyValues = (value: string) =>
  value
    .split(/[;\n]/)
    .map((v) => v.trim())
    .filter((v) => v !== '')

function oneOf(column: Column, value: string): Test {
  const values = manyValues(value)
  if (isWords(column)) {
    const wanted = new Set(values.map(plain))
    return (cell) => wanted.has(words(cell))
  }
  // Figures may be given as ranges: 2-40.
  const tests = values.map((one) => {
    const range = column.kind === 'number' ? /^(\d[\d,.]*)\s*[-–]\s*(\d[\d,.]*)$/.exec(one) : null
    return range ? between(column, range[1], range[2]) : equals(column, one)
  })
  return (cell) => tests.some((test) => test(cell))
}

/** The day so many days after (or, below 0, before) a day; both as ISO text. */
export function dayAfter(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10)
}

/** From so many days before today to so many after. */
function days(column: Column, context: RuleContext, back: number, ahead: number): Test {
  if (Number.isNaN(back + ahead)) return never
  const first = dayAfter(context.today, -back)
  const last = dayAfter(context.today, ahead)
  return (cell) => {
    const own = typed(cell, column)
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
  is: { words: 'is', kinds: every, takes: 'value', compile: (c, r) => equals(c, r.value) },
  isNot: { words: 'is not', kinds: every, takes: 'value', compile: (c, r) => not(equals(c, r.value)) },
  isOneOf: {
    words: 'is one of',
    kinds: every.filter((k) => k !== 'yesNo'),
    takes: 'many',
    compile: (c, r) => oneOf(c, r.value),
  },
  isNoneOf: {
    words: 'is none of',
    kinds: every.filter((k) => k !== 'yesNo'),
    takes: 'many',
    compile: (c, r) => not(oneOf(c, r.value)),
  },
  contains: {
    words: 'contains',
    kinds: wordKinds,
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = plain(value)
      return (cell) => words(cell).includes(wanted)
    },
  },
  containsNot: {
    words: 'does not contain',
    kinds: wordKinds,
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = plain(value)
      return (cell) => !words(cell).includes(wanted)
    },
  },
  begins: {
    words: 'begins with',
    kinds: wordKinds,
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = plain(value)
      return (cell) => words(cell).startsWith(wanted)
    },
  },
  ends: {
    words: 'ends with',
    kinds: wordKinds,
    takes: 'value',
    compile: (_, { value }) => {
      const wanted = plain(value)
      return (cell) => words(cell).endsWith(wanted)
    },
  },
  before: { words: 'is before', kinds: dateKinds, takes: 'value', compile: ranking((d) => d < 0) },
  after: { words: 'is after', kinds: dateKinds, takes: 'value', compile: ranking((d) => d > 0) },
  inNextDays: {
    words: 'is today or in the next days:',
    kinds: dateKinds,
    takes: 'days',
    compile: (c, r, context) => days(c, context, 0, wholeDays(r.value)),
  },
  inLastDays: {
    words: 'is today or in the last days:',
    kinds: dateKinds,
    takes: 'days',
    compile: (c, r, context) => days(c, context, wholeDays(r.value), 0),
  },
  below: { words: 'is below', kinds: figureKinds, takes: 'value', compile: ranking((d) => d < 0) },
  above: { words: 'is above', kinds: figureKinds, takes: 'value', compile: ranking((d) => d > 0) },
  between: {
    words: 'is between',
    kinds: ranked,
    takes: 'two',
    compile: (c, r) => between(c, r.value, r.to ?? ''),
  },
  inGroup: {
    words: 'is in the group',
    kinds: ['address'],
    takes: 'group',
    compile: (_, { value }, { members }) => {
      const group = members?.(Number(value))
      return group ? (cell) => group.has(sameAddressKey(shown(cell))) : never
    },
  },
  notInGroup: {
    words: 'is not in the group',
    kinds: ['address'],
    takes: 'group',
    compile: (_, { value }, { members }) => {
      const group = members?.(Number(value))
      return group ? (cell) => !group.has(sameAddressKey(shown(cell))) : never
    },
  },
  isBlank: { words: 'is blank', kinds: every, takes: 'nothing', compile: () => (cell) => words(cell) === '' },
  isFilled: { words: 'is filled in', kinds: every, takes: 'nothing', compile: () => (cell) => words(cell) !== '' },
} satisfies Record<string, Comparison>

/** Whether there is a rule anywhere in something written (a letter, a selection) that reckons from today: tomorrow it may say otherwise. */
export function reckonsFromToday(written: unknown): boolean {
  const text = JSON.stringify(written)
  return Object.entries(comparisons).some(([name, { takes }]) => takes === 'days' && text.includes(`"${name}"`))
}

export type ComparisonName = keyof typeof comparisons
export const comparisonNames = Object.keys(comparisons) as [ComparisonName, ...ComparisonName[]]

/** The comparisons that make sense for a kind, in the order they are offered. */
export function comparisonsFor(kind: Kind): ComparisonName[] {
  return comparisonNames.filter((name) => (comparisons[name].kinds as readonly Kind[]).includes(kind))
}

/** One rule: a column by id, a comparison, the value as typed, and for "between" the other end. */
export interface Rule {
  column: string
  comparison: ComparisonName
  value: string
  to?: string
}

/** The writer's choice of people: rules of which all or any must hold, each a rule or again such a set. None choose everybody. */
export interface Selection {
  match: 'all' | 'any'
  rules: (Rule | Selection)[]
}

export const isRule = (rule: Rule | Selection): rule is Rule => 'comparison' in rule

/** Every single rule of a selection, however deep it stands. */
export function rulesOf(selection: Selection): Rule[] {
  return selection.rules.flatMap((rule) => (isRule(rule) ? [rule] : rulesOf(rule)))
}

/** The column that stands for a row's place in the list, counted from 1: what ranges of rows are chosen by. */
export const rowNumber: Column = { id: 'row', name: 'Row number', kind: 'number' }

/** Tests a row, given with its place in the list from 0. */
export type RowTest = (row: Row, place: number) => boolean

function compileRule(rule: Rule, columns: Map<string, Column>, context: RuleContext): RowTest {
  const column = rule.column === rowNumber.id ? rowNumber : columns.get(rule.column)
  // A rule about a column that the list no longer has never holds, so nobody is written to by mistake.
  if (!column) return never as unknown as RowTest
  const test = comparisons[rule.comparison].compile(column, rule, context)
  if (column === rowNumber) return (_, place) => test(String(place + 1))
  const known = remembered(test)
  return (row) => known(row.cells[column.id])
}

/** Compiles a choice of people, once for all rows. */
export function compileSelection(selection: Selection, columns: Column[], context: RuleContext): RowTest {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const compile = ({ match, rules }: Selection): RowTest => {
    // A set that is still empty says nothing, wherever it stands.
    const tests = rules
      .filter((rule) => isRule(rule) || rulesOf(rule).length > 0)
      .map((rule) => (isRule(rule) ? compileRule(rule, byId, context) : compile(rule)))
    if (tests.length === 0) return () => true
    return match === 'all'
      ? (row, place) => tests.every((test) => test(row, place))
      : (row, place) => tests.some((test) => test(row, place))
  }
  return compile(selection)
}

/** A rule in words: “Berth” is one of A1; A2. */
export function ruleWords(rule: Rule, columns: Column[], groupName: (id: number) => string = String): string {
  const column = [rowNumber, ...columns].find((c) => c.id === rule.column)
  const { words, takes } = comparisons[rule.comparison]
  const value =
    takes === 'nothing'
      ? ''
      : takes === 'two'
        ? ` ${rule.value} and ${rule.to ?? ''}`
        : takes === 'group'
          ? ` “${groupName(Number(rule.value))}”`
          : takes === 'many'
            ? ` ${manyValues(rule.value).join('; ')}`
            : ` ${rule.value === '' ? 'nothing' : rule.value}`
  return `${column ? `“${column.name}”` : 'a column that is gone'} ${words}${value}`
}

/** A choice in words, sets within it in brackets. */
export function selectionWords(selection: Selection, columns: Column[], groupName?: (id: number) => string): string {
  return selection.rules
    .map((rule) =>
      isRule(rule) ? ruleWords(rule, columns, groupName) : `(${selectionWords(rule, columns, groupName)})`,
    )
    .join(selection.match === 'all' ? ' and ' : ' or ')
}

/**
 * Why a row is not chosen, in words: of rules that must all hold, the first that does not; of rules of which one must hold,
 * that none does.
 */
export function whyNotChosen(
  row: Row,
  place: number,
  selection: Selection,
  columns: Column[],
  context: RuleContext,
  groupName?: (id: number) => string,
): string {
  if (selection.match === 'any') return `it is not so that ${selectionWords(selection, columns, groupName)}`
  for (const rule of selection.rules) {
    if (compileSelection({ match: 'all', rules: [rule] }, columns, context)(row, place)) continue
    return isRule(rule)
      ? `it is not so that ${ruleWords(rule, columns, groupName)}`
      : whyNotChosen(row, place, rule, columns, context, groupName)
  }
  return ''
}
