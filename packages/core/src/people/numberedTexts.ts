import type { Cell, Row } from './cell.ts'
import { cellIn } from './packed.ts'

/** How many different texts of a column are numbered: what is different in nearly every row is not worth remembering. */
const most = 20_000

/**
 * The texts that stand in a column of some rows: each that is different has a number, from 1. They are numbered when they are first looked
 * at; from then on a row's text need not be taken out of the row.
 */
export class NumberedTexts {
  /** Of each row, by its place, the number of its text; 0 where it has none (yet). */
  private readonly of: Uint16Array
  private readonly numbers = new Map<string, number>()

  constructor(
    rows: readonly Row[],
    private readonly column: string,
  ) {
    this.of = new Uint16Array(rows.length)
  }

  /**
   * Compiles what is asked of a cell, and depends on nothing else, for rows given with their place: each text is looked at once.
   * @param test says whether it holds of a cell.
   */
  compile(test: (cell: Cell | undefined) => boolean): (row: Row, place: number) => boolean {
    const holds = new Uint8Array(1 + most)
    const [yes, no] = [1, 2]
    const { of, column } = this
    return (row, place) => {
      const known = holds[of[place]]
      if (known !== 0) return known === yes
      const cell = cellIn(row, column)
      const number = this.note(place, cell)
      if (number !== 0 && holds[number] !== 0) return holds[number] === yes
      const found = test(cell)
      if (number !== 0) holds[number] = found ? yes : no
      return found
    }
  }

  /** The number of the text at a place; 0 where it is no text, or one too many. */
  private note(place: number, cell: Cell | undefined): number {
    if (typeof cell !== 'string') return 0
    let number = this.numbers.get(cell)
    if (number === undefined) {
      if (this.numbers.size === most) return 0
      number = this.numbers.size + 1
      this.numbers.set(cell, number)
    }
    this.of[place] = number
    return number
  }
}

const numberedBefore = new WeakMap<readonly Row[], Map<string, NumberedTexts>>()

/** The texts of a column of some rows, as they were numbered before. What is changed of a list comes as other rows. */
export function numberedTexts(rows: readonly Row[], column: string): NumberedTexts {
  const columns = numberedBefore.get(rows) ?? new Map<string, NumberedTexts>()
  numberedBefore.set(rows, columns)
  const texts = columns.get(column) ?? new NumberedTexts(rows, column)
  columns.set(column, texts)
  return texts
}
