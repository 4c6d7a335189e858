import Big from 'big.js'
import { addBusinessDays, addDays, addMonths, format, isWeekend } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { z } from '../schema.ts'
import { type Cell, isBlank, type Row, sameTextKey, shown } from './cell.ts'
import type { RuleContext } from './comparisons.ts'
import { familyOf, isDay, isFigure, type Kind, type PlainColumn, parsedValue } from './kinds.ts'
import { inThousands } from './plainText.ts'
import { columnIdSchema, compileSelection, rulesOf, selectionSchema } from './rules.ts'
import { recipes as say } from './words.ts'

/** A derived cell, or why there is none. */
export type Derived = { cell?: Cell; fault?: string }

/** Another list, for looking up. */
export interface OtherList {
  name: string
  columns: readonly PlainColumn[]
  rows: Row[]
}

/** What may be asked of a round about each row of its list. */
export const cameOfFields = ['outcome', 'word', 'choice', 'repliedAt', 'files', 'chased'] as const
export type CameOfField = (typeof cameOfFields)[number]

/** What came of a round, for the rows of the list that it was posted to. */
export interface CameOf {
  title: string
  /** In words, by the row's id; what there is none of is left out. */
  rows: ReadonlyMap<number, Readonly<Partial<Record<CameOfField, string>>>>
}

/** What recipes look into besides their own list, by id. */
export interface Beside {
  lists: ReadonlyMap<number, OtherList>
  rounds: ReadonlyMap<number, CameOf>
}
/** For lists that look into nothing else. */
export const nothingBeside: Beside = { lists: new Map(), rounds: new Map() }

/** What a recipe may look at besides the row. */
interface Around {
  columns: ReadonlyMap<string, PlainColumn>
  context: RuleContext
  beside: Beside
}

/** One way of making a column's cells of others. */
interface RecipeEntry<R> {
  /** What it does, and an example of it. */
  words: readonly [name: string, example: string]
  schema: z.ZodType<R>
  /** The simplest of its kind, to begin with. There is one column at least. */
  begun: (columns: readonly PlainColumn[]) => R
  /** The columns of its own list that it reads, by id. */
  dependsOn: (recipe: R) => string[]
  /** The kind that its cells have; text when left out. */
  kind?: (recipe: R, kindOf: (id: string) => Kind) => Kind
  /** Makes the cell of a row; the columns that it reads are there. */
  compile: (recipe: R, around: Around) => (row: Row) => Derived
}

/** Sees to it that an entry's functions take what its schema gives. */
const recipe =
  <S extends z.ZodObject>(schema: S) =>
  (entry: Omit<RecipeEntry<z.output<S>>, 'schema'>) => ({ schema, ...entry })

const blank: Derived = {}
const key = (cell: Cell | undefined) => sameTextKey(shown(cell))

const partSchema = z.union([z.object({ text: z.string().max(2000) }), z.object({ column: columnIdSchema })])
/** Words that stand in a derived cell: fixed, or another column's. */
export type Part = z.infer<typeof partSchema>
const figureSchema = z.union([z.object({ number: z.number() }), z.object({ column: columnIdSchema })])
/** A figure: fixed, or another column's. */
export type Figure = z.infer<typeof figureSchema>
const ofPart = (part: Part | Figure): string[] => ('column' in part ? [part.column] : [])
const partOf = (part: Part, row: Row): Cell | undefined =>
  'text' in part ? (part.text === '' ? undefined : part.text) : row.cells[part.column]
const firstOf = (columns: readonly PlainColumn[], fits: (column: PlainColumn) => boolean = () => true) =>
  (columns.find(fits) ?? columns[0]).id

const joinedSchema = z.object({
  do: z.literal('joined'),
  parts: z.array(partSchema).min(1).max(20),
  between: z.string().max(50),
})

const joined = recipe(joinedSchema)({
  words: [say.joinWords, say.firstLastNameOne],
  begun: (columns) => ({
    do: 'joined',
    parts: [{ column: columns[0].id }, { column: (columns[1] ?? columns[0]).id }],
    between: ' ',
  }),
  dependsOn: ({ parts }) => parts.flatMap(ofPart),
  // Blanks are left out together with what stands between.
  compile:
    ({ parts, between }) =>
    (row) => {
      const words = parts.map((p) => shown(partOf(p, row)).trim()).filter((w) => w !== '')
      return words.length > 0 ? { cell: words.join(between) } : blank
    },
})

const byRuleSchema = z.object({
  do: z.literal('byRule'),
  cases: z
    .array(z.object({ when: selectionSchema, write: partSchema }))
    .min(1)
    .max(20),
  otherwise: partSchema,
})

const byRule = recipe(byRuleSchema)({
  words: [say.chooseRule, say.longWhereLengthAbove],
  begun: (columns) => ({
    do: 'byRule',
    cases: [
      {
        when: { match: 'all', rules: [{ column: columns[0].id, comparison: 'isFilled', value: '' }] },
        write: { text: 'yes' },
      },
    ],
    otherwise: { text: 'no' },
  }),
  dependsOn: ({ cases, otherwise }) => [
    ...cases.flatMap((c) => [...rulesOf(c.when).map((rule) => rule.column), ...ofPart(c.write)]),
    ...ofPart(otherwise),
  ],
  // The first case whose rules a row fits, else the last.
  compile: ({ cases, otherwise }, { columns, context }) => {
    const compiled = cases.map((c) => ({
      fits: compileSelection(c.when, [...columns.values()], context),
      write: c.write,
    }))
    return (row) => {
      const cell = partOf((compiled.find((c) => c.fits(row)) ?? { write: otherwise }).write, row)
      return cell === undefined ? blank : { cell: shown(cell) }
    }
  },
})

export const signs = ['+', '−', '×', '÷'] as const
export type Sign = (typeof signs)[number]

const workedOutSchema = z.object({
  do: z.literal('workedOut'),
  left: figureSchema,
  sign: z.enum(signs),
  right: figureSchema,
  /** Null: nothing is rounded that need not be. */
  decimals: z.number().int().min(0).max(8).nullable(),
})
type WorkedOut = z.infer<typeof workedOutSchema>

const workedOut = recipe(workedOutSchema)({
  words: [say.workOutFigure, say.feeTimes12],
  begun: (columns) => ({
    do: 'workedOut',
    left: { column: firstOf(columns, isFigure) },
    sign: '×',
    right: { number: 1 },
    decimals: null,
  }),
  dependsOn: ({ left, right }) => [...ofPart(left), ...ofPart(right)],
  kind: ({ left, right }, kindOf) =>
    [left, right].some((f) => 'column' in f && kindOf(f.column) === 'amount') ? 'amount' : 'number',
  compile:
    (given, { columns }) =>
    (row) =>
      workOut(given, row, columns),
})

export const dateUnits = ['days', 'weeks', 'months', 'workingDays'] as const
export type DateUnit = (typeof dateUnits)[number]

const dateMovedSchema = z.object({
  do: z.literal('dateMoved'),
  column: columnIdSchema,
  /** So much later, or earlier below 0. */
  by: z.number().int().min(-40_000).max(40_000),
  unit: z.enum(dateUnits),
  /** Working days are Monday to Friday but for these, as ISO text. */
  daysOff: z.array(z.iso.date()).max(400),
})
type DateMoved = z.infer<typeof dateMovedSchema>

const dateMoved = recipe(dateMovedSchema)({
  words: [say.moveDate, say.tenWorkingDaysBefore],
  begun: (columns) => ({ do: 'dateMoved', column: firstOf(columns, isDay), by: 1, unit: 'days', daysOff: [] }),
  dependsOn: ({ column }) => [column],
  kind: ({ column }, kindOf) => (familyOf({ kind: kindOf(column) }) === 'day' ? kindOf(column) : 'date'),
  compile:
    (given, { columns }) =>
    (row) =>
      moveDate(given, row.cells[given.column], columns.get(given.column)!),
})

export const textParts = ['firstWord', 'lastWord', 'firstLetters', 'lastLetters', 'before', 'after'] as const
export type TextPart = (typeof textParts)[number]

const partOfWordsSchema = z.object({
  do: z.literal('partOf'),
  column: columnIdSchema,
  part: z.enum(textParts),
  count: z.number().int().min(0).max(1000),
  mark: z.string().max(50),
})
type PartOfWords = z.infer<typeof partOfWordsSchema>

const partOfWords = recipe(partOfWordsSchema)({
  words: [say.takePart, say.firstWordWhatStands],
  begun: (columns) => ({ do: 'partOf', column: columns[0].id, part: 'firstWord', count: 1, mark: '' }),
  dependsOn: ({ column }) => [column],
  compile: (given) => (row) => {
    const text = partOfText(shown(row.cells[given.column]).trim(), given)
    return text === null ? { fault: say.doesNotStand(given.mark) } : text === '' ? blank : { cell: text }
  },
})

export const letterCases = ['upper', 'lower', 'title', 'sentence'] as const
export type LetterCase = (typeof letterCases)[number]

const changedCaseSchema = z.object({ do: z.literal('case'), column: columnIdSchema, case: z.enum(letterCases) })

const changedCase = recipe(changedCaseSchema)({
  words: [say.changeCapitals, say.adaPenroseBecomesAda],
  begun: (columns) => ({ do: 'case', column: columns[0].id, case: 'title' }),
  dependsOn: ({ column }) => [column],
  compile: (given) => (row) => {
    const text = shown(row.cells[given.column]).trim()
    return text === '' ? blank : { cell: inCase(text, given.case) }
  },
})

const lookedUpSchema = z.object({
  do: z.literal('lookedUp'),
  column: columnIdSchema,
  /** The other list; its row whose key is this row's has the value. */
  list: z.number().int().positive(say.chooseList),
  key: columnIdSchema,
  value: columnIdSchema,
})
type LookedUp = z.infer<typeof lookedUpSchema>

const lookedUp = recipe(lookedUpSchema)({
  words: [say.lookUpAnotherList, say.wardenBerthSPontoon],
  // No list is chosen yet, so nothing can come of it.
  begun: (columns) => ({ do: 'lookedUp', column: columns[0].id, list: 0, key: 'c1', value: 'c2' }),
  dependsOn: ({ column }) => [column],
  compile: (given, { beside }) => lookUp(given, beside.lists.get(given.list)),
})

const cameOfSchema = z.object({
  do: z.literal('cameOf'),
  /** A round that was posted to this list. */
  round: z.number().int().positive(say.chooseRound),
  what: z.enum(cameOfFields),
})

const cameOf = recipe(cameOfSchema)({
  words: [say.cameOf, say.whoHasNotAnswered],
  // No round is chosen yet, so nothing can come of it.
  begun: () => ({ do: 'cameOf', round: 0, what: 'outcome' }),
  kind: ({ what }) => (what === 'repliedAt' ? 'dateTime' : what === 'files' || what === 'chased' ? 'number' : 'text'),
  dependsOn: () => [],
  compile: ({ round, what }, { beside }) => {
    const rows = beside.rounds.get(round)?.rows
    if (!rows) return () => ({ fault: say.roundGone })
    return (row) => {
      const cell = rows.get(row.id)?.[what]
      return cell === undefined ? blank : { cell }
    }
  },
})

/** Every way of making a column's cells, by name, in the order in which they are offered. A recipe is an entry of this table. */
export const recipes = {
  joined,
  byRule,
  workedOut,
  dateMoved,
  partOf: partOfWords,
  case: changedCase,
  lookedUp,
  cameOf,
}
export type RecipeName = keyof typeof recipes
export const recipeNames = Object.keys(recipes) as RecipeName[]
/** How the cells of a derived column are made. Columns are named by id. */
export type Recipe = z.infer<(typeof recipes)[RecipeName]['schema']>
/** A recipe as it may come from outside. */
export const recipeSchema: z.ZodType<Recipe, Recipe> = z.discriminatedUnion('do', [
  joined.schema,
  byRule.schema,
  workedOut.schema,
  dateMoved.schema,
  partOfWords.schema,
  changedCase.schema,
  lookedUp.schema,
  cameOf.schema,
])

const entryOf = (of: Recipe): RecipeEntry<Recipe> => recipes[of.do] as unknown as RecipeEntry<Recipe>

/** The columns that a recipe reads, by id; of another list's, none. */
export const dependsOn = (of: Recipe): string[] => entryOf(of).dependsOn(of)

/** The kind that the cells of a recipe have. */
export function kindOfRecipe(of: Recipe, columns: readonly PlainColumn[]): Kind {
  const kindOf = (id: string) => columns.find((c) => c.id === id)?.kind ?? 'text'
  return entryOf(of).kind?.(of, kindOf) ?? 'text'
}

/** Compiles one recipe: gives what makes the cell of a row, or says why it cannot be made. The columns that it reads must be there. */
export const compileRecipe = (of: Recipe, around: Around): ((row: Row) => Derived) => entryOf(of).compile(of, around)

const currency = /[£€$¥]|GBP|EUR|USD/

function workOut(given: WorkedOut, row: Row, columns: ReadonlyMap<string, PlainColumn>): Derived {
  let amountSign: string | null = null
  const figures: Big[] = []
  for (const figure of [given.left, given.right]) {
    if ('number' in figure) {
      figures.push(new Big(figure.number))
      continue
    }
    const column = columns.get(figure.column)!
    const cell = row.cells[column.id]
    if (isBlank(cell)) return { fault: say.blankHere(column.name) }
    const asNumber = isFigure(column) ? column : { ...column, kind: 'amount' as const }
    const value = parsedValue(cell, asNumber)
    if (typeof value !== 'number') return { fault: say.noNumber(shown(cell).trim(), column.name) }
    if (column.kind === 'amount') amountSign ??= currency.exec(shown(cell))?.[0] ?? ''
    figures.push(new Big(value))
  }
  const [left, right] = figures
  if (given.sign === '÷' && right.eq(0)) return { fault: say.wouldDivideNothing }
  const exact =
    given.sign === '+'
      ? left.plus(right)
      : given.sign === '−'
        ? left.minus(right)
        : given.sign === '×'
          ? left.times(right)
          : left.div(right)
  // Halves are rounded away from nothing, as sums of money are; money has two decimals unless said otherwise.
  const decimals = given.decimals ?? (amountSign === null ? null : 2)
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

function moveDate(given: DateMoved, cell: Cell | undefined, column: PlainColumn): Derived {
  if (isBlank(cell)) return blank
  const asDate = isDay(column) ? column : { ...column, kind: 'date' as const }
  const iso = parsedValue(cell, asDate)
  if (typeof iso !== 'string' || !/^\d{4}-\d\d-\d\d/.test(iso))
    return { fault: say.noDate(shown(cell).trim(), column.name) }
  const [y, m, d] = iso.slice(0, 10).split('-').map(Number)
  // Noon, so that no change of the clocks moves the day.
  const from = new Date(y, m - 1, d, 12)
  const to =
    given.unit === 'days'
      ? addDays(from, given.by)
      : given.unit === 'weeks'
        ? addDays(from, 7 * given.by)
        : given.unit === 'months'
          ? addMonths(from, given.by)
          : addWorkingDays(from, given.by, given.daysOff)
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

function partOfText(text: string, { part, count, mark }: PartOfWords): string | null {
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

function lookUp(given: LookedUp, other: OtherList | undefined): (row: Row) => Derived {
  if (!other) return () => ({ fault: say.listLooksIntoGone })
  const keyName = other.columns.find((c) => c.id === given.key)?.name
  const valueColumn = other.columns.find((c) => c.id === given.value)
  if (keyName === undefined || !valueColumn) return () => ({ fault: say.noLongerHasColumn(other.name) })
  let index: Map<string, Cell | undefined | null> | null = null
  return (row) => {
    if (!index) {
      // Null where several rows have the same key but not the same value.
      index = new Map()
      for (const there of other.rows) {
        const k = key(there.cells[given.key])
        if (k === '') continue
        const value = there.cells[given.value]
        index.set(k, index.has(k) && shown(index.get(k) ?? undefined) !== shown(value) ? null : value)
      }
    }
    const cell = row.cells[given.column]
    if (isBlank(cell)) return blank
    const found = index.get(key(cell))
    if (found === null) return { fault: say.hasSeveralRowsDo(other.name, shown(cell).trim()) }
    if (found === undefined && !index.has(key(cell)))
      return { fault: say.hasNoRow(other.name, shown(cell).trim(), keyName) }
    return found === undefined ? blank : { cell: found }
  }
}

/**
 * A text in capitals, small letters, each word with a capital, or only the first.
 * @example inCase('ADA PENROSE', 'title') // 'Ada Penrose'
 */
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
