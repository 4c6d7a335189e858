import type { Place } from './layout.ts'

/** What a key means in the table, while no cell is being written. */
export type Command =
  | { do: 'goTo'; place: Place; extend: boolean }
  | { do: 'selectAll' }
  | { do: 'selectRow' }
  | { do: 'find' }
  | { do: 'undo' }
  | { do: 'redo' }
  | { do: 'fillDown' }
  | { do: 'clear' }
  | { do: 'openRecipe' }
  /** Begins to write in the cell: over what stands there, or, with null, in it. */
  | { do: 'write'; text: string | null }

/** A key as the browser tells of it. */
export interface Key {
  key: string
  control: boolean
  shift: boolean
  alt: boolean
}

/** The table as far as keys go by it. */
export interface KeyedTable {
  at: Place
  last: Place
  /** How many rows a page is. */
  page: number
  editable: boolean
  /** Whether the column in hand is worked out. */
  derived: boolean
}

/** What a key means; null when it is none of the table's. Places may lie beyond the table: whoever goes there stops at its edge. */
export function commandOf({ key, control, shift, alt }: Key, table: KeyedTable): Command | null {
  if (alt) return null
  const { at, last, page, editable, derived } = table
  const { row, column } = at
  const moves: Record<string, [number, number]> = {
    ArrowUp: [control ? 0 : row - 1, column],
    ArrowDown: [control ? last.row : row + 1, column],
    ArrowLeft: [row, control ? 0 : column - 1],
    ArrowRight: [row, control ? last.column : column + 1],
    PageUp: [row - page, column],
    PageDown: [row + page, column],
    Home: [control ? 0 : row, 0],
    End: [control ? last.row : row, last.column],
  }
  const move = Object.hasOwn(moves, key) ? moves[key] : null
  if (move) return { do: 'goTo', place: { row: move[0], column: move[1] }, extend: shift }
  const letter = key.toLowerCase()
  if (control && letter === 'a') return { do: 'selectAll' }
  if (control && letter === 'f') return { do: 'find' }
  if (key === ' ' && shift) return { do: 'selectRow' }
  if (!editable) return null
  if (control && letter === 'z') return { do: shift ? 'redo' : 'undo' }
  if (control && letter === 'y') return { do: 'redo' }
  if (control && letter === 'd') return { do: 'fillDown' }
  if (key === 'Delete' || key === 'Backspace') return { do: 'clear' }
  const enters = key === 'Enter' || key === 'F2'
  if (derived) return enters ? { do: 'openRecipe' } : null
  if (enters) return { do: 'write', text: null }
  return key.length === 1 && !control ? { do: 'write', text: key } : null
}
