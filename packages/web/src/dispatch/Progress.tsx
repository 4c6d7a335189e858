import { routes } from '@hand-post/contract'
import { Hand, Play, Undo2 } from 'lucide-react'
import { useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, queries, useChange, useMessages } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { Ask, Button, Empty, times, Waiting } from '../shared/parts.tsx'
import { MessageTable } from './MessageTable.tsx'
import { useNextDeparture } from './nextDeparture.ts'

/** What has become of every message of a posted round; hold, carry on and withdraw. */
export function Progress() {
  const { round } = useWork()
  const messages = useMessages(round.id)
  const [asking, setAsking] = useState(false)
  const next = useNextDeparture()
  const fresh = () => queries.invalidateQueries({ queryKey: ['round', round.id] })
  const hold = useChange(routes.hold, fresh)
  const carryOn = useChange(routes.carryOn, fresh)
  const withdraw = useChange(routes.withdraw, ({ withdrawn }) => {
    setAsking(false)
    toast(`${times(withdrawn, 'letter was', 'letters were')} withdrawn.`)
    return fresh()
  })
  const { states } = round
  const left = states.waiting + states.retrying
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
        states.withdrawn && `${states.withdrawn} withdrawn`,
      ]
        .filter(Boolean)
        .join(', '),
    [states, all],
  )
  return (
    <>
      <section aria-label="Progress" className="flex flex-wrap items-center gap-2 border-rule border-b px-5 py-2">
        <p role="status" className="min-w-full flex-1">
          <b>{sentence}.</b> {round.held ? 'The round is held: nothing more leaves until you carry on.' : next}
        </p>
        {left > 0 &&
          (round.held ? (
            <Button kind="primary" onClick={() => carryOn.mutate({ params })}>
              <Play aria-hidden size={16} /> Carry on
            </Button>
          ) : (
            <Button onClick={() => hold.mutate({ params })}>
              <Hand aria-hidden size={16} /> Hold
            </Button>
          ))}
        {left > 0 && (
          <Button onClick={() => setAsking(true)}>
            <Undo2 aria-hidden size={16} /> Withdraw the {left} not yet sent
          </Button>
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
        open={asking}
        onClose={() => setAsking(false)}
        title={`Withdraw the ${left} not yet sent?`}
        act={
          <Button kind="primary" onClick={() => withdraw.mutate({ params })}>
            Withdraw {times(left, 'letter')}
          </Button>
        }
      >
        <p>
          {times(left, 'letter')} will not be sent.{' '}
          {states.sent > 0 ? `The ${states.sent} that have gone stay gone.` : 'Nothing has gone yet.'} A withdrawn
          letter cannot be put back; it would take a new round.
        </p>
      </Ask>
    </>
  )
}
