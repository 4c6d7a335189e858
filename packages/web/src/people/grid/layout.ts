import type { Column } from '@hand-post/core'

/** Pixels. */
export const rowHeight = 34
const figureWidth = 7.5
/**
 * How wide the column is in which the numbers of rows stand.
 * @param last the last of them.
 */
export const numberWidthOf = (last: number): number => {
  const figures = String(last).length
  return Math.max(48, Math.ceil(18 + figures * figureWidth + Math.floor((figures - 1) / 3) * 4))
}

/** A place in the table: of a row and of a column that is shown, both counted from 0. */
export interface Place {
  row: number
  column: number
}

/** A block of cells, both ends included. */
export interface Range {
  top: number
  bottom: number
  left: number
  right: number
}
/** The block between two corners. */
export const rangeOf = (a: Place, b: Place): Range => ({
  top: Math.min(a.row, b.row),
  bottom: Math.max(a.row, b.row),
  left: Math.min(a.column, b.column),
  right: Math.max(a.column, b.column),
})

/** Where the columns that are shown stand: frozen ones first, each with its distance from the left. */
export interface Layout {
  columns: Column[]
  frozen: number
  lefts: number[]
  widths: number[]
  frozenWidth: number
  width: number
  /** How wide the column of their numbers is, which stands before all. */
  numbers: number
}

/**
 * Lays the columns out.
 * @param start those that stay in sight, in order.
 * @param center the others that are shown, in order.
 * @param widthOf the width of each by its id.
 * @param before what stands before them all: how wide the numbers of rows are, and what leads each row.
 */
export function layoutOf(
  start: Column[],
  center: Column[],
  widthOf: (id: string) => number,
  { numbers, lead }: { numbers: number; lead: number },
): Layout {
  const columns = [...start, ...center]
  const frozen = start.length
  const widths = columns.map((c) => widthOf(c.id))
  const lefts: number[] = []
  let at = numbers + lead
  for (const width of widths) {
    lefts.push(at)
    at += width
  }
  return {
    columns,
    frozen,
    lefts,
    widths,
    frozenWidth: frozen < columns.length ? lefts[frozen] : at,
    width: at,
    numbers,
  }
}
