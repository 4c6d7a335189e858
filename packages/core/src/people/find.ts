import { type Row, shown } from './cell.ts'
import { mayHold } from './packed.ts'

/** What is looked for in the cells of a list. */
export interface Sought {
  words: string
  exactCase: boolean
  /** Whether the words must be all that stands in the cell. */
  wholeCell: boolean
  /** The ids of the columns that are looked through, in the order in which they stand beside one another. */
  columns: readonly string[]
}

/** A cell, by the id of its row and of its column. */
export interface FoundCell {
  row: number
  column: string
}

/**
 * The cells in which words stand, one behind the other as one reads: along each row, then the next, and past the last row on from the
 * first, until the cell that was begun at, which comes last.
 * @param rows with derived cells, in the order in which they are shown.
 * @param from where it begins; a cell that is not there, or null, is where the list begins and ends.
 * @param back goes the other way.
 * @param most the most that are given.
 */
export function findCells(
  rows: readonly Row[],
  { words, exactCase, wholeCell, columns }: Sought,
  from: FoundCell | null,
  back: boolean,
  most: number,
): FoundCell[] {
  const all = rows.length * columns.length
  if (words === '' || all === 0) return []
  const wanted = exactCase ? words : words.toLowerCase()
  const hits = (text: string) => {
    const here = exactCase ? text : text.toLowerCase()
    return wholeCell ? here === wanted : here.includes(wanted)
  }
  const row = from === null ? -1 : rows.findIndex(({ id }) => id === from.row)
  const column = from === null ? -1 : columns.indexOf(from.column)
  // Where it begins; a row whose column is not looked through is gone through whole.
  const begun =
    row < 0 ? (back ? all : -1) : row * columns.length + (column < 0 ? (back ? columns.length : -1) : column)
  const found: FoundCell[] = []
  let looked = { row: rows[0], may: mayHold(rows[0], wanted, exactCase) }
  for (let i = 1; i <= all && found.length < most; i++) {
    const at = (((begun + (back ? -i : i)) % all) + all) % all
    const there = rows[Math.floor(at / columns.length)]
    if (there !== looked.row) looked = { row: there, may: mayHold(there, wanted, exactCase) }
    if (!looked.may) continue
    const id = columns[at % columns.length]
    if (hits(shown(there.cells[id]))) found.push({ row: there.id, column: id })
  }
  return found
}

/**
 * The rows in any of whose cells words stand; capitals and small letters count as the same.
 * @param rows with derived cells.
 * @param most the most that are given.
 * @returns the first of them, in the order of the rows.
 */
export function rowsWith(rows: Iterable<Row>, words: string, most: number): Row[] {
  const wanted = words.trim().toLowerCase()
  const found: Row[] = []
  if (wanted === '') return found
  for (const row of rows) {
    if (found.length === most) break
    if (!mayHold(row, wanted, false)) continue
    for (const id in row.cells)
      if (shown(row.cells[id]).toLowerCase().includes(wanted)) {
        found.push(row)
        break
      }
  }
  return found
}
