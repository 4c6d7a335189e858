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
  /** Its place in the list as sorted, from 0, where that has been reckoned. */
  place?: number
  cells: Record<string, Cell>
}

/** The text a cell shows; '' when it is blank. */
export function shown(cell: Cell | undefined): string {
  if (cell === undefined) return ''
  return typeof cell === 'string' ? cell : cell.shown
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
