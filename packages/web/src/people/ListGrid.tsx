import {
  type Cell,
  type Column,
  cellProblem,
  dateFormat,
  familyOf,
  isDay,
  isFigure,
  parsedValue,
  type Row,
  readBlock,
  shown,
  writeBlock,
} from '@hand-post/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { TriangleAlert } from 'lucide-react'
import {
  type ClipboardEvent,
  type KeyboardEvent,
  memo,
  type ReactNode,
  useCallback,
  useEffect,
  useImperativeHandle,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
} from 'react'
import { toast } from 'sonner'
import { times } from '../shared/parts.tsx'
import { ColumnHead } from './ColumnHead.tsx'
import { headingWidth } from './columnWidths.ts'
import { inKeptOrder, type KeptOrder, placeOf, type Spot } from './keptPlaces.ts'
import type { TableWork } from './useTable.ts'

const rowHeight = 34
const numberWidth = 56
/** More lines than are ever drawn at once. */
const slots = 128

/** A place in the table: of a row and of a column that is shown, both counted from 0. */
export interface Place {
  row: number
  column: number
}

/** What is selected: from one corner to the other. */
interface Selected {
  rows: Row[]
  columns: Column[]
}

/** What others may do with the table. */
export interface GridHandle {
  goTo: (row: number, column: number) => void
  /** Goes to a row by its id, wherever it stands; it keeps its place until the cursor leaves it. */
  goToRow: (id: number) => void
  /** Keeps the rows where they stand, whatever they are sorted by, until the cursor leaves the row that is gone to next. */
  keepOrder: () => void
  place: () => Place
  selected: () => Selected
}

/** A column that stands before all others and belongs to who shows the table, not to the list. */
export interface LeadColumn {
  head: string
  width: number
  cell: (row: Row) => ReactNode
}

interface Props {
  table: TableWork
  label: string
  editable: boolean
  chosen: number | null
  onChoose: (rowId: number) => void
  /** Only these rows are shown; all when left out. */
  only?: ReadonlySet<number> | null
  lead?: LeadColumn
  /** Names, in small letters, of columns that the letter uses: they are tinted. */
  used?: ReadonlySet<string>
  /** What a column is used for in the round, in words. */
  usesOf?: (column: Column) => string[]
  /** Further things that can be done with a column. */
  columnActions?: (column: Column) => ReactNode
  /** Opens the recipe of a derived column. */
  onRecipe: (column: Column) => void
  onFind: () => void
  handle?: React.Ref<GridHandle>
}

type Range = { top: number; bottom: number; left: number; right: number }
const rangeOf = (a: Place, b: Place): Range => ({
  top: Math.min(a.row, b.row),
  bottom: Math.max(a.row, b.row),
  left: Math.min(a.column, b.column),
  right: Math.max(a.column, b.column),
})

/** Where the columns that are shown stand: frozen ones first, each with its distance from the left. */
interface Layout {
  columns: Column[]
  frozen: number
  lefts: number[]
  widths: number[]
  frozenWidth: number
  width: number
}

function layoutOf(
  list: Column[],
  known: Map<string, number>,
  lead: number,
  usesOf: (column: Column) => string[] = () => [],
): Layout {
  const visible = list.filter((c) => !c.hidden)
  const columns = [...visible.filter((c) => c.frozen), ...visible.filter((c) => !c.frozen)]
  const frozen = visible.filter((c) => c.frozen).length
  // With room for the words beside a heading that say what the column is used for.
  const widths = columns.map((c) => {
    const uses = c.width ? [] : usesOf(c)
    const room = uses.length > 0 ? headingWidth(c) + uses.join(', ').length * 7 + 14 : 0
    return Math.max(known.get(c.id)!, room)
  })
  const lefts: number[] = []
  let at = lead
  for (const width of widths) {
    lefts.push(at)
    at += width
  }
  return { columns, frozen, lefts, widths, frozenWidth: frozen < columns.length ? lefts[frozen] : at, width: at }
}

/**
 * The rows of a list as a table. Rows and columns are drawn only where they are in view, so that 100,000 rows scroll; cells are
 * edited in place, selected in blocks, copied, pasted, filled down and cleared; everything by keyboard.
 */
export default function ListGrid(props: Props) {
  const { table, label, editable, chosen, onChoose, only, lead, used, usesOf, columnActions, onRecipe, onFind } = props
  const { list, edit } = table
  // A row that is being written keeps its place until the cursor leaves it: a sort must not move the ground under a hand.
  const [kept, setKept] = useState<KeptOrder | null>(null)
  const sorting = JSON.stringify(list.sort)
  useEffect(() => setKept(null), [sorting])
  const rows = useMemo(
    () => inKeptOrder(only ? table.rows.filter((row) => only.has(row.id)) : table.rows, kept),
    [table.rows, only, kept],
  )
  const leadWidth = numberWidth + (lead?.width ?? 0)
  const layout = useMemo(
    () => layoutOf(list.columns, table.widths, leadWidth, usesOf),
    [list.columns, table.widths, leadWidth, usesOf],
  )
  const { columns } = layout
  // The number of a row is its place in the whole list, also where only some are shown.
  const numbers = useMemo(
    () => (only ? new Map(table.rows.map((row, i): [number, number] => [row.id, i + 1])) : null),
    [only, table.rows],
  )

  const scroller = useRef<HTMLDivElement>(null)
  const vertical = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 4,
    // Below the head, which covers the top.
    scrollPaddingStart: rowHeight,
  })
  const horizontal = useVirtualizer({
    horizontal: true,
    count: columns.length - layout.frozen,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => layout.widths[layout.frozen + i],
    getItemKey: (i) => columns[layout.frozen + i].id,
    overscan: 1,
    paddingStart: layout.frozenWidth,
    scrollPaddingStart: layout.frozenWidth,
  })
  // Measured anew when a width or the order changed.
  useEffect(() => horizontal.measure(), [layout, horizontal])
  const shownColumns = horizontal.getVirtualItems()
  const from = layout.frozen + (shownColumns[0]?.index ?? 0)
  const to = layout.frozen + (shownColumns.at(-1)?.index ?? -1)

  const there = useRef({ rows, columns })
  there.current = { rows, columns }
  const spotAt = useCallback((place: Place): Spot => {
    const { rows, columns } = there.current
    return {
      row: { id: rows[place.row]?.id ?? null, at: place.row },
      column: { id: columns[place.column]?.id ?? null, at: place.column },
    }
  }, [])
  const placeNow = ({ row, column }: Spot): Place => ({ row: placeOf(rows, row), column: placeOf(columns, column) })
  // The cursor, and the other corner of what is selected, are with their rows and columns, not with places.
  const [spot, setSpot] = useState<Spot>(() => spotAt({ row: 0, column: 0 }))
  const [corner, setCorner] = useState<Spot>(spot)
  const setAt = useCallback((place: Place) => setSpot(spotAt(place)), [spotAt])
  const setAnchor = useCallback((place: Place) => setCorner(spotAt(place)), [spotAt])
  const at = useMemo(() => placeNow(spot), [rows, columns, spot])
  const anchor = useMemo(() => placeNow(corner), [rows, columns, corner])
  const [editing, setEditingText] = useState<string | null>(null)
  const latest = useRef({ rows, columns, range: rangeOf(at, anchor), at, spot, editing })
  latest.current = { rows, columns, range: rangeOf(at, anchor), at, spot, editing }
  const range = rangeOf(at, anchor)
  const sorted = list.sort.length > 0
  const keepOrder = useCallback(
    (row: number) => {
      if (sorted) setKept((before) => ({ ids: before?.ids ?? there.current.rows.map((r) => r.id), row }))
    },
    [sorted],
  )
  const setEditing = useCallback(
    (text: string | null) => {
      const row = there.current.rows[latest.current.at.row]
      if (text !== null && row) keepOrder(row.id)
      setEditingText(text)
    },
    [keepOrder],
  )
  const focusSoon = useRef(false)

  // The chosen person stays in view, whoever chose them.
  const chosenAt = useMemo(() => (chosen === null ? -1 : rows.findIndex((r) => r.id === chosen)), [rows, chosen])
  useEffect(() => {
    if (chosenAt >= 0) vertical.scrollToIndex(chosenAt, { align: 'auto' })
  }, [chosenAt, vertical])

  const goTo = useCallback(
    (row: number, column: number, extend = false, byMouse = false) => {
      const next = {
        row: Math.min(Math.max(row, 0), Math.max(rows.length - 1, 0)),
        column: Math.min(Math.max(column, 0), Math.max(columns.length - 1, 0)),
      }
      setAt(next)
      if (!extend) setAnchor(next)
      setEditing(null)
      if (rows[next.row] && !extend) onChoose(rows[next.row].id)
      // Where a mouse points nothing moves away, not before the second click of two: the order is kept for the row that is gone to.
      const to = rows[next.row]?.id
      setKept((before) =>
        before && before.row !== to ? (byMouse && to !== undefined ? { ...before, row: to } : null) : before,
      )
      vertical.scrollToIndex(next.row, { align: 'auto' })
      if (next.column >= layout.frozen) horizontal.scrollToIndex(next.column - layout.frozen, { align: 'auto' })
      focusSoon.current = true
    },
    [rows, columns.length, layout.frozen, onChoose, vertical, horizontal],
  )
  // The cell in hand has the focus; while it is scrolled out of sight, the table has it for it: lines are used again, and the
  // focus must not go with them to somebody else's.
  useLayoutEffect(() => {
    const box = scroller.current
    if (!box || editing !== null) return
    const active = document.activeElement
    const within =
      active === box || (active instanceof HTMLElement && active.dataset.cell !== undefined && box.contains(active))
    if (!within && !focusSoon.current) return
    const cell = box.querySelector<HTMLElement>(`[data-cell="${at.row}:${at.column}"]`)
    if (cell) {
      if (cell !== active) cell.focus({ preventScroll: true })
      focusSoon.current = false
    } else if (within && active !== box) box.focus({ preventScroll: true })
  })

  // Asked for the last row while the rest was on its way: gone to when it is here.
  const toTheEnd = useRef<number | null>(null)
  useEffect(() => {
    if (!table.whole || toTheEnd.current === null) return
    goTo(rows.length - 1, toTheEnd.current)
    toTheEnd.current = null
  }, [table.whole, rows, goTo])

  useImperativeHandle(
    props.handle,
    () => ({
      goTo,
      goToRow: (id) => {
        keepOrder(id)
        const row = { id, at: there.current.rows.length }
        const column = { id: there.current.columns[0]?.id ?? null, at: 0 }
        setSpot({ row, column })
        setCorner({ row, column })
        focusSoon.current = true
      },
      keepOrder: () => {
        const row = there.current.rows[latest.current.at.row]
        if (row) keepOrder(row.id)
      },
      place: () => latest.current.at,
      selected: () => {
        const { rows, columns, range } = latest.current
        return {
          rows: rows.slice(range.top, range.bottom + 1),
          columns: columns.slice(range.left, range.right + 1),
        }
      },
    }),
    [goTo, keepOrder],
  )
  // What is being written to may be taken away by another window; it is said, and is written to nobody else.
  const writtenTo = rows[at.row]?.id === spot.row.id && columns[at.column]?.id === spot.column.id
  useEffect(() => {
    if (editing === null || writtenTo) return
    toast.warning(
      `The row or column that you were writing to was taken out of the list elsewhere. “${editing.slice(0, 200)}” was not kept.`,
      { duration: 12_000 },
    )
    setEditingText(null)
  }, [editing, writtenTo])
  // A cursor that goes with its row stays in sight.
  useEffect(() => {
    if (spot.row.at !== at.row) vertical.scrollToIndex(at.row, { align: 'auto' })
  }, [at.row, spot, vertical])

  const write = useCallback(
    (words: string, cells: [number, string, string | null][]) => {
      const changed = cells.filter(([id, column, text]) => {
        const row = table.rows.find((r) => r.id === id)
        return row && shown(row.cells[column]) !== (text ?? '')
      })
      if (changed.length > 0) void edit(words, { do: 'cells', cells: changed })
    },
    [edit, table.rows],
  )
  /** Fills the selected cells; derived columns are passed over. */
  const fill = (words: string, textOf: (row: number, column: number) => Cell | string | null) => {
    const cells: [number, string, Cell | null][] = []
    for (let r = range.top; r <= range.bottom; r++)
      for (let c = range.left; c <= range.right; c++)
        if (!columns[c].recipe && rows[r]) {
          const cell = textOf(r, c)
          const was = rows[r].cells[columns[c].id]
          if (shown(was) !== shown(cell ?? undefined))
            cells.push([rows[r].id, columns[c].id, cell === '' ? null : cell])
        }
    if (cells.length > 0) {
      keepOrder(rows[at.row].id)
      void edit(words, { do: 'cells', cells })
    }
  }

  const copy = (event: ClipboardEvent) => {
    if (editing !== null) return
    event.preventDefault()
    const block = rows
      .slice(range.top, range.bottom + 1)
      .map((row) => columns.slice(range.left, range.right + 1).map((c) => shown(table.derive(row).cells[c.id])))
    event.clipboardData.setData('text/plain', writeBlock(block))
    if (event.type === 'cut' && editable) fill('Cut', () => null)
  }
  const paste = (event: ClipboardEvent) => {
    if (editing !== null || !editable) return
    event.preventDefault()
    const block = readBlock(event.clipboardData.getData('text/plain'))
    if (block.length === 1 && block[0].length === 1) {
      fill('Paste', () => block[0][0].trim())
      return
    }
    const cells: [number, string, string | null][] = []
    const fresh: Record<string, string>[] = []
    let beyond = 0
    block.forEach((line, r) => {
      const row = rows[range.top + r]
      const made: Record<string, string> = {}
      line.forEach((text, c) => {
        const column = columns[range.left + c]
        if (!column || column.recipe) beyond += text.trim() === '' ? 0 : 1
        else if (row) {
          if (shown(row.cells[column.id]) !== text.trim()) cells.push([row.id, column.id, text.trim() || null])
        } else if (text.trim() !== '') made[column.id] = text.trim()
      })
      if (!row) fresh.push(made)
    })
    if (rows[at.row]) keepOrder(rows[at.row].id)
    if (cells.length + fresh.length > 0)
      void edit(
        'Paste',
        ...(cells.length > 0 ? [{ do: 'cells' as const, cells }] : []),
        ...(fresh.length > 0 ? [{ do: 'addRows' as const, rows: fresh }] : []),
      )
    setAnchor({ row: range.top, column: range.left })
    setAt({ row: range.top + block.length - 1, column: Math.min(range.left + block[0].length, columns.length) - 1 })
    if (fresh.length > 0) toast(`${times(fresh.length, 'row was', 'rows were')} added at the end.`)
    if (beyond > 0)
      toast(
        `${times(beyond, 'value')} had no place: they would have stood beyond the last column, or in one that is worked out. Nothing else was lost.`,
      )
  }

  const key = (event: KeyboardEvent) => {
    if (editing !== null || event.altKey) return
    const control = event.ctrlKey || event.metaKey
    const { row, column } = at
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 600) / rowHeight) - 2)
    const last = { row: rows.length - 1, column: columns.length - 1 }
    const moves: Record<string, [number, number]> = {
      ArrowUp: [control ? 0 : row - 1, column],
      ArrowDown: [control ? last.row : row + 1, column],
      ArrowLeft: [row, control ? 0 : column - 1],
      ArrowRight: [row, control ? last.column : column + 1],
      PageUp: [row - page, column],
      PageDown: [row + page, column],
      Home: [control ? 0 : row, 0],
      End: [control ? last.row : row, last.column],
    }
    const letter = event.key.toLowerCase()
    const act = (what: () => void) => {
      event.preventDefault()
      what()
    }
    if (event.key in moves)
      act(() => {
        toTheEnd.current = !table.whole && moves[event.key][0] === last.row ? moves[event.key][1] : null
        goTo(...moves[event.key], event.shiftKey)
      })
    else if (control && letter === 'a')
      act(() => {
        setAnchor({ row: 0, column: 0 })
        setAt(last)
      })
    else if (control && letter === 'f') act(onFind)
    else if (event.key === ' ' && event.shiftKey)
      act(() => {
        setAnchor({ row, column: 0 })
        setAt({ row, column: last.column })
      })
    else if (!editable) return
    else if (control && letter === 'z') act(() => void (event.shiftKey ? table.redo() : table.undo()))
    else if (control && letter === 'y') act(() => void table.redo())
    else if (control && letter === 'd')
      act(() => fill('Fill down', (_, c) => rows[range.top]?.cells[columns[c].id] ?? null))
    else if (event.key === 'Delete' || event.key === 'Backspace') act(() => fill('Clear', () => null))
    else if (columns[column]?.recipe && (event.key === 'Enter' || event.key === 'F2'))
      act(() => onRecipe(columns[column]))
    else if (columns[column]?.recipe) return
    else if (event.key === 'Enter' || event.key === 'F2')
      act(() => setEditing(shown(rows[row]?.cells[columns[column].id])))
    else if (event.key.length === 1 && !control) act(() => setEditing(event.key))
  }

  const keepCell = useCallback(
    (text: string, of: Spot = latest.current.spot) => {
      const row = there.current.rows.find((r) => r.id === of.row.id)
      const column = there.current.columns.find((c) => c.id === of.column.id)
      // Deleted elsewhere while it was being written: nothing goes to whoever stands there now.
      if (!row || !column) return
      keepOrder(row.id)
      write('Change a cell', [[row.id, column.id, text.trim() || null]])
    },
    [write, keepOrder],
  )
  const finish = useCallback(
    (text: string | null, down: number, right: number) => {
      if (text !== null) keepCell(text)
      const { at } = latest.current
      goTo(at.row + down, at.column + right)
    },
    [goTo, keepCell],
  )
  const pick = useCallback(
    (row: number, column: number, extend: boolean) => {
      // What is being written is kept before the cursor goes elsewhere.
      if (latest.current.editing !== null) keepCell(latest.current.editing)
      if (column < 0) {
        // The number of a row selects all of it.
        setAnchor({ row: extend ? latest.current.range.top : row, column: 0 })
        setAt({ row, column: latest.current.columns.length - 1 })
        setEditing(null)
        onChoose(latest.current.rows[row].id)
      } else goTo(row, column, extend, true)
    },
    [goTo, keepCell, onChoose, setAnchor, setAt, setEditing],
  )
  const begin = useCallback(
    (row: number, column: number) => {
      const { columns, rows } = latest.current
      if (!editable) return
      if (columns[column].recipe) onRecipe(columns[column])
      else setEditing(shown(rows[row].cells[columns[column].id]))
    },
    [editable, onRecipe],
  )

  const inHand = rows[at.row]
  const column = columns[at.column]
  const problem = inHand && column && problemOf(table, inHand, column)
  const selectedCells = (range.bottom - range.top + 1) * (range.right - range.left + 1)
  // The heads stay while the rows scroll by beneath them.
  const head = useMemo(
    () => (
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
            style={{ width: numberWidth }}
            className="flex shrink-0 items-center justify-end border-rule border-r px-2 text-[13px] text-ink-2"
          >
            Row
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
          {columns.slice(0, layout.frozen).map((c, i) => (
            <ColumnHead
              key={c.id}
              table={table}
              column={c}
              width={layout.widths[i]}
              editable={editable}
              used={used?.has(c.name.toLowerCase()) ?? false}
              uses={usesOf?.(c) ?? []}
              more={columnActions}
              onRecipe={onRecipe}
            />
          ))}
        </div>
        {columns.slice(from, to + 1).map((c, i) => (
          <div
            key={c.id}
            role="presentation"
            className="absolute top-0 h-full"
            style={{ left: layout.lefts[from + i] }}
          >
            <ColumnHead
              table={table}
              column={c}
              width={layout.widths[from + i]}
              editable={editable}
              used={used?.has(c.name.toLowerCase()) ?? false}
              uses={usesOf?.(c) ?? []}
              more={columnActions}
              onRecipe={onRecipe}
            />
          </div>
        ))}
      </div>
    ),
    [table, columns, layout, from, to, lead, editable, used, usesOf, columnActions, onRecipe],
  )
  return (
    <div className="flex min-h-0 flex-1 flex-col" onCopy={copy} onCut={copy} onPaste={paste}>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: it has the focus only in place of a cell that is out of sight */}
      <div
        ref={scroller}
        tabIndex={-1}
        className="relative min-h-0 flex-1 overflow-auto outline-none"
        onKeyDown={key}
        onBlur={(e) => {
          // The cursor has left the table, and with it the row that was being written.
          if (e.relatedTarget instanceof Node && !e.currentTarget.contains(e.relatedTarget)) setKept(null)
        }}
      >
        <div
          role="grid"
          aria-label={label}
          aria-rowcount={rows.length + 1}
          aria-colcount={columns.length + 1}
          aria-multiselectable="true"
          style={{ width: layout.width, height: vertical.getTotalSize() + rowHeight }}
          className="relative text-[14px]"
        >
          {head}
          {vertical.getVirtualItems().map((item) => {
            const row = rows[item.index]
            const within = item.index >= range.top && item.index <= range.bottom
            const here = item.index === at.row
            return (
              <GridRow
                // Lines that scroll out are used again for those that scroll in.
                key={item.index % slots}
                table={table}
                row={row}
                place={item.index}
                number={numbers?.get(row.id) ?? item.index + 1}
                top={item.start + rowHeight}
                layout={layout}
                from={from}
                to={to}
                lead={lead}
                chosen={row.id === chosen}
                aside={(horizontal.scrollOffset ?? 0) > 0}
                selectedFrom={within ? range.left : -1}
                selectedTo={within ? range.right : -1}
                focus={here ? at.column : -1}
                editing={here && writtenTo ? editing : null}
                setEditing={setEditing}
                finish={finish}
                keep={keepCell}
                pick={pick}
                begin={begin}
              />
            )
          })}
        </div>
      </div>
      <p
        className="flex min-h-7 items-center gap-3 border-rule border-t bg-sheet-2 px-3 py-0.5 text-[13px]"
        role="status"
      >
        {rows.length === 0 ? (
          <span className="text-ink-2">No rows to show.</span>
        ) : problem ? (
          <span className="text-stop">
            <TriangleAlert aria-hidden size={14} className="mr-1 inline" />
            {problem}
          </span>
        ) : selectedCells > 1 ? (
          <span className="text-ink-2">
            {times(selectedCells, 'cell')} in {times(range.bottom - range.top + 1, 'row')} selected
          </span>
        ) : (
          inHand &&
          column && (
            <span className="line-clamp-2 max-h-10 overflow-hidden text-ink-2">
              {column.name}: {shown(table.derive(inHand).cells[column.id]).slice(0, 600) || 'blank'}
            </span>
          )
        )}
        {!table.whole && rows.length > 0 && (
          <span className="ml-auto shrink-0 text-ink-2">
            {rows.length.toLocaleString('en-GB')} of {times(list.rowCount, 'row')} are here; the rest is on its way
          </span>
        )}
      </p>
    </div>
  )
}

/** What is wrong with a cell, in words. */
function problemOf(table: TableWork, row: Row, column: Column): string | null {
  if (column.recipe) {
    const fault = table.faults(row)[column.id]
    return fault ? `“${column.name}” cannot be worked out here: ${fault}.` : null
  }
  const words = cellProblem(row.cells[column.id], column)
  return words && `“${column.name}”: ${words}`
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
  begin: (row: number, column: number) => void
}

const GridRow = memo(function GridRow(props: RowProps) {
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
        <div role="rowheader" tabIndex={-1} style={{ width: numberWidth }} className="shrink-0 border-rule border-r">
          <button
            type="button"
            tabIndex={-1}
            className="size-full px-2 text-right text-[13px] text-ink-2 hover:bg-sheet-2"
            title="Select the row"
            onClick={(e) => pick(place, -1, e.shiftKey)}
          >
            {number.toLocaleString('en-GB')}
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
  pick,
  begin,
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
        number={place + 1}
        text={editing}
        style={style}
        className={clsx(placed, 'z-10 border-2 border-post bg-sheet px-1.5')}
        setText={setEditing}
        finish={finish}
        keep={(text) => keep(text, { row: { id: row.id, at: place }, column: { id: column.id, at: c } })}
      />
    )
  const selected = c >= selectedFrom && c <= selectedTo && selectedFrom >= 0
  const problem = problemOf(table, row, column)
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
      onMouseDown={(e) => {
        if (e.button !== 0) return
        // The focus goes with the cursor; by itself it would go to whatever stands at this place by then.
        e.preventDefault()
        pick(place, c, e.shiftKey)
      }}
      onMouseEnter={(e) => {
        if (e.buttons === 1) pick(place, c, true)
      }}
      onDoubleClick={() => begin(place, c)}
    >
      {problem && <TriangleAlert role="img" aria-label={problem} size={13} className="mr-1 mb-0.5 inline text-stop" />}
      {text.slice(0, 300)}
    </div>
  )
}

/** A cell that is being typed in; a choice where its column says yes or no. */
function CellInput({
  column,
  number,
  text,
  style,
  className,
  setText,
  finish,
  keep,
}: {
  column: Column
  number: number
  text: string
  style: React.CSSProperties
  className: string
  setText: (text: string | null) => void
  finish: (text: string | null, down: number, right: number) => void
  keep: (text: string) => void
}) {
  // Leaving by a key has kept or dropped it already; only leaving by the mouse keeps it here.
  const left = useRef(false)
  const box = useRef<HTMLDivElement>(null)
  const calendar = useRef<HTMLInputElement>(null)
  const leave = (kept: string | null, down: number, right: number) => {
    left.current = true
    finish(kept, down, right)
  }
  const common = {
    'aria-label': `${column.name}, row ${number}`,
    value: text,
    style,
    className,
    onBlur: (e: React.FocusEvent) => {
      // The calendar beside the words belongs to the cell.
      if (left.current || (e.relatedTarget instanceof Node && box.current?.contains(e.relatedTarget))) return
      keep(text)
      setText(null)
    },
    onKeyDown: (e: KeyboardEvent) => {
      e.stopPropagation()
      if (e.key === 'Enter') leave(text, e.shiftKey ? -1 : 1, 0)
      else if (e.key === 'Tab') {
        e.preventDefault()
        leave(text, 0, e.shiftKey ? -1 : 1)
      } else if (e.key === 'Escape') leave(null, 0, 0)
      else if (e.altKey && e.key === 'ArrowDown') calendar.current?.showPicker()
    },
  }
  if (familyOf(column) === 'yesNo')
    return (
      // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
      <select {...common} autoFocus onChange={(e) => setText(e.target.value)}>
        {[...new Set(['yes', 'no', '', text])].map((word) => (
          <option key={word} value={word}>
            {word || 'blank'}
          </option>
        ))}
      </select>
    )
  if (isDay(column)) {
    const withTime = column.kind === 'dateTime'
    const pattern = `${column.dayFirst === false ? 'MM/dd' : 'dd/MM'}/yyyy${withTime ? ' HH:mm' : ''}`
    const present = parsedValue(text.trim(), column)
    return (
      <div ref={box} style={style} className={clsx('flex', className)}>
        <input
          {...common}
          style={undefined}
          className="min-w-0 flex-1 outline-none"
          // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
          autoFocus
          placeholder={dateFormat(pattern)!('2026-12-31T09:00')}
          title="Alt ↓ opens the calendar"
          onChange={(e) => setText(e.target.value)}
        />
        <input
          ref={calendar}
          type={withTime ? 'datetime-local' : 'date'}
          tabIndex={-1}
          aria-label={`Calendar for ${column.name}, row ${number}`}
          className="w-5 shrink-0"
          value={typeof present === 'string' ? present : ''}
          onChange={(e) => {
            if (e.target.value === '') return
            setText(dateFormat(pattern)!(e.target.value))
            box.current?.querySelector('input')?.focus()
          }}
          onBlur={common.onBlur}
          onKeyDown={common.onKeyDown}
        />
      </div>
    )
  }
  return (
    <input
      {...common}
      // biome-ignore lint/a11y/noAutofocus: editing was asked for at this cell
      autoFocus
      inputMode={isFigure(column) ? 'decimal' : undefined}
      onChange={(e) => setText(e.target.value)}
    />
  )
}
