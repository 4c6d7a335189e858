import { createRequire } from 'node:module'
import type * as Xlsx from '@e965/xlsx'
import {
  type Cell,
  type Column,
  csvText,
  homeLanguage,
  parsedValue,
  type Row,
  secondsOfIso,
  shown,
  truthIn,
} from '@hand-post/core'
import { writeCards } from './cards.ts'
import { type CellOut, Codes } from './workbook/codes.ts'
import { writeOds } from './workbook/writeOds.ts'

export type TableFormat = 'csv' | 'xlsx' | 'ods' | 'vcf'

/** The registered media types of the formats. */
export const mediaTypes: Record<TableFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  ods: 'application/vnd.oasis.opendocument.spreadsheet',
  vcf: 'text/vcard; charset=utf-8',
}

/** The day number of a workbook for ISO text (ECMA-376, part 1, section 18.17.4, 1900 date system); NaN when it has none. */
function serialOf(iso: string): number {
  const at = Date.parse(`${iso.length === 10 ? `${iso}T00:00` : iso}Z`) / 86_400_000 + 25_569
  // The system counts a 29 February 1900 that there never was.
  const serial = at < 61 ? at - 1 : at
  return serial >= 0 ? serial : Number.NaN
}

/** A cell as a workbook keeps it: the value it has, and the format by which it shows what it shows here. */
function cellOut(cell: Cell | undefined, column: Column, codes: Codes): CellOut | null {
  const text = shown(cell)
  if (cell === undefined || text.trim() === '') return null
  const value = (typeof cell === 'object' ? cell.value : undefined) ?? parsedValue(cell, column)
  const trimmed = text.trim()
  const days = (iso: string, number: number, shape: 'day' | 'moment' | 'time' | 'duration'): CellOut => {
    const code = Number.isNaN(number) ? null : codes.of(number, trimmed, shape)
    if (code === null) return { text }
    return { text: trimmed, number, code, means: shape === 'day' || shape === 'moment' ? 'date' : 'time', iso }
  }
  if (typeof value === 'boolean')
    return trimmed === truthIn('en-GB', value) ? { text: trimmed, truth: value } : { text }
  if (typeof value === 'number') {
    if (column.kind === 'duration') return days(`PT${value}S`, value / 86_400, 'duration')
    if (!Number.isFinite(value)) return { text }
    const code = codes.of(value, trimmed, 'number')
    return code === null ? { text } : { text: trimmed, number: value, code, means: 'number' }
  }
  if (typeof value !== 'string') return { text }
  if (/^\d{4}-\d\d-\d\d$/.test(value)) return days(value, serialOf(value), 'day')
  if (/^\d{4}-\d\d-\d\dT\d\d:\d\d/.test(value)) return days(value, serialOf(value), 'moment')
  if (/^\d\d:\d\d/.test(value) && (column.kind === 'time' || typeof cell === 'object')) {
    const [h, m, s = '0'] = value.split(':')
    return days(value, (Number(h) * 3600 + Number(m) * 60 + Number(s)) / 86_400, 'time')
  }
  const seconds = typeof cell === 'object' ? secondsOfIso(value) : null
  return seconds === null ? { text } : days(value, seconds / 86_400, 'duration')
}

/** Writes .xlsx; loaded when the first is to be written. */
const xlsx = () => createRequire(import.meta.url)('@e965/xlsx') as typeof Xlsx

/**
 * Writes a table as a file. In workbooks figures, dates and times are what they are, and show what they show here; what does not read
 * as anything is text.
 */
export function writeTable(as: TableFormat, name: string, columns: Column[], rows: Row[]): Buffer {
  if (as === 'vcf') return Buffer.from(writeCards(columns, rows))
  if (as === 'csv')
    return Buffer.from(
      csvText([columns.map((c) => c.name), ...rows.map((r) => columns.map((c) => shown(r.cells[c.id])))]),
    )
  const used = new Set<string>()
  const codes = columns.map(() => new Codes(used))
  const sheetName =
    name
      .replace(/[[\]:*?/\\']/g, ' ')
      .trim()
      .slice(0, 31) || 'List'
  const cells = rows.map((row) => columns.map((column, i) => cellOut(row.cells[column.id], column, codes[i])))
  const headings = columns.map((c): CellOut => ({ text: c.name }))
  if (as === 'ods') return writeOds(sheetName, [headings, ...cells])
  const asXlsx = (cell: CellOut | null): Xlsx.CellObject | null => {
    if (cell === null) return null
    if ('truth' in cell) return { t: 'b', v: cell.truth }
    if ('number' in cell) return { t: 'n', v: cell.number, z: cell.code }
    // What reads as an escaped character is written as the characters that it is (ECMA-376 Part 1, 22.9.2.19).
    return { t: 's', v: cell.text.replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_') }
  }
  const XLSX = xlsx()
  const book = XLSX.utils.book_new()
  // Formats name their own language where it is another one.
  book.Props = { Language: homeLanguage } as Xlsx.FullProperties
  XLSX.utils.book_append_sheet(
    book,
    XLSX.utils.aoa_to_sheet([headings, ...cells].map((row) => row.map(asXlsx))),
    sheetName,
  )
  return XLSX.write(book, { type: 'buffer', bookType: as })
}

/** A small table to start from. */
export function writeSample(as: 'csv' | 'xlsx' | 'ods'): Buffer {
  const columns: Column[] = [
    { id: 'c1', name: 'First name', kind: 'text' },
    { id: 'c2', name: 'Last name', kind: 'text' },
    { id: 'c3', name: 'Email', kind: 'address' },
    { id: 'c4', name: 'Berth', kind: 'text' },
    { id: 'c5', name: 'Due', kind: 'date', dayFirst: true },
    { id: 'c6', name: 'Fee', kind: 'amount' },
    { id: 'c7', name: 'Permit', kind: 'files' },
  ]
  const rows = [
    ['Ada', 'Penrose', 'ada.penrose@quaymail.example', 'A12', '31/03/2027', '£420.00', 'permit-A12.pdf'],
    ['Bram', 'Tolland', 'bram.tolland@saltmail.example', 'B07', '31/03/2027', '£365.50', 'permit-B07.pdf'],
  ].map((cells, i) => ({
    id: i + 1,
    position: '',
    place: i,
    cells: Object.fromEntries(cells.map((c, n) => [`c${n + 1}`, c])),
  }))
  return writeTable(as, 'People', columns, rows)
}
