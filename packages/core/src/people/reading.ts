import { addressFault } from './address.ts'
import { type Cell, isBlank, type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { isErrorValue } from './failedFormula.ts'
import { KindFinder, kinds, parsedValue } from './kinds.ts'
import { readAmount } from './readValue.ts'
import { reading as say } from './words.ts'

/** A row of a sheet: its cells, blank ones undefined, exactly as they stand in the file. */
export type SheetCells = readonly (Cell | undefined)[]

/**
 * A sheet as a reader hands it over. Rows that are read one after another may be read from the file as they are asked for, so that a long
 * table need not be held whole; an array of rows is a sheet too.
 */
export interface Sheet extends Iterable<SheetCells> {
  readonly length: number
  /** A row by its index from 0; undefined behind the last one. */
  at(index: number): SheetCells | undefined
  /** What was counted while it was read, where that was done. */
  readonly counted?: SheetCounts
}

/** How wide a sheet is, and how many cells of each row show something. */
export interface SheetCounts {
  widest: number
  filled: Uint32Array
}

/** How wide a sheet is, and how many cells of each row show something. Goes through all of it, unless whoever read it has counted. */
export function countSheet(sheet: Sheet): SheetCounts {
  if (sheet.counted) return sheet.counted
  const filled = new Uint32Array(sheet.length)
  let widest = 0
  let r = 0
  for (const row of sheet) {
    widest = Math.max(widest, row.length)
    filled[r++] = filledIn(row)
  }
  return { widest, filled }
}

/** Some rows of a sheet, by their indexes from 0: from one on, and before another. */
export const rowsBetween = (sheet: Sheet, from: number, before: number): SheetCells[] =>
  Array.from({ length: Math.max(0, Math.min(before, sheet.length) - from) }, (_, i) => sheet.at(from + i)!)

/** How many cells of a row show something. */
export function filledIn(row: SheetCells): number {
  let filled = 0
  // By hand: it is done for every row of every table.
  for (let i = 0; i < row.length; i++) if (!isBlank(row[i])) filled++
  return filled
}

/** What was found in a sheet: its columns and rows, and sentences about what was skipped or renamed. */
export interface TableFound {
  /** Index from 0 of the first row of headings; where the table has none, of its first row. */
  headingsRow: number
  /** How many rows the headings take. */
  headingRows: HeadingRows
  /** Index from 0 of the table's last row in the sheet. */
  lastRow: number
  columns: Column[]
  /** Where each column stands in the sheet, from 0. */
  columnIndexes: number[]
  rowCount: number
  /** The rows by the ids of the columns, one after another as the sheet is read. */
  rows(): Iterable<Record<string, Cell>>
  /** The first cell of each column that shows something, by the column's id. */
  firstCells: ReadonlyMap<string, Cell>
  /** The sheet's own row number (from 1) of each row. */
  rowNumbers: number[]
  /** Names of columns whose dates could be read either way round, each with a cell for example. */
  undecided: { name: string; example: string }[]
  said: string[]
}

/** A table has no headings, one row of them, or two: groups of columns above, and the columns' own below. */
export type HeadingRows = 0 | 1 | 2

/** What of a sheet's reading the writer decided; what is left out is found. */
export interface TableOptions {
  headingsRow?: number
  headingRows?: HeadingRows
  lastRow?: number
  /** Names of columns whose dates are read month first. */
  monthFirst?: readonly string[]
}

/** How many remarks and sums are looked for below a table. */
const maxCuts = 20
/** How many rows from the top are searched for the heading row. */
const searched = 30

/**
 * Finds the heading row: the row that has the most filled cells, all text and all different, with a row of the same
 * width below it. A title block above the table is passed over because it is narrower; a row below another one of about
 * the table's width is likelier to be data, even where the upper one has blank or doubled headings.
 * @returns its index from 0.
 */
export function findHeadingsRow(sheet: Sheet): number {
  let best = 0
  let bestScore = -1
  const top = rowsBetween(sheet, 0, searched + 1)
  const widths = top
    .slice(0, searched)
    .map(filledIn)
    .filter((n) => n > 0)
    .sort((a, b) => a - b)
  const typical = widths[Math.floor(widths.length / 2)] ?? 0
  let wideAbove = 0
  for (let i = 0; i < Math.min(top.length, searched); i++) {
    const filled = top[i].filter((cell): cell is Cell => !isBlank(cell))
    if (filled.length === 0) continue
    const texts = filled.map((cell) => shown(cell).trim())
    // A heading is a short text: an address, a figure or a date in the row means that it is data already.
    const headings = filled.filter(
      (cell, n) =>
        typeof cell === 'string' &&
        !/^[-£€$]?[\d.,/:-]+%?$/.test(texts[n]) &&
        addressFault(texts[n]) !== null &&
        texts[n].length <= 80,
    ).length
    const different = new Set(texts.map((t) => t.toLowerCase())).size
    const score =
      headings * 2 +
      different -
      (filled.length - headings) * 3 +
      Math.min(filledIn(top[i + 1] ?? []), filled.length) -
      wideAbove * 4 -
      i * 0.01
    if (score > bestScore) [best, bestScore] = [i, score]
    if (filled.length >= typical * 0.75) wideAbove++
  }
  return best
}

/** Where a sheet's headings stand, as far as can be told. */
export interface HeadingsFound {
  row: number
  rows: HeadingRows
  /** A cell that reads as somebody's own, where a heading should stand; null when there is no doubt. */
  doubtful: string | null
}

/**
 * Finds where the headings stand, and whether there are any: where the likeliest row holds an address, or figures and dates as the
 * cells below it do, it is a person's row. Two rows of headings are told by groups that are merged over several columns.
 * @param merges cells that are merged over several columns, by row.
 */
export function findHeadings(
  sheet: Sheet,
  merges: readonly { row: number; from: number; to: number }[] = [],
): HeadingsFound {
  const row = findHeadingsRow(sheet)
  const cells = sheet.at(row) ?? []
  const next = sheet.at(row + 1) ?? []
  const isFigure = (cell: Cell | undefined) =>
    typeof cell === 'object' || /^[-£€$]?\d[\d.,/:-]*%?$/.test(shown(cell).trim())
  const isData = (cell: Cell | undefined, i: number) =>
    !isBlank(cell) && (addressFault(shown(cell)) === null || (isFigure(cell) && isFigure(next[i])))
  const doubtful = cells.find(isData)
  if (doubtful !== undefined) {
    const person = cells.find((cell, i) => !isBlank(cell) && !isData(cell, i) && looksLikeName(shown(cell)))
    return {
      row,
      rows: 0,
      doubtful: shown(person ?? doubtful)
        .trim()
        .slice(0, 80),
    }
  }
  const width = filledIn(cells)
  const groups = (of: number) => merges.filter((m) => m.row === of && m.to > m.from)
  const filled = (of: number) => filledIn(sheet.at(of) ?? [])
  // A title is merged over the whole table; a group over some of its columns.
  const isGroupRow = (of: number) => groups(of).length > 0 && (groups(of).length > 1 || filled(of) > 1)
  if (row > 0 && isGroupRow(row - 1) && filled(row - 1) <= width) return { row: row - 1, rows: 2, doubtful: null }
  const isHeading = (cell: Cell | undefined) =>
    typeof cell === 'string' && !isFigure(cell) && addressFault(cell) !== null
  if (isGroupRow(row) && next.some((cell) => !isBlank(cell)) && next.every((cell) => isBlank(cell) || isHeading(cell)))
    return { row, rows: 2, doubtful: null }
  return { row, rows: 1, doubtful: null }
}

/** The letters by which a spreadsheet calls a column: 0 → A, 26 → AA. */
export function columnLetters(index: number): string {
  let letters = ''
  for (let n = index + 1; n > 0; n = Math.floor((n - 1) / 26))
    letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters
  return letters
}

/** Words that stand before a sum, a mean or a count, in the languages of the workbooks that offices here get. */
const totalWords =
  /^(?:grand |sub-?)?totals?\b|^(?:averages?|mean|median|count|number of (?:rows|people)|minimum|maximum|min|max|durchschnitt|mittelwert|anzahl|moyenne|nombre|promedio|media|gemiddelde|aantal|medelvärde|antal|średnia|sum|summe|gesamt(?:summe)?|insgesamt|zusammen|somme|total général|totale|somma|totaal|som|totalt|summa|sammanlagt|i alt|yhteensä|suma|razem|celkem|összesen|toplam|итого|всего|разом|σύνολο|合計|総計|小計|合计|总计|합계|कुल|योग|المجموع|סה"כ)\s*:?$/iu

/**
 * Whether a row sums up those above it: by a word for it, or because each of its figures is the sum of its column.
 * Sums of one row above tell nothing.
 */
function isTotal(sheet: Sheet, headingsRow: number, row: number): boolean {
  const filled = (sheet.at(row) ?? []).flatMap((cell, i) => (isBlank(cell) ? [] : [{ cell: cell as Cell, i }]))
  if (filled.length === 0 || filled.some(({ cell }) => addressFault(shown(cell)) === null)) return false
  if (totalWords.test(shown(filled[0].cell).trim())) return true
  const figure = (cell: Cell | undefined) =>
    cell === undefined
      ? null
      : typeof cell === 'object'
        ? typeof cell.value === 'number'
          ? cell.value
          : null
        : readAmount(cell)
  const figures = filled.flatMap(({ cell, i }) => {
    const value = figure(cell)
    return value === null ? [] : [{ value, i }]
  })
  if (figures.length === 0 || row - headingsRow < 4) return false
  // Once through the rows for all columns: a long table is read anew for it.
  const sums = figures.map(() => ({ sum: 0, counted: 0 }))
  for (let r = Math.max(headingsRow, 0); r < row; r++) {
    const cells = sheet.at(r) ?? []
    figures.forEach(({ i }, n) => {
      const one = figure(cells[i])
      if (one === null) return
      sums[n].sum += one
      sums[n].counted++
    })
  }
  return figures.every(
    ({ value }, n) =>
      sums[n].counted > 1 && value !== 0 && Math.abs(sums[n].sum - value) < 0.005 + Math.abs(value) * 1e-9,
  )
}

/**
 * Finds where a second table begins on the sheet: a blank row, and behind it a row of headings over rows that fill as many columns.
 * @param counts of the sheet, where they are known.
 * @returns the index of its headings, or null.
 */
export function findNextTable(sheet: Sheet, headingsRow: number, counts = countSheet(sheet)): number | null {
  const filled = (row: number) => (sheet.at(row) ?? []).filter((cell): cell is Cell => !isBlank(cell))
  for (let row = headingsRow + 2; row < sheet.length - 1; row++) {
    if (counts.filled[row - 1] > 0 || counts.filled[row] < 2) continue
    const heading = filled(row)
    const looksLikeHeading = heading.every(
      (cell) =>
        typeof cell === 'string' &&
        cell.length <= 60 &&
        !/\d/.test(cell) &&
        addressFault(cell) !== null &&
        !isSentence(cell),
    )
    const below = filled(row + 1)
    const belowIsData = below.some((cell) => typeof cell === 'object' || /\d/.test(cell) || addressFault(cell) === null)
    const own = (headingsRow < 0 ? [] : filled(headingsRow)).map((cell) => shown(cell).trim().toLowerCase())
    // The same headings once more are those of the table itself, as on the next page of a print-out.
    const isSame = heading.every((cell) => own.includes(shown(cell).trim().toLowerCase()))
    if (looksLikeHeading && belowIsData && !isSame && below.length >= heading.length - 1) return row
  }
  return null
}

/**
 * Finds where the table ends: before another table, before remarks that stand below it after a blank row, and before a row of totals.
 * @param counts of the sheet, where they are known.
 * @returns the index of its last row.
 */
export function findLastRow(sheet: Sheet, headingsRow: number, counts = countSheet(sheet)): number {
  const filled = (row: number) => counts.filled[row] ?? 0
  const hasAddress = (row: number) =>
    (sheet.at(row) ?? []).some((cell) => !isBlank(cell) && addressFault(shown(cell)) === null)
  let last = (findNextTable(sheet, headingsRow, counts) ?? sheet.length) - 1
  // Each time round one more remark or sum is taken off the end; a table has few.
  for (let cuts = 0; cuts <= maxCuts; cuts++) {
    while (last > headingsRow && filled(last) === 0) last--
    const widths = counts.filled
      .slice(headingsRow + 1, last + 1)
      .filter((n) => n > 0)
      .sort()
    const typical = widths[Math.floor(widths.length / 2)] ?? 0
    const cut = beforeRemarks()
    if (cut === null) break
    last = cut

    /** The row to end at instead; null where the last one is the table's own. */
    function beforeRemarks(): number | null {
      // From below: remarks are few, narrow and without an address, with a blank row before them.
      for (let row = last; row > headingsRow + 1 && row > last - 6; row--) {
        const width = filled(row)
        if (width === 0) return row - 1
        if (width > typical / 2 || hasAddress(row)) break
      }
      const isSum = last > headingsRow + 2 && filled(last) < typical && isTotal(sheet, headingsRow, last)
      // One cell alone under rows of several is a sum without its word, or a remark; a person has an address.
      const isAlone = last > headingsRow + 2 && filled(last) === 1 && typical >= 3 && !hasAddress(last)
      return isSum || isAlone ? last - 1 : null
    }
  }
  return last
}

/**
 * Turns a sheet into a table: names its columns, finds their kinds, leaves out blank rows and columns, and says so.
 * Row numbers in `options` are indexes from 0.
 */
export function findTable(sheet: Sheet, options: TableOptions = {}): TableFound {
  const found = options.headingsRow === undefined ? findHeadings(sheet) : { row: options.headingsRow, rows: 1 as const }
  const headingsRow = found.row
  const headingRows = options.headingRows ?? found.rows
  // The last row that is not the table's own people yet.
  const headEnd = headingsRow + headingRows - 1
  const counts = countSheet(sheet)
  const lastRow = Math.max(
    headingsRow,
    Math.min(options.lastRow ?? findLastRow(sheet, headEnd, counts), sheet.length - 1),
  )
  const said: string[] = []
  const undecided: TableFound['undecided'] = []
  const heading = headingOf(sheet, headingsRow, headingRows)
  if (headingsRow > 0) said.push(say.aboveHeadingsLeftOut(headingsRow))
  if (headingRows === 0) said.push(say.tableHasNoHeadings)
  if (headingRows === 2) said.push(say.headingsTakeTwoRows)
  const next = options.lastRow === undefined ? findNextTable(sheet, headEnd, counts) : null
  if (next !== null && next > lastRow) {
    const names = (sheet.at(next) ?? []).filter((cell) => !isBlank(cell)).map((cell) => shown(cell).trim())
    said.push(say.anotherTableBeginsRow(next, names.slice(0, 3).join(', ').slice(0, 80)))
  }
  const after = counts.filled.subarray(lastRow + 1)
  const firstAfter = after.findIndex((filled) => filled > 0)
  if (firstAfter >= 0) {
    const first = sheet.at(lastRow + 1 + firstAfter)!.find((cell) => !isBlank(cell))
    said.push(say.belowTableLeftOut(after.filter((filled) => filled > 0).length, shown(first).trim().slice(0, 60)))
  }

  const below = lookThrough(sheet, headEnd + 1, lastRow)
  const width = Math.max(heading.length, below.length)
  const columns: Column[] = []
  const indexes: number[] = []
  const firstCells = new Map<string, Cell>()
  const taken = new Map<string, number>()
  let blankColumns = 0
  for (let i = 0; i < width; i++) {
    let name = shown(heading[i]).replace(/\s+/g, ' ').trim()
    const found = below[i] ?? new KindFinder()
    if (name === '' && found.first === undefined) {
      blankColumns++
      continue
    }
    if (name === '') {
      name = say.columnCalled(columnLetters(i))
      if (headingRows > 0) said.push(say.columnHasNoHeading(columnLetters(i), name))
    }
    const key = name.toLowerCase()
    const before = taken.get(key) ?? 0
    taken.set(key, before + 1)
    if (before > 0) {
      let n = before + 1
      while (taken.has(`${key} (${n})`)) n++
      said.push(say.headingStandsMoreThan(name, columnLetters(i), n))
      name = `${name} (${n})`
      taken.set(name.toLowerCase(), 1)
    }
    const { kind, dayFirst, undecided: either } = found.found(name)
    if (either) undecided.push({ name, example: shown(found.first).trim() })
    const isMonthFirst = dayFirst !== undefined && options.monthFirst?.includes(name)
    columns.push({
      id: `c${columns.length + 1}`,
      name,
      kind,
      ...(dayFirst === undefined ? {} : { dayFirst: isMonthFirst ? false : dayFirst }),
    })
    indexes.push(i)
    if (found.first !== undefined) firstCells.set(columns[columns.length - 1].id, found.first)
  }
  if (blankColumns > 0) said.push(say.leftOut(blankColumns))

  const rowNumbers: number[] = []
  const end = Math.min(lastRow, sheet.length - 1)
  for (let r = headEnd + 1; r <= end; r++) if (counts.filled[r] > 0) rowNumbers.push(r + 1)
  const blankRows = end - headEnd - rowNumbers.length
  if (blankRows > 0) {
    const between = (rowNumbers.at(-1) ?? 0) - (rowNumbers[0] ?? 0) + 1 - rowNumbers.length
    const first = rowNumbers.find((number, i) => number !== rowNumbers[0] + i)
    said.push(say.leftOutSoRow(blankRows, between, first))
  }
  function* rows() {
    for (const number of rowNumbers) {
      const row = sheet.at(number - 1)!
      const cells: Record<string, Cell> = {}
      for (let i = 0; i < indexes.length; i++) {
        const cell = row[indexes[i]]
        if (cell !== undefined && !isBlank(cell)) cells[columns[i].id] = cell
      }
      yield cells
    }
  }
  const rowCount = rowNumbers.length
  return {
    headingsRow,
    headingRows,
    lastRow,
    columns,
    columnIndexes: indexes,
    rowCount,
    rows,
    firstCells,
    rowNumbers,
    undecided,
    said,
  }
}

/** Looks once through the rows of a table, and finds of each column what stands below its heading. */
function lookThrough(sheet: Sheet, from: number, to: number): KindFinder[] {
  const columns: KindFinder[] = []
  for (let r = from; r <= to; r++) {
    const row = sheet.at(r) ?? []
    while (columns.length < row.length) columns.push(new KindFinder())
    for (let i = 0; i < row.length; i++) if (columns[i].wantsMore) columns[i].take(row[i])
  }
  return columns
}

/** The headings of a table, of one row or of two: “Payment” over “Fee” is “Payment: Fee”. */
function headingOf(sheet: Sheet, row: number, rows: HeadingRows): SheetCells {
  if (rows === 0) return []
  const upper = sheet.at(row) ?? []
  if (rows === 1) return upper
  const lower = sheet.at(row + 1) ?? []
  return Array.from({ length: Math.max(upper.length, lower.length) }, (_, i) => {
    const [group, own] = [shown(upper[i]).trim(), shown(lower[i]).trim()]
    return group === '' || group === own ? own || undefined : own === '' ? group : `${group}: ${own}`
  })
}

/** What is wrong with a cell as it stands in the table, in words; null when nothing is. A blank cell has nothing wrong. */
export function cellProblem(cell: Cell | undefined, column: Column): string | null {
  const text = shown(cell).trim()
  if (text === '') return null
  if (isErrorValue(text)) return say.formulaWorkbookFailedHere
  if (column.kind === 'address') {
    const fault = addressFault(text)
    return fault && say.cannotWritten(fault)
  }
  if (parsedValue(cell, column) !== null) return null
  return say.doesNotReadAs(kinds[column.kind].one)
}

/** The id of the column that holds the addresses: by content first, by heading second; null when there is none. */
export function findAddressColumn(columns: Column[]): string | null {
  const byKind = columns.filter((c) => c.kind === 'address')
  const named = (c: Column) => /e-?mail|address/i.test(c.name)
  return (byKind.find(named) ?? byKind[0] ?? columns.find((c) => /e-?mail/i.test(c.name)))?.id ?? null
}

/** What a heading says of a column: that it holds names of people, that it may, or that it holds something else. */
const wholeNames =
  /^(?:full |display |whole )?names?$|^name of (?:the )?(?:holder|person|member|owner|contact|customer|tenant|guest)$|(?:^|\b)(?:holder|contact|person|member|owner|customer|client|guest|tenant|parent|student|pupil|employee|recipient)(?:['’]s)?(?: name| in full)?$/i
const mayBeNames = /name|who\b|^(?:to|for)$/i
const otherThings =
  /\b(?:numbers?|no|nr|codes?|ids?|lines?|notes?|refs?|references?|dates?|types?|kinds?|groups?|count|status|address(?:es)?|street|town|phone|mobile|tel|user|file|boat|vessel|ship|company|firm|organi[sz]ation|road|house|domain|host|list|product|item)\b/i

/** How many cells are looked at to judge a column. */
const cellsJudged = 500

/** Whether a text reads as a person's name: a few words of letters, and nothing that names never have. */
export function looksLikeName(text: string): boolean {
  const words = text
    .trim()
    .split(/[\s,]+/)
    .filter(Boolean)
  return (
    words.length >= 1 &&
    words.length <= 6 &&
    text.length <= 60 &&
    words.every((word) => word === '&' || /^\(?[\p{L}\p{M}][\p{L}\p{M}'’`.-]*\)?$/u.test(word)) &&
    !isSentence(text)
  )
}

/** Whether a text ends as a sentence does: a stop behind a word, and not behind an initial. */
const isSentence = (text: string) => /^\p{L}{3}[.!?]$/u.test(text.trim().slice(-4))

/** Why a text will not do as the name beside an address, in words; null when it may be one. */
export function nameFault(text: string): string | null {
  const name = text.trim()
  if (name === '') return null
  if (name.includes('@')) return say.address
  if (!/\p{L}/u.test(name)) return say.number
  if (name.length > 60) return say.longerThan60Characters
  if (isSentence(name) || name.split(/\s+/).length > 8) return say.readsAsSentence
  return null
}

/** Whether what stands in a column passes, for nearly all cells that are not blank. */
function nearlyAll(column: Column, rows: readonly Pick<Row, 'cells'>[], passes: (text: string) => boolean): boolean {
  const texts = textsOf(column, rows)
  return texts.filter(passes).length >= 0.8 * texts.length
}
const textsOf = (column: Column, rows: readonly Pick<Row, 'cells'>[]) =>
  rows
    .slice(0, cellsJudged)
    .map((row) => shown(row.cells[column.id]).trim())
    .filter(Boolean)

/** Whether what stands in a column reads as names of people, of one word or of two at least, and is not the same for all. */
function readsAsNames(column: Column, rows: readonly Pick<Row, 'cells'>[], words: 1 | 2): boolean {
  const texts = textsOf(column, rows)
  const distinct = new Set(texts.map((text) => text.toLowerCase())).size
  return (
    texts.length > 0 &&
    nearlyAll(column, rows, (text) => looksLikeName(text) && text.split(/[\s,]+/).filter(Boolean).length >= words) &&
    (texts.length < 4 || distinct > texts.length / 4)
  )
}

/** Which columns make up people's names, and whether that is sure; unsure ones are to be asked for. */
export interface NamesFound {
  columns: string[]
  sure: boolean
}

/**
 * Finds the columns that make up a person's name, in order: by what stands in them as well as by their headings.
 * @param rows some of the list's rows; without any, headings decide alone.
 */
export function findNames(columns: Column[], rows: readonly Pick<Row, 'cells'>[]): NamesFound {
  const texts = columns.filter((c) => c.kind === 'text')
  // A heading that says so plainly is believed, unless what stands below it cannot be names.
  const plainly = (pattern: RegExp) =>
    texts.filter((c) => pattern.test(c.name.trim()) && nearlyAll(c, rows, (text) => nameFault(text) === null))
  const [first] = plainly(/^(first|given|fore|christian)[\s-]*names?$/i)
  const [last] = plainly(/^(last|family|sur)[\s-]*names?$/i)
  if (first && last) return { columns: [first.id, last.id], sure: true }
  const whole = plainly(wholeNames).find((c) => !otherThings.test(c.name)) ?? first
  if (whole) return { columns: [whole.id], sure: true }
  const people = texts.filter((c) => !otherThings.test(c.name))
  const perhaps = people.filter((c) => mayBeNames.test(c.name) && (rows.length === 0 || readsAsNames(c, rows, 1)))
  if (perhaps.length > 0)
    return { columns: [perhaps[0].id], sure: perhaps.length === 1 && readsAsNames(perhaps[0], rows, 2) }
  // Nothing is called a name: what reads as names of two words and more may be them.
  return {
    columns: people
      .filter((c) => readsAsNames(c, rows, 2))
      .slice(0, 1)
      .map((c) => c.id),
    sure: false,
  }
}

/** The ids of the columns that surely make up a person's name, in order; none where that is not sure. */
export function findNameColumns(columns: Column[], rows: readonly Pick<Row, 'cells'>[] = []): string[] {
  const found = findNames(columns, rows)
  return found.sure ? found.columns : []
}

/** The id of the column that names each person's own files; null when there is none. */
export function findFilesColumn(columns: Column[]): string | null {
  return columns.find((c) => c.kind === 'files')?.id ?? null
}
