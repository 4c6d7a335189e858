import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { type CSSProperties, type ReactNode, useEffect, useRef } from 'react'

/** Lines of people, as many as there may be: only those in view are drawn. */
export function PersonGrid<Line>({
  label,
  lines,
  keyOf,
  isChosen,
  heightOf = () => 34,
  className = 'min-h-40 flex-1',
  head,
  onView,
  children,
}: {
  label: string
  /** All lines; those that are not here yet are missing, and are drawn empty. */
  lines: readonly (Line | undefined)[]
  keyOf: (line: Line) => string | number
  isChosen: (line: Line) => boolean
  /** Pixels that a line takes. */
  heightOf?: (line: Line) => number
  /** How it takes its room. */
  className?: string
  /** The heads of its columns, which stay while the lines scroll. */
  head?: ReactNode
  /** Told which lines are in view. */
  onView?: (first: number, last: number) => void
  /** Draws what stands in a line, of {@link PersonCell}s. */
  children: (line: Line) => ReactNode
}) {
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (lines[i] === undefined ? 34 : heightOf(lines[i])),
    getItemKey: (i) => (lines[i] === undefined ? `missing ${i}` : `${keyOf(lines[i])}:${heightOf(lines[i])}`),
    overscan: 12,
  })
  const items = virtual.getVirtualItems()
  const [first, last] = [items[0]?.index ?? 0, items.at(-1)?.index ?? 0]
  useEffect(() => onView?.(first, last), [onView, first, last])
  return (
    <div
      ref={scroller}
      role="grid"
      aria-label={label}
      aria-rowcount={lines.length + (head ? 1 : 0)}
      tabIndex={0}
      className={clsx('overflow-auto', className)}
    >
      {head && (
        <div
          role="row"
          tabIndex={-1}
          aria-rowindex={1}
          className="sticky top-0 z-10 border-rule border-b bg-sheet-2 px-5 font-bold text-[13px]"
        >
          {head}
        </div>
      )}
      <div role="rowgroup" className="relative text-[14px]" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => {
          const line = lines[item.index]
          const on = line !== undefined && isChosen(line)
          return (
            <div
              key={item.key}
              role="row"
              tabIndex={-1}
              aria-rowindex={item.index + (head ? 2 : 1)}
              aria-selected={on}
              style={{ transform: `translateY(${item.start}px)`, height: item.size }}
              className={clsx(
                'absolute top-0 left-0 w-full border-rule border-b px-5',
                on ? 'bg-post-tint' : 'hover:bg-sheet-2',
              )}
            >
              {line !== undefined && children(line)}
            </div>
          )
        })}
      </div>
    </div>
  )
}

/** The cells of one line of a {@link PersonGrid}, side by side. */
export function PersonLine({ children }: { children: ReactNode }) {
  return (
    <div className="flex h-[33px] items-center gap-3" role="presentation">
      {children}
    </div>
  )
}

/** One cell of a line. With `onClick` it is a button, by which the person of the line is chosen. */
export function PersonCell({
  className,
  style,
  title,
  onClick,
  children,
}: {
  className?: string
  style?: CSSProperties
  title?: string | null
  onClick?: () => void
  children: ReactNode
}) {
  return (
    <span
      role="gridcell"
      tabIndex={-1}
      className={clsx('truncate', className)}
      style={style}
      title={title || undefined}
    >
      {onClick ? (
        <button type="button" className="w-full truncate py-1 text-left" onClick={onClick}>
          {children}
        </button>
      ) : (
        children
      )}
    </span>
  )
}
