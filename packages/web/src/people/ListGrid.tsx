import { type Cell, type Column, type FoundCell, type Row, shown } from '@hand-post/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import { TriangleAlert } from 'lucide-react'
import {
  type ClipboardEvent,
  type KeyboardEvent,
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
import { Told, tellFault } from '../api.ts'
import { isHere } from '../shared/rows.ts'
import type { ColumnUse } from './ColumnHead.tsx'
import { type Cells, copied, filled, pasted } from './grid/clipboard.ts'
import { GridHead } from './grid/GridHead.tsx'
import { GridRow, type LeadColumn, problemOf } from './grid/GridRow.tsx'
import { commandOf } from './grid/keyboard.ts'
import { numberWidthOf, type Place, type Range, rowHeight } from './grid/layout.ts'
import { useColumns } from './grid/useColumns.ts'
import { useRowsInView } from './grid/useRowsInView.ts'
import { useSelection } from './grid/useSelection.ts'
import type { Spot } from './keptPlaces.ts'
import type { TableWork } from './useTable.ts'
import { listGrid as say } from './words.ts'

/** More lines than are ever drawn at once. */
const slots = 128
/** How many rows are fetched above and below those in view. */
const beyondView = 100
/** How many rows are fetched for something that is done to all of them. */
const mostFetched = 100_000

/** What is selected: from one corner to the other. */
interface Selected {
  rows: Row[]
  columns: Column[]
}

/** The place of the cell that something on the page belongs to; null where it is in none, or in one that is being written. */
function cellAt(target: EventTarget): Place | null {
  const cell = target instanceof Element ? target.closest<HTMLElement>('[data-cell]') : null
  if (!cell) return null
  const [row, column] = cell.dataset.cell!.split(':').map(Number)
  return { row, column }
}

/** What others may do with the table. */
export interface GridHandle {
  goTo: (row: number, column: number) => void
  /** Begins to write in a row that was added, wherever it stands; it keeps its place until the cursor leaves it. */
  writeInRow: (id: number, column?: number) => void
  /** Brings a column that was added into view. */
  showColumn: (id: string) => void
  /** Keeps the rows where they stand, whatever they are sorted by, until the cursor leaves the row that is gone to next. */
  keepOrder: () => void
  /** The cell in hand; null where there is none. */
  inHand: () => FoundCell | null
  /** Goes to a cell by the ids of its row and column. Returns false where they are not shown here. */
  goToCell: (cell: FoundCell) => boolean
  selected: () => Selected
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
  usesOf?: (column: Column) => ColumnUse[]
  /** Further things that can be done with a column. */
  columnActions?: (column: Column) => ReactNode
  /** Opens the recipe of a derived column. */
  onRecipe: (column: Column) => void
  onFind: () => void
  /** Adds a row at the end and begins to write in this column of it. */
  onNextRow?: (column: number) => void
  handle?: React.Ref<GridHandle>
}

/**
 * The rows of a list as a table. Rows and columns are drawn only where they are in view, so that 100,000 rows scroll; cells are
 * edited in place, selected in blocks, copied, pasted, filled down and cleared; everything by keyboard.
 */
export default function ListGrid(props: Props) {
  const {
    table,
    label,
    editable,
    chosen,
    onChoose,
    only,
    lead,
    used,
    usesOf,
    columnActions,
    onRecipe,
    onFind,
    onNextRow,
  } = props
  const { list, edit } = table
  const firstRow = list.source.firstRow ?? 1
  const numbersWidth = numberWidthOf(firstRow + table.rows.length - 1)
  const before = useMemo(() => ({ numbers: numbersWidth, lead: lead?.width ?? 0 }), [numbersWidth, lead])
  const { columns: columnTable, layout } = useColumns(table, before, usesOf)
  const { columns } = layout
  const wanted = useMemo(() => (only ? table.rows.filter((row) => only.has(row.id)) : table.rows), [table.rows, only])
  const selection = useSelection(wanted, columns, JSON.stringify(list.sort))
  const { rows, at, range, editing, latest, keepOrder, setEditing, select, moveTo, moveToRow, leave } = selection
  // The number of a row is its place in the whole list, also where only some are shown, counted as the sheet does that it came from.
  const numbers = useMemo(
    () => (only ? new Map(table.rows.map((row, i): [number, number] => [row.id, i + firstRow])) : null),
    [only, table.rows, firstRow],
  )

  const scroller = useRef<HTMLDivElement>(null)
  const { items: inView, height, topOf, show: showRow } = useRowsInView(scroller, rows.length)
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
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is measured is the layout’s
  useEffect(() => horizontal.measure(), [layout, horizontal])
  // What is in view, and around it, is fetched where it is not here.
  const { look } = table
  const [top, bottom] = [inView[0]?.index ?? 0, inView.at(-1)?.index ?? 0]
  useEffect(() => {
    if (rows.slice(top, bottom + 1).every(isHere)) return
    look(rows.slice(Math.max(0, top - beyondView), bottom + 1 + beyondView))
  }, [rows, top, bottom, look])

  const shownColumns = horizontal.getVirtualItems()
  const from = layout.frozen + (shownColumns[0]?.index ?? 0)
  const to = layout.frozen + (shownColumns.at(-1)?.index ?? -1)

  // The chosen person stays in view, whoever chose them, and so does a cursor that goes with its row.
  const chosenAt = useMemo(() => (chosen === null ? -1 : rows.findIndex((r) => r.id === chosen)), [rows, chosen])
  useEffect(() => {
    if (chosenAt >= 0) showRow(chosenAt)
  }, [chosenAt, showRow])
  useEffect(() => {
    if (selection.moved) showRow(at.row)
  }, [at.row, selection.moved, showRow])

  // What was added is drawn a moment later than it is asked for: then it is written in, or brought into view.
  const [coming, setComing] = useState<{ row: number } | { column: string } | null>(null)
  const focusSoon = useRef(false)
  const goTo = useCallback(
    (row: number, column: number, extend = false, byMouse = false) => {
      setComing(null)
      const next = moveTo({ row, column }, extend, byMouse)
      const there = latest.current.rows[next.row]
      if (there && !extend) onChoose(there.id)
      showRow(next.row)
      if (next.column >= layout.frozen) horizontal.scrollToIndex(next.column - layout.frozen, { align: 'auto' })
      // By keys the first columns are gone back to, with those that stand beside them.
      else if (!byMouse) horizontal.scrollToOffset(0)
      focusSoon.current = true
    },
    [moveTo, latest, layout.frozen, onChoose, showRow, horizontal],
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
      writeInRow: (id, column) => {
        const { columns } = latest.current
        const first = columns.findIndex((c) => !c.recipe)
        const typedIn = column !== undefined && columns[column] && !columns[column].recipe ? column : first
        moveToRow(id, Math.max(typedIn, 0))
        focusSoon.current = true
        if (first >= 0) setComing({ row: id })
      },
      showColumn: (id) => setComing({ column: id }),
      keepOrder: () => {
        const row = latest.current.rows[latest.current.at.row]
        if (row) keepOrder(row.id)
      },
      inHand: () => {
        const { rows, columns, at } = latest.current
        const [row, column] = [rows[at.row], columns[at.column]]
        return row && column ? { row: row.id, column: column.id } : null
      },
      goToCell: (cell) => {
        const row = latest.current.rows.findIndex(({ id }) => id === cell.row)
        const column = latest.current.columns.findIndex(({ id }) => id === cell.column)
        if (row < 0 || column < 0) return false
        goTo(row, column)
        return true
      },
      selected: () => {
        const { rows, columns, range } = latest.current
        return {
          rows: rows.slice(range.top, range.bottom + 1),
          columns: columns.slice(range.left, range.right + 1),
        }
      },
    }),
    [goTo, keepOrder, latest, moveToRow],
  )
  useEffect(() => {
    if (coming === null) return
    if ('row' in coming) {
      if (rows[at.row]?.id !== coming.row) return
      setEditing('')
    } else {
      const column = columns.findIndex((c) => c.id === coming.column)
      if (column < 0) return
      goTo(at.row, column)
    }
    setComing(null)
  }, [coming, rows, columns, at.row, goTo, setEditing])

  const write = (words: string, cells: Cells, fresh: Record<string, string>[] = []) => {
    if (cells.length + fresh.length === 0) return
    if (rows[at.row]) keepOrder(rows[at.row].id)
    void edit(
      words,
      ...(cells.length > 0 ? [{ do: 'cells' as const, cells }] : []),
      ...(fresh.length > 0 ? [{ do: 'addRows' as const, rows: fresh }] : []),
    )
  }
  /** The rows, those from one place to another with what stands in them. What is compared with what stood there must not be guessed. */
  const fetched = async (top: number, bottom: number): Promise<Row[]> => {
    const lacking = rows.slice(top, bottom + 1).flatMap((row) => (isHere(row) ? [] : [row.id]))
    if (lacking.length === 0) return rows
    if (lacking.length > mostFetched) throw new Told(say.tooMany(mostFetched))
    const byId = new Map((await table.here(lacking)).map((row) => [row.id, row]))
    return rows.map((row) => byId.get(row.id) ?? row)
  }
  const fill = (words: string, cellOf: (rows: Row[], row: number, column: number) => Cell | string | null) =>
    void fetched(range.top, range.bottom)
      .then((rows) =>
        write(
          words,
          filled(rows, columns, range, (r, c) => cellOf(rows, r, c)),
        ),
      )
      .catch(tellFault)

  const copy = (event: ClipboardEvent) => {
    if (editing !== null) return
    event.preventDefault()
    const lacking = rows.slice(range.top, range.bottom + 1).filter((row) => !isHere(row)).length
    if (lacking > 0) {
      // The clipboard takes nothing but at this moment.
      toast.warning(say.notCopiedYet(lacking))
      fetched(range.top, range.bottom).then(() => toast(say.copyNow), tellFault)
      return
    }
    event.clipboardData.setData('text/plain', copied(rows, columns, range, table.derive))
    if (event.type === 'cut' && editable) fill(say.cut, () => null)
  }
  const paste = (event: ClipboardEvent) => {
    if (editing !== null || !editable) return
    event.preventDefault()
    const text = event.clipboardData.getData('text/plain')
    // No text has more lines of cells than lines.
    const last = Math.max(range.bottom, range.top + text.split('\n').length - 1)
    void fetched(range.top, last)
      .then((rows) => {
        const { cells, fresh, beyond, range: over } = pasted(text, rows, columns, range)
        write(say.paste, cells, fresh)
        select({ row: over.bottom, column: over.right }, { row: over.top, column: over.left })
        if (fresh.length > 0) toast(say.addedEnd(fresh.length))
        if (beyond > 0) toast(say.hadNoPlaceThey(beyond))
      })
      .catch(tellFault)
  }

  const key = (event: KeyboardEvent) => {
    if (editing !== null) return
    // At a head, letters and arrows are the head's.
    const atHead = event.target instanceof Element && event.target.closest('[role=columnheader]') !== null
    if (atHead && !event.ctrlKey && !event.metaKey) return
    const last: Place = { row: rows.length - 1, column: columns.length - 1 }
    const page = Math.max(1, Math.floor((scroller.current?.clientHeight ?? 600) / rowHeight) - 2)
    const command = commandOf(
      { key: event.key, control: event.ctrlKey || event.metaKey, shift: event.shiftKey, alt: event.altKey },
      { at, last, page, editable, derived: columns[at.column]?.recipe !== undefined },
    )
    if (!command) return
    event.preventDefault()
    switch (command.do) {
      case 'goTo':
        toTheEnd.current = !table.whole && command.place.row === last.row ? command.place.column : null
        return goTo(command.place.row, command.place.column, command.extend)
      case 'selectAll':
        return select(last, { row: 0, column: 0 })
      case 'selectRow':
        return select({ row: at.row, column: last.column }, { row: at.row, column: 0 })
      case 'find':
        return onFind()
      case 'undo':
        return void table.undo()
      case 'redo':
        return void table.redo()
      case 'fillDown':
        return fill(say.fillDown, (rows, _, c) => rows[range.top]?.cells[columns[c].id] ?? null)
      case 'clear':
        return fill(say.clear, () => null)
      case 'openRecipe':
        return onRecipe(columns[at.column])
      case 'write':
        if (rows[at.row] && !isHere(rows[at.row])) return void toast.warning(say.rowComes)
        return setEditing(command.text ?? shown(rows[at.row]?.cells[columns[at.column].id]))
    }
  }

  const keepCell = useCallback(
    (text: string, of: Spot = latest.current.spot) => {
      const row = latest.current.rows.find((r) => r.id === of.row.id)
      const column = latest.current.columns.find((c) => c.id === of.column.id)
      // Deleted elsewhere while it was being written: nothing goes to whoever stands there now.
      if (!row || !column) return
      keepOrder(row.id)
      const cell = text.trim() || null
      if (shown(row.cells[column.id]) !== (cell ?? ''))
        void edit(say.changeCell, { do: 'cells', cells: [[row.id, column.id, cell]] })
    },
    [edit, keepOrder, latest],
  )
  const finish = useCallback(
    (text: string | null, down: number, right: number) => {
      if (text !== null) keepCell(text)
      const { at, rows, columns } = latest.current
      const pastEnd = at.column + right >= columns.length
      // Behind the last column the next row begins, as where one fills in a form.
      const next = pastEnd ? { row: at.row + 1, column: 0 } : { row: at.row + down, column: at.column + right }
      const row = rows[at.row]
      // Below the last row another is made, unless nothing stands in the last one yet.
      const filled =
        Boolean(text?.trim()) || (row && Object.values(row.cells).some((cell) => shown(cell).trim() !== ''))
      if (next.row >= rows.length && text !== null && filled && onNextRow) {
        if (rows[at.row]) keepOrder(rows[at.row].id)
        onNextRow(pastEnd ? 0 : at.column)
      } else goTo(next.row, next.column)
    },
    [goTo, keepCell, keepOrder, latest, onNextRow],
  )
  const pick = useCallback(
    (row: number, column: number, extend: boolean) => {
      const { editing, range, columns, rows } = latest.current
      // What is being written is kept before the cursor goes elsewhere.
      if (editing !== null) keepCell(editing)
      if (column >= 0) return goTo(row, column, extend, true)
      // The number of a row selects all of it.
      select({ row, column: columns.length - 1 }, { row: extend ? range.top : row, column: 0 })
      setEditing(null)
      onChoose(rows[row].id)
    },
    [goTo, keepCell, latest, onChoose, select, setEditing],
  )
  const begin = useCallback(
    (row: number, column: number) => {
      const { columns, rows } = latest.current
      if (!editable) return
      if (columns[column].recipe) onRecipe(columns[column])
      else if (!isHere(rows[row])) toast.warning(say.rowComes)
      else setEditing(shown(rows[row].cells[columns[column].id]))
    },
    [editable, latest, onRecipe, setEditing],
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
          if (e.relatedTarget instanceof Node && !e.currentTarget.contains(e.relatedTarget)) leave()
        }}
      >
        <div
          role="grid"
          aria-label={label}
          aria-rowcount={rows.length + 1}
          aria-colcount={columns.length + 1}
          aria-multiselectable="true"
          style={{ width: layout.width, height }}
          className="relative text-[14px]"
          // Here for all cells: hundreds of them come into view with every second of scrolling.
          onMouseDown={(e) => {
            const cell = e.button === 0 ? cellAt(e.target) : null
            if (!cell) return
            // The focus goes with the cursor; by itself it would go to whatever stands at this place by then.
            e.preventDefault()
            pick(cell.row, cell.column, e.shiftKey)
          }}
          onMouseMove={(e) => {
            const cell = e.buttons === 1 ? cellAt(e.target) : null
            if (cell && (cell.row !== at.row || cell.column !== at.column)) pick(cell.row, cell.column, true)
          }}
          onDoubleClick={(e) => {
            const cell = cellAt(e.target)
            if (cell) begin(cell.row, cell.column)
          }}
        >
          <GridHead
            table={table}
            columnTable={columnTable}
            layout={layout}
            from={from}
            to={to}
            lead={lead}
            editable={editable}
            used={used}
            usesOf={usesOf}
            columnActions={columnActions}
            onRecipe={onRecipe}
          />
          {inView.map((item) => {
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
                number={numbers?.get(row.id) ?? item.index + firstRow}
                top={topOf(item)}
                layout={layout}
                from={from}
                to={to}
                lead={lead}
                chosen={row.id === chosen}
                aside={(horizontal.scrollOffset ?? 0) > 0}
                selectedFrom={within ? range.left : -1}
                selectedTo={within ? range.right : -1}
                focus={here ? at.column : -1}
                editing={here ? editing : null}
                setEditing={setEditing}
                finish={finish}
                keep={keepCell}
                pick={pick}
              />
            )
          })}
        </div>
      </div>
      <GridFoot table={table} rows={rows} columns={columns} at={at} range={range} top={top} bottom={bottom} />
    </div>
  )
}

/** What is to be said of the cell in hand, or of what is selected. */
function GridFoot({
  table,
  rows,
  columns,
  at,
  range,
  top,
  bottom,
}: {
  table: TableWork
  rows: Row[]
  columns: Column[]
  at: Place
  range: Range
  /** The first and the last row in view. */
  top: number
  bottom: number
}) {
  const inHand = rows[at.row]
  const column = columns[at.column]
  const problem = inHand && column && problemOf(table, inHand, column)
  const selectedCells = (range.bottom - range.top + 1) * (range.right - range.left + 1)
  return (
    <p
      className="flex min-h-7 items-center gap-3 border-rule border-t bg-sheet-2 px-3 py-0.5 text-[13px]"
      role="status"
    >
      {rows.length === 0 ? (
        <span className="text-ink-2">{say.noRowsShow}</span>
      ) : problem ? (
        <span className="text-stop">
          <TriangleAlert aria-hidden size={14} className="mr-1 inline" />
          {problem}
        </span>
      ) : selectedCells > 1 ? (
        <span className="text-ink-2">{say.selected(selectedCells, range.bottom, range.top)}</span>
      ) : (
        inHand &&
        isHere(inHand) &&
        column &&
        table.trouble === null && (
          <span className="line-clamp-2 max-h-10 overflow-hidden text-ink-2">
            {column.name}: {shown(table.derive(inHand).cells[column.id]).slice(0, 600) || 'blank'}
          </span>
        )
      )}
      {table.trouble !== null && (
        <span className="text-stop">
          <TriangleAlert aria-hidden size={14} className="mr-1 inline" />
          {say.notFetched(table.trouble)}{' '}
          <button type="button" className="underline" onClick={() => table.look(rows.slice(top, bottom + 1))}>
            {say.fetchAgain}
          </button>
        </span>
      )}
      {!table.whole && rows.length > 0 && (
        <span className="ml-auto shrink-0 text-ink-2">{say.hereRestWay(rows.length, table.list.rowCount)}</span>
      )}
    </p>
  )
}
