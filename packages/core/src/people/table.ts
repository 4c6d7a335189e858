/** The kinds a column can have; found from its cells and changeable by the writer. */
export const kinds = ['text', 'number', 'amount', 'date', 'dateTime', 'yesNo', 'address', 'files'] as const
export type Kind = (typeof kinds)[number]

/** One column of a list. `id` never changes; `name` is what fields in a letter use. */
export interface Column {
  id: string
  name: string
  kind: Kind
  /** For dates typed as text: whether 07/04 is 7 April. `undefined` where the column has no such cell. */
  dayFirst?: boolean
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
  position: number
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
