import * as XLSX from '@e965/xlsx'
import { type Column, csvText, type Row, shown, typed } from '@hand-post/core'
import { writeCards } from './cards.ts'

export type TableFormat = 'csv' | 'xlsx' | 'ods' | 'vcf'

/** The registered media types of the formats. */
export const mediaTypes: Record<TableFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  ods: 'application/vnd.oasis.opendocument.spreadsheet',
  vcf: 'text/vcard; charset=utf-8',
}

/** The day number of a workbook for ISO text (ECMA-376, part 1, section 18.17.4, 1900 date system). */
function serialOf(iso: string): number {
  const at = Date.parse(`${iso.length === 10 ? `${iso}T00:00` : iso}Z`) / 86_400_000 + 25_569
  // The system counts a 29 February 1900 that there never was.
  return at < 61 ? at - 1 : at
}

/** How a value is shown in a workbook, so that it looks as it does here. */
function formatOf(text: string, column: Column): string {
  if (column.kind === 'date')
    return /^\d{4}-/.test(text) ? 'yyyy-mm-dd' : /[A-Za-z]/.test(text) ? 'd mmmm yyyy' : 'dd/mm/yyyy'
  if (column.kind === 'dateTime') return 'dd/mm/yyyy hh:mm'
  const decimals = /\.(\d+)\)?%?(?:\s*[A-Z€£]*)?$/.exec(text)?.[1].length ?? 0
  const digits = `${text.includes(',') ? '#,##0' : '0'}${decimals > 0 ? `.${'0'.repeat(decimals)}` : ''}`
  const sign = /[£€$¥]/.exec(text)?.[0]
  return text.includes('%') ? `${digits}%` : sign ? `"${sign}"${digits}` : digits
}

/** Writes a table as a file. In workbooks figures and dates are figures and dates; what does not read as its kind is text. */
export function writeTable(as: TableFormat, name: string, columns: Column[], rows: Row[]): Buffer {
  if (as === 'vcf') return Buffer.from(writeCards(columns, rows))
  if (as === 'csv')
    return Buffer.from(
      csvText([columns.map((c) => c.name), ...rows.map((r) => columns.map((c) => shown(r.cells[c.id])))]),
    )
  const cell = (row: Row, column: Column): XLSX.CellObject | null => {
    const text = shown(row.cells[column.id])
    if (text === '') return null
    const value = typed(row.cells[column.id], column)
    const isDate = column.kind === 'date' || column.kind === 'dateTime'
    // An OpenDocument cell carries the text that is shown beside the value; its dates are dates, not day numbers.
    if (isDate && typeof value === 'string')
      return as === 'ods'
        ? { t: 'd', v: new Date(`${value.length === 10 ? `${value}T00:00` : value}Z`), w: text }
        : { t: 'n', v: serialOf(value), z: formatOf(text, column) }
    if (typeof value === 'number') return { t: 'n', v: value, w: text, z: formatOf(text, column) }
    if (typeof value === 'boolean') return { t: 'b', v: value }
    return { t: 's', v: text }
  }
  const sheet = XLSX.utils.aoa_to_sheet([
    columns.map((c) => ({ t: 's', v: c.name })),
    ...rows.map((row) => columns.map((c) => cell(row, c))),
  ])
  const book = XLSX.utils.book_new()
  XLSX.utils.book_append_sheet(
    book,
    sheet,
    name
      .replace(/[[\]:*?/\\']/g, ' ')
      .trim()
      .slice(0, 31) || 'List',
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
