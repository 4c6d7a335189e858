import type { Row } from './cell.ts'
import type { Column } from './column.ts'
import type { RuleContext } from './comparisons.ts'
import { changedRow } from './packed.ts'
import { type Beside, compileRecipe, type Derived, dependsOn } from './recipes.ts'
import { derive as say } from './words.ts'
/** A list's rows with their derived cells. */
export interface Deriver {
  /** The ids of the derived columns, in the order in which they are worked out. */
  order: string[]
  /** The row with its derived cells filled in; a cell that cannot be worked out is blank. */
  derive(row: Row): Row
  /** Why cells of a row could not be worked out, by column id. */
  faults(row: Row): Record<string, string>
}

/**
 * Compiles the recipes of a list's columns: each is worked out after those that it reads.
 * @param beside what recipes look into besides the list.
 */
export function compileRecipes(columns: Column[], context: RuleContext, beside: Beside): Deriver {
  const byId = new Map(columns.map((c) => [c.id, c]))
  const steps: { column: Column; make: (row: Row, faults: Record<string, string>) => Derived }[] = []
  const state = new Map<string, 'begun' | 'done'>()
  const circles = new Set<string>()
  const visit = (column: Column, path: string[]) => {
    if (!column.recipe || state.get(column.id) === 'done') return
    if (state.get(column.id) === 'begun') {
      for (const id of path.slice(path.indexOf(column.id))) circles.add(id)
      return
    }
    state.set(column.id, 'begun')
    for (const id of dependsOn(column.recipe)) {
      const read = byId.get(id)
      if (read) visit(read, [...path, column.id])
    }
    state.set(column.id, 'done')
    const make = compileRecipe(column.recipe, { columns: byId, context, beside })
    steps.push({
      column,
      make: (row, faults) => {
        if (circles.has(column.id)) return { fault: say.recipeLeadsBackItself }
        for (const id of dependsOn(column.recipe!)) {
          if (!byId.has(id)) return { fault: say.columnRecipeReadsGone }
          if (faults[id]) return { fault: say.cannotWorkedOutHere(byId.get(id)!.name, faults[id]) }
        }
        return make(row)
      },
    })
  }
  for (const column of columns) visit(column, [])

  const work = (row: Row) => {
    const cells = { ...row.cells }
    const whole = changedRow(row, { cells })
    const faults: Record<string, string> = {}
    for (const { column, make } of steps) {
      const { cell, fault } = make(whole, faults)
      if (cell === undefined) delete cells[column.id]
      else cells[column.id] = cell
      if (fault) faults[column.id] = fault
    }
    return { whole, faults }
  }
  return {
    order: steps.map(({ column }) => column.id),
    derive: (row) => (steps.length === 0 ? row : work(row).whole),
    faults: (row) => (steps.length === 0 ? {} : work(row).faults),
  }
}
