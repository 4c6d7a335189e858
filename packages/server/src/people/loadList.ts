import type { List } from '@hand-post/contract'
import {
  type Beside,
  type CameOf,
  cellIn,
  compileRecipes,
  type Deriver,
  nothingBeside,
  numbered,
  type OtherList,
  parsedValue,
  type Recipe,
  type Row,
  rowPacker,
  sortRows,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { cameOfRound } from './cameOf.ts'
import { listById, rowsOf } from './store.ts'

/** A list as it is computed over. */
export interface LoadedList {
  list: List
  /** Rows in the list's own order, as they are stored. */
  stored: Row[]
  /** Rows as sorted, with what derived columns work out and the number of each. */
  rows: Row[]
  deriver: Deriver
}

/** The stored rows of the lists last used, by list and version: a 100,000-row list is read once, not at every keystroke. */
const known = new Map<string, Row[]>()
const maxKnown = 4

/** Keeps rows for the next time they are wanted. */
export function keepRows(listId: number, version: number, rows: Row[]): void {
  const key = `${listId}:${version}`
  known.delete(key)
  // Of one list only the newest version is worth keeping.
  for (const old of known.keys()) if (old.startsWith(`${listId}:`)) known.delete(old)
  known.set(key, rows)
  for (const old of known.keys()) if (known.size > maxKnown) known.delete(old)
}

/** Lets go of all rows kept. */
export function forgetRows(): void {
  known.clear()
}

/** The stored rows of a list at its present version. */
export async function storedRows(db: Database, list: List): Promise<Row[]> {
  const rows = known.get(`${list.id}:${list.version}`) ?? (await rowsOf(db, list.id, list.source.firstRow))
  keepRows(list.id, list.version, rows)
  return rows
}

/** What was made of stored rows the last time, as long as what it was made with is the same. */
const made = new WeakMap<Row[], { key: string; loaded: Pick<LoadedList, 'rows' | 'deriver'> }>()

/**
 * What recipes look into besides the list, with a key that is another one whenever any of it has changed.
 * @param now whether what was known a moment ago will not do.
 */
export async function besideOf(
  db: Database,
  recipes: readonly (Recipe | undefined)[],
  listId: number,
  now = false,
): Promise<Beside & { key: string }> {
  const lists = new Map<number, OtherList>()
  const rounds = new Map<number, CameOf>()
  const versions: string[] = []
  for (const recipe of recipes) {
    if (recipe?.do === 'lookedUp' && !lists.has(recipe.list)) {
      const other = await listById(db, recipe.list).catch(() => null)
      if (!other) continue
      const stored = await storedRows(db, other)
      // What another list derives is known there; from what a third list says it is not.
      const { derive } = compileRecipes(other.columns, { today: '' }, nothingBeside)
      lists.set(other.id, {
        name: other.name,
        columns: other.columns,
        rows: other.id === listId ? stored : stored.map(derive),
      })
      versions.push(`${other.id}:${other.version}`)
    }
    if (recipe?.do === 'cameOf' && !rounds.has(recipe.round)) {
      const told = await cameOfRound(db, recipe.round, listId, now)
      if (!told) continue
      rounds.set(recipe.round, told.came)
      versions.push(`round ${recipe.round}:${told.digest}`)
    }
  }
  return { lists, rounds, key: versions.join() }
}

/**
 * Reads a list, works out its derived cells and puts its rows in order.
 * @param today the day that rules of recipes reckon from, as ISO text.
 */
export async function loadList(db: Database, listId: number, today: string): Promise<LoadedList> {
  const list = await listById(db, listId)
  const stored = await storedRows(db, list)
  const { key: versions, ...beside } = await besideOf(
    db,
    list.columns.map((c) => c.recipe),
    list.id,
  )
  const key = `${today}|${versions}|${JSON.stringify(list.columns)}|${JSON.stringify(list.sort)}`
  const before = made.get(stored)
  if (before?.key === key) return { list, stored, ...before.loaded }
  const deriver = compileRecipes(list.columns, { today }, beside)
  const pack = rowPacker(deriver.order)
  const derived = deriver.order.length > 0 ? stored.map((row) => pack(deriver.derive(row))) : stored
  const ordered = sortRows(derived, list.sort, list.columns, (row, column) =>
    parsedValue(cellIn(row, column.id), column),
  )
  const rows = numbered(ordered, list.source.firstRow)
  const loaded = { rows, deriver }
  made.set(stored, { key, loaded })
  return { list, stored, ...loaded }
}
