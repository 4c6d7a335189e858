import { type Column, cellProblem, isFigure, type Row, shown } from '@hand-post/core'
import { clsx } from 'clsx'
import { TriangleAlert } from 'lucide-react'
import { memo, type ReactNode } from 'react'
import { isHere } from '../../shared/rows.ts'
import type { Spot } from '../keptPlaces.ts'
import type { TableWork } from '../useTable.ts'
import { gridRow as say } from '../words.ts'
import { CellInput } from './CellInput.tsx'
import { type Layout, rowHeight } from './layout.ts'
/** What is wrong with a cell, in words. */
export function problemOf(table: TableWork, row: Row, column: Column): string | null {
  if (column.recipe) {
    const fault = table.faults(row)[column.id]
    return fault ? say.cannotWorkedOutHere(column.name, fault) : null
  }
  const words = cellProblem(row.cells[column.id], column)
  return words && `“${column.name}”: ${words}`
}

/** A column that stands before all others and belongs to who shows the table, not to the list. */
export interface LeadColumn {
  head: string
  width: number
  cell: (row: Row) => ReactNode
}

interface RowProps {
  table: TableWork
  row: Row
  place: number
  number: number
  top: number
  layout: Layout
  from: number
  to: number
  lead?: LeadColumn
  chosen: boolean
  /** Whether the table is scrolled sideways: each line that must stay in sight then costs the browser a layer. */
  aside: boolean
  selectedFrom: number
  selectedTo: number
  focus: number
  editing: string | null
  setEditing: (text: string | null) => void
  finish: (text: string | null, down: number, right: number) => void
  keep: (text: string, of: Spot) => void
  pick: (row: number, column: number, extend: boolean) => void
}

/** Made once: a line is drawn for every few pixels that are scrolled. */
const figures = new Intl.NumberFormat('en-GB')

/** One line of the table: drawn anew only when something of it is another. */
export const GridRow = memo(function GridRow(props: RowProps) {
  const { table, row, place, number, top, layout, from, to, lead, chosen, aside, pick } = props
  const whole = table.derive(row)
  const cell = (c: number, left?: number) => (
    <GridCell key={layout.columns[c].id} {...props} whole={whole} c={c} left={left} />
  )
  return (
    <div
      role="row"
      tabIndex={-1}
      aria-rowindex={place + 2}
      data-row={row.id}
      aria-selected={chosen}
      style={{ height: rowHeight, transform: `translateY(${top}px)`, width: layout.width }}
      className={clsx('absolute top-0 left-0 border-rule border-b', chosen ? 'bg-post-tint' : 'bg-sheet')}
    >
      <div
        role="presentation"
        className={clsx('left-0 z-10 flex h-full w-fit', aside && 'sticky', chosen ? 'bg-post-tint' : 'bg-sheet')}
      >
        <div role="rowheader" tabIndex={-1} style={{ width: layout.numbers }} className="shrink-0 border-rule border-r">
          <button
            type="button"
            tabIndex={-1}
            className="size-full px-2 text-right text-[13px] text-ink-2 hover:bg-sheet-2"
            title={say.selectRow}
            onClick={(e) => pick(place, -1, e.shiftKey)}
          >
            {figures.format(number)}
          </button>
        </div>
        {lead && (
          <div
            role="gridcell"
            tabIndex={-1}
            style={{ width: lead.width }}
            className="flex shrink-0 items-center border-rule border-r"
          >
            {lead.cell(row)}
          </div>
        )}
        {layout.columns.slice(0, layout.frozen).map((_, c) => cell(c))}
      </div>
      {layout.columns.slice(from, to + 1).map((_, i) => cell(from + i, layout.lefts[from + i]))}
    </div>
  )
})

function GridCell({
  table,
  row,
  whole,
  place,
  number,
  c,
  left,
  layout,
  selectedFrom,
  selectedTo,
  focus,
  editing,
  setEditing,
  finish,
  keep,
}: RowProps & { whole: Row; c: number; left?: number }) {
  const column = layout.columns[c]
  const text = shown(whole.cells[column.id])
  const here = focus === c
  const style = { width: layout.widths[c], left, height: rowHeight - 1 }
  const placed = left === undefined ? 'shrink-0' : 'absolute top-0'
  if (here && editing !== null)
    return (
      <CellInput
        column={column}
        number={number}
        text={editing}
        style={style}
        className={clsx(placed, 'z-10 border-2 border-post bg-sheet px-1.5')}
        setText={setEditing}
        finish={finish}
        keep={(text) => keep(text, { row: { id: row.id, at: place }, column: { id: column.id, at: c } })}
      />
    )
  const selected = c >= selectedFrom && c <= selectedTo && selectedFrom >= 0
  const problem = isHere(row) ? problemOf(table, row, column) : null
  return (
    <div
      role="gridcell"
      data-cell={`${place}:${c}`}
      tabIndex={here ? 0 : -1}
      aria-selected={selected}
      title={problem ?? (text.length > 18 ? text.slice(0, 500) : undefined)}
      style={style}
      className={clsx(
        placed,
        'select-none truncate border-rule border-r px-2 leading-[33px] outline-offset-[-2px]',
        isFigure(column) && 'text-right',
        selected && !here && 'bg-post-tint shadow-[inset_0_0_0_1px_var(--post)]',
        column.recipe && 'text-ink-2',
      )}
    >
      {problem && <TriangleAlert role="img" aria-label={problem} size={13} className="mr-1 mb-0.5 inline text-stop" />}
      {isHere(row) ? text.slice(0, 300) : <span className="text-ink-2">…</span>}
    </div>
  )
}
