import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import { sortRows } from '../people/edits.ts'
import { parsedValue } from '../people/kinds.ts'
import { cellIn } from '../people/packed.ts'
import { chanceOf } from './plan.ts'

/** In which order the letters of a round leave: as the list has its people, by a column of it, or at random. */
export type LeavingOrder = { by: 'list' } | { by: 'column'; column: string; descending: boolean } | { by: 'random' }

/**
 * People in the order in which their letters are to leave. A column that is gone leaves the list's order.
 * @param seed by which chance is the same whenever it is asked: the round's id.
 */
export function inLeavingOrder(people: readonly Row[], order: LeavingOrder, columns: Column[], seed: number): Row[] {
  switch (order.by) {
    case 'list':
      return [...people]
    case 'column':
      return sortRows([...people], [{ column: order.column, descending: order.descending }], columns, (row, column) =>
        parsedValue(cellIn(row, column.id), column),
      )
    case 'random':
      return people
        .map((row) => ({ row, chance: chanceOf(seed * 1_000_003 + row.id) }))
        .sort((a, b) => a.chance - b.chance || a.row.id - b.row.id)
        .map(({ row }) => row)
  }
}
