import { z } from '../schema.ts'
import type { Cell, Row } from './cell.ts'
import {
  type ComparisonName,
  comparisonNames,
  comparisons,
  manyValues,
  type RuleContext,
  unreadValues,
  valuesOf,
} from './comparisons.ts'
import { kinds, type PlainColumn } from './kinds.ts'
import { numberedTexts } from './numberedTexts.ts'
import { cellIn } from './packed.ts'
import { rules as say } from './words.ts'

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

/**
 * The column that stands for a row's number: what ranges of rows are chosen by. Rows are numbered as in the sheet that the list came
 * from, where the headings take a row.
 */
export const rowNumber: PlainColumn = { id: 'row', name: say.rowNumber, kind: 'number' }

/** What keeps a rule from being followed: it is not finished yet, its column is gone, or what it is compared with cannot be read. */
export interface RuleFault {
  why: 'unfinished' | 'columnGone' | 'unread'
  /** In words, with what it means for who is chosen. */
  words: string
}

/** What keeps a rule from being followed; null when nothing does. */
export function ruleFault(rule: Rule, columns: readonly PlainColumn[]): RuleFault | null {
  const column = [rowNumber, ...columns].find((c) => c.id === rule.column)
  if (!column) return { why: 'columnGone', words: say.columnRuleGoneSo }
  if (!valuesOf(rule).finished) return { why: 'unfinished', words: say.ruleNotFinishedSo }
  const unread = unreadValues(column, rule)
  if (unread.length === 0) return null
  const holds =
    comparisons[rule.comparison].takes === 'days'
      ? say.notNumberDays
      : say.doesNotReadAs(kinds[column.kind].one, column.name)
  return { why: 'unread', words: say.soNobodyFitsRule(unread[0].slice(0, 80), holds) }
}

/** What keeps the rules of a choice from being followed, each named; none where all can be. */
export const selectionFaults = (selection: Selection, columns: readonly PlainColumn[]): string[] =>
  rulesOf(selection).flatMap((rule) => {
    const fault = ruleFault(rule, columns)
    return fault ? [`${ruleWords(rule, columns)}: ${fault.words}`] : []
  })

/** Tests a row. A rule about its number holds for none that has no number. */
export type RowTest = (row: Row) => boolean

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

/** Tests a row that is given with its place among others. */
type TestAt = (row: Row, place: number) => boolean

function compileRule(
  rule: Rule,
  columns: Map<string, PlainColumn>,
  context: RuleContext,
  rows: readonly Row[] | null,
): TestAt {
  const column = rule.column === rowNumber.id ? rowNumber : columns.get(rule.column)
  // A rule about a column that the list no longer has never holds, so nobody is written to by mistake.
  if (!column) return () => false
  // Nor does one whose value cannot be read, whatever it would say of that value: “is not” of nonsense must not choose everybody.
  if (unreadValues(column, rule).length > 0) return () => false
  const test = comparisons[rule.comparison].compile(column, rule, context)
  if (column === rowNumber) return (row) => test(row.number === undefined ? undefined : String(row.number))
  if (rows !== null) return numberedTexts(rows, column.id).compile(test)
  const known = remembered(test)
  return (row) => known(cellIn(row, column.id))
}

/** Whether a part of a selection counts: a rule that is not finished and a set without any that is say nothing, wherever they stand. */
export const isFollowed = (rule: Rule | Selection): boolean =>
  isRule(rule) ? valuesOf(rule).finished : rule.rules.some(isFollowed)

function compileTests(
  selection: Selection,
  columns: readonly PlainColumn[],
  context: RuleContext,
  rows: readonly Row[] | null,
): TestAt {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const compile = ({ match, rules }: Selection): TestAt => {
    const tests = rules
      .filter(isFollowed)
      .map((rule) => (isRule(rule) ? compileRule(rule, byId, context, rows) : compile(rule)))
    if (tests.length === 0) return () => true
    if (tests.length === 1) return tests[0]
    return match === 'all'
      ? (row, place) => tests.every((test) => test(row, place))
      : (row, place) => tests.some((test) => test(row, place))
  }
  return compile(selection)
}

/** Compiles a choice of people, once for all rows. */
export function compileSelection(selection: Selection, columns: readonly PlainColumn[], context: RuleContext): RowTest {
  const test = compileTests(selection, columns, context, null)
  return (row) => test(row, 0)
}

/**
 * Compiles a choice of people for certain rows, of which it remembers what stands in their columns: of many rows the next choice is found
 * twice as fast.
 * @returns a test of a row and its place (from 0) among these rows.
 */
export const compileSelectionOf = (
  rows: readonly Row[],
  selection: Selection,
  columns: readonly PlainColumn[],
  context: RuleContext,
): ((row: Row, place: number) => boolean) => compileTests(selection, columns, context, rows)

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
  return `${column ? `“${column.name}”` : say.columnGone} ${words}${value}`
}

/** A choice in words, sets within it in brackets; '' where nothing counts, and everybody is chosen. */
export function selectionWords(
  selection: Selection,
  columns: readonly PlainColumn[],
  groupName?: (id: number) => string,
): string {
  return selection.rules
    .filter(isFollowed)
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
  selection: Selection,
  columns: readonly PlainColumn[],
  context: RuleContext,
  groupName?: (id: number) => string,
): string {
  if (selection.match === 'any') return say.notSo(selectionWords(selection, columns, groupName))
  for (const rule of selection.rules) {
    if (compileSelection({ match: 'all', rules: [rule] }, columns, context)(row)) continue
    const fault = isRule(rule) && ruleFault(rule, columns)
    // Part of a sentence, as all these are.
    if (fault) return fault.words.replace(/\.$/, '')
    return isRule(rule)
      ? say.notSo2(ruleWords(rule, columns, groupName))
      : whyNotChosen(row, rule, columns, context, groupName)
  }
  return ''
}
