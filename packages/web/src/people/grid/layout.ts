import type { Column } from '@hand-post/core'
import { headingWidth } from '../columnWidths.ts'

/** Pixels. */
export const rowHeight = 34
export const numberWidth = 56

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
}

/**
 * Lays the columns out.
 * @param known the width of each by its id.
 * @param lead what stands before them all.
 */
export function layoutOf(
  list: Column[],
  known: Map<string, number>,
  lead: number,
  usesOf: (column: Column) => string[] = () => [],
): Layout {
  const visible = list.filter((c) => !c.hidden)
  const columns = [...visible.filter((c) => c.frozen), ...visible.filter((c) => !c.frozen)]
  const frozen = visible.filter((c) => c.frozen).length
  // With room for the words beside a heading that say what the column is used for.
  const widths = columns.map((c) => {
    const uses = c.width ? [] : usesOf(c)
    const room = uses.length > 0 ? headingWidth(c) + uses.join(', ').length * 7 + 14 : 0
    return Math.max(known.get(c.id)!, room)
  })
  const lefts: number[] = []
  let at = lead
  for (const width of widths) {
    lefts.push(at)
    at += width
  }
  return { columns, frozen, lefts, widths, frozenWidth: frozen < columns.length ? lefts[frozen] : at, width: at }
}
