import { createReadStream } from 'node:fs'
import { basename } from 'node:path'
import type { Reading, Table } from '@hand-post/contract'
import {
  addressFault,
  countSheet,
  filledIn,
  findAddressColumn,
  isBlank,
  rowsBetween,
  type SheetCells,
  shown,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { typeOf } from '../files/mediaType.ts'
import { noteFile } from '../files/store.ts'
import { notFound, Refusal } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { insertSource } from './sources.ts'
import { insertList } from './store.ts'
import { fileRead, type GivenFile, type ReadingOptions, readings, tableOf } from './tables.ts'

/** How many rows of a sheet are looked through for an address. */
const searchedForAddresses = 2000

/** Of how many rows a list may be for the embedded database to be quick with it. */
const quickUpTo = 200_000
/** What is said of a list that is large for the database in which it is kept. `place`: '' where that is the embedded one. */
const largeHere = (rows: number, place: string): string[] =>
  place !== '' || rows <= quickUpTo
    ? []
    : [
        `It has ${rows.toLocaleString('en-GB')} rows. From about ${quickUpTo.toLocaleString('en-GB')} on, a database on a PostgreSQL server is the better place for a list: with the one that comes with Hand Post everything works, and takes its time.`,
      ]

/** Octets of a workbook that is kept. */
const largestKept = 200_000_000

/** Keeps the workbook that a list is made of, to hand outcomes back in it. Returns its hash. */
async function keepWorkbook(db: Database, files: FileStore, { path, name }: GivenFile): Promise<string> {
  const { hash, size } = await files.keep(createReadStream(path), largestKept)
  await noteFile(db, { hash, size, type: typeOf(name) })
  return hash
}

/** Reading tables that are given, and making lists of them. */
export const readingJobs = {
  async readFile(file: GivenFile, _context: JobContext): Promise<Reading> {
    const read = await fileRead(file, {})
    return {
      id: basename(file.path),
      fileName: file.name,
      delimiter: read.delimiter,
      encoding: read.encoding,
      quote: read.quote,
      language: read.language,
      sheets: read.sheets.map(({ name, hidden, rows }) => {
        const top = rowsBetween(rows, 0, searchedForAddresses)
        const glimpse = top
          .slice(0, 30)
          .reduce<SheetCells>((best, row) => (filledIn(row) > filledIn(best) ? row : best), [])
        return {
          name,
          hidden,
          rows: rows.length,
          columns: countSheet(rows).widest,
          hasAddresses: top.some((row) => row.some((cell) => addressFault(shown(cell)) === null)),
          glimpse: glimpse
            .filter((cell) => !isBlank(cell))
            .slice(0, 6)
            .map((cell) => shown(cell).slice(0, 40)),
        }
      }),
    }
  },

  async readTable(
    { file, options }: { file: GivenFile; options: ReadingOptions },
    { place }: JobContext,
  ): Promise<Table> {
    const { read, sheet, rows, found, doubtful, said } = await tableOf(file, options)
    const texts = (from: number, to: number) =>
      rowsBetween(rows, from, to).map((row) =>
        Array.from({ length: Math.min(row.length, 60) }, (_, i) => shown(row[i]).slice(0, 120)),
      )
    const lastFrom = Math.max(found.lastRow - 2, 0)
    return {
      headingsRow: found.headingsRow,
      headingRows: found.headingRows,
      doubtfulHeading: doubtful,
      language: read.language,
      lastRow: found.lastRow,
      columns: found.columns,
      firstRows: texts(0, Math.max(12, found.headingsRow + 6)),
      lastRows: { from: lastFrom, rows: texts(lastFrom, found.lastRow + 8) },
      rowCount: found.rowCount,
      sheetRows: rows.length,
      addressColumn: findAddressColumn(found.columns),
      addressColumns: found.columns
        .filter(({ kind }) => kind === 'address')
        .map(({ id, name }) => ({ id, name, example: shown(found.firstCells.get(id)).trim().slice(0, 120) })),
      hidden: {
        rows: sheet.hiddenRows.length,
        filtered: sheet.filteredRows.length,
        columns: sheet.hiddenColumns.length,
      },
      undecided: found.undecided,
      said: [...said, ...largeHere(found.rowCount, place)],
    }
  },

  async makeList(
    {
      file,
      options,
      name,
      addressColumn,
      now,
    }: { file: GivenFile; options: ReadingOptions; name?: string; addressColumn?: string; now: number },
    { db, files, place, progress }: JobContext,
  ): Promise<number> {
    const { read, sheet, found, said } = await tableOf(file, options)
    said.push(...largeHere(found.rowCount, place))
    // Cards, and what was pasted, stand in no sheet whose rows have numbers.
    const numbered = !file.pasted && (read.delimiter !== null || read.language !== null)
    if (found.rowCount === 0)
      throw new Refusal(
        422,
        `“${sheet.name}” has no rows below its headings. Choose another sheet or heading row.`,
        'No rows',
      )
    if (addressColumn !== undefined && !found.columns.some((c) => c.id === addressColumn)) throw notFound('column')
    if (addressColumn === undefined && findAddressColumn(found.columns) === null)
      said.push(
        'No column looks like addresses. Choose the one that holds them at People, or look whether the heading row is right.',
      )
    for (const { name: undecided } of found.undecided)
      if (!options.monthFirst?.includes(undecided))
        said.push(`The dates in “${undecided}” could be read either way round; they are read day first.`)
    const workbook = read.language === null ? null : await keepWorkbook(db, files, file)
    const words = `Storing ${found.rowCount.toLocaleString('en-GB')} rows`
    const id = await insertList(
      db,
      {
        name: name?.trim() || file.name.replace(/\.\w{1,5}$/, ''),
        columns: found.columns,
        source: {
          fileName: file.pasted ? null : file.name,
          sheet: sheet.name === file.name ? null : sheet.name,
          ...(numbered ? { firstRow: found.rowNumbers[0] } : {}),
          said,
        },
        createdAt: now,
        addressColumn,
      },
      found.rowCount,
      found.rows(),
      (stored) => progress(stored, found.rowCount, words),
    )
    if (workbook !== null)
      await insertSource(db, {
        listId: id,
        hash: workbook,
        name: file.name,
        sheet: options.sheet,
        headings: found.headingRows === 0 ? 0 : found.headingsRow + found.headingRows,
        rows: found.rowNumbers,
      })
    // Whatever was read of the file takes as much memory as the list itself, and is not wanted any more.
    for (const key of readings.keys()) if (key.startsWith(basename(file.path))) readings.delete(key)
    return id
  },
}
