import { maxSomeRows, routes } from '@hand-post/contract'
import type { Row } from '@hand-post/core'
import { queryOptions } from '@tanstack/react-query'
import { ask, queries, stale, Told } from '../api.ts'
import { keys } from './queries.ts'
import { rows as say } from './words.ts'

/** The first rows are fetched alone, so that they stand there at once. */
const firstPage = 500
/** A list of up to so many rows is fetched whole, behind the first; of a longer one, what is looked at. */
const mostWhole = 5000
/** How many rows that were looked at are fetched anew, where a long list was changed elsewhere. */
const mostAnew = 1000

/** The rows of a list as they are stored, in its own order, with the version of the list that they are of. */
export interface StoredRows {
  version: number
  /** The ids of the rows. The same object for as long as none comes, goes or moves. */
  ids: number[]
  /** Those rows; what stands in some may be on its way still: {@link isHere}. */
  rows: Row[]
  /** Whether all rows have their places; else the rest is on its way. */
  whole: boolean
}

/** A row that has its place, while what stands in it is on its way. */
interface ComingRow extends Row {
  coming: true
}
const coming = (id: number): ComingRow => ({ id, position: '', cells: {}, coming: true })
/** Whether what stands in a row is here; else it is on its way, and its cells are not to be gone by. */
export const isHere = (row: Row): boolean => !('coming' in row)

/** The rows of lists that were looked at last. */
const looked = new Map<number, number[]>()
const noteLooked = (listId: number, ids: readonly number[]) =>
  looked.set(listId, [...new Set([...ids, ...(looked.get(listId) ?? [])])].slice(0, mostAnew))

/**
 * Fetches rows by their ids; those that are gone are lacking.
 * @param version of which the list must be; null is any.
 * @returns null where it is not of this version (any more).
 */
async function fetchSome(listId: number, ids: readonly number[], version: number | null, signal?: AbortSignal) {
  const found: Row[] = []
  for (let i = 0; i < ids.length; i += maxSomeRows) {
    const part = await ask(routes.someRows, {
      params: { list: listId },
      body: { rows: ids.slice(i, i + maxSomeRows) },
      signal,
    })
    if (version !== null && part.version !== version) return null
    for (const row of part.rows) found.push(row)
  }
  return found
}

/** The rows of a list: the first at once, then the places of all, and what stands in those that are looked at. */
export const rowsQuery = (listId: number | null) =>
  queryOptions({
    queryKey: keys.rows(listId ?? 0),
    enabled: listId !== null,
    // Comparing 100,000 rows with those before would take longer than drawing them.
    structuralSharing: false,
    // Changed by somebody else meanwhile, what is under way is left, and begun anew.
    queryFn: async ({ signal }): Promise<StoredRows> => {
      const list = listId!
      const of = { params: { list }, signal }
      for (;;) {
        const { version, rows: first } = await ask(routes.rows, { ...of, query: { from: 0, count: firstPage } })
        const ofFirst = first.map(({ id }) => id)
        if (first.length < firstPage) return { version, ids: ofFirst, rows: first, whole: true }
        // The first time they are shown as they come.
        if (queries.getQueryData(keys.rows(list)) === undefined)
          queries.setQueryData<StoredRows>(keys.rows(list), { version, ids: ofFirst, rows: first, whole: false })
        const order = await ask(routes.order, { ...of, query: { own: 'yes' } })
        // Changed while it was fetched: begun again, behind what stands there.
        if (order.version !== version) continue
        const known = new Map(first.map((row) => [row.id, row]))
        const here = new Set(order.rows)
        const wanted =
          order.rows.length <= mostWhole ? order.rows : (looked.get(list) ?? []).filter((id) => here.has(id))
        const lacking = wanted.filter((id) => !known.has(id))
        const some = await fetchSome(list, lacking, version, signal)
        if (some === null) continue
        for (const row of some) known.set(row.id, row)
        return { version, ids: order.rows, rows: order.rows.map((id) => known.get(id) ?? coming(id)), whole: true }
      }
    },
  })

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms))

/**
 * Has rows of a list that is open be here.
 * @returns them as they are then; those that are gone are lacking.
 * @throws Told where the list is changed again and again meanwhile.
 */
async function bringRows(listId: number, ids: readonly number[]): Promise<Row[]> {
  const key = keys.rows(listId)
  const wanted = new Set(ids)
  const those = () => (queries.getQueryData<StoredRows>(key)?.rows ?? []).filter(({ id }) => wanted.has(id))
  noteLooked(listId, ids)
  // A change that is on its way from here makes another version of the list, which is known here a moment later.
  for (let tries = 0; tries < 5; tries++) {
    const lacking = those().flatMap((row) => (isHere(row) ? [] : [row.id]))
    if (lacking.length === 0) return those()
    if (tries > 0) await pause(25 * 2 ** tries)
    const version = queries.getQueryData<StoredRows>(key)?.version ?? 0
    const found = await fetchSome(listId, lacking, version)
    if (found === null || queries.getQueryData<StoredRows>(key)?.version !== version) continue
    const byId = new Map(found.map((row) => [row.id, row]))
    queries.setQueryData<StoredRows>(
      key,
      (data) =>
        data && {
          ...data,
          rows: data.rows.map((row) => (isHere(row) ? row : (byId.get(row.id) ?? row))),
        },
    )
  }
  // Changed elsewhere, and not heard of yet.
  await stale(key)
  const found = those()
  if (!found.every(isHere)) throw new Told(say.listChanges)
  return found
}

/** What was asked for since the last fetching, by list: what is asked for together is fetched together. */
const asked = new Map<number, { ids: Set<number>; done: Promise<Row[]> }>()

/**
 * Has rows of a list that is open be here.
 * @returns them as they are then, in the order of the list; those that are gone are lacking.
 */
export async function rowsHere(listId: number, ids: readonly number[]): Promise<Row[]> {
  let one = asked.get(listId)
  if (!one) {
    const fresh = { ids: new Set<number>(), done: Promise.resolve<Row[]>([]) }
    fresh.done = pause(0).then(() => {
      asked.delete(listId)
      return bringRows(listId, [...fresh.ids])
    })
    one = fresh
    asked.set(listId, one)
  }
  for (const id of ids) one.ids.add(id)
  const wanted = new Set(ids)
  return (await one.done).filter(({ id }) => wanted.has(id))
}

/**
 * Puts the rows of a long list into their own order, where some came or moved: what is here stays here.
 * Where the list has been changed since, it is fetched anew.
 */
export async function putInOrder(listId: number): Promise<void> {
  const order = await ask(routes.order, { params: { list: listId }, query: { own: 'yes' } })
  const data = queries.getQueryData<StoredRows>(keys.rows(listId))
  if (!data) return
  if (data.version !== order.version) return stale(keys.rows(listId))
  const byId = new Map(data.rows.map((row) => [row.id, row]))
  queries.setQueryData<StoredRows>(keys.rows(listId), {
    ...data,
    ids: order.rows,
    rows: order.rows.map((id) => byId.get(id) ?? coming(id)),
    whole: true,
  })
}

/** All rows of a list, for what looks into it. */
export const wholeRowsQuery = (listId: number) =>
  queryOptions({
    queryKey: keys.wholeRows(listId),
    structuralSharing: false,
    queryFn: async ({ signal }): Promise<Row[]> => {
      for (;;) {
        const params = { list: listId }
        const { version, rows: ids } = await ask(routes.order, { params, query: { own: 'yes' }, signal })
        const rows = await fetchSome(listId, ids, version, signal)
        if (rows !== null) return rows
      }
    },
  })

/** Some rows of a list, by their ids; those that are gone are lacking. */
export const someRowsQuery = (listId: number | null, ids: readonly number[]) =>
  queryOptions({
    queryKey: [...keys.someRows(listId ?? 0), ids],
    enabled: listId !== null,
    queryFn: ({ signal }) => fetchSome(listId!, ids, null, signal),
  })
