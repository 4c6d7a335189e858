import type { Column, Row } from '@hand-post/core'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { toast } from 'sonner'
import { inKeptOrder, type KeptOrder, placeOf, type Spot } from '../keptPlaces.ts'
import { useSelection as say } from '../words.ts'
import { type Place, rangeOf } from './layout.ts'

const within = (at: number, count: number) => Math.min(Math.max(at, 0), Math.max(count - 1, 0))

/**
 * The cursor of a table, what is selected, and the cell that is being written. Cursor and selection are with their rows and columns, not
 * with places; a row that is being written keeps its place until the cursor leaves it: a sort must not move the ground under a hand.
 * @param sorting what the rows are sorted by; when it changes, no order is kept any more.
 */
export function useSelection(given: Row[], columns: Column[], sorting: string) {
  const [kept, setKept] = useState<(KeptOrder & { sorting: string }) | null>(null)
  const holds = kept?.sorting === sorting ? kept : null
  const rows = useMemo(() => inKeptOrder(given, holds), [given, holds])

  const spotOf = (place: Place): Spot => ({
    row: { id: rows[place.row]?.id ?? null, at: place.row },
    column: { id: columns[place.column]?.id ?? null, at: place.column },
  })
  const [spot, setSpot] = useState<Spot>(() => spotOf({ row: 0, column: 0 }))
  const [corner, setCorner] = useState<Spot>(spot)
  const at = useMemo(
    (): Place => ({ row: placeOf(rows, spot.row), column: placeOf(columns, spot.column) }),
    [rows, columns, spot],
  )
  const anchor = useMemo(
    (): Place => ({ row: placeOf(rows, corner.row), column: placeOf(columns, corner.column) }),
    [rows, columns, corner],
  )
  const range = useMemo(() => rangeOf(at, anchor), [at, anchor])
  const [editing, setEditingText] = useState<string | null>(null)

  // What is done by a hand goes by what stands there at that moment, without every line being drawn anew for it.
  const latest = useRef({ rows, columns, at, range, spot, editing })
  latest.current = { rows, columns, at, range, spot, editing }

  const keepOrder = useCallback(
    (row: number) => {
      if (sorting !== '[]')
        setKept((before) => ({
          ids: before?.sorting === sorting ? before.ids : latest.current.rows.map((r) => r.id),
          row,
          sorting,
        }))
    },
    [sorting],
  )
  const setEditing = useCallback(
    (text: string | null) => {
      const row = latest.current.rows[latest.current.at.row]
      if (text !== null && row) keepOrder(row.id)
      setEditingText(text)
    },
    [keepOrder],
  )
  const spotNow = useCallback(({ row, column }: Place): Spot => {
    const { rows, columns } = latest.current
    return {
      row: { id: rows[row]?.id ?? null, at: row },
      column: { id: columns[column]?.id ?? null, at: column },
    }
  }, [])
  /** Selects from one corner to the other; the cursor is at the first. */
  const select = useCallback(
    (to: Place, from: Place) => {
      setSpot(spotNow(to))
      setCorner(spotNow(from))
    },
    [spotNow],
  )
  /**
   * Moves the cursor, as near to a place as there is, and gives where it is then.
   * @param byMouse where a mouse points nothing moves away, not before the second click of two: the order is kept for the row gone to.
   */
  const moveTo = useCallback(
    (place: Place, extend: boolean, byMouse: boolean): Place => {
      const { rows, columns } = latest.current
      const next = { row: within(place.row, rows.length), column: within(place.column, columns.length) }
      setSpot(spotNow(next))
      if (!extend) setCorner(spotNow(next))
      setEditingText(null)
      const to = rows[next.row]?.id
      setKept((before) =>
        before && before.row !== to ? (byMouse && to !== undefined ? { ...before, row: to } : null) : before,
      )
      return next
    },
    [spotNow],
  )
  /** Goes to a row by its id, wherever it will stand; it keeps its place until the cursor leaves it. */
  const moveToRow = useCallback(
    (id: number, column: number) => {
      const { rows, columns } = latest.current
      keepOrder(id)
      const spot = { row: { id, at: rows.length }, column: { id: columns[column]?.id ?? null, at: column } }
      setSpot(spot)
      setCorner(spot)
    },
    [keepOrder],
  )
  const leave = useCallback(() => setKept(null), [])

  // What is being written to may be taken away by another window; it is said, and is written to nobody else.
  const writtenTo = rows[at.row]?.id === spot.row.id && columns[at.column]?.id === spot.column.id
  useEffect(() => {
    if (editing === null || writtenTo) return
    toast.warning(say.rowOrColumnYou(editing.slice(0, 200)), { duration: 12_000 })
    setEditingText(null)
  }, [editing, writtenTo])

  return {
    rows,
    at,
    range,
    /** Whether the cursor has gone with its row to another place. */
    moved: spot.row.at !== at.row,
    editing: writtenTo ? editing : null,
    latest,
    keepOrder,
    setEditing,
    select,
    moveTo,
    moveToRow,
    leave,
  }
}
