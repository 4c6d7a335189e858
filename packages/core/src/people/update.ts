import { type Cell, type Row, sameCell, sameTextKey, shown } from './cell.ts'
import type { Column } from './column.ts'
import type { Edit } from './edits.ts'
import { placesBetween } from './edits.ts'
import { update as say } from './words.ts'

/** A newer table, as it was read: rows without ids. */
export interface NewerTable {
  columns: Column[]
  rows: Record<string, Cell>[]
}

/** One person of whom the newer table says something else. */
export interface ChangedRow {
  row: number
  cells: { column: string; from: Cell | null; to: Cell | null }[]
}

/** What a newer table would change in a list. */
export interface Comparison {
  /** Rows of the newer table (their index there) whose key the list does not have. */
  added: number[]
  changed: ChangedRow[]
  /** Rows of the list whose key the newer table does not have. */
  gone: number[]
  unchanged: number
  /** Columns of the newer table that the list does not have, by their id there; they can be taken on. */
  newColumns: Column[]
  /** Names of columns that the newer table does not have; what stands in them stays. */
  missingColumns: string[]
  /** The column of the newer table for each of the list's, by id. */
  pairs: Map<string, string>
  /** Rows that could not be matched, in words. */
  unmatched: string[]
}

const keyOf = (cell: Cell | undefined) => sameTextKey(shown(cell))
const nameKey = (column: Column) => sameTextKey(column.name)

/** The columns by which two tables can be matched: in both, filled in every row and different in each; the surest first. */
export function possibleKeys(columns: Column[], rows: Row[], newer: NewerTable): string[] {
  const there = new Map(newer.columns.map((c) => [nameKey(c), c.id]))
  const different = (values: string[]) => !values.includes('') && new Set(values).size === values.length
  const usable = columns.filter((column) => {
    const other = there.get(nameKey(column))
    return (
      other !== undefined &&
      !column.recipe &&
      different(rows.map((r) => keyOf(r.cells[column.id]))) &&
      different(newer.rows.map((r) => keyOf(r[other])))
    )
  })
  const rank = (c: Column) =>
    /\b(no|nr|number|id|code|ref|reference)\b\.?$/i.test(c.name)
      ? 0
      : c.kind === 'address'
        ? 1
        : c.kind === 'text'
          ? 2
          : 3
  return usable.sort((a, b) => rank(a) - rank(b)).map((c) => c.id)
}

/** What a newer row says differently. The same text is the same cell, whether a file keeps a value beside it or not. */
const changesOf = (row: Row, cells: Record<string, Cell>, pairs: Map<string, string>): ChangedRow['cells'] =>
  [...pairs].flatMap(([column, other]) => {
    const [from, to] = [row.cells[column], cells[other]]
    return sameCell(from, to) || shown(from).trim() === shown(to).trim()
      ? []
      : [{ column, from: from ?? null, to: to ?? null }]
  })

/**
 * Compares a list with a newer table of the same people.
 * @param key id of the list's column by whose values rows are matched, without regard to case and spaces around.
 * @returns null when the newer table has no column of the key's name.
 */
export function compareWithNewer(columns: Column[], rows: Row[], newer: NewerTable, key: string): Comparison | null {
  const there = new Map(newer.columns.map((c) => [nameKey(c), c]))
  const here = new Set(columns.map(nameKey))
  const typedIn = columns.filter((c) => !c.recipe)
  const pairs = new Map(typedIn.flatMap((c) => (there.has(nameKey(c)) ? [[c.id, there.get(nameKey(c))!.id]] : [])))
  const otherKey = pairs.get(key)
  if (otherKey === undefined) return null
  const keyName = columns.find((c) => c.id === key)!.name
  const unmatched: string[] = []

  const doubled = new Set<string>()
  const own = new Map<string, Row>()
  for (const row of rows) {
    const k = keyOf(row.cells[key])
    if (k === '') continue
    if (own.has(k)) doubled.add(k)
    else own.set(k, row)
  }
  const seen = new Map<string, number>()
  const result: Comparison = {
    added: [],
    changed: [],
    gone: [],
    unchanged: 0,
    newColumns: newer.columns.filter((c) => !here.has(nameKey(c))),
    missingColumns: typedIn.filter((c) => !pairs.has(c.id)).map((c) => c.name),
    pairs,
    unmatched,
  }
  for (const [i, cells] of newer.rows.entries()) {
    const k = keyOf(cells[otherKey])
    const said = shown(cells[otherKey]).trim()
    const before = seen.get(k)
    if (k !== '' && before === undefined) seen.set(k, i)
    if (k === '') unmatched.push(say.rowNewerTableHas(i, keyName))
    else if (before !== undefined) unmatched.push(say.standsRowsNewerTable(said, before, i))
    else if (doubled.has(k)) unmatched.push(say.standsSeveralRowsList(said))
    else {
      const row = own.get(k)
      const changes = row ? changesOf(row, cells, pairs) : []
      if (!row) result.added.push(i)
      else if (changes.length > 0) result.changed.push({ row: row.id, cells: changes })
      else result.unchanged++
    }
  }
  for (const row of rows) {
    const k = keyOf(row.cells[key])
    if (k === '') unmatched.push(say.rowListHasNo(keyName))
    else if (!seen.has(k)) result.gone.push(row.id)
  }
  return result
}

/** What of a comparison is to be taken over. */
export interface Wanted {
  /** Indexes in the newer table. */
  added: ReadonlySet<number>
  /** Row ids whose changes are taken over. */
  changed: ReadonlySet<number>
  /** Row ids that are taken out of the list. */
  gone: ReadonlySet<number>
  /** Ids, in the newer table, of further columns to take on. */
  newColumns: ReadonlySet<string>
}

/**
 * The edits by which a list takes over what is wanted of a newer table.
 * @param nextRow the id for the first new row.
 * @param idFor gives the id for a new column.
 */
export function updateEdits(
  columns: Column[],
  rows: Row[],
  newer: NewerTable,
  comparison: Comparison,
  key: string,
  wanted: Wanted,
  nextRow: number,
  idFor: (taken: string[]) => string,
): Edit[] {
  const edits: Edit[] = []
  const pairs = new Map(comparison.pairs)
  const all = [...columns]
  for (const column of comparison.newColumns) {
    if (!wanted.newColumns.has(column.id)) continue
    const id = idFor(all.map((c) => c.id))
    all.push({ ...column, id })
    pairs.set(id, column.id)
  }
  if (all.length > columns.length) edits.push({ do: 'columns', columns: all })

  const cells: [number, string, Cell | null][] = []
  for (const { row, cells: changes } of comparison.changed)
    if (wanted.changed.has(row)) for (const { column, to } of changes) cells.push([row, column, to])
  if (all.length > columns.length) {
    const otherKey = comparison.pairs.get(key)!
    const byKey = new Map(newer.rows.map((r): [string, Record<string, Cell>] => [keyOf(r[otherKey]), r]).reverse())
    const added = all.slice(columns.length)
    for (const row of rows) {
      const found = byKey.get(keyOf(row.cells[key]))
      if (found)
        for (const { id } of added) {
          const cell = found[pairs.get(id)!]
          if (cell !== undefined) cells.push([row.id, id, cell])
        }
    }
  }
  if (cells.length > 0) edits.push({ do: 'cells', cells })

  const gone = comparison.gone.filter((id) => wanted.gone.has(id))
  if (gone.length > 0) edits.push({ do: 'deleteRows', rows: gone })

  const fresh = comparison.added.filter((i) => wanted.added.has(i))
  if (fresh.length > 0) {
    const places = placesBetween(rows.at(-1)?.position ?? null, null, fresh.length)
    edits.push({
      do: 'addRows',
      rows: fresh.map((index, i) => ({
        id: nextRow + i,
        position: places[i],
        cells: Object.fromEntries(
          [...pairs].flatMap(([column, other]) => {
            const cell = newer.rows[index][other]
            return cell === undefined ? [] : [[column, cell]]
          }),
        ),
      })),
    })
  }
  return edits
}
