import { type MessageLine, routes } from '@hand-post/contract'
import { type MessageState, stateWords } from '@hand-post/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { type ReactNode, useRef } from 'react'
import { queries, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { moment } from '../shared/moment.ts'
import { Button, Empty, StateMark } from '../shared/parts.tsx'

/** When a message left or will leave. */
const whenOf = (m: MessageLine) =>
  m.sentAt !== null ? moment(m.sentAt) : m.plannedAt !== null ? `planned ${moment(m.plannedAt)}` : ''

/** A live line for each message of the round that is open. */
export function MessageTable({ messages }: { messages: MessageLine[] }) {
  const { person, choose } = useWork()
  return <MessageRows messages={messages} chosen={person?.id ?? null} onChoose={(m) => choose(m.rowId)} />
}

/** Lines of messages: who, what state, when, and what the host said. */
export function MessageRows<M extends MessageLine>({
  messages,
  chosen = null,
  onChoose,
  roundOf,
}: {
  messages: M[]
  /** The row id of the person whose line is marked. */
  chosen?: number | null
  onChoose?: (message: M) => void
  /** A further column naming the round. */
  roundOf?: (message: M) => ReactNode
}) {
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: messages.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (messages[i].asksWriter ? 84 : 34),
    getItemKey: (i) => `${messages[i].id}${messages[i].asksWriter}`,
    overscan: 12,
  })
  if (messages.length === 0) return <Empty title="No messages">Nothing is here just now.</Empty>
  return (
    <div
      ref={scroller}
      role="grid"
      aria-label="Messages"
      aria-rowcount={messages.length}
      tabIndex={0}
      className="min-h-40 flex-1 overflow-auto"
    >
      <div role="rowgroup" className="relative text-[14px]" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const m = messages[item.index]
          const on = chosen !== null && m.rowId === chosen
          return (
            <div
              key={item.key}
              role="row"
              tabIndex={-1}
              aria-rowindex={item.index + 1}
              aria-selected={on}
              style={{ transform: `translateY(${item.start}px)`, height: item.size }}
              className={clsx(
                'absolute top-0 left-0 w-full border-rule border-b px-5',
                on ? 'bg-post-tint' : 'hover:bg-sheet-2',
              )}
            >
              <div className="flex h-[33px] items-center gap-3" role="presentation">
                <span role="gridcell" tabIndex={-1} className="w-24 shrink-0">
                  <StateMark state={stateWords[m.state as MessageState]} />
                </span>
                <span role="gridcell" tabIndex={-1} className="w-44 shrink-0 truncate" title={m.address}>
                  {onChoose ? (
                    <button type="button" className="w-full truncate text-left" onClick={() => onChoose(m)}>
                      {m.person}
                    </button>
                  ) : (
                    m.person
                  )}
                </span>
                {roundOf && (
                  <span role="gridcell" tabIndex={-1} className="w-56 shrink-0 truncate max-lg:hidden">
                    {roundOf(m)}
                  </span>
                )}
                <span role="gridcell" tabIndex={-1} className="w-48 shrink-0 whitespace-nowrap text-ink-2">
                  {whenOf(m)}
                </span>
                <span
                  role="gridcell"
                  tabIndex={-1}
                  className="min-w-0 flex-1 truncate text-[13px] text-ink-2"
                  title={m.reason ?? undefined}
                >
                  {m.state === 'sent'
                    ? m.filedAt !== null
                      ? 'filed in Sent'
                      : 'not filed in Sent yet'
                    : !m.asksWriter && m.reason}
                </span>
              </div>
              {m.asksWriter && <Doubt message={m} />}
            </div>
          )
        })}
      </div>
    </div>
  )
}

/** A message whose fate is not known: only the writer can say. */
function Doubt({ message }: { message: MessageLine }) {
  const settle = useChange(routes.settleDoubt, () => queries.invalidateQueries())
  const say = (went: boolean) => settle.mutate({ params: { message: message.id }, body: { went } })
  return (
    <div className="flex items-center gap-2 text-[13px]">
      <p className="min-w-0 flex-1">{message.reason}</p>
      <Button onClick={() => say(true)} disabled={settle.isPending}>
        It went
      </Button>
      <Button onClick={() => say(false)} disabled={settle.isPending}>
        It did not: send it
      </Button>
    </div>
  )
}
