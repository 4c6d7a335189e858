import type { Column } from '@hand-post/core'
import { memo, type ReactNode, useCallback } from 'react'
import { ColumnHead, type ColumnUse } from '../ColumnHead.tsx'
import type { TableWork } from '../useTable.ts'
import { gridHead as say } from '../words.ts'
import type { LeadColumn } from './GridRow.tsx'
import { type Layout, rowHeight } from './layout.ts'
import { MoveColumns } from './moveColumns.tsx'
import type { Columns } from './useColumns.ts'

/** The heads of the columns: they stay while the rows scroll by beneath them. */
export const GridHead = memo(function GridHead({
  table,
  columnTable,
  layout,
  from,
  to,
  lead,
  editable,
  used,
  usesOf,
  columnActions,
  onRecipe,
}: {
  table: TableWork
  columnTable: Columns
  layout: Layout
  from: number
  to: number
  lead?: LeadColumn
  editable: boolean
  used?: ReadonlySet<string>
  usesOf?: (column: Column) => ColumnUse[]
  columnActions?: (column: Column) => ReactNode
  onRecipe: (column: Column) => void
}) {
  const { columns } = layout
  const nameOf = useCallback(
    (id: string) => table.list.columns.find((c) => c.id === id)?.name ?? say.columnGone,
    [table.list.columns],
  )
  const head = (i: number) => (
    <ColumnHead
      key={columns[i].id}
      table={table}
      column={columns[i]}
      columnTable={columnTable}
      width={layout.widths[i]}
      editable={editable}
      used={used?.has(columns[i].name.toLowerCase()) ?? false}
      uses={usesOf?.(columns[i]) ?? []}
      more={columnActions}
      onRecipe={onRecipe}
    />
  )
  return (
    <MoveColumns columns={columnTable} nameOf={nameOf}>
      <div
        role="row"
        aria-rowindex={1}
        tabIndex={-1}
        className="sticky top-0 z-20 border-rule border-b bg-sheet-2"
        style={{ height: rowHeight, width: layout.width }}
      >
        <div className="sticky left-0 z-10 flex h-full w-fit bg-sheet-2" role="presentation">
          <div
            role="columnheader"
            tabIndex={-1}
            style={{ width: layout.numbers }}
            className="flex shrink-0 items-center justify-end border-rule border-r px-2 text-[13px] text-ink-2"
          >
            {say.row}
          </div>
          {lead && (
            <div
              role="columnheader"
              tabIndex={-1}
              style={{ width: lead.width }}
              className="flex shrink-0 items-center border-rule border-r px-2 font-bold text-[13px]"
            >
              {lead.head}
            </div>
          )}
          {columns.slice(0, layout.frozen).map((_, i) => head(i))}
        </div>
        {columns.slice(from, to + 1).map((c, i) => (
          <div
            key={c.id}
            role="presentation"
            className="absolute top-0 h-full"
            style={{ left: layout.lefts[from + i] }}
          >
            {head(from + i)}
          </div>
        ))}
      </div>
    </MoveColumns>
  )
})
