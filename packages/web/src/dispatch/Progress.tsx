import { routes } from '@hand-post/contract'
import { type MessageState, messageStates } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Hand, Play, Undo2 } from 'lucide-react'
import { useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Ask, Button, Empty, times, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { MessageTable, sayWhatCame } from './MessageTable.tsx'
import { useNextDeparture } from './nextDeparture.ts'

/** How many are in each state. */
function countStates(all: MessageState[]): Record<MessageState, number> {
  const counts = Object.fromEntries(messageStates.map((state) => [state, 0])) as Record<MessageState, number>
  for (const state of all) counts[state]++
  return counts
}

/** What has become of the copies of letters that have gone. */
function copiesSentence(copies: Record<MessageState, number>): string {
  const all = Object.values(copies).reduce((a, b) => a + b, 0)
  if (all === 0) return ''
  return `${[
    `Copies: ${copies.sent} of ${all} sent`,
    copies.waiting + copies.sending && `${copies.waiting + copies.sending} to follow`,
    copies.retrying && `${copies.retrying} to be tried again`,
    copies.refused && `${copies.refused} refused`,
    copies.inDoubt && `${copies.inDoubt} in doubt`,
    copies.setAside && `${copies.setAside} set aside (do-not-write list)`,
    copies.withdrawn && `${copies.withdrawn} withdrawn`,
  ]
    .filter(Boolean)
    .join(', ')}.`
}

/** What has become of every message of a posted round; hold, carry on and withdraw. */
export function Progress() {
  const { round } = useWork()
  const messages = useQuery(query.messages(round.id))
  const [asking, setAsking] = useState(false)
  const next = useNextDeparture()
  const fresh = () => stale(keys.round(round.id))
  const hold = useChange(routes.hold, fresh)
  const carryOn = useChange(routes.carryOn, fresh)
  const withdraw = useChange(routes.withdraw, ({ withdrawn, copies }) => {
    setAsking(false)
    toast(
      `${times(withdrawn, 'letter was', 'letters were')} withdrawn${copies > 0 ? `, and ${times(copies, 'copy', 'copies')} of letters that had gone` : ''}.`,
    )
    return fresh()
  })
  const [settling, setSettling] = useState<boolean | null>(null)
  const settle = useChange(routes.settleDoubts, (came) => {
    setSettling(null)
    return sayWhatCame(came)
  })
  // As the lines below have it, so that what is counted and what is shown are never two things.
  const lines = messages.data
  const states = useMemo(() => (lines ? countStates(lines.map((m) => m.state)) : round.states), [lines, round.states])
  // Copies have a fate of their own from when their letter has gone.
  const copies = useMemo(
    () => countStates((lines ?? []).filter((m) => m.state === 'sent').flatMap((m) => m.copies.map((c) => c.state))),
    [lines],
  )
  const left = states.waiting + states.retrying
  const copiesLeft = copies.waiting + copies.retrying
  const doubtful = (lines ?? []).filter((m) => m.asksWriter).length
  const allDoubts = doubtful + copies.inDoubt
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  const params = { round: round.id }
  const sentence = useMemo(
    () =>
      [
        `${states.sent} of ${times(all, 'letter')} sent`,
        states.sending && `${states.sending} being handed over`,
        states.waiting && `${states.waiting} waiting`,
        states.retrying && `${states.retrying} to be tried again`,
        states.refused && `${states.refused} refused`,
        states.inDoubt && `${states.inDoubt} in doubt`,
        states.setAside && `${states.setAside} set aside (do-not-write list)`,
        states.withdrawn && `${states.withdrawn} withdrawn`,
      ]
        .filter(Boolean)
        .join(', '),
    [states, all],
  )
  const copySentence = copiesSentence(copies)
  return (
    <>
      <section aria-label="Progress" className="flex flex-wrap items-center gap-2 border-rule border-b px-5 py-2">
        <p role="status" className="min-w-full flex-1">
          <b>{sentence}.</b> {copySentence}{' '}
          {round.held ? 'The round is held: nothing more leaves until you carry on.' : next}
        </p>
        {left + copiesLeft > 0 &&
          (round.held ? (
            <Button kind="primary" onClick={() => carryOn.mutate({ params })}>
              <Play aria-hidden size={16} /> Carry on
            </Button>
          ) : (
            <Button onClick={() => hold.mutate({ params })}>
              <Hand aria-hidden size={16} /> Hold
            </Button>
          ))}
        {left + copiesLeft > 0 && (
          <Button onClick={() => setAsking(true)}>
            <Undo2 aria-hidden size={16} /> Withdraw{' '}
            {left > 0 ? `the ${left} not yet sent` : times(copiesLeft, 'copy', 'copies')}
          </Button>
        )}
        {allDoubts > 1 && (
          <>
            <span className="ml-auto text-[13px]">All {allDoubts} in doubt:</span>
            <Button onClick={() => setSettling(true)}>They went</Button>
            <Button onClick={() => setSettling(false)}>They did not: send them</Button>
          </>
        )}
      </section>
      {messages.error ? (
        <Empty title="The messages cannot be shown">{faultWords(messages.error)}</Empty>
      ) : messages.data ? (
        <MessageTable messages={messages.data} />
      ) : (
        <Waiting />
      )}
      <Ask
        open={settling !== null}
        onClose={() => setSettling(null)}
        title={settling ? `Did all ${allDoubts} go?` : `Send all ${allDoubts}?`}
        act={
          <Button
            kind={settling ? 'primary' : 'final'}
            disabled={settle.isPending}
            onClick={() => settle.mutate({ params, body: { went: settling === true } })}
          >
            {settling ? 'They went' : `Send ${allDoubts}`}
          </Button>
        }
      >
        <p>
          {times(doubtful, 'letter')}
          {copies.inDoubt > 0 && ` and ${times(copies.inDoubt, 'copy', 'copies')}`} {allDoubts === 1 ? 'was' : 'were'}{' '}
          being handed over when the connection or Hand Post ended.{' '}
          {settling
            ? 'They will count as sent.'
            : 'Sent is looked into once more first; what lies there is not sent again. Whoever has had theirs already gets it twice.'}
        </p>
      </Ask>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={left > 0 ? `Withdraw the ${left} not yet sent?` : `Withdraw ${times(copiesLeft, 'copy', 'copies')}?`}
        act={
          <Button kind="primary" onClick={() => withdraw.mutate({ params })}>
            Withdraw {left > 0 ? times(left, 'letter') : times(copiesLeft, 'copy', 'copies')}
          </Button>
        }
      >
        <p>
          {left > 0 && `${times(left, 'letter')} will not be sent, nor will their copies. `}
          {copiesLeft > 0 &&
            `${times(copiesLeft, 'copy', 'copies')} of letters that have gone will not be sent either. `}
          {states.sent > 0 ? `The ${states.sent} that have gone stay gone.` : 'Nothing has gone yet.'} A withdrawn
          letter cannot be put back; it would take a new round.
        </p>
      </Ask>
    </>
  )
}
