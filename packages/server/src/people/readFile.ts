import * as XLSX from '@e965/xlsx'
import type { Cell, Sheet } from '@hand-post/core'
import Papa from 'papaparse'
import { Refusal } from '../problem.ts'

/** A file as read: its sheets, and for text what was detected. */
export interface FileRead {
  sheets: { name: string; hidden: boolean; rows: Sheet; said: string[] }[]
  delimiter: string | null
  encoding: string | null
}

const notATable = (name: string, why: string) =>
  new Refusal(422, `“${name}” cannot be read as a table: ${why} Nothing was stored.`, 'Not a table')

/** The largest a workbook may become when unpacked, and how many times its packed size: beyond is no table but a trap. */
const largestUnpacked = 600_000_000
const largestRatio = 200

/**
 * Reads a .csv (or other delimited text) or .xlsx file into sheets. What the file is, is told from its content.
 * @throws Refusal in words when it is none, is locked, or is damaged.
 */
export function readTableFile(bytes: Buffer, name: string): FileRead {
  if (bytes.length === 0) throw notATable(name, 'it is empty. Save the table again and choose the new file.')
  if (bytes.subarray(0, 4).equals(Buffer.from([0xd0, 0xcf, 0x11, 0xe0]))) {
    // An OLE container is either an encrypted workbook (it has this stream name in UTF-16) or one of the old format.
    const locked = bytes.includes(Buffer.from('EncryptedPackage', 'utf16le'))
    throw notATable(
      name,
      locked
        ? 'it is locked with a password. Open it, take the password off, save it and choose it again.'
        : 'it is in an old format. Open it and save it as .xlsx or .csv.',
    )
  }
  if (bytes.subarray(0, 2).toString('latin1') === 'PK') return readWorkbook(bytes, name)
  return readText(bytes, name)
}

/** Adds up what the entries of a zip say they unpack to, from its central directory (APPNOTE 4.3.12). */
function unpackedSize(bytes: Buffer): number {
  let sum = 0
  for (
    let at = bytes.indexOf('PK\x01\x02', 0, 'latin1');
    at >= 0 && at + 46 <= bytes.length;
    at = bytes.indexOf('PK\x01\x02', at + 4, 'latin1')
  )
    sum += bytes.readUInt32LE(at + 24)
  return sum
}

function readWorkbook(bytes: Buffer, name: string): FileRead {
  const unpacked = unpackedSize(bytes)
  if (unpacked > largestUnpacked || unpacked > Math.max(50_000_000, bytes.length * largestRatio))
    throw notATable(name, 'it would unpack to a size that no list has. If it really is yours, save the sheet as .csv.')
  if (!bytes.includes('xl/workbook.xml') && !bytes.includes('xl/workbook.bin'))
    throw notATable(name, 'it is a packed file, but not a workbook. Choose a .xlsx or .csv file.')
  let workbook: XLSX.WorkBook
  try {
    workbook = XLSX.read(bytes, {
      type: 'buffer',
      cellNF: true,
      cellText: true,
      cellHTML: false,
      cellFormula: false,
      dense: true,
    })
  } catch (error) {
    throw notATable(
      name,
      `the workbook is damaged or not whole (${error instanceof Error ? error.message : error}). Open it and save it again.`,
    )
  }
  const date1904 = workbook.Workbook?.WBProps?.date1904 ?? false
  const sheets = workbook.SheetNames.map((sheetName, i) => ({
    name: sheetName,
    hidden: (workbook.Workbook?.Sheets?.[i]?.Hidden ?? 0) > 0,
    ...readSheet(workbook.Sheets[sheetName], date1904),
  }))
  if (sheets.every((s) => s.rows.length === 0)) throw notATable(name, 'it has no filled cells.')
  return { sheets, delimiter: null, encoding: null }
}

const two = (n: number) => String(n).padStart(2, '0')

function readSheet(sheet: XLSX.WorkSheet, date1904: boolean): { rows: Sheet; said: string[] } {
  const data = ((sheet as { '!data'?: (XLSX.CellObject | undefined)[][] })['!data'] ?? []) as (
    | XLSX.CellObject
    | undefined
  )[][]
  const said: string[] = []
  let errors = 0
  const rows: Sheet = []
  for (let r = 0; r < data.length; r++) rows.push((data[r] ?? []).map((cell) => readCell(cell)))
  while (rows.length > 0 && rows.at(-1)!.every((cell) => cell === undefined)) rows.pop()
  if (errors > 0)
    said.push(
      `${errors} ${errors === 1 ? 'cell holds' : 'cells hold'} an error of the workbook, such as #N/A; they are shown as they stand.`,
    )
  const hidden = (sheet['!rows'] ?? []).filter((row) => row?.hidden).length
  if (hidden > 0)
    said.push(
      `${hidden} ${hidden === 1 ? 'row is' : 'rows are'} hidden in the workbook, and ${hidden === 1 ? 'was' : 'were'} brought in too.`,
    )
  return { rows, said }

  function readCell(cell: XLSX.CellObject | undefined): Cell | undefined {
    if (!cell || cell.t === 'z' || cell.v === undefined || cell.v === null || cell.v === '') return undefined
    if (cell.t === 's') return String(cell.v)
    if (cell.t === 'b') return { shown: cell.v ? 'yes' : 'no', value: Boolean(cell.v) }
    if (cell.t === 'e') {
      errors++
      return cell.w ?? '#ERROR'
    }
    const value = Number(cell.v)
    const format = String(cell.z ?? 'General')
    if (XLSX.SSF.is_date(format)) {
      const d = XLSX.SSF.parse_date_code(value, { date1904 })
      if (d) {
        const day = `${d.y}-${two(d.m)}-${two(d.d)}`
        const withTime = value % 1 !== 0
        const british = `${two(d.d)}/${two(d.m)}/${d.y}${withTime ? ` ${two(d.H)}:${two(d.M)}` : ''}`
        // Format 14 means "the short date of wherever the workbook is opened"; here that is the British one.
        const local = /^(m\/d\/yy|m\/d\/yyyy|mm\/dd\/yyyy|dd\/mm\/yyyy)( h:mm)?$/i.test(format)
        return {
          shown: local ? british : (cell.w ?? british).trim(),
          value: withTime ? `${day}T${two(d.H)}:${two(d.M)}` : day,
        }
      }
    }
    const text = (cell.w ?? String(cell.v)).trim()
    return text === String(value) ? text : { shown: text, value }
  }
}

/** The text of a file and its encoding: a byte order mark decides, else valid UTF-8, else Windows-1252. */
export function decodeText(bytes: Buffer): { text: string; encoding: string } {
  const decode = (encoding: string, from: number) => new TextDecoder(encoding).decode(bytes.subarray(from))
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf)
    return { text: decode('utf-8', 3), encoding: 'UTF-8' }
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return { text: decode('utf-16le', 2), encoding: 'UTF-16' }
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return { text: decode('utf-16be', 2), encoding: 'UTF-16' }
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'UTF-8' }
  } catch {
    return { text: decode('windows-1252', 0), encoding: 'Windows-1252' }
  }
}

/**
 * Finds the sign that parts the columns: the one that gives most lines the most fields. A title line above the table, which
 * has none of it, does not count against it.
 */
function findDelimiter(text: string): string {
  const usual = (delimiter: string) => {
    const { data } = Papa.parse<string[]>(text.slice(0, 100_000), { delimiter, preview: 50, skipEmptyLines: 'greedy' })
    const widths = data.map((row) => row.length).sort((a, b) => a - b)
    return widths[Math.floor(widths.length / 2)] ?? 0
  }
  return [',', ';', '\t', '|'].reduce((best, next) => (usual(next) > usual(best) ? next : best))
}

function readText(bytes: Buffer, name: string): FileRead {
  const { text, encoding } = decodeText(bytes)
  if (text.slice(0, 200_000).includes('\0'))
    throw notATable(name, 'it is neither a workbook nor text. Choose a .xlsx or .csv file.')
  if (text.trim() === '') throw notATable(name, 'it has no filled cells.')
  const parsed = Papa.parse<string[]>(text, { delimiter: findDelimiter(text), header: false, skipEmptyLines: false })
  const said: string[] = []
  const quotes = parsed.errors.filter((e) => e.type === 'Quotes')
  if (quotes.length > 0)
    said.push(
      `A quotation mark stands in the wrong place near line ${(quotes[0].row ?? 0) + 1}; look at the rows there.`,
    )
  const rows = parsed.data as Sheet
  const widest = rows.reduce((most, row) => Math.max(most, row.length), 0)
  if (widest > 2000)
    throw notATable(
      name,
      `it has ${widest.toLocaleString('en-GB')} columns, more than a list can have. Look whether the right sign parts the columns.`,
    )
  return { sheets: [{ name, hidden: false, rows, said }], delimiter: parsed.meta.delimiter, encoding }
}
