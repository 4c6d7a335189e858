import type { PlainColumn } from './kinds.ts'
import type { Recipe } from './recipes.ts'

/** One column of a list. `id` never changes; `name` is what fields in a letter use. */
export interface Column extends PlainColumn {
  /** How its cells are made from others; a column without one is typed in. */
  recipe?: Recipe
  /** Pixels it takes in the table; by its kind when left out. */
  width?: number
  /** Not shown in the table. Its fields and rules work all the same. */
  hidden?: boolean
  /** Stays in sight when the table is scrolled sideways. */
  frozen?: boolean
}
