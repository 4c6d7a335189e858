import { type CopyLine, type MessageLine, type MessageOrder, messageOrders, routes } from '@hand-post/contract'
import { type MessageState, messageStates, stateWords } from '@hand-post/core'
import { type ReactNode, useDeferredValue, useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { NoneFound, useFind } from '../shared/find.tsx'
import { useMay } from '../shared/me.ts'
import { moment } from '../shared/moment.ts'
import { type PersonColumn, PersonTable, type TableOrder, useOrder } from '../shared/PersonTable.tsx'
import { usePages } from '../shared/pages.ts'
import { Button, Say, StateMark } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { LetterMenu } from './LetterMenu.tsx'
import { messageTable as text } from './words.ts'

/** When a message left or will leave. */
const whenOf = (m: MessageLine) =>
  m.sentAt !== null
    ? moment(m.sentAt)
    : m.plannedAt !== null
      ? `${m.state === 'retrying' ? text.willTry : 'planned'} ${moment(m.plannedAt)}`
      : ''

/** What has become of the copies of a letter, shortly; null where there are none to speak of yet. */
function copyWords(copies: CopyLine[]): string | null {
  if (copies.length === 0) return null
  const gone = copies.filter((c) => c.state === 'sent').length
  const rest = copies.filter((c) => c.state !== 'sent')
  if (gone === copies.length) return copies.length === 1 ? text.copySent : text.copiesSent(gone)
  const each = rest
    .map((c) => `${c.address} ${stateWords[c.state]}${c.state !== 'waiting' && c.reason ? ` (${c.reason})` : ''}`)
    .join('; ')
  return gone === 0
    ? `${copies.length === 1 ? 'copy' : 'copies'}: ${each}`
    : text.copiesSent2(gone, copies.length, each)
}

/** What stands at the end of a line: where the letter is, or what is the matter, and its copies. */
const lastWords = (m: MessageLine) =>
  [
    m.state === 'sent'
      ? m.filedAt !== null
        ? text.sent
        : m.filingFault
          ? text.notSent(m.filingFault)
          : text.notSentYet
      : m.asksWriter
        ? null
        : m.reason,
    // While a letter waits, so do its copies.
    m.state === 'sent' ? copyWords(m.copies) : null,
  ]
    .filter(Boolean)
    .join('; ')

const copiesInDoubt = (m: MessageLine) => m.copies.filter((c) => c.state === 'inDoubt')

/** The messages of the round that is open, as they are wanted: those in view are fetched. */
export function useMessages() {
  const { round } = useWork()
  const { field, find: typed } = useFind('messages', `messages ${round.id}`)
  const find = useDeferredValue(typed)
  const [state, setState] = useState<MessageState | null>(null)
  const order = useOrder(text.messages)
  const [sort] = order[0]
  const which = useMemo(
    () => ({
      find,
      ...(state ? { state } : {}),
      ...(sort && isOrder(sort.id) ? { by: sort.id, way: sort.desc ? ('down' as const) : ('up' as const) } : {}),
    }),
    [find, state, sort],
  )
  const pages = usePages(
    (part) => query.messageLines(round.id, { ...which, ...part }),
    ({ found, lines }) => ({ count: found, lines }),
  )
  return { ...pages, field, find: typed, state, setState, order }
}
const isOrder = (id: string): id is MessageOrder => (messageOrders as readonly string[]).includes(id)

/** A live line for each message of the round that is open: those of a state, or of somebody who is looked for. */
export function MessageTable({ messages, amended }: { messages: ReturnType<typeof useMessages>; amended: boolean }) {
  const { person, choose } = usePerson()
  const { shown, fault, onView, field, find, state, setState, order } = messages
  const columns = useMemo(
    () => columnsOf<MessageLine>({ onChoose: (m) => choose(m.rowId), amended, elsewhere: true }),
    [choose, amended],
  )
  const { states, found } = shown!.part
  return (
    <>
      <div className="flex flex-wrap items-center gap-3 px-5 py-1.5 text-[14px]">
        <label className="flex items-center gap-2">
          {text.show}
          <select
            className="input"
            value={state ?? ''}
            onChange={(e) => setState(messageStates.find((one) => one === e.target.value) ?? null)}
          >
            <option value="">{text.allLetters(Object.values(states).reduce((sum, n) => sum + n, 0))}</option>
            {messageStates
              .filter((one) => states[one] > 0 || one === state)
              .map((one) => (
                <option key={one} value={one}>
                  {text.ofState(stateWords[one], states[one])}
                </option>
              ))}
          </select>
        </label>
        {field}
        <p role="status" className="text-[13px] text-ink-2">
          {find !== '' && text.found(found)}
        </p>
      </div>
      {fault && <Say tone="stop">{faultWords(fault)}</Say>}
      {found > 0 ? (
        <MessageLines
          label={text.messages}
          columns={columns}
          messages={shown!.lines}
          chosen={person?.id ?? null}
          order={order}
          onView={onView}
        />
      ) : find !== '' ? (
        <NoneFound find={find} />
      ) : (
        <Say>{text.noneOfState}</Say>
      )}
    </>
  )
}

/** The letters of all rounds that wait, as the out-tray has them. */
export function MessageRows<M extends MessageLine>({
  messages,
  roundOf,
  nameOfRound,
}: {
  messages: M[]
  /** A further column naming the round, and what it is sorted by. */
  roundOf: (message: M) => ReactNode
  nameOfRound: (message: M) => string
}) {
  const columns = useMemo(() => columnsOf({ roundOf, nameOfRound }), [roundOf, nameOfRound])
  return <MessageLines label={text.messagesAllRounds} columns={columns} messages={messages} />
}

/** The columns of messages: who, what state, when, and what the host said. */
function columnsOf<M extends MessageLine>({
  onChoose,
  roundOf,
  nameOfRound,
  amended = false,
  elsewhere = false,
}: {
  onChoose?: (message: M) => void
  roundOf?: (message: M) => ReactNode
  nameOfRound?: (message: M) => string
  /** Whether the round has several versions: then a column says of which each letter is. */
  amended?: boolean
  /** Whether they are sorted by the desk, and not here. */
  elsewhere?: boolean
}): PersonColumn<M>[] {
  const by = (of: (message: M) => string | number | null, way: 'up' | 'down' = 'up') => (elsewhere ? way : of)
  return [
    {
      id: 'state',
      head: text.state,
      width: 110,
      by: by((m) => stateWords[m.state]),
      cell: (m) => <StateMark state={stateWords[m.state]} />,
    },
    {
      id: 'person',
      head: text.person,
      width: 176,
      by: by((m) => m.person),
      title: (m) => m.address,
      onClick: onChoose,
      cell: (m) => m.person,
    },
    ...(roundOf ? [{ id: 'round', head: text.round, width: 224, by: nameOfRound, cell: roundOf }] : []),
    ...(amended
      ? [{ id: 'version', head: text.version, width: 76, by: by((m) => m.version, 'down'), cell: (m: M) => m.version }]
      : []),
    {
      id: 'when',
      head: text.when,
      width: 192,
      by: by((m) => m.sentAt ?? m.plannedAt, 'down'),
      className: 'text-ink-2',
      cell: whenOf,
    },
    {
      id: 'words',
      head: text.whatBecame,
      width: 160,
      grows: true,
      by: by(lastWords),
      className: 'text-[13px] text-ink-2',
      title: lastWords,
      cell: lastWords,
    },
    { id: 'more', head: text.more, width: 56, cell: (m) => <LetterMenu message={m} /> },
  ]
}

/** Lines of messages; those in doubt ask for the writer's word. */
function MessageLines<M extends MessageLine>({
  messages,
  chosen = null,
  ...table
}: {
  label: string
  columns: PersonColumn<M>[]
  messages: readonly (M | undefined)[]
  /** The row id of the person whose line is marked. */
  chosen?: number | null
  order?: TableOrder
  onView?: (first: number, last: number) => void
}) {
  return (
    <PersonTable
      {...table}
      lines={messages}
      keyOf={(m) => m.id}
      isChosen={(m) => chosen !== null && m.rowId === chosen}
      heightOf={(m) => 34 + 50 * ((m.asksWriter ? 1 : 0) + copiesInDoubt(m).length)}
      below={(m) => (
        <>
          {m.asksWriter && <LetterInDoubt message={m} />}
          {copiesInDoubt(m).map((copy) => (
            <CopyInDoubt key={copy.id} copy={copy} />
          ))}
        </>
      )}
    />
  )
}

/** Says what came of the writer's word. */
export function sayWhatCame({ settled, found }: { settled: number; found: number }) {
  if (found > 0) toast(found === 1 && settled === 0 ? text.foundSentAfterAll : text.wereFoundSentAfter(found))
  return stale()
}

/** A letter whose fate is not known: only the writer can say. */
function LetterInDoubt({ message }: { message: MessageLine }) {
  const settle = useChange(routes.settleDoubt, sayWhatCame)
  return (
    <Doubt
      words={message.reason}
      pending={settle.isPending}
      say={(went) => settle.mutate({ params: { message: message.id }, body: { went } })}
    />
  )
}

/** The same of a copy. */
function CopyInDoubt({ copy }: { copy: CopyLine }) {
  const settle = useChange(routes.settleCopy, sayWhatCame)
  return (
    <Doubt
      words={text.copy(copy.address, copy.reason)}
      pending={settle.isPending}
      say={(went) => settle.mutate({ params: { copy: copy.id }, body: { went } })}
    />
  )
}

function Doubt({ words, pending, say }: { words: string | null; pending: boolean; say: (went: boolean) => void }) {
  const may = useMay()
  return (
    <div className="flex h-[50px] items-center gap-2 text-[13px]">
      <p className="line-clamp-2 min-w-0 flex-1" title={words ?? undefined}>
        {words}
      </p>
      {may.post ? (
        <>
          <Button onClick={() => say(true)} disabled={pending}>
            {text.went}
          </Button>
          <Button onClick={() => say(false)} disabled={pending}>
            {text.didNotSend}
          </Button>
        </>
      ) : (
        <span className="text-ink-2">{text.postersSay}</span>
      )}
    </div>
  )
}
