import { type Column, kinds, type Row, shown } from '@hand-post/core'

/** How wide, in pixels, a character of a cell is taken to be where no width was chosen. */
const ofCharacter = 8
const maxForHeading = 220
const sample = 40

/** How wide a column's heading is with what stands beside it, in pixels; a long one is cut. */
export const headingWidth = (column: Column) => Math.min(maxForHeading, column.name.length * 8 + 48)

/**
 * The widths of a list's columns, by column id: the one chosen, or what the heading and the cells of the first rows need within
 * what is usual for the kind, so that neither long notes nor like headings are cut to the same few letters.
 */
export function columnWidths(columns: Column[], rows: Row[]): Map<string, number> {
  const first = rows.slice(0, sample)
  return new Map(
    columns.map((column) => {
      if (column.width) return [column.id, column.width]
      const [least, most] = kinds[column.kind].characters.map((n) => n * ofCharacter)
      const longest = Math.max(0, ...first.map((row) => shown(row.cells[column.id]).length))
      return [
        column.id,
        Math.round(Math.max(headingWidth(column), Math.min(most, Math.max(least, longest * 7.5 + 20)))),
      ]
    }),
  )
}
