import { format as formatDate, parseISO } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import { type Cell, type CellValue, shown } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { isDay, isFigure, type Kind, kinds, parsedValue } from '../people/kinds.ts'

/** A number pattern of UTS #35, part 3: what stands before and after, grouping, and how many decimals at least and at most. */
const numberPattern = /^(?<before>[^#0.,]*)(?<whole>[#0,]*0)(?:\.(?<decimals>0*#*))?(?<after>[^#0.,]*)$/

/**
 * Compiles an LDML number pattern such as `#,##0.00` or `£#,##0`.
 * @returns the writer of numbers, or null when the pattern is not one.
 * @example numberFormat('#,##0.00')(1235.5) // '1,235.50'
 */
export function numberFormat(pattern: string): ((value: number) => string) | null {
  const parts = numberPattern.exec(pattern)?.groups
  if (!parts) return null
  const decimals = parts.decimals ?? ''
  const digits = new Intl.NumberFormat('en-GB', {
    useGrouping: parts.whole.includes(','),
    minimumIntegerDigits: Math.max(1, parts.whole.replace(/[#,]/g, '').length),
    minimumFractionDigits: decimals.replace(/#/g, '').length,
    maximumFractionDigits: decimals.length,
  })
  const percent = parts.after.includes('%') || parts.before.includes('%')
  return (value) =>
    `${value < 0 ? '-' : ''}${parts.before}${digits.format(Math.abs(percent ? value * 100 : value))}${parts.after}`
}

/**
 * Compiles an LDML date pattern such as `EEEE d MMMM yyyy`; null when it is not one. The value is ISO 8601 text.
 * @example dateFormat('d MMMM yyyy')('2026-12-03') // '3 December 2026'
 */
export function dateFormat(pattern: string): ((value: string) => string) | null {
  const write = (value: string) => formatDate(parseISO(value), pattern, { locale: enGB })
  try {
    write('2026-01-31T13:05')
    return write
  } catch {
    return null
  }
}

/**
 * Compiles how a column's cells are written in the letter.
 * Without a format, or where a value does not read as the column's kind, what the sheet showed is written.
 * Within one compiled writer equal values are formatted once: lists repeat their dates and amounts.
 */
export function cellWriter(column: Column, format: string | null): (cell: Cell | undefined) => string {
  if (format === null) return (cell) => shown(cell).trim()
  const writer = isDay(column) ? dateFormat(format) : isFigure(column) ? numberFormat(format) : null
  if (!writer) return (cell) => shown(cell).trim()
  const known = new Map<CellValue, string>()
  return (cell) => {
    const value = parsedValue(cell, column)
    if (value === null) return shown(cell).trim()
    let text = known.get(value)
    if (text === undefined) {
      text = (writer as (value: CellValue) => string)(value)
      if (known.size < 5000) known.set(value, text)
    }
    return text
  }
}

/** The formats offered for a kind, each to be shown by example with the chosen person's value. */
export const formatsFor = (kind: Kind): readonly string[] => kinds[kind].formats
