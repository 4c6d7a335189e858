import Big from 'big.js'
import { addBusinessDays, addDays, addMonths, format, isWeekend } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { inThousands } from './plainText.ts'
import { compileSelection, type RuleContext, type Selection } from './rules.ts'
import { type Cell, type Column, isBlank, type Row, shown } from './table.ts'
import { typed } from './value.ts'

/** Words that stand in a derived cell: fixed, or another column's. */
export type Part = { text: string } | { column: string }

/** How the cells of a derived column are made. Columns are named by id. */
export type Recipe =
  /** Words one after another, blanks left out together with the sign between. */
  | { do: 'joined'; parts: Part[]; between: string }
  /** The first case whose rules a row fits, else the last. */
  | { do: 'byRule'; cases: { when: Selection; write: Part }[]; otherwise: Part }
  /** Two figures worked into one. Without `decimals` nothing is rounded that need not be. */
  | { do: 'workedOut'; left: Figure; sign: Sign; right: Figure; decimals: number | null }
  /** A date so much later, or earlier below 0. Working days are Monday to Friday but for the days off (ISO text). */
  | { do: 'dateMoved'; column: string; by: number; unit: DateUnit; daysOff: string[] }
  | { do: 'partOf'; column: string; part: TextPart; count: number; mark: string }
  | { do: 'case'; column: string; case: LetterCase }
  /** The value in another list, in the row whose key is this row's. */
  | { do: 'lookedUp'; column: string; list: number; key: string; value: string }

export type Figure = { number: number } | { column: string }
export const signs = ['+', '−', '×', '÷'] as const
export type Sign = (typeof signs)[number]
export const dateUnits = ['days', 'weeks', 'months', 'workingDays'] as const
export type DateUnit = (typeof dateUnits)[number]
export const textParts = ['firstWord', 'lastWord', 'firstLetters', 'lastLetters', 'before', 'after'] as const
export type TextPart = (typeof textParts)[number]
export const letterCases = ['upper', 'lower', 'title', 'sentence'] as const
export type LetterCase = (typeof letterCases)[number]

/** The columns that a recipe reads, by id; of another list's, none. */
export function columnsOfRecipe(recipe: Recipe): string[] {
  const ofPart = (part: Part | Figure) => ('column' in part ? [part.column] : [])
  const ofSelection = (selection: Selection): string[] =>
    selection.rules.flatMap((rule) => ('comparison' in rule ? [rule.column] : ofSelection(rule)))
  switch (recipe.do) {
    case 'joined':
      return recipe.parts.flatMap(ofPart)
    case 'byRule':
      return [...recipe.cases.flatMap((c) => [...ofSelection(c.when), ...ofPart(c.write)]), ...ofPart(recipe.otherwise)]
    case 'workedOut':
      return [...ofPart(recipe.left), ...ofPart(recipe.right)]
    default:
      return [recipe.column]
  }
}

/** The kind that the cells of a recipe have. */
export function kindOfRecipe(recipe: Recipe, columns: Column[]): Column['kind'] {
  const kindOf = (id: string) => columns.find((c) => c.id === id)?.kind ?? 'text'
  switch (recipe.do) {
    case 'workedOut':
      return [recipe.left, recipe.right].some((f) => 'column' in f && kindOf(f.column) === 'amount')
        ? 'amount'
        : 'number'
    case 'dateMoved':
      return kindOf(recipe.column) === 'dateTime' ? 'dateTime' : 'date'
    default:
      return 'text'
  }
}

/** Another list, for looking up. */
export interface OtherList {
  name: string
  columns: Column[]
  rows: Row[]
}

/** A list's rows with their derived cells. */
export interface Deriver {
  /** Whether the list has derived columns at all. */
  any: boolean
  /** The row with its derived cells filled in; a cell that cannot be worked out is blank. */
  derive(row: Row): Row
  /** Why cells of a row could not be worked out, by column id. */
  faults(row: Row): Record<string, string>
}

/** A derived cell, or why there is none. */
type Made = { cell?: Cell; fault?: string }

const blank: Made = {}
const key = (cell: Cell | undefined) => shown(cell).normalize('NFC').trim().toLocaleLowerCase('en-GB')

/**
 * Compiles the recipes of a list's columns: each is worked out after those that it reads.
 * @param others the lists that are looked into, by id.
 */
export function compileRecipes(columns: Column[], context: RuleContext, others: Map<number, OtherList>): Deriver {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const steps: { column: Column; make: (row: Row, faults: Record<string, string>) => Made }[] = []
  const state = new Map<string, 'begun' | 'done'>()
  const circles = new Set<string>()
  const visit = (column: Column, path: string[]) => {
    if (!column.recipe || state.get(column.id) === 'done') return
    if (state.get(column.id) === 'begun') {
      for (const id of path.slice(path.indexOf(column.id))) circles.add(id)
      return
    }
    state.set(column.id, 'begun')
    for (const id of columnsOfRecipe(column.recipe)) {
      const read = byId.get(id)
      if (read) visit(read, [...path, column.id])
    }
    state.set(column.id, 'done')
    const make = compileRecipe(column.recipe)
    steps.push({
      column,
      make: (row, faults) => {
        if (circles.has(column.id))
          return { fault: 'its recipe leads back to itself; change one of the columns it reads' }
        for (const id of columnsOfRecipe(column.recipe!)) {
          if (!byId.has(id)) return { fault: 'a column that its recipe reads is gone' }
          if (faults[id]) return { fault: `“${byId.get(id)!.name}” cannot be worked out here: ${faults[id]}` }
        }
        return make(row)
      },
    })
  }
  for (const column of columns) visit(column, [])

  const partOf = (part: Part, row: Row): Cell | undefined =>
    'text' in part ? (part.text === '' ? undefined : part.text) : row.cells[part.column]

  function compileRecipe(recipe: Recipe): (row: Row) => Made {
    switch (recipe.do) {
      case 'joined':
        return (row) => {
          const words = recipe.parts.map((p) => shown(partOf(p, row)).trim()).filter((w) => w !== '')
          return words.length > 0 ? { cell: words.join(recipe.between) } : blank
        }
      case 'byRule': {
        const cases = recipe.cases.map((c) => ({ fits: compileSelection(c.when, columns, context), write: c.write }))
        return (row) => {
          const cell = partOf((cases.find((c) => c.fits(row, 0)) ?? { write: recipe.otherwise }).write, row)
          return cell === undefined ? blank : { cell: shown(cell) }
        }
      }
      case 'workedOut':
        return (row) => workOut(recipe, row, byId)
      case 'dateMoved':
        return (row) => moveDate(recipe, row.cells[recipe.column], byId.get(recipe.column)!)
      case 'partOf':
        return (row) => {
          const text = partOfText(shown(row.cells[recipe.column]).trim(), recipe)
          return text === null
            ? { fault: `“${recipe.mark}” does not stand in it` }
            : text === ''
              ? blank
              : { cell: text }
        }
      case 'case':
        return (row) => {
          const text = shown(row.cells[recipe.column]).trim()
          return text === '' ? blank : { cell: inCase(text, recipe.case) }
        }
      case 'lookedUp':
        return lookUp(recipe)
    }
  }

  function lookUp(recipe: Extract<Recipe, { do: 'lookedUp' }>): (row: Row) => Made {
    const other = others.get(recipe.list)
    if (!other) return () => ({ fault: 'the list that it looks into is gone' })
    const keyName = other.columns.find((c) => c.id === recipe.key)?.name
    const valueColumn = other.columns.find((c) => c.id === recipe.value)
    if (keyName === undefined || !valueColumn)
      return () => ({ fault: `“${other.name}” no longer has the column that it looks into` })
    let index: Map<string, Cell | undefined | null> | null = null
    return (row) => {
      if (!index) {
        // Null where several rows have the same key but not the same value.
        index = new Map()
        for (const there of other.rows) {
          const k = key(there.cells[recipe.key])
          if (k === '') continue
          const value = there.cells[recipe.value]
          index.set(k, index.has(k) && shown(index.get(k) ?? undefined) !== shown(value) ? null : value)
        }
      }
      const cell = row.cells[recipe.column]
      if (isBlank(cell)) return blank
      const found = index.get(key(cell))
      if (found === null)
        return { fault: `“${other.name}” has several rows with “${shown(cell).trim()}” that do not say the same` }
      if (found === undefined && !index.has(key(cell)))
        return { fault: `“${other.name}” has no row with “${shown(cell).trim()}” in “${keyName}”` }
      return found === undefined ? blank : { cell: found }
    }
  }

  const work = (row: Row) => {
    const cells = { ...row.cells }
    const whole = { ...row, cells }
    const faults: Record<string, string> = {}
    for (const { column, make } of steps) {
      const { cell, fault } = make(whole, faults)
      if (cell === undefined) delete cells[column.id]
      else cells[column.id] = cell
      if (fault) faults[column.id] = fault
    }
    return { whole, faults }
  }
  return {
    any: steps.length > 0,
    derive: (row) => (steps.length === 0 ? row : work(row).whole),
    faults: (row) => (steps.length === 0 ? {} : work(row).faults),
  }
}

const currency = /[£€$¥]|GBP|EUR|USD/

function workOut(recipe: Extract<Recipe, { do: 'workedOut' }>, row: Row, columns: Map<string, Column>): Made {
  let amountSign: string | null = null
  const figures: Big[] = []
  for (const figure of [recipe.left, recipe.right]) {
    if ('number' in figure) {
      figures.push(new Big(figure.number))
      continue
    }
    const column = columns.get(figure.column)!
    const cell = row.cells[column.id]
    if (isBlank(cell)) return { fault: `“${column.name}” is blank here` }
    const asNumber =
      column.kind === 'number' || column.kind === 'amount' ? column : { ...column, kind: 'amount' as const }
    const value = typed(cell, asNumber)
    if (typeof value !== 'number') return { fault: `“${shown(cell).trim()}” in “${column.name}” is no number` }
    if (column.kind === 'amount') amountSign ??= currency.exec(shown(cell))?.[0] ?? ''
    figures.push(new Big(value))
  }
  const [left, right] = figures
  if (recipe.sign === '÷' && right.eq(0)) return { fault: 'it would divide by nothing' }
  const exact =
    recipe.sign === '+'
      ? left.plus(right)
      : recipe.sign === '−'
        ? left.minus(right)
        : recipe.sign === '×'
          ? left.times(right)
          : left.div(right)
  // Halves are rounded away from nothing, as sums of money are; money has two decimals unless said otherwise.
  const decimals = recipe.decimals ?? (amountSign === null ? null : 2)
  const result = decimals === null ? exact.round(10) : exact.round(decimals)
  const digits = decimals === null ? result.toFixed() : result.toFixed(decimals)
  const value = result.toNumber()
  if (amountSign === null) return { cell: { shown: digits, value } }
  const [whole, fraction] = digits.replace('-', '').split('.')
  const grouped = `${inThousands(whole)}${fraction ? `.${fraction}` : ''}`
  const minus = result.lt(0) ? '-' : ''
  return {
    cell: {
      shown: amountSign.length > 1 ? `${minus}${grouped} ${amountSign}` : `${minus}${amountSign}${grouped}`,
      value,
    },
  }
}

function moveDate(recipe: Extract<Recipe, { do: 'dateMoved' }>, cell: Cell | undefined, column: Column): Made {
  if (isBlank(cell)) return blank
  const asDate = column.kind === 'date' || column.kind === 'dateTime' ? column : { ...column, kind: 'date' as const }
  const iso = typed(cell, asDate)
  if (typeof iso !== 'string' || !/^\d{4}-\d\d-\d\d/.test(iso))
    return { fault: `“${shown(cell).trim()}” in “${column.name}” is no date` }
  const [y, m, d] = iso.slice(0, 10).split('-').map(Number)
  // Noon, so that no change of the clocks moves the day.
  const from = new Date(y, m - 1, d, 12)
  const to =
    recipe.unit === 'days'
      ? addDays(from, recipe.by)
      : recipe.unit === 'weeks'
        ? addDays(from, 7 * recipe.by)
        : recipe.unit === 'months'
          ? addMonths(from, recipe.by)
          : addWorkingDays(from, recipe.by, recipe.daysOff)
  const text = shown(cell).trim()
  // Written as the date it comes from is written.
  const pattern = /[A-Za-z]{3}/.test(text) ? 'd MMMM yyyy' : /^\d{4}-/.test(text) ? 'yyyy-MM-dd' : 'dd/MM/yyyy'
  const time = iso.slice(10)
  return {
    cell: {
      shown: `${format(to, pattern, { locale: enGB })}${time && ` ${time.slice(1)}`}`,
      value: `${format(to, 'yyyy-MM-dd')}${time}`,
    },
  }
}

/** So many working days on: a day off counts as no day, wherever it falls. */
function addWorkingDays(from: Date, days: number, daysOff: string[]): Date {
  const off = new Set(daysOff)
  if (off.size === 0) return addBusinessDays(from, days)
  const step = Math.sign(days)
  let day = from
  for (let left = Math.abs(days); left > 0; ) {
    day = addDays(day, step)
    if (!isWeekend(day) && !off.has(format(day, 'yyyy-MM-dd'))) left--
  }
  return day
}

function partOfText(text: string, { part, count, mark }: Extract<Recipe, { do: 'partOf' }>): string | null {
  if (text === '') return ''
  const letters = () => [...new Intl.Segmenter('en-GB').segment(text)].map((s) => s.segment)
  switch (part) {
    case 'firstWord':
      return text.split(/\s+/)[0]
    case 'lastWord':
      return text.split(/\s+/).at(-1)!
    case 'firstLetters':
      return letters().slice(0, count).join('')
    case 'lastLetters':
      return count === 0 ? '' : letters().slice(-count).join('')
    case 'before':
      return mark !== '' && text.includes(mark) ? text.slice(0, text.indexOf(mark)).trim() : null
    case 'after':
      return mark !== '' && text.includes(mark) ? text.slice(text.indexOf(mark) + mark.length).trim() : null
  }
}

/** A text in capitals, small letters, each word with a capital, or only the first. */
export function inCase(text: string, letterCase: LetterCase): string {
  const lower = text.toLocaleLowerCase('en-GB')
  switch (letterCase) {
    case 'upper':
      return text.toLocaleUpperCase('en-GB')
    case 'lower':
      return lower
    case 'title':
      return lower.replace(/(?<=^|[\s\-–/(]|\b\p{L}')\p{L}/gu, (letter) => letter.toLocaleUpperCase('en-GB'))
    case 'sentence':
      return lower.replace(/\p{L}/u, (letter) => letter.toLocaleUpperCase('en-GB'))
  }
}
