import {
  columnResizingFeature,
  columnSizingFeature,
  type OnChangeFn,
  rowSortingFeature,
  type SortingState,
  tableFeatures,
  useTable,
} from '@tanstack/react-table'
import clsx from 'clsx'
import { ArrowDown, ArrowUp } from 'lucide-react'
import { type ReactNode, useMemo, useState } from 'react'
import { PersonCell, PersonGrid, PersonLine } from './PersonGrid.tsx'
import { personTable as say } from './words.ts'

/** A column of a list of people. */
export interface PersonColumn<Line> {
  id: string
  head: string
  /** Pixels; of the one that grows, at least so many. */
  width: number
  /** Takes the room that the others leave. */
  grows?: boolean
  /** Its head and its cells stand at the right, as figures do. */
  right?: boolean
  /** What the list can be sorted by; null stands last. Figures are sorted the largest first. Of lines that are sorted elsewhere: the way that comes first. */
  by?: ((line: Line) => string | number | null) | 'up' | 'down'
  cell: (line: Line) => ReactNode
  /** What the cell says in full. */
  title?: (line: Line) => string | null | undefined
  /** What a click on it does. */
  onClick?: (line: Line) => void
  className?: string | ((line: Line) => string)
}

const features = tableFeatures({
  columnResizingFeature,
  columnSizingFeature,
  rowSortingFeature,
})
// The lines are drawn and sorted here: there may be 100,000 of them, and while a round leaves they change every second.
const noLines: never[] = []
/** How a list was sorted and how wide its columns were, by its label: so it is found again while the page is open. */
const keptOrder = new Map<string, SortingState>()
const keptSizes = new Map<string, Record<string, number>>()

/** How a list is sorted, and changes that. */
export type TableOrder = [SortingState, OnChangeFn<SortingState>]
/** The order of a list, by its label. */
export function useOrder(label: string): TableOrder {
  const [sorting, setSorting] = useState<SortingState>(() => keptOrder.get(label) ?? [])
  keptOrder.set(label, sorting)
  return [sorting, setSorting]
}
const inOrder = new Intl.Collator('en-GB', { numeric: true, sensitivity: 'base' })
/** Pixels that a key makes a column wider or narrower. */
const step = 16

/** Whether a column is sorted by figures: as its first value is. */
function figuresBy<Line>(lines: Line[], by: PersonColumn<Line>['by']): boolean {
  if (typeof by !== 'function') return by === 'down'
  const first = lines.find((line) => by(line) !== null)
  return first !== undefined && typeof by(first) === 'number'
}

/** The lines in the order of one column; in their own where none is chosen. Those alike keep their own order. */
export function sortedLines<Line>(
  lines: Line[],
  by: ((line: Line) => string | number | null) | undefined,
  descending: boolean,
): Line[] {
  if (!by) return lines
  const way = descending ? -1 : 1
  return lines
    .map((line) => ({ line, value: by(line) }))
    .sort((a, b) => {
      if (a.value === null || b.value === null) return Number(a.value === null) - Number(b.value === null)
      return typeof a.value === 'number' && typeof b.value === 'number'
        ? way * (a.value - b.value)
        : way * inOrder.compare(String(a.value), String(b.value))
    })
    .map(({ line }) => line)
}

/** A list of people with heads, by which it is sorted and its columns made wider or narrower. */
export function PersonTable<Line>({
  label,
  columns,
  lines,
  order,
  below,
  wrap = (_line, cells) => cells,
  ...grid
}: {
  label: string
  columns: PersonColumn<Line>[]
  /** All lines; those that are not here yet may be missing where they are sorted elsewhere. */
  lines: readonly (Line | undefined)[]
  /** The order in which the lines are given, where it is not made here. */
  order?: TableOrder
  keyOf: (line: Line) => string | number
  isChosen: (line: Line) => boolean
  heightOf?: (line: Line) => number
  /** What stands under the cells of a line. */
  below?: (line: Line) => ReactNode
  /** Told which lines are in view. */
  onView?: (first: number, last: number) => void
  /** How it takes its room. */
  className?: string
  /** What a line's cells stand in. */
  wrap?: (line: Line, cells: ReactNode) => ReactNode
}) {
  const ownOrder = useOrder(label)
  const [sorting, setSorting] = order ?? ownOrder
  const [columnSizing, setSizing] = useState(() => keptSizes.get(label) ?? {})
  keptSizes.set(label, columnSizing)
  const table = useTable(
    useMemo(
      () => ({
        features,
        columns: columns.map(({ id, width, by }) => ({
          id,
          size: width,
          minSize: 40,
          maxSize: 900,
          // By name the first way is upwards, by figures downwards; then the other way; then no more.
          sortDescFirst: figuresBy(lines as Line[], by),
        })),
        data: noLines as Line[] & never[],
        state: { sorting, columnSizing },
        columnResizeMode: 'onChange' as const,
        manualSorting: true,
        onSortingChange: setSorting,
        onColumnSizingChange: setSizing,
      }),
      [columns, lines, sorting, setSorting, columnSizing],
    ),
  )
  const [sort] = sorting
  const by = columns.find((c) => c.id === sort?.id)?.by
  const ordered = useMemo(
    () => (typeof by === 'function' ? sortedLines(lines as Line[], by, sort?.desc ?? false) : lines),
    [lines, by, sort],
  )
  const styleOf = (column: PersonColumn<Line>) => {
    const width = table.getColumn(column.id)?.getSize() ?? column.width
    return column.grows ? { flex: `1 1 ${width}px`, minWidth: 60 } : { flex: `0 1 ${width}px`, minWidth: 24 }
  }
  return (
    <PersonGrid
      {...grid}
      label={label}
      lines={ordered}
      head={
        <PersonLine>
          {columns.map((column) => {
            const held = table.getColumn(column.id)
            const sorted = sort?.id === column.id ? sort : undefined
            const resize = table
              .getFlatHeaders()
              .find((h) => h.column.id === column.id)
              ?.getResizeHandler()
            return (
              <span
                key={column.id}
                role="columnheader"
                tabIndex={-1}
                aria-sort={sorted ? (sorted.desc ? 'descending' : 'ascending') : undefined}
                style={styleOf(column)}
                className="relative flex h-full items-center"
              >
                {column.by ? (
                  <button
                    type="button"
                    className={clsx(
                      'flex min-w-0 flex-1 items-center gap-1 py-1 text-left hover:underline',
                      column.right && 'justify-end',
                    )}
                    title={say.clickSortShiftChange}
                    onClick={() => held?.toggleSorting()}
                    onKeyDown={(e) => {
                      const way = e.key === 'ArrowLeft' ? -1 : e.key === 'ArrowRight' ? 1 : 0
                      if (way === 0 || !e.shiftKey || !held) return
                      e.preventDefault()
                      setSizing((sizes) => ({
                        ...sizes,
                        [column.id]: Math.min(900, Math.max(40, held.getSize() + way * step)),
                      }))
                    }}
                  >
                    <span className="truncate">{column.head}</span>
                    {sorted &&
                      (sorted.desc ? (
                        <ArrowDown role="img" aria-label={say.sortedDownwards} size={13} className="shrink-0" />
                      ) : (
                        <ArrowUp role="img" aria-label={say.sortedUpwards} size={13} className="shrink-0" />
                      ))}
                  </button>
                ) : (
                  <span className="min-w-0 flex-1 truncate">{column.head}</span>
                )}
                {/* biome-ignore lint/a11y/noStaticElementInteractions: for mouse and finger; by keyboard Shift and the arrows do it */}
                <span
                  className="-right-2 absolute top-0 h-full w-2 cursor-col-resize touch-none hover:bg-post"
                  onMouseDown={resize}
                  onTouchStart={resize}
                />
              </span>
            )
          })}
        </PersonLine>
      }
    >
      {(line) => (
        <>
          {wrap(
            line,
            <PersonLine>
              {columns.map((column) => (
                <PersonCell
                  key={column.id}
                  style={styleOf(column)}
                  className={clsx(
                    column.right && 'text-right',
                    typeof column.className === 'function' ? column.className(line) : column.className,
                  )}
                  title={column.title?.(line)}
                  onClick={column.onClick && (() => column.onClick!(line))}
                >
                  {column.cell(line)}
                </PersonCell>
              ))}
            </PersonLine>,
          )}
          {below?.(line)}
        </>
      )}
    </PersonGrid>
  )
}
