import { readFile } from 'node:fs/promises'
import { basename } from 'node:path'
import {
  columnLetters,
  findHeadings,
  findTable,
  type HeadingRows,
  type HeadingsFound,
  type NewerTable,
  type Row,
  type TableFound,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import { bookId, groups } from './bookStore.ts'
import { loadList } from './loadList.ts'
import { type FileOptions, type FileRead, readPasted, readTableFile, rowsWanted } from './readFile.ts'
import type { SheetRead } from './workbook/sheet.ts'

/** How a file is to be understood, as the API gives it. */
export interface ReadingOptions extends FileOptions {
  sheet: number
  headingsRow?: number
  headingRows?: HeadingRows
  lastRow?: number
  hidden?: 'in' | 'out'
  monthFirst?: string[]
}

/** A file that was given to be read. */
export interface GivenFile {
  path: string
  name: string
  pasted: boolean
}

/** Files read lately, by reading id and how they are read. */
export const readings = new Map<string, FileRead>()

export async function fileRead({ path, name, pasted }: GivenFile, options: FileOptions): Promise<FileRead> {
  const key = [basename(path), options.delimiter, options.encoding, options.quote, options.language].join('|')
  let read = readings.get(key)
  if (!read) {
    const bytes = await readFile(path)
    read = pasted ? readPasted(bytes.toString('utf8')) : await readTableFile(bytes, name, options)
    readings.set(key, read)
    for (const old of readings.keys()) if (readings.size > 3) readings.delete(old)
  }
  return read
}

function sheetOf(read: FileRead, index: number): SheetRead {
  const sheet = read.sheets[index]
  if (!sheet)
    throw new Refusal(
      404,
      `The file has ${read.sheets.length} sheets; there is no number ${index + 1}.`,
      'No such sheet',
    )
  return sheet
}

export async function tableOf(file: GivenFile, options: ReadingOptions) {
  const read = await fileRead(file, options)
  const sheet = sheetOf(read, options.sheet)
  for (const row of [options.headingsRow, options.lastRow])
    if (row !== undefined && row >= sheet.rows.length)
      throw new Refusal(422, `The sheet has ${sheet.rows.length} rows; there is no row ${row + 1} in it.`)
  const hidden = options.hidden ?? 'in'
  const headings: HeadingsFound = findHeadings(rowsWanted(sheet, hidden), sheet.merges)
  const headingsRow = options.headingsRow ?? headings.row
  const headingRows = options.headingRows ?? (options.headingsRow === undefined ? headings.rows : 1)
  const rows = rowsWanted(sheet, hidden, headingsRow, headingRows)
  const found = findTable(rows, { ...options, headingsRow, headingRows })
  // Whoever chose the headings was asked already.
  const doubtful = options.headingsRow === undefined && options.headingRows === undefined ? headings.doubtful : null
  return {
    read,
    sheet,
    rows,
    found,
    doubtful,
    said: [...sheet.said, ...cellsSaid(sheet, found), ...found.said],
  }
}

/** What is said of cells by their columns: failed formulas, and formats that are not understood. */
function cellsSaid(sheet: SheetRead, found: TableFound): string[] {
  const nameOf = (column: number) =>
    found.columns[found.columnIndexes.indexOf(column)]?.name.slice(0, 60) ?? `Column ${columnLetters(column)}`
  return [
    ...sheet.errors.map(
      ({ column, count, sample }) =>
        `“${nameOf(column)}” has ${count.toLocaleString('en-GB')} ${count === 1 ? 'cell' : 'cells'} in which a formula of the workbook failed (${sample}). The proof stops where one is used.`,
    ),
    ...sheet.unclear.map(
      ({ column, format, sample }) =>
        `“${nameOf(column)}” is written by a number format that is not known here (${format.slice(0, 60)}). Its cells are read like “${sample.slice(0, 60)}”: look whether that is what the workbook shows.`,
    ),
  ]
}

/** The newer table that a list is compared with: from a file, or from the groups that the list was made of. */
export type Newer = { file: GivenFile; options: ReadingOptions } | { groups: { group: number; minus: boolean }[] }

export async function newerTable(db: Database, newer: Newer, now: number): Promise<NewerTable & { said: string[] }> {
  if ('file' in newer) {
    const { found, sheet, said, doubtful } = await tableOf(newer.file, newer.options)
    const hidden = sheet.hiddenRows.length + sheet.filteredRows.length
    return {
      columns: found.columns,
      rows: [...found.rows()],
      said: [
        ...(doubtful === null
          ? []
          : [`Its first row, with “${doubtful}”, was taken for somebody’s own: it has no headings.`]),
        ...(hidden === 0
          ? []
          : [
              `${hidden} ${hidden === 1 ? 'row' : 'rows'} of it that the workbook keeps out of sight are compared too.`,
            ]),
        ...said,
      ],
    }
  }
  const { columns, rows } = await peopleOfGroups(db, newer.groups, now)
  return { columns, rows: rows.map((row) => row.cells), said: [] }
}

/** The contacts of some groups less those of others, in the order of the address book. */
export async function peopleOfGroups(db: Database, plan: { group: number; minus: boolean }[], now: number) {
  const { list, rows } = await loadList(db, await bookId(db, now), '')
  const members = new Map((await groups(db)).map((g) => [g.id, new Set(g.members)]))
  for (const { group } of plan)
    if (!members.has(group))
      throw new Refusal(
        404,
        'One of the groups that this list was made of is gone. Nothing was changed.',
        'No such group',
      )
  const isIn = (row: Row, minus: boolean) => plan.some((p) => p.minus === minus && members.get(p.group)!.has(row.id))
  return {
    columns: list.columns.map(({ recipe: _, ...column }) => column),
    rows: rows.filter((row) => isIn(row, false) && !isIn(row, true)),
  }
}
