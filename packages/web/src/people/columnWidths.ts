import { type Column, kinds, type Row, shown } from '@hand-post/core'
import { isHere } from '../shared/rows.ts'

/** How wide, in pixels, a character is taken to be where no width was chosen, and what stands around it. */
const ofCharacter = 7.5
const around = 22
/** A heading longer than its cells is cut at this, so that more columns are seen; the whole stands in its menu. */
const maxForHeading = 130
const least = 64
const sample = 100

/** How wide a column's heading is with what stands beside it, in pixels; a long one is cut. */
export const headingWidth = (column: Column) => Math.min(maxForHeading, column.name.length * 8 + 34)

/**
 * The widths of a list's columns, by column id: the one chosen, or what nearly all cells of the first rows that are here need, up to what is usual
 * for the kind: one long note does not push the other columns out of sight.
 */
export function columnWidths(columns: Column[], rows: Row[]): Map<string, number> {
  const first: Row[] = []
  for (const row of rows) {
    if (first.length === sample) break
    if (isHere(row)) first.push(row)
  }
  return new Map(
    columns.map((column) => {
      if (column.width) return [column.id, column.width]
      const lengths = first.map((row) => shown(row.cells[column.id]).length).sort((a, b) => a - b)
      const nearlyAll = lengths[Math.floor(0.95 * (lengths.length - 1))] ?? 0
      const needed = Math.min(kinds[column.kind].characters, nearlyAll) * ofCharacter + around
      return [column.id, Math.round(Math.max(least, headingWidth(column), needed))]
    }),
  )
}
