import { addressFault } from './address.ts'
import { type Cell, type Column, isBlank, shown } from './table.ts'
import { findKind } from './value.ts'

/** A sheet as a reader hands it over: rows of cells, blank ones undefined, exactly as they stand in the file. */
export type Sheet = (Cell | undefined)[][]

/** What was found in a sheet: its columns and rows, and sentences about what was skipped or renamed. */
export interface TableFound {
  headingsRow: number
  columns: Column[]
  rows: Record<string, Cell>[]
  /** The sheet's own row number (from 1) of each row. */
  rowNumbers: number[]
  said: string[]
}

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
  const width = (row: (Cell | undefined)[] | undefined) => (row ?? []).filter((cell) => !isBlank(cell)).length
  const widths = sheet
    .slice(0, searched)
    .map(width)
    .filter((n) => n > 0)
    .sort((a, b) => a - b)
  const typical = widths[Math.floor(widths.length / 2)] ?? 0
  let wideAbove = 0
  for (let i = 0; i < Math.min(sheet.length, searched); i++) {
    const filled = sheet[i].filter((cell): cell is Cell => !isBlank(cell))
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
      Math.min(width(sheet[i + 1]), filled.length) -
      wideAbove * 4 -
      i * 0.01
    if (score > bestScore) [best, bestScore] = [i, score]
    if (filled.length >= typical * 0.75) wideAbove++
  }
  return best
}

/** The letters by which a spreadsheet calls a column: 0 → A, 26 → AA. */
export function columnLetters(index: number): string {
  let letters = ''
  for (let n = index + 1; n > 0; n = Math.floor((n - 1) / 26))
    letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters
  return letters
}

const plural = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString('en-GB')} ${n === 1 ? one : many}`

/**
 * Turns a sheet into a table: names its columns, finds their kinds, leaves out blank rows and columns, and says so.
 * @param headingsRow index from 0 of the row that names the columns; found when left out.
 */
export function findTable(sheet: Sheet, headingsRow = findHeadingsRow(sheet)): TableFound {
  const said: string[] = []
  const heading = sheet[headingsRow] ?? []
  const below = sheet.slice(headingsRow + 1)
  const width = Math.max(heading.length, ...below.slice(0, 1000).map((row) => row.length), 0)
  if (headingsRow > 0)
    said.push(`${plural(headingsRow, 'row')} above the headings ${headingsRow === 1 ? 'was' : 'were'} left out.`)

  const columns: Column[] = []
  const indexes: number[] = []
  const taken = new Map<string, number>()
  let blankColumns = 0
  for (let i = 0; i < width; i++) {
    let name = shown(heading[i]).replace(/\s+/g, ' ').trim()
    if (name === '' && below.every((row) => isBlank(row[i]))) {
      blankColumns++
      continue
    }
    if (name === '') {
      name = `Column ${columnLetters(i)}`
      said.push(`Column ${columnLetters(i)} has no heading; it is called “${name}”.`)
    }
    const key = name.toLowerCase()
    const before = taken.get(key) ?? 0
    taken.set(key, before + 1)
    if (before > 0) {
      let n = before + 1
      while (taken.has(`${key} (${n})`)) n++
      said.push(
        `The heading “${name}” stands more than once; the one in column ${columnLetters(i)} is called “${name} (${n})”.`,
      )
      name = `${name} (${n})`
      taken.set(name.toLowerCase(), 1)
    }
    const found = findKind(
      name,
      below.map((row) => row[i]),
    )
    if (found.undecided)
      said.push(
        `The dates in “${name}” could be read either way round; they were read day first. Change it at the column if that is wrong.`,
      )
    columns.push({
      id: `c${columns.length + 1}`,
      name,
      kind: found.kind,
      ...(found.dayFirst === undefined ? {} : { dayFirst: found.dayFirst }),
    })
    indexes.push(i)
  }
  if (blankColumns > 0) said.push(`${plural(blankColumns, 'blank column')} left out.`)

  const rows: Record<string, Cell>[] = []
  const rowNumbers: number[] = []
  let blankRows = 0
  for (let r = 0; r < below.length; r++) {
    const cells: Record<string, Cell> = {}
    let filled = false
    for (let i = 0; i < indexes.length; i++) {
      const cell = below[r][indexes[i]]
      if (cell === undefined || cell === '' || isBlank(cell)) continue
      cells[columns[i].id] = cell
      filled = true
    }
    if (filled) {
      rows.push(cells)
      rowNumbers.push(headingsRow + r + 2)
    } else blankRows++
  }
  // A file's last line end makes one blank row that nobody would call one.
  if (blankRows > 0 && below.length > 0 && below.at(-1)!.every((cell) => isBlank(cell))) blankRows--
  if (blankRows > 0) said.push(`${plural(blankRows, 'blank row')} left out.`)
  return { headingsRow, columns, rows, rowNumbers, said }
}

/** The id of the column that holds the addresses: by content first, by heading second; null when there is none. */
export function findAddressColumn(columns: Column[]): string | null {
  const byKind = columns.filter((c) => c.kind === 'address')
  const named = (c: Column) => /e-?mail|address/i.test(c.name)
  return (byKind.find(named) ?? byKind[0] ?? columns.find((c) => /e-?mail/i.test(c.name)))?.id ?? null
}

/** The ids of the columns that make up a person's name, in order; none when no heading speaks of one. */
export function findNameColumns(columns: Column[]): string[] {
  const find = (pattern: RegExp) => columns.find((c) => c.kind === 'text' && pattern.test(c.name))
  const first = find(/^(first|given|fore)[\s-]*name/i)
  const last = find(/^(last|family|sur)[\s-]*name/i)
  if (first && last) return [first.id, last.id]
  const whole = find(/^(full )?name$|holder|contact|^person|^member/i) ?? first ?? find(/name/i)
  return whole ? [whole.id] : []
}

/** The id of the column that names each person's own files; null when there is none. */
export function findFilesColumn(columns: Column[]): string | null {
  return columns.find((c) => c.kind === 'files')?.id ?? null
}
