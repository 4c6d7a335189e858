import type { Cell } from './cell.ts'
import { KindFinder, type KindFound } from './kinds.ts'

/** The kind of a column whose cells are all there. */
export function findKind(name: string, cells: readonly (Cell | undefined)[]): KindFound {
  const finder = new KindFinder()
  for (const cell of cells) finder.take(cell)
  return finder.found(name)
}
