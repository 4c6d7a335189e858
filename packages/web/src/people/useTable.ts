import { type Edited, type List, routes, type Wish } from '@hand-post/contract'
import {
  applyEdits,
  type Beside,
  type CameOf,
  type Cell,
  cameOf,
  compileRecipes,
  dayOf,
  type Edit,
  nothingBeside,
  type OtherList,
  type Row,
} from '@hand-post/core'
import { useQueries, useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef } from 'react'
import { ask, queries, stale, tellFault } from '../api.ts'
import { whileChanging } from '../shared/live.ts'
import { keys, query, rowsQuery, type StoredRows } from '../shared/queries.ts'
import { tellLasting } from '../shared/told.ts'
import { columnWidths } from './columnWidths.ts'

/** A list as a table that is worked on. */
export interface TableWork {
  list: List
  /** Rows as sorted, as they are stored: without derived cells. */
  rows: Row[]
  pending: boolean
  /** Whether all rows are here; else the rest is on its way. */
  whole: boolean
  /** How wide each column is, in pixels, by its id. */
  widths: Map<string, number>
  /** A row with its derived cells. Worked out when it is asked for: of 100,000 rows only those in view are. */
  derive: (row: Row) => Row
  /** Why derived cells of a row could not be worked out, by column id. */
  faults: (row: Row) => Record<string, string>
  /** Changes the list; cells show it at once. Gives null when the desk refused, which has then been told. */
  edit: (words: string, ...wishes: Wish[]) => Promise<Edited | null>
  undo: () => Promise<void>
  redo: () => Promise<void>
}

/** What recipes look into besides their list. */
function useBeside(list: List | null): Beside {
  const [ids, roundIds] = useMemo(() => {
    const recipes = (list?.columns ?? []).map((c) => c.recipe)
    return [
      [...new Set(recipes.flatMap((r) => (r?.do === 'lookedUp' ? [r.list] : [])))],
      [...new Set(recipes.flatMap((r) => (r?.do === 'cameOf' ? [r.round] : [])))],
    ]
  }, [list?.columns])
  const lists = useQuery({ ...query.lists(), enabled: ids.length > 0 }).data
  const rows = useQueries({ queries: ids.map((id) => rowsQuery(id)), combine: (all) => all.map((q) => q.data) })
  const told = useQueries({
    queries: roundIds.map((id) => query.cameOf(id)),
    combine: (all) => all.map((q) => q.data),
  })
  const listId = list?.id
  return useMemo(() => {
    const others = new Map<number, OtherList>()
    ids.forEach((id, i) => {
      const found = lists?.find((l) => l.id === id)
      const stored = rows[i]?.rows
      if (!found || !stored) return
      const { derive } = compileRecipes(found.columns, { today: dayOf(Date.now()) }, nothingBeside)
      others.set(id, { name: found.name, columns: found.columns, rows: stored.map(derive) })
    })
    const rounds = new Map<number, CameOf>()
    roundIds.forEach((id, i) => {
      const round = told[i]
      if (round && round.list === listId) rounds.set(id, cameOf(round.title, round.rows))
    })
    return { lists: others, rounds }
  }, [ids, roundIds, lists, rows, told, listId])
}

/** Puts a changed list wherever it is shown. */
function putList(list: List): void {
  queries.setQueryData(keys.list(list.id), list)
  queries.setQueriesData<{ list?: List | null }>(
    { predicate: ({ queryKey }) => queryKey[0] === 'book' || (queryKey[0] === 'round' && queryKey.length === 2) },
    (holder) => (holder?.list?.id === list.id ? { ...holder, list } : holder),
  )
}

/** The edits of a stored table that can be shown before the desk has taken them. */
const atOnce = (wishes: Wish[]): Edit[] =>
  wishes.flatMap((wish): Edit[] =>
    wish.do === 'cells'
      ? [
          {
            do: 'cells',
            cells: wish.cells.map(([r, c, cell]): [number, string, Cell | null] => [r, c, cell === '' ? null : cell]),
          },
        ]
      : wish.do === 'deleteRows'
        ? [{ do: 'deleteRows', rows: wish.rows }]
        : [],
  )

export function useTable(list: List): TableWork
export function useTable(list: List | null): TableWork | null
export function useTable(list: List | null): TableWork | null {
  const listId = list?.id ?? null
  const stored = useQuery(rowsQuery(listId))
  const sorted = (list?.sort.length ?? 0) > 0
  const order = useQuery({ ...query.order(listId, list?.version), enabled: sorted })
  const rows = useMemo(() => {
    const all = stored.data?.rows ?? []
    if (!sorted || !order.data) return all
    const byId = new Map(all.map((row) => [row.id, row]))
    const ordered: Row[] = []
    for (const id of order.data.rows) {
      const row = byId.get(id)
      if (!row) continue
      ordered.push(row)
      byId.delete(id)
    }
    // What has just been added stands at the end until the order is known anew.
    for (const row of byId.values()) ordered.push(row)
    return ordered
  }, [stored.data, sorted, order.data])

  const beside = useBeside(list)
  const deriver = useMemo(
    () => compileRecipes(list?.columns ?? [], { today: dayOf(Date.now()) }, beside),
    [list?.columns, beside],
  )
  const derived = useMemo(() => {
    const rowsMade = new WeakMap<Row, Row>()
    const faultsMade = new WeakMap<Row, Record<string, string>>()
    const kept =
      <T>(known: WeakMap<Row, T>, make: (row: Row) => T) =>
      (row: Row) => {
        let made = known.get(row)
        if (made === undefined) {
          made = make(row)
          known.set(row, made)
        }
        return made
      }
    return { derive: kept(rowsMade, deriver.derive), faults: kept(faultsMade, deriver.faults) }
  }, [deriver])

  // Changes follow one another, in the order in which they were made.
  const queue = useRef<Promise<unknown>>(Promise.resolve())
  const columns = useRef(list?.columns ?? [])
  useEffect(() => {
    columns.current = list?.columns ?? []
  }, [list?.columns])
  const put = useCallback(
    (edits: Edit[], version?: number) =>
      queries.setQueryData<StoredRows>(
        keys.rows(listId ?? 0),
        (data) =>
          data && {
            ...data,
            version: version ?? data.version,
            rows: applyEdits({ columns: columns.current, rows: data.rows, sort: [] }, edits).rows,
          },
      ),
    [listId],
  )
  const send = useCallback(
    (call: () => Promise<Edited>): Promise<Edited | null> => {
      const done = queue.current.then(async () => {
        try {
          return await whileChanging(listId!, async () => {
            const edited = await call()
            const before = queries.getQueryData<StoredRows>(keys.rows(listId!))?.version
            put(edited.edits as Edit[], edited.list.version)
            putList(edited.list)
            for (const words of edited.said) tellLasting(words)
            // Somebody else's change came between: it is in the list, and not in what stands here.
            if (before !== undefined && edited.list.version !== before + 1) void stale(keys.rows(listId!))
            return edited
          })
        } catch (error) {
          await stale(keys.rows(listId!))
          tellFault(error)
          return null
        }
      })
      queue.current = done
      return done.then((edited) => {
        void stale(keys.anyRound())
        return edited
      })
    },
    [listId, put],
  )
  const edit = useCallback(
    (words: string, ...wishes: Wish[]) => {
      // What stands here, on which it is decided.
      const seen = queries.getQueryData<StoredRows>(keys.rows(listId!))?.version
      put(atOnce(wishes))
      return send(
        () => ask(routes.editList, { params: { list: listId! }, body: { words, wishes, seen } }) as Promise<Edited>,
      )
    },
    [listId, put, send],
  )
  const undo = useCallback(
    async () => void (await send(() => ask(routes.undoEdit, { params: { list: listId! } }) as Promise<Edited>)),
    [listId, send],
  )
  const redo = useCallback(
    async () => void (await send(() => ask(routes.redoEdit, { params: { list: listId! } }) as Promise<Edited>)),
    [listId, send],
  )
  const pending = stored.isPending
  // Found when the first rows are here, and anew when a column changes; not at every cell, or columns would jump while one types.
  const shape = JSON.stringify(list?.columns.map((c) => [c.id, c.name, c.kind, c.width]))
  // biome-ignore lint/correctness/useExhaustiveDependencies: not at every cell
  const widths = useMemo(() => columnWidths(list?.columns ?? [], rows), [listId, shape, rows.length > 0])
  const whole = stored.data?.whole ?? false
  return useMemo(
    () => list && { list, rows, pending, whole, widths, ...derived, edit, undo, redo },
    [list, rows, pending, whole, widths, derived, edit, undo, redo],
  )
}
