import { z } from '../schema.ts'
import type { Cell, Row } from './cell.ts'
import { type ComparisonName, comparisonNames, comparisons, manyValues, type RuleContext } from './comparisons.ts'
import type { PlainColumn } from './kinds.ts'
/** One rule: a column by id, a comparison, the value as it was entered, and for "between" the other end. */
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

/** The id of a column. */
export const columnIdSchema = z.string().regex(/^c\d+$/)
const ruleSchema: z.ZodType<Rule, Rule> = z.object({
  /** A column's id, or "row" for the row's number. */
  column: z.string().regex(/^(c\d+|row)$/),
  comparison: z.enum(comparisonNames),
  value: z.string().max(20_000),
  /** The other end of "between". */
  to: z.string().max(500).optional(),
})
// Four deep, one in another: as far as anybody can read.
const setOf = (rule: z.ZodType<Rule | Selection, Rule | Selection>): z.ZodType<Selection, Selection> =>
  z.object({ match: z.enum(['all', 'any']), rules: z.array(rule).max(100) })
const deepest = setOf(ruleSchema)
const deeper = setOf(z.union([ruleSchema, deepest]))
const deep = setOf(z.union([ruleSchema, deeper]))
/** A choice of people as it may come from outside. */
export const selectionSchema = setOf(z.union([ruleSchema, deep]))

/** Whether a part of a selection is a rule of its own; otherwise it is a set of rules. */
export const isRule = (rule: Rule | Selection): rule is Rule => 'comparison' in rule

/** Every single rule of a selection, however deep it stands. */
export function rulesOf(selection: Selection): Rule[] {
  return selection.rules.flatMap((rule) => (isRule(rule) ? [rule] : rulesOf(rule)))
}

/** The column that stands for a row's place in the list, counted from 1: what ranges of rows are chosen by. */
export const rowNumber: PlainColumn = { id: 'row', name: 'Row number', kind: 'number' }

/** Tests a row, given with its place in the list from 0. */
export type RowTest = (row: Row, place: number) => boolean

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

function compileRule(rule: Rule, columns: Map<string, PlainColumn>, context: RuleContext): RowTest {
  const column = rule.column === rowNumber.id ? rowNumber : columns.get(rule.column)
  // A rule about a column that the list no longer has never holds, so nobody is written to by mistake.
  if (!column) return () => false
  const test = comparisons[rule.comparison].compile(column, rule, context)
  if (column === rowNumber) return (_, place) => test(String(place + 1))
  const known = remembered(test)
  return (row) => known(row.cells[column.id])
}

/** Compiles a choice of people, once for all rows. */
export function compileSelection(selection: Selection, columns: readonly PlainColumn[], context: RuleContext): RowTest {
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
export function ruleWords(
  rule: Rule,
  columns: readonly PlainColumn[],
  groupName: (id: number) => string = String,
): string {
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
export function selectionWords(
  selection: Selection,
  columns: readonly PlainColumn[],
  groupName?: (id: number) => string,
): string {
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
  columns: readonly PlainColumn[],
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
