import { type MessageLine, routes } from '@hand-post/contract'
import { type MessageState, stateWords } from '@hand-post/core'
import type { ReactNode } from 'react'
import { queries, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { moment } from '../shared/moment.ts'
import { PersonCell, PersonGrid, PersonLine } from '../shared/PersonGrid.tsx'
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
  if (messages.length === 0) return <Empty title="No messages">Nothing is here just now.</Empty>
  return (
    <PersonGrid
      label="Messages"
      lines={messages}
      keyOf={(m) => m.id}
      isChosen={(m) => chosen !== null && m.rowId === chosen}
      heightOf={(m) => (m.asksWriter ? 84 : 34)}
    >
      {(m) => (
        <>
          <PersonLine>
            <PersonCell className="w-24 shrink-0">
              <StateMark state={stateWords[m.state as MessageState]} />
            </PersonCell>
            <PersonCell className="w-44 shrink-0" title={m.address} onClick={onChoose && (() => onChoose(m))}>
              {m.person}
            </PersonCell>
            {roundOf && <PersonCell className="w-56 shrink-0 max-lg:hidden">{roundOf(m)}</PersonCell>}
            <PersonCell className="w-48 shrink-0 text-ink-2">{whenOf(m)}</PersonCell>
            <PersonCell className="min-w-0 flex-1 text-[13px] text-ink-2" title={m.reason}>
              {m.state === 'sent'
                ? m.filedAt !== null
                  ? 'filed in Sent'
                  : 'not filed in Sent yet'
                : !m.asksWriter && m.reason}
            </PersonCell>
          </PersonLine>
          {m.asksWriter && <Doubt message={m} />}
        </>
      )}
    </PersonGrid>
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
