import type { TrayLine } from '@hand-post/contract'
import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { BellRing, Check, CornerUpRight, Paperclip } from 'lucide-react'
import { useEffect, useRef } from 'react'
import { dayWords } from '../shared/dates.tsx'
import { moment, shortMoment } from '../shared/moment.ts'
import { Mark } from '../shared/parts.tsx'
import { PileMark } from './pileMarks.tsx'
import { trayList as say } from './words.ts'

/** Pixels that an entry takes. */
const height = 92
const optionId = (id: number) => `entry-${id}`

/** The entries of the in-tray, as many as there may be: one is in hand, and some may be selected. */
export function TrayList({
  lines,
  inHand,
  selected,
  onTake,
  onSelect,
}: {
  lines: TrayLine[]
  inHand: number | null
  selected: ReadonlySet<number>
  onTake: (id: number) => void
  /** `range`: everything from the one in hand. */
  onSelect: (id: number, range: boolean) => void
}) {
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    getItemKey: (i) => lines[i].id,
    overscan: 8,
  })
  const at = lines.findIndex((line) => line.id === inHand)
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when another is in hand
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at)
  }, [at])
  return (
    <div
      ref={scroller}
      role="listbox"
      aria-label={say.entries}
      aria-multiselectable
      aria-activedescendant={at >= 0 ? optionId(lines[at].id) : undefined}
      title={say.keys}
      tabIndex={0}
      data-tray-list
      className="min-h-0 flex-1 overflow-auto"
    >
      <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const line = lines[item.index]
          const isSelected = selected.has(line.id)
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: keys are read by the list
            <div
              key={item.key}
              id={optionId(line.id)}
              role="option"
              tabIndex={-1}
              aria-selected={isSelected}
              aria-current={line.id === inHand || undefined}
              aria-setsize={lines.length}
              aria-posinset={item.index + 1}
              style={{ transform: `translateY(${item.start}px)`, height }}
              onClick={(e) => (e.ctrlKey || e.metaKey || e.shiftKey ? onSelect(line.id, e.shiftKey) : onTake(line.id))}
              className={clsx(
                'absolute top-0 left-0 flex w-full cursor-default gap-2 overflow-hidden border-rule border-b px-2 py-2',
                line.id === inHand ? 'bg-post-tint' : 'hover:bg-sheet-2',
              )}
            >
              {/* For the mouse; by keyboard the space bar does it. */}
              <span
                aria-hidden
                className="-m-1 grid size-6 shrink-0 place-items-center"
                onClick={(e) => {
                  e.stopPropagation()
                  onSelect(line.id, e.shiftKey)
                }}
              >
                <span
                  className={clsx(
                    'grid size-4 place-items-center rounded-[3px] border',
                    isSelected ? 'border-post bg-post text-sheet' : 'border-ink-2 bg-sheet',
                  )}
                >
                  {isSelected && <Check size={12} />}
                </span>
              </span>
              <span className="min-w-0 flex-1">
                <span className="flex justify-between gap-2">
                  <b className="truncate">{line.person}</b>
                  <span className="shrink-0 text-[13px] text-ink-2">{shortMoment(line.at)}</span>
                </span>
                <span className="mt-0.5 flex items-center gap-2 overflow-hidden whitespace-nowrap text-[13px]">
                  <PileMark pile={line.pile} />
                  {line.state === 'back' && (
                    <Mark tone="ask" icon={BellRing}>
                      {say.broughtBack}
                    </Mark>
                  )}
                  {line.files > 0 && (
                    <span className="inline-flex shrink-0 items-center gap-0.5 text-ink-2">
                      <Paperclip aria-label={say.files} size={13} /> {line.files}
                    </span>
                  )}
                  {line.answeredAt !== null && (
                    <Mark tone="good" icon={CornerUpRight}>
                      {say.answered}
                    </Mark>
                  )}
                  <span className="truncate text-ink-2">
                    {line.of === 'copy' && <b className="text-ink">{say.copyS} </b>}
                    {line.of === 'other' && <b className="text-ink">{say.whose} </b>}
                    {line.junk !== null && <b className="text-ink">{say.junk} </b>}
                    {line.word !== null && <b className="text-ink">{line.word} </b>}
                    {line.round}
                  </span>
                </span>
                <span className="mt-0.5 line-clamp-2 text-[13px]">
                  {line.state === 'putBy' && (
                    <b>{say.until(line.backAt === null ? '' : moment(line.backAt), line.backWhen)}. </b>
                  )}
                  {line.backDay !== null && <b>{say.backUntil(dayWords(new Date(line.backDay)))}. </b>}
                  {line.words || line.subject}
                </span>
              </span>
            </div>
          )
        })}
      </div>
    </div>
  )
}
