/** What a file kept for a cell besides what it showed. */
export type CellValue = string | number | boolean

/**
 * A cell: the text the sheet showed, or that text beside the value the file kept for it.
 * Most cells are text and stay a bare string, so that 100,000 rows remain small.
 */
export type Cell = string | { shown: string; value: CellValue }

/** One row of a list; `cells` is keyed by column id, and a blank cell has no entry. */
export interface Row {
  id: number
  /** The key by which it stands in its list: rows are in the order of these, as plain text. Between any two there is room for more. */
  position: string
  /** The number by which it is called, as the list is sorted, where that has been reckoned. See {@link numbered}. */
  number?: number
  cells: Record<string, Cell>
}

/** The text a cell shows; '' when it is blank. */
export function shown(cell: Cell | undefined): string {
  if (cell === undefined) return ''
  return typeof cell === 'string' ? cell : cell.shown
}

/** Whether a text may have letters that can be composed: below U+0300 all are as they stay (Unicode, UAX #15, NFC_Quick_Check). */
const mayBeComposed = /[\u0300-\uffff]/

/**
 * The form under which two texts count as the same: composed and decomposed letters, capitals and small ones, and spaces around them make no
 * difference.
 * @example sameTextKey(' Low Water') // 'low water'
 */
export function sameTextKey(text: string): string {
  return (mayBeComposed.test(text) ? text.normalize('NFC') : text).trim().toLowerCase()
}

/** Whether a cell shows nothing but white space. */
export function isBlank(cell: Cell | undefined): boolean {
  return shown(cell).trim() === ''
}

/** Whether two cells show the same and hold the same value. */
export function sameCell(a: Cell | undefined, b: Cell | undefined): boolean {
  if (typeof a === 'object' && typeof b === 'object') return a.shown === b.shown && a.value === b.value
  return a === b
}
