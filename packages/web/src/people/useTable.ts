import { type Edited, type List, routes, type Wish } from '@hand-post/contract'
import {
  applyEdits,
  type Beside,
  type CameOf,
  type Cell,
  type Column,
  cameOf,
  compileRecipes,
  dayOf,
  type Edit,
  nothingBeside,
  type OtherList,
  type Row,
} from '@hand-post/core'
import { useQueries, useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { ask, faultWords, queries, stale, tellFault } from '../api.ts'
import { whileChanging } from '../shared/live.ts'
import { keys, query } from '../shared/queries.ts'
import { isHere, putInOrder, rowsHere, rowsQuery, type StoredRows, wholeRowsQuery } from '../shared/rows.ts'
import { tellLasting } from '../shared/told.ts'
import { columnWidths } from './columnWidths.ts'

/** A list as a table that is worked on. */
export interface TableWork {
  list: List
  /** Rows as sorted, as they are stored: without derived cells. Of a long list most have only their places: see `isHere`. */
  rows: Row[]
  pending: boolean
  /** Whether all rows have their places; else the rest is on its way. */
  whole: boolean
  /** Has what stands in rows be here, and gives them as they are then, in the list's own order; those that are gone are lacking. */
  here: (ids: readonly number[]) => Promise<Row[]>
  /** Has these be here, for somebody looks at them; what was looked at before, and is not here yet, is left. */
  look: (rows: readonly Row[]) => unknown
  /** Why what is looked at cannot be fetched, in words; null where nothing is in the way. */
  trouble: string | null
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
  const rows = useQueries({ queries: ids.map((id) => wholeRowsQuery(id)), combine: (all) => all.map((q) => q.data) })
  const told = useQueries({
    queries: roundIds.map((id) => query.cameOf(id)),
    combine: (all) => all.map((q) => q.data),
  })
  const listId = list?.id
  return useMemo(() => {
    const others = new Map<number, OtherList>()
    ids.forEach((id, i) => {
      const found = lists?.find((l) => l.id === id)
      const stored = rows[i]
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

/** Whether of some rows only the places are here. */
const isPartly = (data: StoredRows | undefined) => data !== undefined && !data.rows.every(isHere)
/** Whether rows come, or stand elsewhere, by an edit. */
const moves = ({ do: does }: Edit) => does === 'addRows' || does === 'moveRows'

/**
 * The rows of a list with edits made. Where some have only their places here, nobody can say where those go that come or move: they come
 * at the end, or stay, until the order is fetched.
 */
function edited({ ids, rows }: StoredRows, columns: Column[], edits: Edit[]): Pick<StoredRows, 'ids' | 'rows'> {
  const partly = !rows.every(isHere)
  let after = rows
  for (const edit of edits)
    if (!partly || !moves(edit)) after = applyEdits({ columns, rows: after, sort: [] }, [edit]).rows
    else if (edit.do === 'addRows') after = [...after, ...edit.rows]
  const same = edits.every((edit) => !moves(edit) && edit.do !== 'deleteRows')
  return { rows: after, ids: same ? ids : after.map(({ id }) => id) }
}

export function useTable(list: List): TableWork
export function useTable(list: List | null): TableWork | null
export function useTable(list: List | null): TableWork | null {
  const listId = list?.id ?? null
  const stored = useQuery(rowsQuery(listId))
  const sorted = (list?.sort.length ?? 0) > 0
  const order = useQuery({ ...query.order(listId, list?.version), enabled: sorted })
  const ids = stored.data?.ids
  // Where each row of the order stands among the rows: found anew when any comes, goes or moves, and not when one is fetched or written in.
  const places = useMemo(() => {
    if (!sorted || !order.data || !ids) return null
    const at = new Map(ids.map((id, i) => [id, i]))
    const ordered: number[] = []
    for (const id of order.data.rows) {
      const place = at.get(id)
      if (place === undefined) continue
      ordered.push(place)
      at.delete(id)
    }
    // What has just been added stands at the end until the order is known anew.
    for (const place of at.values()) ordered.push(place)
    return ordered
  }, [ids, sorted, order.data])
  const rows = useMemo(() => {
    const all = stored.data?.rows ?? []
    return places && places.length === all.length ? places.map((place) => all[place]) : all
  }, [stored.data, places])

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
    const none = {}
    return {
      // Of what is not here yet nothing is worked out.
      derive: kept(rowsMade, (row) => (isHere(row) ? deriver.derive(row) : row)),
      faults: kept(faultsMade, (row) => (isHere(row) ? deriver.faults(row) : none)),
    }
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
        (data) => data && { ...data, version: version ?? data.version, ...edited(data, columns.current, edits) },
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
            else if (isPartly(queries.getQueryData(keys.rows(listId!))) && edited.edits.some((e) => moves(e as Edit)))
              await putInOrder(listId!).catch(() => stale(keys.rows(listId!)))
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
  const [fault, setFault] = useState<{ listId: number; words: string } | null>(null)
  const trouble = fault !== null && fault.listId === listId ? fault.words : null
  const here = useCallback((ids: readonly number[]) => rowsHere(listId!, ids), [listId])
  // One fetch at a time: what was looked at while it went on, and is not any more, is not fetched.
  const next = useRef<{ listId: number; ids: number[] } | null>(null)
  const looking = useRef(false)
  const look = useCallback(
    async (rows: readonly Row[]) => {
      const lacking = rows.flatMap((row) => (isHere(row) ? [] : [row.id]))
      next.current = listId === null || lacking.length === 0 ? null : { listId, ids: lacking }
      if (looking.current) return
      looking.current = true
      while (next.current !== null) {
        // By now another list may stand here.
        const wanted: { listId: number; ids: number[] } = next.current
        next.current = null
        try {
          await rowsHere(wanted.listId, wanted.ids)
          setFault(null)
        } catch (error) {
          setFault({ listId: wanted.listId, words: faultWords(error) })
        }
      }
      looking.current = false
    },
    [listId],
  )
  // A list that is opened is shown as it is sorted: the cursor would go with its row from the first place to wherever that is. One that
  // stands there stays, whatever is being found out.
  const opened = useRef<number | null>(null)
  const pending = stored.isPending || (opened.current !== listId && sorted && (order.isPending || !stored.data?.whole))
  useEffect(() => {
    if (!pending) opened.current = listId
  }, [pending, listId])
  // Found when the first rows are here, and anew when a column changes; not at every cell, or columns would jump while one types.
  const shape = JSON.stringify(list?.columns.map((c) => [c.id, c.name, c.kind, c.width]))
  const anyHere = rows.some(isHere)
  // biome-ignore lint/correctness/useExhaustiveDependencies: not at every cell
  const widths = useMemo(() => columnWidths(list?.columns ?? [], rows), [listId, shape, anyHere])
  const whole = stored.data?.whole ?? false
  return useMemo(
    () => list && { list, rows, pending, whole, here, look, trouble, widths, ...derived, edit, undo, redo },
    [list, rows, pending, whole, here, look, trouble, widths, derived, edit, undo, redo],
  )
}
