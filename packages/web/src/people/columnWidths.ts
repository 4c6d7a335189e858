import { type Column, type Row, shown } from '@hand-post/core'

type Kind = Column['kind']

/** How wide, in pixels, columns are at least and at most for which no width was chosen. */
const usual: Record<Kind, [number, number]> = {
  address: [250, 320],
  files: [170, 320],
  text: [130, 340],
  date: [120, 150],
  dateTime: [150, 180],
  time: [80, 110],
  duration: [80, 110],
  amount: [110, 150],
  number: [90, 130],
  yesNo: [90, 110],
}
const mostForHeading = 220
const sample = 40

/** How wide a column's heading is with what stands beside it, in pixels; a long one is cut. */
export const headingWidth = (column: Column) => Math.min(mostForHeading, column.name.length * 8 + 48)

/**
 * The widths of a list's columns, by column id: the one chosen, or what the heading and the cells of the first rows need within
 * what is usual for the kind, so that neither long notes nor like headings are cut to the same few letters.
 */
export function columnWidths(columns: Column[], rows: Row[]): Map<string, number> {
  const first = rows.slice(0, sample)
  return new Map(
    columns.map((column) => {
      if (column.width) return [column.id, column.width]
      const [least, most] = usual[column.kind]
      const longest = Math.max(0, ...first.map((row) => shown(row.cells[column.id]).length))
      return [
        column.id,
        Math.round(Math.max(headingWidth(column), Math.min(most, Math.max(least, longest * 7.5 + 20)))),
      ]
    }),
  )
}
