import { routes } from '@hand-post/contract'
import { type Column, fieldsOf, type Kind, kinds, shown } from '@hand-post/core'
import { type ColumnDef, getCoreRowModel, useReactTable } from '@tanstack/react-table'
import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { Check, ChevronDown, Filter, UserMinus } from 'lucide-react'
import { Popover } from 'radix-ui'
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react'
import { queries, useChange, useRoundPeople } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { Button, Labelled } from '../shared/parts.tsx'
import { kindWords } from './kindWords.ts'

type RowData = ReturnType<typeof useWork>['rows'][number]
const rowHeight = 34
const widthOf = (column: Column) =>
  ({ address: 250, files: 170, text: 150, date: 120, dateTime: 150, amount: 110, number: 100, yesNo: 90 })[column.kind]

/** The rows of the list: virtual, so that 100,000 of them scroll; cells are edited in place. */
export default function RowsTable() {
  const { round, rows, person, choose, editCell, undoCell, letter } = useWork()
  const list = round.list!
  const editable = round.postedAt === null
  const people = useRoundPeople(round.id).data
  const byRule = useMemo(() => new Set(people?.byRule), [people])
  const aside = useMemo(() => new Map(round.setAside.map((s) => [s.rowId, s.reason])), [round.setAside])
  const used = useMemo(() => new Set(fieldsOf(letter).map((f) => f.field.column.toLowerCase())), [letter])
  const stale = () => queries.invalidateQueries({ queryKey: ['round', round.id] })
  const setAside = useChange(routes.setAside, stale)
  const takeBack = useChange(routes.takeBack, stale)

  const columnDefs = useMemo<ColumnDef<RowData>[]>(
    () =>
      list.columns.map((column) => ({
        id: column.id,
        accessorFn: (row) => shown(row.cells[column.id]),
        size: widthOf(column),
        meta: column,
      })),
    [list.columns],
  )
  const table = useReactTable({
    data: rows,
    columns: columnDefs,
    getCoreRowModel: getCoreRowModel(),
    columnResizeMode: 'onChange',
    getRowId: (row) => String(row.id),
  })
  const model = table.getRowModel().rows

  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: model.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  })
  const [at, setAt] = useState<{ row: number; column: number }>({ row: 0, column: 0 })
  const [editing, setEditing] = useState<string | null>(null)
  const headers = table.getHeaderGroups()[0]?.headers ?? []
  const width = headers.reduce((sum, h) => sum + h.getSize(), 0) + 116

  // The chosen person stays in view, whoever chose them.
  const personAt = person ? rows.findIndex((r) => r.id === person.id) : -1
  useEffect(() => {
    if (personAt >= 0) virtual.scrollToIndex(personAt, { align: 'auto' })
  }, [personAt, virtual])

  const move = (row: number, column: number) => {
    const next = {
      row: Math.min(Math.max(row, 0), model.length - 1),
      column: Math.min(Math.max(column, 0), list.columns.length - 1),
    }
    setAt(next)
    if (model[next.row]) choose(model[next.row].original.id)
    virtual.scrollToIndex(next.row, { align: 'auto' })
    requestAnimationFrame(() =>
      scroller.current?.querySelector<HTMLElement>(`[data-cell="${next.row}:${next.column}"]`)?.focus(),
    )
  }
  const key = (event: KeyboardEvent, text: string) => {
    if (editing !== null) return
    const { row, column } = at
    const page = 18
    const moves: Record<string, [number, number]> = {
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      PageUp: [row - page, column],
      PageDown: [row + page, column],
      Home: [event.ctrlKey ? 0 : row, 0],
      End: [event.ctrlKey ? model.length - 1 : row, list.columns.length - 1],
    }
    if (event.altKey) return
    if (event.key in moves) {
      event.preventDefault()
      move(...moves[event.key])
    } else if (!editable) return
    else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') undoCell()
    else if (event.key === 'Enter' || event.key === 'F2') {
      event.preventDefault()
      setEditing(text)
    } else if (event.key === 'Delete') void editCell(model[row].original.id, list.columns[column].id, '')
    else if (event.key.length === 1 && !event.ctrlKey && !event.metaKey) {
      event.preventDefault()
      setEditing(event.key)
    }
  }
  const finish = (keep: boolean, then: 'down' | 'right' | 'stay') => {
    const { row, column } = at
    if (keep && editing !== null) void editCell(model[row].original.id, list.columns[column].id, editing)
    setEditing(null)
    move(row + (then === 'down' ? 1 : 0), column + (then === 'right' ? 1 : 0))
  }

  return (
    <div ref={scroller} className="relative min-h-0 flex-1 overflow-auto">
      <div
        role="grid"
        aria-label="Rows of the list"
        aria-rowcount={rows.length + 1}
        aria-colcount={list.columns.length + 1}
        style={{ width, height: virtual.getTotalSize() + rowHeight }}
        className="relative text-[14px]"
      >
        <div
          role="row"
          aria-rowindex={1}
          tabIndex={-1}
          className="sticky top-0 z-20 flex border-rule border-b bg-sheet-2"
          style={{ height: rowHeight }}
        >
          <div
            role="columnheader"
            tabIndex={-1}
            className="flex w-[116px] shrink-0 items-center border-rule border-r px-2 font-bold text-[13px]"
          >
            In this round
          </div>
          {headers.map((header) => {
            const column = header.column.columnDef.meta as Column
            return (
              <div
                key={header.id}
                role="columnheader"
                tabIndex={-1}
                style={{ width: header.getSize() }}
                className={clsx(
                  'relative flex shrink-0 items-center border-rule border-r',
                  used.has(column.name.toLowerCase()) && 'bg-post-tint',
                )}
              >
                <ColumnHead column={column} editable={editable} />
                {/* biome-ignore lint/a11y/noStaticElementInteractions: widths are also kept by content; dragging is an extra */}
                <div
                  onMouseDown={header.getResizeHandler()}
                  className="absolute top-0 right-0 h-full w-1.5 cursor-col-resize hover:bg-post"
                />
              </div>
            )
          })}
        </div>
        {virtual.getVirtualItems().map((item) => {
          const row = model[item.index]
          const { id } = row.original
          const on = person?.id === id
          const out = aside.has(id) ? 'set aside' : byRule.has(id) ? 'by rule' : null
          return (
            <div
              key={row.id}
              role="row"
              tabIndex={-1}
              aria-rowindex={item.index + 2}
              aria-selected={on}
              style={{ height: rowHeight, transform: `translateY(${item.start + rowHeight}px)`, width }}
              className={clsx('absolute top-0 left-0 flex border-rule border-b', on ? 'bg-post-tint' : 'bg-sheet')}
            >
              <div role="gridcell" tabIndex={-1} className="flex w-[116px] shrink-0 items-center border-rule border-r">
                <button
                  type="button"
                  disabled={!editable || out === 'by rule'}
                  title={
                    out === 'set aside'
                      ? `Set aside${aside.get(id) ? `: ${aside.get(id)}` : ''}. Click to take back.`
                      : out === 'by rule'
                        ? 'Left out by your rules.'
                        : 'In this round. Click to set aside.'
                  }
                  className="flex size-full items-center gap-1 px-2 text-left text-[13px] enabled:hover:bg-sheet-2"
                  onClick={() =>
                    out
                      ? takeBack.mutate({ params: { round: round.id, row: id } })
                      : setAside.mutate({ params: { round: round.id, row: id }, body: { reason: 'by hand' } })
                  }
                >
                  {out === 'set aside' ? (
                    <UserMinus aria-hidden size={14} className="text-ask" />
                  ) : out === 'by rule' ? (
                    <Filter aria-hidden size={14} className="text-ink-2" />
                  ) : (
                    <Check aria-hidden size={14} className="text-good" />
                  )}
                  {out ?? 'yes'}
                </button>
              </div>
              {list.columns.map((column, c) => {
                const text = shown(row.original.cells[column.id])
                const here = at.row === item.index && at.column === c
                return here && editing !== null ? (
                  <input
                    key={column.id}
                    aria-label={`${column.name}, row ${item.index + 1}`}
                    // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
                    autoFocus
                    value={editing}
                    style={{ width: headers[c].getSize() }}
                    className="shrink-0 border-2 border-post bg-sheet px-1.5"
                    onChange={(e) => setEditing(e.target.value)}
                    onBlur={() => {
                      void editCell(id, column.id, editing)
                      setEditing(null)
                    }}
                    onKeyDown={(e) => {
                      if (e.key === 'Enter') finish(true, 'down')
                      else if (e.key === 'Tab') {
                        e.preventDefault()
                        finish(true, 'right')
                      } else if (e.key === 'Escape') finish(false, 'stay')
                    }}
                  />
                ) : (
                  <div
                    key={column.id}
                    role="gridcell"
                    data-cell={`${item.index}:${c}`}
                    tabIndex={here ? 0 : -1}
                    title={text.length > 20 ? text.slice(0, 500) : undefined}
                    style={{ width: headers[c].getSize() }}
                    className={clsx(
                      'shrink-0 truncate border-rule border-r px-2 leading-[33px] outline-offset-[-2px]',
                      (column.kind === 'amount' || column.kind === 'number') && 'text-right',
                      out && 'text-ink-2',
                    )}
                    onClick={() => {
                      setAt({ row: item.index, column: c })
                      choose(id)
                    }}
                    onDoubleClick={() => editable && setEditing(text)}
                    onFocus={() => setAt({ row: item.index, column: c })}
                    onKeyDown={(e) => key(e, text)}
                  >
                    {text.slice(0, 300)}
                  </div>
                )
              })}
            </div>
          )
        })}
      </div>
    </div>
  )
}

/** A column's head: its name, and on asking what it is and what it is used for. */
function ColumnHead({ column, editable }: { column: Column; editable: boolean }) {
  const { round, change } = useWork()
  const [name, setName] = useState(column.name)
  const params = { list: round.list!.id, column: column.id }
  const save = useChange(routes.changeColumn, () => queries.invalidateQueries({ queryKey: ['round', round.id] }))
  const uses = [
    column.id === round.addressColumn && 'address',
    round.nameColumns.includes(column.id) && 'name',
    column.id === round.filesColumn && 'files',
  ].filter(Boolean)
  return (
    <Popover.Root onOpenChange={(open) => open && setName(column.name)}>
      <Popover.Trigger
        className="flex size-full min-w-0 items-center gap-1 px-2 text-left font-bold hover:bg-post-tint"
        title={`${column.name}: ${kindWords[column.kind]}`}
      >
        <span className="truncate">{column.name}</span>
        {uses.length > 0 && (
          <span className="shrink-0 rounded-paper bg-note-tint px-1 font-normal text-[12px] text-note">
            {uses.join(', ')}
          </span>
        )}
        <ChevronDown aria-hidden size={13} className="ml-auto shrink-0 text-ink-2" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" className="paper z-50 w-72 space-y-3 p-4 shadow-lg">
          <Labelled label="Name" hint="Its fields in the letter follow.">
            <input
              className="input w-full"
              value={name}
              disabled={!editable}
              onChange={(e) => setName(e.target.value)}
              onBlur={() => name.trim() && name !== column.name && save.mutate({ params, body: { name } })}
              onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
            />
          </Labelled>
          <Labelled label="Kind">
            <select
              className="input w-full"
              disabled={!editable}
              value={column.kind}
              onChange={(e) => save.mutate({ params, body: { kind: e.target.value as Kind } })}
            >
              {kinds.map((k) => (
                <option key={k} value={k}>
                  {kindWords[k]}
                </option>
              ))}
            </select>
          </Labelled>
          {column.dayFirst !== undefined && (
            <Labelled label="07/04 is">
              <select
                className="input w-full"
                disabled={!editable}
                value={column.dayFirst ? 'day' : 'month'}
                onChange={(e) => save.mutate({ params, body: { dayFirst: e.target.value === 'day' } })}
              >
                <option value="day">7 April (day first)</option>
                <option value="month">4 July (month first)</option>
              </select>
            </Labelled>
          )}
          {editable && (
            <div className="space-y-1">
              <Button
                kind="quiet"
                disabled={column.id === round.addressColumn}
                onClick={() => void change({ addressColumn: column.id })}
              >
                Use it for the addresses
              </Button>
              <Button kind="quiet" onClick={() => void change({ nameColumns: [column.id] })}>
                Use it for the names
              </Button>
              <Button
                kind="quiet"
                onClick={() => void change({ filesColumn: column.id === round.filesColumn ? null : column.id })}
              >
                {column.id === round.filesColumn ? 'It names no files' : 'Use it for each person’s own files'}
              </Button>
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
