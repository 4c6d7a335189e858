import type { Column, Kind, Row } from './table.ts'
import { shown } from './table.ts'
import { readAmount, readDate, typed } from './value.ts'

/** One comparison that a rule may make: its name, its words, the kinds it is for, and what it means. */
interface Comparison {
  words: string
  kinds: readonly Kind[]
  /** Whether the writer gives a value to compare with. */
  takesValue: boolean
  holds(row: Row, column: Column, value: string): boolean
}

const every: readonly Kind[] = ['text', 'number', 'amount', 'date', 'dateTime', 'yesNo', 'address', 'files']
const wordKinds: readonly Kind[] = ['text', 'address', 'files']
const text = (row: Row, column: Column) => shown(row.cells[column.id]).trim().toLocaleLowerCase('en-GB')
const plain = (value: string) => value.trim().toLocaleLowerCase('en-GB')

/** Compares a cell with a typed-in value under the column's kind: below, equal or above 0; NaN when either does not read. */
function compare(row: Row, column: Column, value: string): number {
  const cell = typed(row.cells[column.id], column)
  if (cell === null) return Number.NaN
  if (column.kind === 'date' || column.kind === 'dateTime') {
    const other = readDate(value, column.dayFirst ?? true)
    if (other === null) return Number.NaN
    const [a, b] =
      column.kind === 'date' || other.length === 10
        ? [String(cell).slice(0, 10), other.slice(0, 10)]
        : [String(cell), other]
    return a < b ? -1 : a > b ? 1 : 0
  }
  const other = readAmount(value)
  return other === null || typeof cell !== 'number' ? Number.NaN : cell - other
}

function equal(row: Row, column: Column, value: string): boolean {
  if (column.kind === 'text' || column.kind === 'address' || column.kind === 'files')
    return text(row, column) === plain(value)
  if (column.kind === 'yesNo') return typed(row.cells[column.id], column) === typed(value, column)
  return compare(row, column, value) === 0
}

/** Every comparison a rule can make, by name. Texts compare without regard to case. */
export const comparisons = {
  is: { words: 'is', kinds: every, takesValue: true, holds: equal },
  isNot: { words: 'is not', kinds: every, takesValue: true, holds: (r, c, v) => !equal(r, c, v) },
  contains: {
    words: 'contains',
    kinds: wordKinds,
    takesValue: true,
    holds: (r, c, v) => text(r, c).includes(plain(v)),
  },
  begins: {
    words: 'begins with',
    kinds: wordKinds,
    takesValue: true,
    holds: (r, c, v) => text(r, c).startsWith(plain(v)),
  },
  isBlank: { words: 'is blank', kinds: every, takesValue: false, holds: (r, c) => text(r, c) === '' },
  isFilled: { words: 'is filled in', kinds: every, takesValue: false, holds: (r, c) => text(r, c) !== '' },
  before: {
    words: 'is before',
    kinds: ['date', 'dateTime'],
    takesValue: true,
    holds: (r, c, v) => compare(r, c, v) < 0,
  },
  after: { words: 'is after', kinds: ['date', 'dateTime'], takesValue: true, holds: (r, c, v) => compare(r, c, v) > 0 },
  below: { words: 'is below', kinds: ['number', 'amount'], takesValue: true, holds: (r, c, v) => compare(r, c, v) < 0 },
  above: { words: 'is above', kinds: ['number', 'amount'], takesValue: true, holds: (r, c, v) => compare(r, c, v) > 0 },
} satisfies Record<string, Comparison>

export type ComparisonName = keyof typeof comparisons
export const comparisonNames = Object.keys(comparisons) as [ComparisonName, ...ComparisonName[]]

/** The comparisons that make sense for a kind, in the order they are offered. */
export function comparisonsFor(kind: Kind): ComparisonName[] {
  return comparisonNames.filter((name) => (comparisons[name].kinds as readonly Kind[]).includes(kind))
}

/** One rule: a column by id, a comparison, and the value as typed. */
export interface Rule {
  column: string
  comparison: ComparisonName
  value: string
}

/** The writer's choice of people: rules on one level, of which all or any must hold. No rules choose everybody. */
export interface Selection {
  match: 'all' | 'any'
  rules: Rule[]
}

/** Whether a row is chosen. A rule about a column that the list no longer has never holds, so nobody is written to by mistake. */
export function isChosen(row: Row, selection: Selection, columns: Map<string, Column>): boolean {
  if (selection.rules.length === 0) return true
  const holds = (rule: Rule) => {
    const column = columns.get(rule.column)
    return column !== undefined && comparisons[rule.comparison].holds(row, column, rule.value)
  }
  return selection.match === 'all' ? selection.rules.every(holds) : selection.rules.some(holds)
}
