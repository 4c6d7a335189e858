import type { ContactsPlanned, Edited, List } from '@hand-post/contract'
import {
  applyEdits,
  type Cell,
  type Column,
  compareWithNewer,
  contactEdits,
  displayName,
  type Edit,
  editsFor,
  findAddressColumn,
  findNameColumns,
  inverseOfAll,
  leftWords,
  listed,
  mergeWishes,
  newColumnId,
  overriddenWords,
  planContacts,
  type Row,
  rowPacker,
  shown,
  takeBack,
  updateEdits,
  type Wish,
  WishRefused,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { addMembers, groupNamed, joinMemberships } from './bookStore.ts'
import { keepRows, loadList, storedRows } from './loadList.ts'
import {
  ChangedMeanwhile,
  editToRedo,
  editToUndo,
  type KeptEdit,
  keepEdit,
  listById,
  markUndone,
  nextIds,
  othersEdits,
  writeEdits,
} from './store.ts'
import { type GivenFile, type Newer, newerTable, type ReadingOptions, tableOf } from './tables.ts'

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
  also: (tx: Database, inverse: Edit[], version: number) => Promise<void>,
  said: string[] = [],
): Promise<Edited> {
  const list = await listById(db, listId)
  const before = { columns: list.columns as Column[], rows: await storedRows(db, list), sort: list.sort }
  const after = applyEdits(before, edits)
  const inverse = inverseOfAll(before, edits)
  await writeEdits(db, listId, list.version, edits, async (tx) => {
    await follow(tx, listId, before.columns, after.columns, now)
    await also(tx, inverse, list.version + 1)
  })
  keepRows(listId, list.version + 1, after.rows.map(rowPacker()))
  return { list: await listById(db, listId), edits, words, said } as Edited
}

/** How many times something is made anew for a list that others change at the same moment. */
const maxTries = 10

/** Does something with a list as it stands, and once more where it was changed meanwhile. */
async function anew<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++)
    try {
      return await work()
    } catch (error) {
      if (!(error instanceof ChangedMeanwhile) || tries >= maxTries) throw error
    }
}

/**
 * The edits by which a list becomes as it is wished. What cannot be is refused in words.
 * @param others what others have changed of it since it was looked at.
 */
async function editsOf(db: Database, list: List, wishes: readonly Wish[], others: KeptEdit[] = []): Promise<Edit[]> {
  const state = { columns: list.columns, rows: await storedRows(db, list), sort: list.sort }
  try {
    return editsFor(state, wishes, await nextIds(db, list.id))
  } catch (error) {
    const took = others.filter((one) =>
      stepsOf(one).some(({ do: what }) => what === 'deleteRows' || what === 'columns'),
    )
    if (error instanceof WishRefused && error.why === 'gone' && took.length > 0)
      throw new Refusal(404, `${error.message} ${namesOf(took)} changed the list meanwhile.`, error.title)
    throw asRefused(error)
  }
}

const asRefused = (error: unknown): unknown =>
  error instanceof WishRefused ? new Refusal(error.why === 'gone' ? 404 : 409, error.message, error.title) : error

/** What a change did last: itself, or its undoing. */
const stepsOf = ({ undone, edits, inverse }: KeptEdit): Edit[] => (undone ? inverse : edits)
const namesOf = (edits: KeptEdit[]): string => listed([...new Set(edits.map(({ name }) => name ?? ''))])
/** Who has changed a list since a version of it, besides whoever acts. */
const whoSince = async (db: Database, listId: number, version: number): Promise<string> =>
  namesOf(await othersEdits(db, listId, version))

/** Says of which cells somebody else has written something else, before what is now written there by whoever had not seen that. */
function overridden(list: List, rows: Row[], edits: Edit[], others: KeptEdit[]): string[] {
  if (others.length === 0) return []
  const theirs = new Map<string, { by: KeptEdit; theirs: Cell | null }>()
  for (const by of others)
    for (const step of stepsOf(by))
      if (step.do === 'cells')
        for (const [row, column, cell] of step.cells) theirs.set(`${row} ${column}`, { by, theirs: cell })
  const byId = new Map(rows.map((row) => [row.id, row]))
  const found = edits.flatMap((edit) =>
    edit.do === 'cells'
      ? edit.cells.flatMap(([row, column, cell]) => {
          const other = theirs.get(`${row} ${column}`)
          return other && shown(other.theirs ?? '') !== shown(cell ?? '') && byId.has(row)
            ? [{ row: byId.get(row)!, column, cell, ...other }]
            : []
        })
      : [],
  )
  return found.length === 0 ? [] : [overriddenWords(found, list.columns, rows, namesOf(found.map(({ by }) => by)))]
}

/** A table for the address book. */
interface BringIn {
  bookId: number
  file: GivenFile
  options: ReadingOptions
  /** Whether its column of groups makes groups. */
  asGroups: boolean
}

/** How many contacts, and groups, are named of a plan. */
const maxNamed = 200
/** How many groups a table may make. */
const maxGroups = 500

/** The address book, and what a table would do to it. */
async function contactsOf(db: Database, { bookId, file, options, asGroups }: BringIn) {
  const list = await listById(db, bookId)
  const rows = await storedRows(db, list)
  const { found, said } = await tableOf(file, options)
  const next = await nextIds(db, bookId)
  const planned = planContacts(list.columns, rows, { ...found, rows: [...found.rows()] }, asGroups, (taken) =>
    newColumnId([...taken, `c${next.column - 1}`]),
  )
  const groups = new Set(planned.contacts.flatMap((c) => c.groups)).size
  if (asGroups && groups > maxGroups)
    throw new Refusal(
      422,
      `The table names ${groups.toLocaleString('en-GB')} groups, and ${maxGroups} can be made at once. Bring it in without making groups. Nothing was changed.`,
      'Too many groups',
    )
  return { list, rows, planned, said }
}

const undoing = { undo: editToUndo, redo: editToRedo }

/** Changing lists. */
export const editingJobs = (follow: Follow) => ({
  /** Changes a list as it is wished. Where others change it at the same moment, it is made of the list as it stands then. */
  async editList(
    { listId, wishes, words, seen, now }: { listId: number; wishes: Wish[]; words: string; seen?: number; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    return anew(async () => {
      const list = await listById(db, listId)
      const others = seen === undefined || seen >= list.version ? [] : await othersEdits(db, listId, seen)
      const edits = await editsOf(db, list, wishes, others)
      const said = overridden(list, await storedRows(db, list), edits, others)
      return carryOut(
        db,
        listId,
        edits,
        words,
        now,
        follow,
        (tx, inverse, version) => keepEdit(tx, listId, { edits, inverse, words, version }, now),
        said,
      )
    })
  },

  /** Takes back what whoever acts has changed last, or does it again: what others have made of it since stays theirs. */
  async undoEdit(
    { listId, which, now }: { listId: number; which: 'undo' | 'redo'; now: number },
    { db }: JobContext,
  ): Promise<Edited> {
    return anew(async () => {
      const kept = await undoing[which](db, listId)
      if (!kept)
        throw new Refusal(
          409,
          which === 'undo' ? 'There is nothing to undo.' : 'There is nothing to do again.',
          'Nothing there',
        )
      const list = await listById(db, listId)
      const rows = await storedRows(db, list)
      const [done, back] = which === 'undo' ? [kept.edits, kept.inverse] : [kept.inverse, kept.edits]
      const { edits, left } = takeBack({ columns: list.columns, rows, sort: list.sort }, done, back)
      const words = leftWords(left, list.columns, rows, await whoSince(db, listId, kept.version))
      return carryOut(
        db,
        listId,
        edits,
        kept.words,
        now,
        follow,
        (tx, _, version) => markUndone(tx, kept.id, which === 'undo', version),
        words === null ? [] : [words],
      )
    })
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
    return carryOut(db, listId, edits, words, now, follow, (tx, inverse, version) =>
      keepEdit(tx, listId, { edits, inverse, words, version }, now),
    )
  },

  /** What bringing a table into the address book would do. */
  async planContacts(given: BringIn, { db }: JobContext): Promise<ContactsPlanned> {
    const { list, rows, planned, said } = await contactsOf(db, given)
    const byId = new Map(rows.map((row) => [row.id, row]))
    const columns = [...list.columns, ...planned.newColumns]
    const nameOf = (id: string) => columns.find((c) => c.id === id)!.name
    const names = findNameColumns(columns, rows)
    const address = findAddressColumn(columns)
    const groups = new Map<string, number>()
    for (const contact of planned.contacts)
      for (const name of contact.groups) groups.set(name, (groups.get(name) ?? 0) + 1)
    const differing = planned.contacts.filter((c) => c.differs.length > 0)
    // Those that something is to be decided of come first.
    const named = [...differing, ...planned.contacts.filter((c) => c.differs.length === 0)].slice(0, maxNamed)
    return {
      version: list.version,
      added: planned.contacts.filter((c) => c.row === null).length,
      known: planned.contacts.filter((c) => c.row !== null).length,
      filled: planned.contacts.filter((c) => c.fills.length > 0).length,
      differing: differing.length,
      repeated: planned.repeated,
      newColumns: planned.newColumns.map((c) => c.name),
      groups: [...groups].map(([name, people]) => ({ name, people })).slice(0, maxNamed),
      groupCount: groups.size,
      people: named.map(({ row, cells, differs }) => {
        const here = row === null ? null : byId.get(row)!
        return {
          person: displayName({ id: 0, position: '', cells: { ...cells, ...here?.cells } }, names, address),
          isNew: here === null,
          differs: differs.map((id) => ({
            column: nameOf(id),
            here: shown(here!.cells[id]).slice(0, 200),
            there: shown(cells[id]).slice(0, 200),
          })),
        }
      }),
      said,
    }
  },

  /** Brings a table into the address book, and its people into groups. Gives null where nothing of the contacts changed. */
  async bringInContacts(
    {
      version,
      group,
      differing,
      now,
      ...given
    }: BringIn & { version: number; group: number | null; differing: 'keep' | 'replace'; now: number },
    { db }: JobContext,
  ): Promise<Edited | null> {
    const { list, rows, planned } = await contactsOf(db, given)
    if (list.version !== version)
      throw new Refusal(
        409,
        'The address book was changed meanwhile. Nothing was brought in; look at it and try again.',
        'Changed meanwhile',
      )
    if (planned.contacts.length === 0)
      throw new Refusal(422, 'The table has no rows, so nobody was brought in.', 'Nobody there')
    const { edits, rowIds } = contactEdits(list.columns, rows, planned, differing, (await nextIds(db, list.id)).row)
    const words = 'Bring in contacts'
    const intoGroups = async (tx: Database) => {
      if (group !== null) await addMembers(tx, group, rowIds)
      if (!given.asGroups) return
      const members = new Map<string, number[]>()
      for (const [i, { groups }] of planned.contacts.entries())
        for (const name of groups) members.set(name, [...(members.get(name) ?? []), rowIds[i]])
      for (const [name, ids] of members) await addMembers(tx, await groupNamed(tx, name), ids)
    }
    if (edits.length === 0) {
      await db.transaction(intoGroups)
      return null
    }
    return carryOut(db, list.id, edits, words, now, follow, async (tx, inverse, version) => {
      await intoGroups(tx)
      await keepEdit(tx, list.id, { edits, inverse, words, version }, now)
    })
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
    return carryOut(db, listId, edits, words, now, follow, async (tx, inverse, version) => {
      if (list.book) for (const [kept, ...others] of sets) await joinMemberships(tx, kept, others)
      await keepEdit(tx, listId, { edits, inverse, words, version }, now)
    })
  },
})
