import type { Edited, List } from '@hand-post/contract'
import {
  applyEdits,
  type Column,
  compareWithNewer,
  type Edit,
  editsFor,
  inverseOfAll,
  mergeWishes,
  newColumnId,
  updateEdits,
  type Wish,
  WishRefused,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { joinMemberships } from './bookStore.ts'
import { keepRows, loadList, storedRows } from './loadList.ts'
import { editToRedo, editToUndo, keepEdit, listById, markUndone, nextIds, writeEdits } from './store.ts'
import { type Newer, newerTable } from './tables.ts'

/**
 * What else changes with a list, in the same transaction: the fields of letters follow the columns that they name. Rooms above know
 * of letters; this one does not.
 */
export type Follow = (tx: Database, listId: number, before: Column[], after: Column[], now: number) => Promise<void>

/** Writes edits into a list as it stands, and tells what was done. */
async function carryOut(
  db: Database,
  listId: number,
  edits: Edit[],
  words: string,
  now: number,
  follow: Follow,
  also: (tx: Database, inverse: Edit[]) => Promise<void>,
): Promise<Edited> {
  const list = await listById(db, listId)
  const before = { columns: list.columns as Column[], rows: await storedRows(db, list), sort: list.sort }
  const after = applyEdits(before, edits)
  const inverse = inverseOfAll(before, edits)
  await writeEdits(db, listId, list.version, edits, async (tx) => {
    await follow(tx, listId, before.columns, after.columns, now)
    await also(tx, inverse)
  })
  keepRows(listId, list.version + 1, after.rows)
  return { list: await listById(db, listId), edits, words } as Edited
}

/** The edits by which a list becomes as it is wished. What cannot be is refused in words. */
async function editsOf(db: Database, list: List, wishes: readonly Wish[]): Promise<Edit[]> {
  const state = { columns: list.columns, rows: await storedRows(db, list), sort: list.sort }
  try {
    return editsFor(state, wishes, await nextIds(db, list.id))
  } catch (error) {
    throw asRefused(error)
  }
}

const asRefused = (error: unknown): unknown =>
  error instanceof WishRefused ? new Refusal(error.why === 'gone' ? 404 : 409, error.message, error.title) : error

const undoing = { undo: editToUndo, redo: editToRedo }

/** Changing lists. */
export const editingJobs = (follow: Follow) => ({
  async editList(
    { listId, wishes, words, now }: { listId: number; wishes: Wish[]; words: string; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const list = await listById(db, listId)
    const edits = await editsOf(db, list, wishes)
    return carryOut(db, listId, edits, words, now, follow, (tx, inverse) =>
      keepEdit(tx, listId, { edits, inverse, words }, now),
    )
  },

  async undoEdit(
    { listId, which, now }: { listId: number; which: 'undo' | 'redo'; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const kept = await undoing[which](db, listId)
    if (!kept)
      throw new Refusal(
        409,
        which === 'undo' ? 'There is nothing to undo.' : 'There is nothing to do again.',
        'Nothing there',
      )
    const edits = which === 'undo' ? kept.inverse : kept.edits
    return carryOut(db, listId, edits, kept.words, now, follow, (tx) => markUndone(tx, kept.id, which === 'undo'))
  },

  async updateList(
    {
      listId,
      newer,
      key,
      version,
      wanted,
      now,
      today,
    }: {
      listId: number
      newer: Newer
      key: string
      version: number
      wanted: { added: number[]; changed: number[]; gone: number[]; newColumns: string[] }
      now: number
      today: string
    },
    { db }: JobContext,
  ): Promise<Edited> {
    const { list, stored } = await loadList(db, listId, today)
    if (list.version !== version)
      throw new Refusal(
        409,
        'The list was changed since it was compared. Nothing was taken over; compare once more.',
        'Changed meanwhile',
      )
    const table = await newerTable(db, newer, now)
    const found = compareWithNewer(list.columns, stored, table, key)
    if (!found)
      throw new Refusal(422, 'The newer table has no such column to match by. The list is as it was.', 'No key')
    const next = await nextIds(db, listId)
    const edits = updateEdits(
      list.columns,
      stored,
      table,
      found,
      key,
      {
        added: new Set(wanted.added),
        changed: new Set(wanted.changed),
        gone: new Set(wanted.gone),
        newColumns: new Set(wanted.newColumns),
      },
      next.row,
      (taken) => newColumnId([...taken, `c${next.column - 1}`]),
    )
    if (edits.length === 0) throw new Refusal(422, 'Nothing was chosen, so nothing was changed.', 'Nothing chosen')
    const words = 'Update from a newer table'
    return carryOut(db, listId, edits, words, now, follow, (tx, inverse) =>
      keepEdit(tx, listId, { edits, inverse, words }, now),
    )
  },

  async mergeRows(
    { listId, sets, now }: { listId: number; sets: number[][]; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    const list = await listById(db, listId)
    const wishes = await storedRows(db, list)
      .then((rows) => mergeWishes(list.columns, rows, sets))
      .catch((error) => {
        throw asRefused(error)
      })
    const words = `Merge ${sets.length === 1 ? 'rows' : `${sets.length} sets of rows`}`
    const edits = await editsOf(db, list, wishes)
    return carryOut(db, listId, edits, words, now, follow, async (tx, inverse) => {
      if (list.book) for (const [kept, ...others] of sets) await joinMemberships(tx, kept, others)
      await keepEdit(tx, listId, { edits, inverse, words }, now)
    })
  },
})
