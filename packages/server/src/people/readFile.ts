import * as XLSX from '@e965/xlsx'
import type { Cell, Sheet } from '@hand-post/core'
import Papa from 'papaparse'
import { packStored, type UnpackLimits, unpack, ZipFault } from '../files/zip.ts'
import { Refusal } from '../problem.ts'
import { readCards } from './cards.ts'
import { readAddresses } from './pasted.ts'
import { decodeText } from './text.ts'
import { workbookFault } from './workbookLimits.ts'

/** One sheet as it stands in the file. */
export interface SheetRead {
  name: string
  hidden: boolean
  rows: Sheet
  /** Indexes of rows and columns that the workbook hides. */
  hiddenRows: number[]
  hiddenColumns: number[]
  /** Cells that are merged in a heading or over several columns: from which column to which, by row. */
  merges: { row: number; from: number; to: number }[]
  said: string[]
}

/** A file as read: its sheets, and for text what was detected. */
export interface FileRead {
  sheets: SheetRead[]
  delimiter: string | null
  encoding: string | null
  quote: string | null
}

/** How the writer wants a text to be read; what is left out is found. */
export interface TextOptions {
  delimiter?: string
  encoding?: string
  quote?: string
}

const notATable = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be read as a table: ${why} Nothing was stored.`, 'Not a table')

const lockedWorkbook = (name: string) =>
  notATable(name, 'it is locked with a password. Open it, take the password off, save it and choose it again.')

/** The most columns of a list, and the most signs of one cell. */
const mostColumns = 2000
const longestCell = 100_000

/**
 * Reads a table from a workbook (.xlsx, .ods), delimited text or vCards. What the file is, is told from its content.
 * @throws Refusal in words when it is none, is locked, or is damaged.
 */
export async function readTableFile(bytes: Buffer, name: string, options: TextOptions = {}): Promise<FileRead> {
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
  if (bytes.subarray(0, 2).toString('latin1') === 'PK') return readWorkbook(bytes, name)
  return readText(bytes, name, options)
}

/** Reads what was pasted: a run of addresses, or a block of cells. */
export function readPasted(text: string): FileRead {
  const addresses = readAddresses(text)
  if (!addresses) return readText(Buffer.from(text), 'What was pasted', {})
  return plainFile('Pasted addresses', addresses.rows, addresses.said)
}

const plainFile = (name: string, rows: Sheet, said: string[]): FileRead => ({
  sheets: [{ name, hidden: false, rows, hiddenRows: [], hiddenColumns: [], merges: [], said }],
  delimiter: null,
  encoding: null,
  quote: null,
})

/** What a workbook may unpack to: beyond is no table but a trap. */
const unpacking: UnpackLimits = { largest: 400_000_000, ratio: 200, always: 50_000_000, most: 5000 }

async function readWorkbook(given: Buffer, name: string): Promise<FileRead> {
  // Pictures and whatever else lies in a workbook do not concern its tables.
  const parts = await unpack(given, unpacking, (path) => /\.(xml|rels)$|^mimetype$/i.test(path)).catch((error) => {
    if (!(error instanceof ZipFault)) throw error
    if (error.kind === 'locked') throw lockedWorkbook(name)
    throw notATable(
      name,
      error.kind === 'damaged'
        ? `${given.includes('xl/workbook') || given.includes('content.xml') ? 'the workbook is damaged or not whole' : 'it is a packed file, but not a workbook'}. Open it and save it again as .xlsx, .ods or .csv.`
        : `${error.message}. If it really is yours, save the sheet as .csv.`,
    )
  })
  const openDocument = String(parts.get('mimetype') ?? '').startsWith('application/vnd.oasis.opendocument.spreadsheet')
  if (given.includes('xl/workbook.bin') && !parts.has('xl/workbook.xml'))
    throw notATable(
      name,
      'it is a workbook in a binary form that is not read here. Open it and save it as .xlsx, .ods or .csv.',
    )
  if (
    openDocument &&
    (!parts.has('content.xml') || /<[^>]{0,20}encryption-data/.test(String(parts.get('META-INF/manifest.xml') ?? '')))
  )
    throw lockedWorkbook(name)
  if (!openDocument && !parts.has('xl/workbook.xml'))
    throw notATable(name, 'it is a packed file, but not a workbook. Choose a .xlsx, .ods or .csv file.')
  const fault = workbookFault(parts)
  if (fault !== null) throw notATable(name, `${fault} Open it, save it again, and choose the new file.`)
  // A document needs no styles, but the reader does.
  if (openDocument && !parts.has('styles.xml')) parts.set('styles.xml', noStyles)
  const bytes = packStored(parts)
  parts.clear()
  let workbook: XLSX.WorkBook
  try {
    workbook = XLSX.read(bytes, {
      type: 'buffer',
      cellNF: true,
      cellText: true,
      cellHTML: false,
      cellFormula: false,
      // Hidden rows and columns are told only with the styles.
      cellStyles: true,
      dense: true,
    })
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error)
    if (/encrypt|password/i.test(why)) throw lockedWorkbook(name)
    throw notATable(name, `the workbook is damaged or not whole (${why.slice(0, 200)}). Open it and save it again.`)
  }
  if (workbook.SheetNames.some((sheetName) => !workbook.Sheets[sheetName]))
    throw notATable(name, 'the workbook is damaged: a sheet that it names is not in it. Open it and save it again.')
  const date1904 = workbook.Workbook?.WBProps?.date1904 ?? false
  const sheets = workbook.SheetNames.map((sheetName, i) => ({
    name: sheetName,
    hidden: (workbook.Workbook?.Sheets?.[i]?.Hidden ?? 0) > 0,
    ...readSheet(workbook.Sheets[sheetName], date1904),
  }))
  if (sheets.every((s) => s.rows.length === 0)) throw notATable(name, 'it has no filled cells.')
  for (const sheet of sheets) {
    const widest = sheet.rows.reduce((most, row) => Math.max(most, row.length), 0)
    if (widest > mostColumns) refuseWidth(name, widest)
  }
  return { sheets, delimiter: null, encoding: null, quote: null }
}

const noStyles = Buffer.from(
  '<?xml version="1.0" encoding="UTF-8"?><office:document-styles xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" office:version="1.3"/>',
)

function refuseWidth(name: string, widest: number): never {
  throw notATable(
    name,
    `it has ${widest.toLocaleString('en-GB')} columns, more than a list can have (${mostColumns.toLocaleString('en-GB')}). Look whether the right sign parts the columns.`,
  )
}

const two = (n: number) => String(n).padStart(2, '0')
const hiddenOf = (facts: ({ hidden?: boolean } | undefined)[] | undefined) =>
  (facts ?? []).flatMap((fact, i) => (fact?.hidden ? [i] : []))

function readSheet(sheet: XLSX.WorkSheet, date1904: boolean): Omit<SheetRead, 'name' | 'hidden'> {
  const data = ((sheet as { '!data'?: (XLSX.CellObject | undefined)[][] })['!data'] ?? []) as (
    | XLSX.CellObject
    | undefined
  )[][]
  const said: string[] = []
  let errors = 0
  const rows: Sheet = []
  for (let r = 0; r < data.length; r++) rows.push((data[r] ?? []).map((cell) => readCell(cell)))
  // A cell merged downwards means its value for every row that it covers.
  let mergedDown = 0
  const merges: SheetRead['merges'] = []
  for (const { s, e } of sheet['!merges'] ?? []) {
    if (e.c > s.c) merges.push({ row: s.r, from: s.c, to: e.c })
    const value = rows[s.r]?.[s.c]
    if (e.r === s.r || value === undefined) continue
    mergedDown++
    for (let r = s.r + 1; r <= e.r && r < rows.length; r++) if (rows[r][s.c] === undefined) rows[r][s.c] = value
  }
  while (rows.length > 0 && rows.at(-1)!.every((cell) => cell === undefined)) rows.pop()
  if (mergedDown > 0)
    said.push(
      `${mergedDown} ${mergedDown === 1 ? 'cell is' : 'cells are'} merged over several rows; each of the rows was given the value.`,
    )
  if (errors > 0)
    said.push(
      `${errors} ${errors === 1 ? 'cell holds' : 'cells hold'} an error of the workbook, such as #N/A; they are shown as they stand, and marked in the table.`,
    )
  return {
    rows,
    hiddenRows: hiddenOf(sheet['!rows']),
    hiddenColumns: hiddenOf(sheet['!cols']),
    merges,
    said,
  }

  function readCell(cell: XLSX.CellObject | undefined): Cell | undefined {
    if (!cell || cell.t === 'z' || cell.v === undefined || cell.v === null || cell.v === '') return undefined
    if (cell.t === 's') return String(cell.v).replaceAll('\0', '')
    if (cell.t === 'b') return { shown: cell.v ? 'yes' : 'no', value: Boolean(cell.v) }
    if (cell.t === 'e') {
      errors++
      return cell.w ?? '#ERROR'
    }
    const format = String(cell.z ?? 'General')
    if (cell.t === 'd' || XLSX.SSF.is_date(format)) {
      const serial = cell.t === 'd' ? XLSX.SSF.parse_date_code(serialOf(cell.v as Date)) : null
      const d = serial ?? XLSX.SSF.parse_date_code(Number(cell.v), { date1904 })
      if (d) {
        const day = `${d.y}-${two(d.m)}-${two(d.d)}`
        const withTime = d.H + d.M + d.S > 0
        const british = `${two(d.d)}/${two(d.m)}/${d.y}${withTime ? ` ${two(d.H)}:${two(d.M)}` : ''}`
        // Format 14 means "the short date of wherever the workbook is opened"; here that is the British one.
        const local = /^(general|m\/d\/yy|m\/d\/yyyy|mm\/dd\/yyyy|dd\/mm\/yyyy)( h:mm)?$/i.test(format)
        return {
          shown: local ? british : (cell.w ?? british).trim(),
          value: withTime ? `${day}T${two(d.H)}:${two(d.M)}` : day,
        }
      }
    }
    const value = Number(cell.v)
    const text = (cell.w ?? String(cell.v)).trim()
    return text === String(value) ? text : { shown: text, value }
  }
}

/** The date serial of ECMA-376 (1900 system) for a moment that a reader gave as a Date in UTC. */
const serialOf = (date: Date) => date.getTime() / 86_400_000 + 25_569

/**
 * Finds the sign that parts the columns: the one that gives most lines the most fields. A title line above the table, which
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

function readText(bytes: Buffer, name: string, options: TextOptions): FileRead {
  const { text: decoded, encoding } = decodeText(bytes, options.encoding)
  const nul = decoded.indexOf('\0')
  if (nul >= 0)
    throw notATable(
      name,
      nul < 1000 && !options.encoding
        ? 'it is neither a workbook nor text. Choose a .xlsx, .ods, .csv or .vcf file.'
        : `line ${decoded.slice(0, nul).split('\n').length} holds a sign that no text has (NUL). The file is damaged, or the encoding is another one.`,
    )
  if (decoded.trim() === '') throw notATable(name, 'it has no filled cells.')
  if (/^[ \t]{0,20}BEGIN:VCARD[ \t]{0,20}$/im.test(decoded.slice(0, 2000))) {
    const cards = readCards(decoded)
    if (cards.rows.length < 2) throw notATable(name, `none of its cards can be read. ${cards.said[0] ?? ''}`)
    return { ...plainFile(name, cards.rows, cards.said), encoding }
  }
  // Where lines end in different ways, all are made alike; else line ends within cells stay what they are.
  const ends = new Set(decoded.match(/\r\n|\r|\n/g))
  const newline = ends.size > 1 || ends.size === 0 ? '\n' : ([...ends][0] as '\n' | '\r' | '\r\n')
  const text = ends.size > 1 ? decoded.replace(/\r\n?/g, '\n') : decoded
  const quote = options.quote ?? '"'
  const quoteChar = quote === 'none' ? '\x01' : quote
  const delimiter = options.delimiter ?? findDelimiter(text, quoteChar)
  const parsed = Papa.parse<string[]>(text, {
    delimiter,
    quoteChar,
    newline,
    header: false,
    skipEmptyLines: false,
  })
  const said: string[] = []
  const quotes = parsed.errors.filter((e) => e.type === 'Quotes')
  const rows = parsed.data as Sheet
  let widest = 0
  rows.forEach((row, r) => {
    widest = Math.max(widest, row.length)
    row.forEach((cell, c) => {
      if (typeof cell === 'string' && cell.length > longestCell)
        throw notATable(
          name,
          `the cell in row ${r + 1}, column ${c + 1} holds ${Math.round(cell.length / 1000).toLocaleString('en-GB')} thousand signs, more than a cell can. ${quotes.length > 0 ? 'A quotation mark before it is never closed: close it, or read the file without a quotation mark.' : 'Shorten it and choose the file again.'}`,
        )
    })
  })
  if (quotes.length > 0)
    said.push(
      `A quotation mark stands in the wrong place near line ${(quotes[0].row ?? 0) + 1}; look at the rows there.`,
    )
  if (widest > mostColumns) refuseWidth(name, widest)
  return {
    sheets: [{ name, hidden: false, rows, hiddenRows: [], hiddenColumns: [], merges: [], said }],
    delimiter,
    encoding,
    quote,
  }
}

/**
 * The rows of a sheet as they are wanted: without what is hidden, if so wished, and with a heading that is merged over several
 * columns standing over each of them.
 */
export function rowsWanted(sheet: SheetRead, hidden: 'in' | 'out', headingsRow?: number): Sheet {
  let rows = sheet.rows
  const merged = sheet.merges.filter((m) => m.row === headingsRow)
  if (merged.length > 0) {
    const heading = [...rows[headingsRow!]]
    for (const { from, to } of merged) for (let c = from + 1; c <= to; c++) heading[c] ??= heading[from]
    rows = rows.map((row, r) => (r === headingsRow ? heading : row))
  }
  if (hidden === 'in') return rows
  // Emptied, not taken out: rows keep the numbers that they have in the file.
  const goneRows = new Set(sheet.hiddenRows)
  const goneColumns = new Set(sheet.hiddenColumns)
  if (goneRows.size + goneColumns.size === 0) return rows
  return rows.map((row, r) =>
    goneRows.has(r) ? [] : goneColumns.size === 0 ? row : row.map((cell, c) => (goneColumns.has(c) ? undefined : cell)),
  )
}
