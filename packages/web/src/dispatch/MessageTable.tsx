import { type CopyLine, type MessageLine, routes } from '@hand-post/contract'
import { type MessageState, stateWords } from '@hand-post/core'
import { type ReactNode, useCallback, useMemo } from 'react'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import { usePerson } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { type PersonColumn, PersonTable } from '../shared/PersonTable.tsx'
import { Button, Empty, StateMark } from '../shared/parts.tsx'
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

/** A live line for each message of the round that is open. */
export function MessageTable({ messages, amended }: { messages: MessageLine[]; amended: boolean }) {
  const { person, choose } = usePerson()
  const onChoose = useCallback((m: MessageLine) => choose(m.rowId), [choose])
  return <MessageRows messages={messages} chosen={person?.id ?? null} onChoose={onChoose} amended={amended} />
}

/** Lines of messages: who, what state, when, and what the host said. */
export function MessageRows<M extends MessageLine>({
  messages,
  chosen = null,
  onChoose,
  roundOf,
  nameOfRound,
  amended = false,
}: {
  messages: M[]
  /** The row id of the person whose line is marked. */
  chosen?: number | null
  onChoose?: (message: M) => void
  /** A further column naming the round, and what it is sorted by. */
  roundOf?: (message: M) => ReactNode
  nameOfRound?: (message: M) => string
  /** Whether the round has several versions: then a column says of which each letter is. */
  amended?: boolean
}) {
  const columns = useMemo<PersonColumn<M>[]>(
    () => [
      {
        id: 'state',
        head: text.state,
        width: 110,
        by: (m) => stateWords[m.state as MessageState],
        cell: (m) => <StateMark state={stateWords[m.state as MessageState]} />,
      },
      {
        id: 'person',
        head: text.person,
        width: 176,
        by: (m) => m.person,
        title: (m) => m.address,
        onClick: onChoose,
        cell: (m) => m.person,
      },
      ...(roundOf ? [{ id: 'round', head: text.round, width: 224, by: nameOfRound, cell: roundOf }] : []),
      ...(amended
        ? [{ id: 'version', head: text.version, width: 76, by: (m: M) => m.version, cell: (m: M) => m.version }]
        : []),
      {
        id: 'when',
        head: text.when,
        width: 192,
        by: (m) => m.sentAt ?? m.plannedAt,
        className: 'text-ink-2',
        cell: whenOf,
      },
      {
        id: 'words',
        head: text.whatBecame,
        width: 160,
        grows: true,
        by: lastWords,
        className: 'text-[13px] text-ink-2',
        title: lastWords,
        cell: lastWords,
      },
      { id: 'more', head: text.more, width: 56, cell: (m) => <LetterMenu message={m} /> },
    ],
    [onChoose, roundOf, nameOfRound, amended],
  )
  if (messages.length === 0) return <Empty title={text.noMessages}>{text.nothingHereJustNow}</Empty>
  return (
    <PersonTable
      label={roundOf ? text.messagesAllRounds : text.messages}
      columns={columns}
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
  return (
    <div className="flex h-[50px] items-center gap-2 text-[13px]">
      <p className="line-clamp-2 min-w-0 flex-1" title={words ?? undefined}>
        {words}
      </p>
      <Button onClick={() => say(true)} disabled={pending}>
        {text.went}
      </Button>
      <Button onClick={() => say(false)} disabled={pending}>
        {text.didNotSend}
      </Button>
    </div>
  )
}
