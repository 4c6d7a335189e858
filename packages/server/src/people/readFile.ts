import { countSheet, type Sheet, type SheetCells } from '@hand-post/core'
import Papa from 'papaparse'
import { Refusal } from '../problem.ts'
import { readCards } from './cards.ts'
import { readAddresses } from './pasted.ts'
import { utf8Of } from './text.ts'
import { type Separated, TextSheet, TooLong, TooMany } from './textSheet.ts'
import { WorkbookFault } from './workbook/limits.ts'
import type { SheetRead } from './workbook/sheet.ts'
import { readWorkbook, WorkbookLocked } from './workbook/workbook.ts'

/** A file as read: its sheets, and for text what was detected. */
export interface FileRead {
  sheets: SheetRead[]
  delimiter: string | null
  encoding: string | null
  quote: string | null
  /** For a workbook the language by which names and separators were written. */
  language: string | null
}

/** How the writer wants a text or a workbook to be read; what is left out is found. */
export interface FileOptions {
  delimiter?: string
  encoding?: string
  quote?: string
  language?: string
}

const notATable = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be read as a table: ${why} Nothing was stored.`, 'Not a table')

const lockedWorkbook = (name: string) =>
  notATable(name, 'it is locked with a password. Open it, take the password off, save it and choose it again.')

/** The most columns of a list. */
const maxColumns = 2000

/**
 * Reads a table from a workbook (.xlsx, .ods), delimited text or vCards. What the file is, is told from its content.
 * @throws Refusal in words when it is none, is locked, or is damaged.
 */
export async function readTableFile(bytes: Buffer, name: string, options: FileOptions = {}): Promise<FileRead> {
  if (bytes.length === 0) throw notATable(name, 'it is empty. Save the table again and choose the new file.')
  if (bytes.subarray(0, 4).equals(Buffer.from([0xd0, 0xcf, 0x11, 0xe0]))) {
    // An OLE container is either an encrypted workbook (it has this stream name in UTF-16) or one of the old format.
    const locked = bytes.includes(Buffer.from('EncryptedPackage', 'utf16le'))
    throw notATable(
      name,
      locked
        ? 'it is locked with a password. Open it, take the password off, save it and choose it again.'
        : 'it is in an old format. Open it and save it as .xlsx, .ods or .csv.',
    )
  }
  if (bytes.subarray(0, 2).toString('latin1') === 'PK') return readWorkbookFile(bytes, name, options.language)
  return readText(bytes, name, options)
}

/** Reads what was pasted: a run of addresses, or a block of cells. */
export function readPasted(text: string): FileRead {
  const addresses = readAddresses(text)
  if (!addresses) return readText(Buffer.from(text), 'What was pasted', {})
  return plainFile('Pasted addresses', addresses.rows, addresses.said)
}

const plainFile = (name: string, rows: Sheet, said: string[]): FileRead => ({
  sheets: [
    {
      name,
      hidden: false,
      rows,
      hiddenRows: [],
      hiddenColumns: [],
      filteredRows: [],
      merges: [],
      unclear: [],
      errors: [],
      said,
    },
  ],
  delimiter: null,
  encoding: null,
  quote: null,
  language: null,
})

async function readWorkbookFile(given: Buffer, name: string, language: string | undefined): Promise<FileRead> {
  try {
    const { sheets, language: used } = await readWorkbook(given, language)
    if (sheets.every((s) => s.rows.length === 0)) throw notATable(name, 'it has no filled cells.')
    for (const sheet of sheets) {
      const { widest } = countSheet(sheet.rows)
      if (widest > maxColumns) refuseWidth(name, widest)
    }
    return { sheets, delimiter: null, encoding: null, quote: null, language: used }
  } catch (error) {
    if (error instanceof WorkbookLocked) throw lockedWorkbook(name)
    if (error instanceof WorkbookFault) throw notATable(name, error.message)
    throw error
  }
}

function refuseWidth(name: string, widest: number): never {
  throw notATable(
    name,
    `it has ${widest.toLocaleString('en-GB')} columns, more than a list can have (${maxColumns.toLocaleString('en-GB')}). Look whether the right character parts the columns.`,
  )
}

/**
 * Finds the character that parts the columns: the one that gives most lines the most fields. A title line above the table, which
 * has none of it, does not count against it.
 */
function findDelimiter(text: string, quoteChar: string): string {
  const usual = (delimiter: string) => {
    const { data } = Papa.parse<string[]>(text.slice(0, 100_000), {
      delimiter,
      quoteChar,
      preview: 50,
      skipEmptyLines: 'greedy',
    })
    const widths = data.map((row) => row.length).sort((a, b) => a - b)
    return widths[Math.floor(widths.length / 2)] ?? 0
  }
  return [',', ';', '\t', '|'].reduce((best, next) => (usual(next) > usual(best) ? next : best))
}

function readText(given: Buffer, name: string, options: FileOptions): FileRead {
  const { bytes, encoding } = utf8Of(given, options.encoding)
  const nul = bytes.indexOf(0)
  if (nul >= 0)
    throw notATable(
      name,
      nul < 1000 && !options.encoding
        ? 'it is neither a workbook nor text. Choose a .xlsx, .ods, .csv or .vcf file.'
        : `line ${countOf(bytes.subarray(0, nul), '\n') + 1} holds a character that no text has (NUL). The file is damaged, or the encoding is another one.`,
    )
  if (!hasFilled(bytes)) throw notATable(name, 'it has no filled cells.')
  const beginning = beginningOf(bytes, 400_000)
  if (/^[ \t]{0,20}BEGIN:VCARD[ \t]{0,20}$/im.test(beginning.slice(0, 2000))) {
    const cards = readCards(bytes.toString())
    if (cards.rows.length < 2) throw notATable(name, `none of its cards can be read. ${cards.said[0] ?? ''}`)
    return { ...plainFile(name, cards.rows, cards.said), encoding }
  }
  // Where lines end in different ways, all are made alike; else line ends within cells stay what they are.
  const ends = lineEnds(bytes)
  const newline = ends.length === 1 ? ends[0] : '\n'
  const alike = (text: string) => (ends.length > 1 ? text.replace(/\r\n?/g, '\n') : text)
  const quote = options.quote ?? '"'
  const quoteChar = quote === 'none' ? '\x01' : quote
  const delimiter = options.delimiter ?? findDelimiter(alike(beginning), quoteChar)
  const text = ends.length > 1 ? Buffer.from(alike(bytes.toString())) : bytes
  const rows = rowsOfText(name, text, { delimiter, quoteChar, newline })
  const said: string[] = []
  if (rows.badQuote !== null)
    said.push(`A quotation mark stands in the wrong place near line ${rows.badQuote + 1}; look at the rows there.`)
  if (rows.defused > 0)
    said.push(
      `${rows.defused.toLocaleString('en-GB')} ${rows.defused === 1 ? 'cell began' : 'cells began'} with an apostrophe before a character such as + or =, which keeps a spreadsheet from running it as a formula. It was taken off.`,
    )
  const { widest } = rows.counted
  if (widest > maxColumns) refuseWidth(name, widest)
  return { ...plainFile(name, rows, said), delimiter, encoding, quote }
}

/** How often a character (of ASCII) stands in a text. */
function countOf(bytes: Buffer, character: string): number {
  let n = 0
  for (let at = bytes.indexOf(character); at >= 0; at = bytes.indexOf(character, at + 1)) n++
  return n
}

/** The beginning of a text in UTF-8, up to so many octets; no character is cut. */
const beginningOf = (bytes: Buffer, octets: number): string =>
  new TextDecoder().decode(bytes.subarray(0, octets), { stream: true })

/** Whether anything but white space stands in a text in UTF-8. */
function hasFilled(bytes: Buffer): boolean {
  const decoder = new TextDecoder()
  for (let at = 0; at < bytes.length; at += 65_536)
    if (/\S/.test(decoder.decode(bytes.subarray(at, at + 65_536), { stream: true }))) return true
  return false
}

/** The ways in which the lines of a text end. */
function lineEnds(bytes: Buffer): Separated['newline'][] {
  const [carriageReturn, lineFeed] = [13, 10]
  const ends = new Set<Separated['newline']>()
  for (let at = bytes.indexOf(carriageReturn); at >= 0 && ends.size < 2; at = bytes.indexOf(carriageReturn, at + 1))
    ends.add(bytes[at + 1] === lineFeed ? '\r\n' : '\r')
  for (let at = bytes.indexOf(lineFeed); at >= 0 && !ends.has('\n'); at = bytes.indexOf(lineFeed, at + 1))
    if (at === 0 || bytes[at - 1] !== carriageReturn) ends.add('\n')
  return [...ends]
}

function rowsOfText(name: string, text: Buffer, how: Separated): TextSheet {
  try {
    return new TextSheet(text, how)
  } catch (error) {
    if (error instanceof TooMany)
      throw notATable(
        name,
        `it has more than ${error.most.toLocaleString('en-GB')} rows, blank ones among them, more than a list can have. Part it into several files.`,
      )
    if (!(error instanceof TooLong)) throw error
    const { row, column, characters, quotes } = error
    const thousands = Math.round(characters / 1000).toLocaleString('en-GB')
    throw notATable(
      name,
      column === null
        ? `row ${row + 1} holds more than ${characters / 1_000_000} million characters, more than a row can. A quotation mark in it may never be closed: close it, or read the file without a quotation mark.`
        : `the cell in row ${row + 1}, column ${column + 1} holds ${thousands} thousand characters, more than a cell can. ${quotes ? 'A quotation mark before it is never closed: close it, or read the file without a quotation mark.' : 'Shorten it and choose the file again.'}`,
    )
  }
}

/**
 * The rows of a sheet as they are wanted: without what is hidden, if so wished, and with headings that are merged over several
 * columns standing over each of them.
 */
export function rowsWanted(sheet: SheetRead, hidden: 'in' | 'out', headingsRow?: number, headingRows = 1): Sheet {
  let { rows } = sheet
  const merged = sheet.merges.filter(
    ({ row }) => headingsRow !== undefined && row >= headingsRow && row < headingsRow + headingRows,
  )
  if (merged.length > 0) {
    const all = [...rows]
    for (const { row, from, to } of merged) {
      const heading = [...all[row]]
      for (let c = from + 1; c <= to; c++) heading[c] ??= heading[from]
      all[row] = heading
    }
    rows = all
  }
  if (hidden === 'in') return rows
  // Emptied, not taken out: rows keep the numbers that they have in the file.
  const goneRows = new Set([...sheet.hiddenRows, ...sheet.filteredRows])
  const goneColumns = new Set(sheet.hiddenColumns)
  if (goneRows.size + goneColumns.size === 0) return rows
  return Array.from(rows, (row: SheetCells, r) =>
    goneRows.has(r) ? [] : goneColumns.size === 0 ? row : row.map((cell, c) => (goneColumns.has(c) ? undefined : cell)),
  )
}
