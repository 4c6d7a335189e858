import { type Cell, type Column, type Row, readBlock, shown, writeBlock } from '@hand-post/core'
import type { Range } from './layout.ts'

/** Cells that are given others, as an edit of a list has them. */
export type Cells = [row: number, column: string, cell: Cell | null][]

/**
 * A block of cells as it goes to the clipboard, to be pasted here or in a spreadsheet.
 * @param derive gives a row with what its derived columns work out.
 */
export const copied = (
  rows: readonly Row[],
  columns: readonly Column[],
  { top, bottom, left, right }: Range,
  derive: (row: Row) => Row,
): string =>
  writeBlock(
    rows
      .slice(top, bottom + 1)
      .map(derive)
      .map((row) => columns.slice(left, right + 1).map((c) => shown(row.cells[c.id]))),
  )

/** What fills a block: only cells that become others; columns that are worked out are passed over. */
export function filled(
  rows: readonly Row[],
  columns: readonly Column[],
  { top, bottom, left, right }: Range,
  cellOf: (row: number, column: number) => Cell | string | null,
): Cells {
  const cells: Cells = []
  for (let r = top; r <= bottom && r < rows.length; r++)
    for (let c = left; c <= right; c++) {
      const column = columns[c]
      if (!column || column.recipe) continue
      const cell = cellOf(r, c)
      if (shown(rows[r].cells[column.id]) !== shown(cell ?? undefined))
        cells.push([rows[r].id, column.id, cell === '' ? null : cell])
    }
  return cells
}

/** What pasting a text does to a table. */
export interface Pasted {
  cells: Cells
  /** Rows that stand below the last one then. */
  fresh: Record<string, string>[]
  /** Values that had no place: beyond the last column, or in one that is worked out. */
  beyond: number
  /** The block that was pasted over. */
  range: Range
}

/** Pastes a text from a corner on; one value alone fills the whole block that is selected. */
export function pasted(text: string, rows: readonly Row[], columns: readonly Column[], range: Range): Pasted {
  const block = readBlock(text)
  if (block.length === 1 && block[0].length === 1)
    return { cells: filled(rows, columns, range, () => block[0][0].trim()), fresh: [], beyond: 0, range }
  const cells: Cells = []
  const fresh: Record<string, string>[] = []
  let beyond = 0
  block.forEach((line, r) => {
    const row = rows[range.top + r]
    const made: Record<string, string> = {}
    line.forEach((value, c) => {
      const column = columns[range.left + c]
      if (!column || column.recipe) beyond += value.trim() === '' ? 0 : 1
      else if (row) {
        if (shown(row.cells[column.id]) !== value.trim()) cells.push([row.id, column.id, value.trim() || null])
      } else if (value.trim() !== '') made[column.id] = value.trim()
    })
    if (!row) fresh.push(made)
  })
  return {
    cells,
    fresh,
    beyond,
    range: {
      ...range,
      bottom: range.top + block.length - 1,
      right: Math.min(range.left + block[0].length, columns.length) - 1,
    },
  }
}
