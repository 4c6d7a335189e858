import type { Wish } from '@hand-post/contract'
import { type Column, familyOf, isDay, type Kind, kindNames, kinds } from '@hand-post/core'
import clsx from 'clsx'
import { ArrowDown, ArrowUp, AtSign, ChevronDown, Paperclip, Pin, UserRound } from 'lucide-react'
import { Popover } from 'radix-ui'
import { type ReactNode, useState } from 'react'
import { Button, Labelled } from '../shared/parts.tsx'
import { DerivedMark } from './DerivedMark.tsx'
import { useMovable } from './grid/moveColumns.tsx'
import { type Columns, widthIn } from './grid/useColumns.ts'
import type { TableWork } from './useTable.ts'
import { columnHead as say } from './words.ts'

/** What a round takes from a column besides the letter's fields. */
export type ColumnUse = 'address' | 'name' | 'files'
const useIcons = { address: AtSign, name: UserRound, files: Paperclip }
const useWords = {
  address: say.addressesWritten,
  name: say.namesBesideAddresses,
  files: say.namesEachPersonS,
}

/** A column's head: its name, and on asking what it is, how the list is sorted by it, and where it stands. */
export function ColumnHead({
  table,
  columnTable,
  column,
  width: drawn,
  editable,
  used,
  uses,
  more,
  onRecipe,
}: {
  table: TableWork
  columnTable: Columns
  column: Column
  /** How wide it is drawn, in pixels. */
  width: number
  editable: boolean
  used: boolean
  uses: ColumnUse[]
  more?: (column: Column) => ReactNode
  onRecipe: (column: Column) => void
}) {
  const { list, edit } = table
  const sortedAt = list.sort.findIndex((s) => s.column === column.id)
  const sorted = list.sort[sortedAt]
  const { isResizingColumn, deltaOffset } = columnTable.state.columnResizing
  const width = isResizingColumn === column.id ? widthIn(drawn + (deltaOffset ?? 0)) : drawn
  const { setNodeRef, grip, moving, side } = useMovable(column.id, editable)
  const resize = columnTable
    .getFlatHeaders()
    .find((h) => h.column.id === column.id)
    ?.getResizeHandler()
  const change = (words: string, changes: (Wish & { do: 'changeColumn' })['changes']) =>
    void edit(words, { do: 'changeColumn', column: column.id, changes })
  return (
    <div
      ref={setNodeRef}
      role="columnheader"
      tabIndex={-1}
      aria-sort={sorted ? (sorted.descending ? 'descending' : 'ascending') : undefined}
      style={{ width }}
      className={clsx(
        'relative flex h-full shrink-0 items-center border-rule border-r bg-sheet-2',
        used && 'shadow-[inset_0_-3px_0_var(--post)]',
        side === 'left' && 'border-l-4 border-l-post',
        side === 'right' && 'border-r-4 border-r-post',
        moving && 'opacity-50',
      )}
    >
      <Popover.Root>
        <Popover.Trigger
          {...grip}
          className="flex size-full touch-none min-w-0 items-center gap-1 px-2 text-left font-bold hover:bg-post-tint"
          title={[
            `${column.name}: ${kinds[column.kind].words}`,
            ...uses.map((use) => useWords[use]),
            used && say.usedLetter,
          ]
            .filter(Boolean)
            .join(', ')}
          onKeyDown={(event) => {
            const by = event.key === 'ArrowLeft' ? -10 : event.key === 'ArrowRight' ? 10 : 0
            if (by === 0 || !event.shiftKey || !editable) return grip.onKeyDown?.(event)
            event.preventDefault()
            event.stopPropagation()
            columnTable.setColumnSizing((sizes) => ({ ...sizes, [column.id]: widthIn(width + by) }))
          }}
        >
          {column.recipe && <DerivedMark />}
          <span className="truncate">{column.name}</span>
          {uses.map((use) => {
            const Icon = useIcons[use]
            return (
              <Icon
                key={use}
                role="img"
                aria-label={say.holds(useWords[use])}
                size={13}
                className="shrink-0 text-note"
              />
            )
          })}
          {sorted &&
            (sorted.descending ? (
              <ArrowDown role="img" aria-label={say.sortedDownwards} size={13} className="shrink-0" />
            ) : (
              <ArrowUp role="img" aria-label={say.sortedUpwards} size={13} className="shrink-0" />
            ))}
          {sorted && list.sort.length > 1 && <span className="font-normal text-[12px]">{sortedAt + 1}</span>}
          {column.frozen && <Pin role="img" aria-label={say.staysSight} size={12} className="shrink-0 text-ink-2" />}
          <ChevronDown aria-hidden size={13} className="ml-auto shrink-0 text-ink-2" />
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            collisionPadding={8}
            className="paper z-50 max-h-[80dvh] w-80 overflow-auto p-4 shadow-lg"
          >
            <ColumnMenu
              table={table}
              columnTable={columnTable}
              column={column}
              present={width}
              editable={editable}
              change={change}
              more={more}
              onRecipe={onRecipe}
            />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: for mouse and finger; by keyboard the width is typed in the menu */}
      <div
        className="absolute top-0 right-0 h-full w-1.5 cursor-col-resize touch-none hover:bg-post"
        onMouseDown={resize}
        onTouchStart={resize}
      />
    </div>
  )
}

function ColumnMenu({
  table,
  columnTable,
  column,
  present,
  editable,
  change,
  more,
  onRecipe,
}: {
  table: TableWork
  columnTable: Columns
  column: Column
  present: number
  editable: boolean
  change: (words: string, changes: (Wish & { do: 'changeColumn' })['changes']) => void
  more?: (column: Column) => ReactNode
  onRecipe: (column: Column) => void
}) {
  const { list, edit } = table
  const [name, setName] = useState(column.name)
  const [width, setWidth] = useState(String(present))
  const held = columnTable.getColumn(column.id)
  const pinned = held?.getIsPinned() === 'start'
  const others = list.sort.filter((s) => s.column !== column.id)
  const sortedBy = list.sort.find((s) => s.column === column.id)
  const at = list.columns.findIndex((c) => c.id === column.id)
  const move = (by: number) =>
    columnTable.setColumnOrder((order) => {
      const next = order.filter((id) => id !== column.id)
      next.splice(at + by, 0, column.id)
      return next
    })
  const words = familyOf(column) === 'words'
  const [up, down] = words
    ? [say.z, say.z2]
    : isDay(column)
      ? [say.earliestFirst, say.latestFirst]
      : [say.smallestFirst, say.largestFirst]
  return (
    <div className="space-y-3">
      {editable && (
        <>
          <Labelled label={say.name} hint={say.fieldsLettersNotYet}>
            <input
              className="input w-full"
              value={name}
              maxLength={200}
              onChange={(e) => setName(e.target.value)}
              onBlur={() =>
                name.trim() && name.trim() !== column.name && change(say.renameColumn, { name: name.trim() })
              }
              onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
            />
          </Labelled>
          {column.recipe ? (
            <Button onClick={() => onRecipe(column)}>{say.changeHowWorkedOut}</Button>
          ) : (
            <Labelled label={say.kind}>
              <select
                className="input w-full"
                value={column.kind}
                onChange={(e) => change(say.changeKind, { kind: e.target.value as Kind })}
              >
                {kindNames.map((k) => (
                  <option key={k} value={k}>
                    {kinds[k].words}
                  </option>
                ))}
              </select>
            </Labelled>
          )}
          {!column.recipe && isDay(column) && (
            <Labelled label={say.n0704}>
              <select
                className="input w-full"
                value={(column.dayFirst ?? true) ? 'day' : 'month'}
                onChange={(e) => change(say.changeOrderDates, { dayFirst: e.target.value === 'day' })}
              >
                <option value="day">{say.n7AprilDayFirst}</option>
                <option value="month">{say.n4JulyMonthFirst}</option>
              </select>
            </Labelled>
          )}
        </>
      )}
      <div>
        <p className="font-bold text-[13px]">{say.sortList}</p>
        <div className="flex flex-wrap gap-1">
          <Button kind="quiet" onClick={() => held?.toggleSorting(false)}>
            {up}
          </Button>
          <Button kind="quiet" onClick={() => held?.toggleSorting(true)}>
            {down}
          </Button>
          {others.length > 0 && !sortedBy && (
            <Button kind="quiet" onClick={() => held?.toggleSorting(false, true)}>
              {say.thenBy}
            </Button>
          )}
          {sortedBy && (
            <Button kind="quiet" onClick={() => held?.clearSorting()}>
              {say.not}
            </Button>
          )}
        </div>
        {list.sort.length > 0 && <p className="text-[13px] text-ink-2">{say.keptSoAsRows}</p>}
      </div>
      {editable && (
        <>
          <div>
            <p className="font-bold text-[13px]">{say.table}</p>
            <div className="flex flex-wrap items-center gap-1">
              <Button kind="quiet" disabled={at === 0} onClick={() => move(-1)}>
                {say.moveLeft}
              </Button>
              <Button kind="quiet" disabled={at === list.columns.length - 1} onClick={() => move(1)}>
                {say.moveRight}
              </Button>
              <Button kind="quiet" onClick={() => held?.pin(pinned ? false : 'start')}>
                {pinned ? say.letScroll : say.keepSight}
              </Button>
              <Button kind="quiet" onClick={() => held?.toggleVisibility(false)}>
                {say.hide}
              </Button>
              <label className="flex items-center gap-1 text-[13px]">
                {say.width}
                <input
                  className="input w-20"
                  type="number"
                  min={40}
                  max={1200}
                  step={10}
                  value={width}
                  onChange={(e) => setWidth(e.target.value)}
                  onBlur={() => {
                    const pixels = widthIn(Number(width) || 150)
                    if (pixels !== present) columnTable.setColumnSizing((sizes) => ({ ...sizes, [column.id]: pixels }))
                  }}
                />
              </label>
            </div>
          </div>
          <div className="flex flex-wrap gap-1">
            <Button
              kind="quiet"
              onClick={() =>
                void edit(say.copyColumn2, {
                  do: 'addColumn',
                  before: list.columns[at + 1]?.id,
                  column: {
                    name: freeName(list.columns, `${column.name} copy`),
                    kind: column.kind,
                    dayFirst: column.dayFirst,
                    recipe: column.recipe,
                  },
                  ...(column.recipe ? {} : { copyOf: column.id }),
                })
              }
            >
              {say.copyColumn}
            </Button>
            <Button
              kind="quiet"
              onClick={() => void edit(say.deleteColumn2, { do: 'deleteColumn', column: column.id })}
            >
              {say.deleteColumn}
            </Button>
          </div>
        </>
      )}
      {more?.(column)}
    </div>
  )
}

/** A name that no column has yet. */
export function freeName(columns: Column[], wanted: string): string {
  const taken = new Set(columns.map((c) => c.name.toLowerCase()))
  let name = wanted
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${wanted} ${n}`
  return name
}
