import equal from 'fast-deep-equal'
import { listed } from '../words.ts'
import { type Cell, type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { applyEdit, type Edit, type ListState, type SortKey } from './edits.ts'
import { displayName } from './names.ts'
import { changedRow } from './packed.ts'
import { findAddressColumn, findNameColumns } from './reading.ts'
import { dependsOn } from './recipes.ts'
import { takeBack as say } from './words.ts'

/** What of a change was left as it stands when it was taken back, because others have changed it since. */
export interface LeftAsItIs {
  cells: [row: number, column: string][]
  /** Rows that were not taken away again, for others have written in them. */
  rows: number[]
  columns: string[]
  /** Rows that others have moved since. */
  moved: number[]
  sort: boolean
}

const cellOf = (row: Row | undefined, column: string): Cell | null => row?.cells[column] ?? null

/** What a change has left behind: what must still stand, where it is to be taken back. */
class Expected {
  private readonly cells = new Map<number, Map<string, Cell | null>>()
  private readonly added = new Map<number, Row>()
  readonly places = new Map<number, string>()
  columns: Column[] | null = null
  sort: SortKey[] | null = null

  constructor(done: readonly Edit[]) {
    for (const edit of done) this.note(edit)
  }

  note(edit: Edit): void {
    if (edit.do === 'cells')
      for (const [row, column, cell] of edit.cells) {
        const of = this.cells.get(row) ?? new Map<string, Cell | null>()
        this.cells.set(row, of.set(column, cell))
      }
    else if (edit.do === 'addRows')
      for (const row of edit.rows) {
        this.added.set(row.id, row)
        this.cells.set(row.id, new Map(Object.entries(row.cells)))
        this.places.set(row.id, row.position)
      }
    else if (edit.do === 'moveRows') for (const [row, position] of edit.positions) this.places.set(row, position)
    else if (edit.do === 'columns') this.columns = edit.columns
    else if (edit.do === 'sort') this.sort = edit.sort
  }

  /** The columns in which it has left something in a row. */
  filled(row: number): string[] {
    return [...(this.cells.get(row)?.keys() ?? [])]
  }

  /** What it left in a cell; undefined where it has not touched it. */
  cell(row: number, column: string): Cell | null | undefined {
    return (
      this.cells.get(row)?.get(column) ?? (this.cells.get(row)?.has(column) || this.added.has(row) ? null : undefined)
    )
  }
}

/**
 * Takes a change of a list back, or does it again, where others may have changed the list since: only what still stands as the change has
 * left it. What others have made of it since stays theirs.
 * @param state the list as it stands.
 * @param done what is to be taken back, as it was done.
 * @param back what takes it back ({@link inverseOfAll} of it, at that time).
 * @returns the edits to be made, and what they leave as it is.
 * @example
 * // Ada set two cells, and Ben has set one of them anew: Ada’s undoing gives back the other alone.
 */
export function takeBack(
  state: ListState,
  done: readonly Edit[],
  back: readonly Edit[],
): { edits: Edit[]; left: LeftAsItIs } {
  const expected = new Expected(done)
  const left: LeftAsItIs = { cells: [], rows: [], columns: [], moved: [], sort: false }
  const edits: Edit[] = []
  let now = state
  for (const step of back) {
    const edit = whatStillStands(now, step, expected, left)
    if (edit === null) continue
    expected.note(edit)
    edits.push(edit)
    now = applyEdit(now, edit)
  }
  return {
    edits,
    left: {
      ...left,
      cells: onceEach(left.cells),
      rows: onceEach(left.rows),
      columns: onceEach(left.columns),
      moved: onceEach(left.moved),
    },
  }
}

const onceEach = <T>(all: T[]): T[] => [...new Map(all.map((one) => [JSON.stringify(one), one])).values()]

/** Of one step of taking back, what still stands as it was left; null where nothing does. */
function whatStillStands(now: ListState, step: Edit, expected: Expected, left: LeftAsItIs): Edit | null {
  const byId = new Map(now.rows.map((row) => [row.id, row]))
  /** Whether a cell is as the change has left it; and whether it is, or was never touched by it. */
  const leftBy = (row: number, column: string) => {
    const left = expected.cell(row, column)
    return left !== undefined && equal(cellOf(byId.get(row), column), left)
  }
  const stands = (row: number, column: string) => expected.cell(row, column) === undefined || leftBy(row, column)
  switch (step.do) {
    case 'cells': {
      const cells = step.cells.filter(([row, column]) => {
        const fits = byId.has(row) && stands(row, column)
        if (!fits) left.cells.push([row, column])
        return fits
      })
      return cells.length > 0 ? { do: 'cells', cells } : null
    }
    case 'addRows': {
      const rows = step.rows.filter(({ id }) => !byId.has(id))
      return rows.length > 0 ? { do: 'addRows', rows } : null
    }
    case 'deleteRows': {
      const rows = step.rows.filter((id) => {
        const row = byId.get(id)
        if (row === undefined) return false
        const untouched = [...Object.keys(row.cells), ...expected.filled(id)].every((column) => stands(id, column))
        if (!untouched) left.rows.push(id)
        return untouched
      })
      return rows.length > 0 ? { do: 'deleteRows', rows } : null
    }
    case 'moveRows': {
      const positions = step.positions.filter(([id]) => {
        const row = byId.get(id)
        if (row === undefined) return false
        const fits = row.position === (expected.places.get(id) ?? row.position)
        if (!fits) left.moved.push(id)
        return fits
      })
      return positions.length > 0 ? { do: 'moveRows', positions } : null
    }
    case 'columns': {
      const columns = columnsTakenBack(now, expected.columns ?? now.columns, step.columns, leftBy, left)
      return equal(columns, now.columns) ? null : { do: 'columns', columns }
    }
    case 'sort':
      if (expected.sort !== null && !equal(expected.sort, now.sort)) {
        left.sort = true
        return null
      }
      return equal(step.sort, now.sort) ? null : step
  }
}

/** The columns as they were before, but for what others have made of them since. */
function columnsTakenBack(
  now: ListState,
  asLeft: Column[],
  before: Column[],
  leftBy: (row: number, column: string) => boolean,
  left: LeftAsItIs,
): Column[] {
  const [current, base, target] = [now.columns, asLeft, before].map((all) => new Map(all.map((c) => [c.id, c])))
  const become = new Map<string, Column | undefined>()
  for (const id of new Set([...current.keys(), ...base.keys(), ...target.keys()])) {
    const [is, was, wanted] = [current.get(id), base.get(id), target.get(id)]
    // Not of this change: it stays as it is.
    if (equal(was, wanted)) become.set(id, is)
    else if (!equal(is, was)) {
      left.columns.push(id)
      become.set(id, is)
    } else if (wanted === undefined && now.rows.some((row) => id in row.cells && !leftBy(row.id, id))) {
      left.columns.push(id)
      become.set(id, is)
    } else become.set(id, wanted)
  }
  // Others may have given the name that would come back to another column, or have one worked out from what would go: then it stays.
  const fits = (id: string, column: Column | undefined) => {
    const others = [...become].flatMap(([other, one]) => (other !== id && one ? [one] : []))
    const sameName = (one: Column) => one.name.trim().toLowerCase() === column!.name.trim().toLowerCase()
    return column === undefined
      ? !others.some(({ recipe }) => recipe !== undefined && dependsOn(recipe).includes(id))
      : !others.some(sameName)
  }
  const wrong = () => [...become].find(([id, column]) => !equal(column, current.get(id)) && !fits(id, column))
  for (let found = wrong(); found !== undefined; found = wrong()) {
    left.columns.push(found[0])
    become.set(found[0], current.get(found[0]))
  }
  const ids = (columns: Column[]) => columns.map((c) => c.id)
  // The order as it was, if nobody has changed it since; what is in one only stands at the end.
  const order = equal(ids(now.columns), ids(asLeft)) ? ids(before) : ids(now.columns)
  return [...new Set([...order, ...become.keys()])].flatMap((id) => become.get(id) ?? [])
}

/** How many cells are named. */
const maxNamed = 2

/** How a cell is called: by its column and its person. */
function callCells(columns: Column[], rows: Row[]): (row: number, column: string) => string {
  const names = findNameColumns(columns, rows)
  const address = findAddressColumn(columns)
  const byId = new Map(rows.map((row, i) => [row.id, changedRow(row, { number: i + 1 })]))
  return (row, column) => {
    const found = byId.get(row)
    const name = columns.find((c) => c.id === column)?.name
    if (found === undefined || name === undefined) return say.goneCell
    return say.cell(name, displayName(found, names, address))
  }
}

/**
 * Says what {@link takeBack} has left as it is; null where it has left nothing.
 * @param who who has changed the list since.
 */
export function leftWords(left: LeftAsItIs, columns: Column[], rows: Row[], who: string): string | null {
  const named = left.cells.slice(0, maxNamed)
  const call = named.length > 0 ? callCells(columns, rows) : null
  const parts = [
    ...named.map(([row, column]) => call!(row, column)),
    ...(left.cells.length > maxNamed ? [say.moreCells(left.cells.length - maxNamed)] : []),
    ...(left.rows.length > 0 ? [say.rows(left.rows.length)] : []),
    ...left.columns.map((id) => say.column(columns.find((c) => c.id === id)?.name ?? null)),
    ...(left.moved.length > 0 ? [say.places(left.moved.length)] : []),
    ...(left.sort ? [say.order] : []),
  ]
  return parts.length === 0 ? null : say.left(who || say.somebody, listed([...new Set(parts)]))
}

/**
 * Says which cells somebody else had written in, before they were written over by whoever had not seen that.
 * @param cells what the other wrote, and what stands there now.
 * @param who who had written there.
 */
export function overriddenWords(
  over: { row: Row; column: string; cell: Cell | null; theirs: Cell | null }[],
  columns: Column[],
  rows: Row[],
  who: string,
): string {
  const call = callCells(columns, rows)
  const text = (cell: Cell | null) => (cell === null ? '' : shown(cell)).slice(0, 80)
  const named = over
    .slice(0, maxNamed)
    .map(({ row, column, cell, theirs }) => say.over(call(row.id, column), text(theirs), text(cell)))
  return say.overridden(who, named, over.length - named.length)
}
