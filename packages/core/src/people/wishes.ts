import { type Cell, type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import {
  applyEdit,
  type Edit,
  type ListState,
  newColumnId,
  placesBetween,
  replacer,
  rowsByIds,
  type SortKey,
} from './edits.ts'
import { dependsOn, kindOfRecipe, type Recipe } from './recipes.ts'
import { wishes as say } from './words.ts'

/** What somebody wishes done to a list; {@link editsFor} says by which edits. */
export type Wish =
  | { do: 'cells'; cells: [row: number, column: string, cell: Cell | null][] }
  /** The rows come after `after`: null is before all, left out is at the end. */
  | { do: 'addRows'; after?: number | null; rows: Record<string, Cell>[] }
  | { do: 'deleteRows'; rows: number[] }
  | { do: 'moveRows'; rows: number[]; after: number | null }
  /** A new column before `before`, or at the end; filled with the cells of `copyOf`, when that is given. */
  | { do: 'addColumn'; before?: string; column: Omit<Column, 'id'>; copyOf?: string }
  | { do: 'changeColumn'; column: string; changes: Partial<Omit<Column, 'id' | 'recipe'>> & { recipe?: Recipe | null } }
  | { do: 'moveColumn'; column: string; before: string | null }
  | { do: 'deleteColumn'; column: string }
  | { do: 'sort'; sort: SortKey[] }
  /** Looks through the columns that are named, or through all that are typed in. */
  | { do: 'replace'; find: string; put: string; exactCase?: boolean; wholeCell?: boolean; columns?: string[] }

/** Why a wish cannot be carried out: what it speaks of is gone, or it does not fit what is there. Its message is for people. */
export class WishRefused extends Error {
  constructor(
    readonly why: 'gone' | 'conflict',
    message: string,
    readonly title: string,
  ) {
    super(message)
  }
}

/**
 * Turns what is asked for into edits of a list as it stands, one wish after another.
 * @param next the numbers that the next row and column get; counted on for those that are made.
 * @throws WishRefused, in words, when the list has no such row or column (any more), or what is wished does not fit it.
 */
export function editsFor(given: ListState, wishes: readonly Wish[], next: { row: number; column: number }): Edit[] {
  let state = given
  const edits: Edit[] = []
  const make = (edit: Edit) => {
    edits.push(edit)
    state = applyEdit(state, edit)
  }
  const column = (id: string): Column => {
    const found = state.columns.find((c) => c.id === id)
    if (!found) throw new WishRefused('gone', say.listNoLongerHas, say.noSuchColumn)
    return found
  }
  const typedIn = (id: string) => {
    const { name, recipe } = column(id)
    if (recipe) throw new WishRefused('conflict', say.workedOutFromOther(name), say.derivedColumn)
  }
  /** The places before and after a row. */
  const around = (
    after: number | null | undefined,
    moved: ReadonlySet<number> = new Set(),
  ): [string | null, string | null] => {
    const rows = state.rows.filter((r) => !moved.has(r.id))
    if (after === undefined) return [rows.at(-1)?.position ?? null, null]
    if (after === null) return [null, rows[0]?.position ?? null]
    const at = rows.findIndex((r) => r.id === after)
    if (at < 0) throw new WishRefused('gone', say.rowAfterWhichShould, say.noSuchRow)
    return [rows[at].position, rows[at + 1]?.position ?? null]
  }
  /** Columns are called differently, and recipes read columns that are there. */
  const putColumns = (columns: Column[]) => {
    const names = new Set<string>()
    for (const { name } of columns) {
      const key = name.trim().toLowerCase()
      if (names.has(key)) throw new WishRefused('conflict', say.anotherColumnCalledAlready(name), say.nameTaken)
      names.add(key)
    }
    make({ do: 'columns', columns })
  }
  const withKind = (of: Column): Column => (of.recipe ? { ...of, kind: kindOfRecipe(of.recipe, state.columns) } : of)

  for (const wish of wishes) {
    switch (wish.do) {
      case 'cells': {
        const there = rowsByIds(
          state.rows,
          wish.cells.map(([row]) => row),
        )
        for (const id of new Set(wish.cells.map(([, c]) => c))) typedIn(id)
        const gone = wish.cells.find(([row]) => !there.has(row))
        if (gone) throw new WishRefused('gone', say.oneRowsGoneNothing, say.noSuchRow)
        make({
          do: 'cells',
          // A text is kept as people see it, without the spaces around it.
          cells: wish.cells.map(([row, id, cell]) => {
            const kept = typeof cell === 'string' ? cell.trim() : cell
            return [row, id, kept === '' ? null : kept]
          }),
        })
        break
      }
      case 'addRows': {
        for (const id of new Set(wish.rows.flatMap((r) => Object.keys(r)))) typedIn(id)
        const places = placesBetween(...around(wish.after), wish.rows.length)
        make({
          do: 'addRows',
          rows: wish.rows.map((cells, i) => ({
            id: next.row + i,
            position: places[i],
            cells: Object.fromEntries(Object.entries(cells).filter(([, cell]) => shown(cell).trim() !== '')),
          })),
        })
        next.row += wish.rows.length
        break
      }
      case 'deleteRows':
        make({ do: 'deleteRows', rows: wish.rows })
        break
      case 'moveRows': {
        const moved = new Set(wish.rows)
        const places = placesBetween(...around(wish.after, moved), wish.rows.length)
        make({ do: 'moveRows', positions: wish.rows.map((id, i): [number, string] => [id, places[i]]) })
        break
      }
      case 'addColumn': {
        const id = newColumnId([...state.columns.map((c) => c.id), `c${next.column - 1}`])
        next.column = Number(id.slice(1)) + 1
        const columns = [...state.columns]
        const at = wish.before === undefined ? columns.length : columns.indexOf(column(wish.before))
        columns.splice(at, 0, withKind({ ...wish.column, id }))
        putColumns(columns)
        if (wish.copyOf !== undefined) {
          const from = column(wish.copyOf).id
          const cells = state.rows.flatMap((r): [number, string, Row['cells'][string]][] =>
            r.cells[from] === undefined ? [] : [[r.id, id, r.cells[from]]],
          )
          if (cells.length > 0) make({ do: 'cells', cells })
        }
        break
      }
      case 'changeColumn': {
        const { recipe, ...changes } = wish.changes
        const was = column(wish.column)
        const changed: Column = { ...was, ...changes, ...(recipe ? { recipe } : {}) }
        if (recipe === null) delete changed.recipe
        putColumns(state.columns.map((c) => (c.id === was.id ? withKind(changed) : c)))
        // What is typed into a column makes no sense beside a recipe.
        if (recipe && !was.recipe) {
          const cells = state.rows.flatMap((r): [number, string, null][] =>
            r.cells[was.id] === undefined ? [] : [[r.id, was.id, null]],
          )
          if (cells.length > 0) make({ do: 'cells', cells })
        }
        break
      }
      case 'moveColumn': {
        const moved = column(wish.column)
        const rest = state.columns.filter((c) => c !== moved)
        rest.splice(wish.before === null ? rest.length : rest.indexOf(column(wish.before)), 0, moved)
        make({ do: 'columns', columns: rest })
        break
      }
      case 'deleteColumn': {
        const gone = column(wish.column)
        const reader = state.columns.find((c) => c.recipe && c.id !== gone.id && dependsOn(c.recipe).includes(gone.id))
        if (reader) throw new WishRefused('conflict', say.workedOutFromChange(reader.name, gone.name), say.columnRead)
        const cells = state.rows.flatMap((r): [number, string, null][] =>
          r.cells[gone.id] === undefined ? [] : [[r.id, gone.id, null]],
        )
        if (cells.length > 0) make({ do: 'cells', cells })
        make({ do: 'columns', columns: state.columns.filter((c) => c !== gone) })
        if (state.sort.some((s) => s.column === gone.id))
          make({ do: 'sort', sort: state.sort.filter((s) => s.column !== gone.id) })
        break
      }
      case 'sort':
        for (const { column: id } of wish.sort) column(id)
        make({ do: 'sort', sort: wish.sort })
        break
      case 'replace': {
        const put = replacer({ ...wish, exactCase: wish.exactCase ?? false, wholeCell: wish.wholeCell ?? false })
        const ids = wish.columns?.map((id) => column(id)) ?? state.columns
        const cells: [number, string, string | null][] = []
        for (const row of state.rows)
          for (const { id, recipe } of ids) {
            const text = recipe ? null : put(row.cells[id])
            if (text !== null) cells.push([row.id, id, text.trim() === '' ? null : text.trim()])
          }
        if (cells.length === 0) throw new WishRefused('gone', say.doesNotStandList(wish.find), say.notFound)
        make({ do: 'cells', cells })
        break
      }
    }
  }
  return edits
}
