import { generateNKeysBetween } from 'fractional-indexing'
import Papa from 'papaparse'
import { type Cell, type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { changedRow } from './packed.ts'

/** By what, and which way, a list is sorted; the first counts most. */
export interface SortKey {
  column: string
  descending: boolean
}

/** A list as it is edited. Rows are in the order of their positions. */
export interface ListState {
  columns: Column[]
  rows: Row[]
  sort: SortKey[]
}

/**
 * One step of changing a list. Every change is made of these, each can be told over the wire, and for each there is one that
 * takes it back.
 */
export type Edit =
  /** Cells of given rows are replaced; null makes one blank. */
  | { do: 'cells'; cells: [row: number, column: string, cell: Cell | null][] }
  | { do: 'addRows'; rows: Row[] }
  | { do: 'deleteRows'; rows: number[] }
  /** Rows get other places. */
  | { do: 'moveRows'; positions: [row: number, position: string][] }
  /** The columns in their new order: renamed, added, taken away, of another kind, width or recipe. */
  | { do: 'columns'; columns: Column[] }
  | { do: 'sort'; sort: SortKey[] }

const byPosition = (a: Row, b: Row) => (a.position < b.position ? -1 : a.position > b.position ? 1 : a.id - b.id)

/** A list with one edit made. What the edit does not touch stays the same object. Rows that are not there are passed over. */
export function applyEdit(state: ListState, edit: Edit): ListState {
  switch (edit.do) {
    case 'cells': {
      const changes = new Map<number, [string, Cell | null][]>()
      for (const [row, column, cell] of edit.cells) {
        const of = changes.get(row)
        if (of) of.push([column, cell])
        else changes.set(row, [[column, cell]])
      }
      const rows = state.rows.map((row) => {
        const of = changes.get(row.id)
        if (!of) return row
        const cells = { ...row.cells }
        for (const [column, cell] of of)
          if (cell === null) delete cells[column]
          else cells[column] = cell
        return changedRow(row, { cells })
      })
      return { ...state, rows }
    }
    case 'addRows': {
      const last = state.rows.at(-1)
      const atEnd = edit.rows.every((row, i) => {
        const before = i === 0 ? last : edit.rows[i - 1]
        return before === undefined || byPosition(before, row) < 0
      })
      const rows = [...state.rows, ...edit.rows]
      return { ...state, rows: atEnd ? rows : rows.sort(byPosition) }
    }
    case 'deleteRows': {
      const gone = new Set(edit.rows)
      return { ...state, rows: state.rows.filter((row) => !gone.has(row.id)) }
    }
    case 'moveRows': {
      const to = new Map(edit.positions)
      const rows = state.rows.map((row) => (to.has(row.id) ? changedRow(row, { position: to.get(row.id)! }) : row))
      return { ...state, rows: rows.sort(byPosition) }
    }
    case 'columns':
      return { ...state, columns: edit.columns }
    case 'sort':
      return { ...state, sort: edit.sort }
  }
}

/** A list after several edits, each applied to what the one before left. The list given is not changed. */
export const applyEdits = (state: ListState, edits: Edit[]): ListState => edits.reduce(applyEdit, state)

/** Some rows by their ids; those that are not there are lacking. */
export function rowsByIds(rows: readonly Row[], ids: Iterable<number>): Map<number, Row> {
  const wanted = new Set(ids)
  const found = new Map<number, Row>()
  for (const row of rows) if (wanted.has(row.id)) found.set(row.id, row)
  return found
}

/** What takes an edit back, given the list as it stood before it. */
export function inverseOf(state: ListState, edit: Edit): Edit {
  switch (edit.do) {
    case 'cells': {
      const rows = rowsByIds(
        state.rows,
        edit.cells.map(([id]) => id),
      )
      return {
        do: 'cells',
        cells: edit.cells
          .filter(([row]) => rows.has(row))
          .map(([row, column]): [number, string, Cell | null] => [row, column, rows.get(row)!.cells[column] ?? null])
          .reverse(),
      }
    }
    case 'addRows':
      return { do: 'deleteRows', rows: edit.rows.map((row) => row.id) }
    case 'deleteRows': {
      const rows = rowsByIds(state.rows, edit.rows)
      return { do: 'addRows', rows: edit.rows.map((id) => rows.get(id)).filter((row) => row !== undefined) }
    }
    case 'moveRows': {
      const rows = rowsByIds(
        state.rows,
        edit.positions.map(([id]) => id),
      )
      return {
        do: 'moveRows',
        positions: edit.positions
          .filter(([id]) => rows.has(id))
          .map(([id]): [number, string] => [id, rows.get(id)!.position])
          .reverse(),
      }
    }
    case 'columns':
      return { do: 'columns', columns: state.columns }
    case 'sort':
      return { do: 'sort', sort: state.sort }
  }
}

/** What takes several edits back: the inverse of each, last first. */
export function inverseOfAll(state: ListState, edits: Edit[]): Edit[] {
  const inverses: Edit[] = []
  for (const edit of edits) {
    inverses.unshift(inverseOf(state, edit))
    state = applyEdit(state, edit)
  }
  return inverses
}

/** An id that no column of the list has, nor had: ids of columns that are gone still stand in rules and in what can be undone. */
export function newColumnId(taken: Iterable<string>): string {
  let most = 0
  for (const id of taken) most = Math.max(most, Number(id.slice(1)) || 0)
  return `c${most + 1}`
}

/**
 * The positions for new rows between two rows, or after the last: keys that never run out, however often rows are put into the same
 * gap.
 * @param before position of the row they come after; null at the very beginning.
 * @param after position of the row they come before; null at the end.
 */
export const placesBetween = (before: string | null, after: string | null, count: number): string[] =>
  generateNKeysBetween(before, after, count)

/** How cells of a column are put in order: figures and dates by value, words by the alphabet; blanks last either way. */
export function sortRows(
  rows: Row[],
  sort: SortKey[],
  columns: Column[],
  valueIn: (row: Row, column: Column) => string | number | boolean | null,
): Row[] {
  const keys = sort.flatMap(({ column, descending }) => {
    const found = columns.find((c) => c.id === column)
    return found ? [{ column: found, descending }] : []
  })
  if (keys.length === 0) return rows
  const words = new Intl.Collator('en-GB', { numeric: true, sensitivity: 'base' })
  const decorated = rows.map((row) => ({ row, values: keys.map(({ column }) => valueIn(row, column)) }))
  decorated.sort((a, b) => {
    for (let i = 0; i < keys.length; i++) {
      const [x, y] = [a.values[i], b.values[i]]
      if (x === y) continue
      if (x === null || x === '') return y === null || y === '' ? 0 : 1
      if (y === null || y === '') return -1
      const order =
        typeof x === 'string' && typeof y === 'string'
          ? words.compare(x, y)
          : typeof x === typeof y
            ? Number(x) - Number(y)
            : typeof x === 'number'
              ? -1
              : 1
      if (order !== 0) return keys[i].descending ? -order : order
    }
    return 0
  })
  return decorated.map(({ row }) => row)
}

/** A text replaced in cells. */
export interface Replacement {
  find: string
  put: string
  /** Capitals and small letters count as different. */
  exactCase: boolean
  /** The whole cell must be what is looked for. */
  wholeCell: boolean
}

/** Compiles a replacement: gives the cell's new text, or null where it does not hold what is looked for. */
export function replacer({ find, put, exactCase, wholeCell }: Replacement): (cell: Cell | undefined) => string | null {
  if (find === '') return () => null
  const escaped = find.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
  const pattern = new RegExp(wholeCell ? `^${escaped}$` : escaped, exactCase ? 'gu' : 'giu')
  return (cell) => {
    const text = shown(cell)
    pattern.lastIndex = 0
    return pattern.test(text) ? text.replace(pattern, () => put) : null
  }
}

/**
 * Reads a block of cells as spreadsheets put it on the clipboard: tabs between cells, quotes round cells with line breaks.
 * @returns the rows; one blank cell where there is nothing.
 */
export function readBlock(text: string): string[][] {
  const body = text.replace(/\r?\n$/, '')
  if (body === '') return [['']]
  const quoted = Papa.parse<string[]>(body, { delimiter: '\t' })
  // A quote that is never closed is a character like any other.
  return quoted.errors.some((e) => e.type === 'Quotes')
    ? Papa.parse<string[]>(body, { delimiter: '\t', quoteChar: '\0' }).data
    : quoted.data
}

/** Writes a block of cells as spreadsheets read it from the clipboard: each row with its line end, so that a blank last one is told. */
export function writeBlock(rows: string[][]): string {
  return `${Papa.unparse(rows, { delimiter: '\t', newline: '\n' })}\n`
}
