import type { Recipe } from './recipes.ts'

/** The kinds a column can have; found from its cells and changeable by the writer. */
export const kinds = [
  'text',
  'number',
  'amount',
  'date',
  'dateTime',
  'time',
  'duration',
  'yesNo',
  'address',
  'files',
] as const
export type Kind = (typeof kinds)[number]

/** One column of a list. `id` never changes; `name` is what fields in a letter use. */
export interface Column {
  id: string
  name: string
  kind: Kind
  /** For dates typed as text: whether 07/04 is 7 April. `undefined` where the column has no such cell. */
  dayFirst?: boolean
  /** How its cells are made from others; a column without one is typed in. */
  recipe?: Recipe
  /** Pixels it takes in the table; by its kind when left out. */
  width?: number
  /** Not shown in the table. Its fields and rules work all the same. */
  hidden?: boolean
  /** Stays in sight when the table is scrolled sideways. */
  frozen?: boolean
}

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

/**
 * The name by which a person is called in the interface and, in the To header, beside the address.
 * @returns the value of the name columns joined by a space, or '' when none is filled.
 */
export function personName(row: Row, nameColumns: string[]): string {
  return nameColumns
    .map((id) => shown(row.cells[id]).trim())
    .filter(Boolean)
    .join(' ')
}
