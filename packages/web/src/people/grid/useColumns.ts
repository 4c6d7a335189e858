import type { Wish } from '@hand-post/contract'
import type { Column, Row } from '@hand-post/core'
import {
  columnOrderingFeature,
  columnPinningFeature,
  columnResizingFeature,
  columnSizingFeature,
  columnVisibilityFeature,
  functionalUpdate,
  type ReactTable,
  rowSortingFeature,
  type TableOptions,
  tableFeatures,
  useTable,
} from '@tanstack/react-table'
import { useMemo } from 'react'
import { headingWidth } from '../columnWidths.ts'
import type { TableWork } from '../useTable.ts'
import { useColumns as say } from '../words.ts'
import { type Layout, layoutOf } from './layout.ts'

const features = tableFeatures({
  columnOrderingFeature,
  columnPinningFeature,
  columnResizingFeature,
  columnSizingFeature,
  columnVisibilityFeature,
  rowSortingFeature,
})
type Features = typeof features
/** A list's columns as the table of it shows them: their order, widths, what is hidden, what stays in sight, what sorts. */
export type Columns = ReactTable<Features, Row>

// The rows are the grid's own affair: 100,000 of them are neither wrapped nor sorted here.
const noRows: Row[] = []
/** Pixels. */
const widthLimits = { minSize: 40, maxSize: 1200 }
const noUses = () => []

/**
 * The columns of a list under TanStack Table. Their state is the list's, kept by the desk and undone like all else; what the table
 * asks for becomes an edit.
 * @param before pixels that stand before all columns: the numbers of rows, and what leads each row.
 */
export function useColumns(
  { list, widths, edit }: TableWork,
  before: { numbers: number; lead: number },
  usesOf: (column: Column) => string[] = noUses,
): { columns: Columns; layout: Layout } {
  const pinned = useMemo(() => pinnedOf(list.columns), [list.columns])
  const state = useMemo(
    () => ({
      columnOrder: list.columns.map((c) => c.id),
      columnVisibility: Object.fromEntries(list.columns.map((c) => [c.id, !c.hidden])),
      columnPinning: { start: list.columns.filter((c) => pinned.has(c.id)).map((c) => c.id), end: [] },
      // With room for the marks beside a heading that say what the column is used for, and that it stays.
      columnSizing: Object.fromEntries(
        list.columns.map((c) => {
          const uses = c.width ? [] : usesOf(c)
          const marks = uses.length + (c.frozen ? 1 : 0)
          const room = c.width ? 0 : headingWidth(c) + marks * 18
          return [c.id, Math.max(widths.get(c.id)!, room)]
        }),
      ),
      sorting: list.sort.map(({ column, descending }) => ({ id: column, desc: descending })),
    }),
    [list.columns, list.sort, widths, usesOf, pinned],
  )
  const options = useMemo(() => {
    type Changes = (Wish & { do: 'changeColumn' })['changes']
    const change = (words: string, changesOf: (column: Column) => Changes | null) => {
      const wishes = list.columns.flatMap((column): Wish[] => {
        const changes = changesOf(column)
        return changes ? [{ do: 'changeColumn', column: column.id, changes }] : []
      })
      if (wishes.length > 0) void edit(words, ...wishes)
    }
    return {
      features,
      columns: list.columns.map(({ id }) => ({ id, enableMultiSort: true, ...widthLimits })),
      data: noRows,
      state,
      columnResizeMode: 'onEnd',
      manualSorting: true,
      maxMultiSortColCount: 6,
      onColumnOrderChange: (updater) => {
        const next = functionalUpdate(updater, state.columnOrder)
        if (same(next, state.columnOrder)) return
        // The one without which both orders are the same is the one that was moved.
        const moved = next.find((id) => same(without(next, id), without(state.columnOrder, id)))
        if (moved === undefined) return
        void edit(say.moveColumn, { do: 'moveColumn', column: moved, before: next[next.indexOf(moved) + 1] ?? null })
      },
      onColumnVisibilityChange: (updater) => {
        const next = functionalUpdate(updater, state.columnVisibility)
        change(say.hideColumn, ({ id, hidden }) => (next[id] === !hidden ? null : { hidden: !next[id] }))
      },
      onColumnPinningChange: (updater) => {
        const { start } = functionalUpdate(updater, state.columnPinning)
        change(say.keepColumnSight, ({ id }) =>
          start.includes(id) === pinned.has(id) ? null : { frozen: start.includes(id) },
        )
      },
      onColumnSizingChange: (updater) => {
        const next = functionalUpdate(updater, state.columnSizing)
        change(say.changeWidth, ({ id }) => (next[id] === state.columnSizing[id] ? null : { width: widthIn(next[id]) }))
      },
      onSortingChange: (updater) => {
        const sort = functionalUpdate(updater, state.sorting).map(({ id, desc }) => ({ column: id, descending: desc }))
        void edit(sort.length < list.sort.length ? say.sortNoLonger : say.sort, { do: 'sort', sort })
      },
    } satisfies TableOptions<Features, Row>
  }, [list.columns, list.sort, state, edit, pinned])
  const columns = useTable<Features, Row>(options)
  const start = columns.getStartVisibleLeafColumns()
  const center = columns.getCenterVisibleLeafColumns()
  const layout = useMemo(() => {
    const byId = new Map(list.columns.map((c) => [c.id, c]))
    // A column that was deleted this moment is still among those of the table.
    const ours = (all: { id: string }[]) => all.flatMap(({ id }) => byId.get(id) ?? [])
    return layoutOf(ours(start), ours(center), (id) => state.columnSizing[id], before)
  }, [list.columns, start, center, state, before])
  return { columns, layout }
}

/**
 * The columns that stay in sight: those that the writer said shall, and the first, unless they said that it shall not; whoever scrolls
 * to the right must still see of whom a cell is.
 */
export function pinnedOf(columns: readonly Column[]): Set<string> {
  const first = columns.find((c) => !c.hidden)
  return new Set(columns.filter((c) => c.frozen ?? c === first).map((c) => c.id))
}

const same = (a: string[], b: string[]) => a.length === b.length && a.every((id, i) => id === b[i])
const without = (ids: string[], id: string) => ids.filter((one) => one !== id)
/** A width within the limits, in whole pixels. */
export const widthIn = (pixels: number): number =>
  Math.round(Math.min(widthLimits.maxSize, Math.max(widthLimits.minSize, pixels)))
