import { type Mailbox, type Round, routes, type StateCounts } from '@hand-post/contract'
import { messageStates } from '@hand-post/core'
import { CalendarClock, Hand, ListX, PenLine, Play, Undo2 } from 'lucide-react'
import { useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, queries, stale, useChange } from '../api.ts'
import { PaperLetters } from '../paper/PaperLetters.tsx'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Ask, Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { MessageTable, sayWhatCame, useMessages } from './MessageTable.tsx'
import { useNextDeparture } from './nextDeparture.ts'
import { PaceSheet } from './PaceSheet.tsx'
import { WithdrawSome } from './WithdrawSome.tsx'
import { paceSheet, progress as say, withdrawSome } from './words.ts'

const none = Object.fromEntries(messageStates.map((state) => [state, 0])) as StateCounts

/** What has become of the copies of letters that have gone. */
function copiesSentence(copies: StateCounts): string {
  const all = Object.values(copies).reduce((a, b) => a + b, 0)
  if (all === 0) return ''
  return `${[
    say.copiesSent(copies.sent, all),
    copies.waiting + copies.sending && say.follow(copies.waiting, copies.sending),
    copies.retrying && say.triedAgain(copies.retrying),
    copies.refused && `${copies.refused} refused`,
    copies.inDoubt && say.doubt(copies.inDoubt),
    copies.setAside && say.setAsideDoNot(copies.setAside),
    copies.withdrawn && `${copies.withdrawn} withdrawn`,
  ]
    .filter(Boolean)
    .join(', ')}.`
}

/** What has become of every message of a posted round; hold, carry on and withdraw. */
export function Progress({ mailbox }: { mailbox: Mailbox }) {
  const { round, goTo } = useWork()
  const [asking, setAsking] = useState(false)
  const [pacing, setPacing] = useState(false)
  const [choosing, setChoosing] = useState(false)
  const [amending, setAmending] = useState(false)
  const amend = useChange(routes.beginAmending, (open) => {
    setAmending(false)
    queries.setQueryData(keys.round(round.id), open)
    void stale(keys.round(round.id))
    goTo('letter')
  })
  const next = useNextDeparture()
  const fresh = () => stale(keys.round(round.id))
  const hold = useChange(routes.hold, fresh)
  const carryOn = useChange(routes.carryOn, fresh)
  const withdraw = useChange(routes.withdraw, ({ withdrawn, copies, paper }) => {
    setAsking(false)
    toast(say.withdrawn(withdrawn + paper, copies))
    return fresh()
  })
  const [settling, setSettling] = useState<boolean | null>(null)
  const settle = useChange(routes.settleDoubts, (came) => {
    setSettling(null)
    return sayWhatCame(came)
  })
  // As the lines below have it, so that what is counted and what is shown are never two things.
  const messages = useMessages()
  const may = useMay()
  const counted = messages.shown?.part
  const states = counted?.states ?? round.states
  const copies = counted?.copies ?? none
  const left = states.waiting + states.retrying
  const { toPrint } = round.paperLetters
  const copiesLeft = copies.waiting + copies.retrying
  const doubtful = counted?.asking ?? 0
  const allDoubts = doubtful + copies.inDoubt
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  const params = { round: round.id }
  const isChaser = round.chases !== null
  const sentence = useMemo(
    () =>
      [
        say.sent(states.sent, all),
        states.sending && say.beingHandedOver(states.sending),
        states.waiting && `${states.waiting} waiting`,
        states.retrying && say.triedAgain(states.retrying),
        states.refused && `${states.refused} refused`,
        states.inDoubt && say.doubt(states.inDoubt),
        states.setAside && (isChaser ? say.chaserNotNeeded : say.setAsideDoNot)(states.setAside),
        states.withdrawn && `${states.withdrawn} withdrawn`,
      ]
        .filter(Boolean)
        .join(', '),
    [states, all, isChaser],
  )
  const copySentence = copiesSentence(copies)
  return (
    <>
      <section aria-label={say.progress} className="flex flex-wrap items-center gap-2 border-rule border-b px-5 py-2">
        <p role="status" className="min-w-full flex-1">
          {all > 0 && (
            <>
              <b>{sentence}.</b> {copySentence}{' '}
            </>
          )}
          {round.amendingSince !== null ? say.amending : round.held ? say.roundHeldNothingMore : next}
        </p>
        {round.heldWhy !== null && (
          <div className="min-w-full">
            <Say tone="stop">{round.heldWhy}</Say>
          </div>
        )}
        {round.late !== null && (
          <div className="min-w-full">
            <Say tone="note">{say.late(round.late, mailbox.timeZone)}</Say>
          </div>
        )}
        {round.slowed !== null && left > 0 && (
          <div className="min-w-full">
            <Say tone="ask">{round.slowed}</Say>
          </div>
        )}
        {left + copiesLeft > 0 &&
          round.amendingSince === null &&
          (round.held && !may.post ? (
            <OthersPost />
          ) : round.held ? (
            <Button kind="primary" onClick={() => carryOn.mutate({ params })}>
              <Play aria-hidden size={16} /> {say.carry}
            </Button>
          ) : (
            <Button onClick={() => hold.mutate({ params })}>
              <Hand aria-hidden size={16} /> {say.hold}
            </Button>
          ))}
        {left > 0 && may.post && (
          <Button onClick={() => setPacing(true)}>
            <CalendarClock aria-hidden size={16} /> {paceSheet.open}
          </Button>
        )}
        {pacing && <PaceSheet round={round} mailbox={mailbox} waiting={left} onClose={() => setPacing(false)} />}
        {left + toPrint > 0 && round.amendingSince === null && (
          <Button onClick={() => setAmending(true)}>
            <PenLine aria-hidden size={16} /> {say.amend}
          </Button>
        )}
        {left > 1 && round.list && (
          <Button onClick={() => setChoosing(true)}>
            <ListX aria-hidden size={16} /> {withdrawSome.open}
          </Button>
        )}
        {choosing && <WithdrawSome round={round} onClose={() => setChoosing(false)} />}
        {left + copiesLeft + toPrint > 0 && (
          <Button onClick={() => setAsking(true)}>
            <Undo2 aria-hidden size={16} /> {say.withdrawNotYetSent(left + toPrint, copiesLeft)}
          </Button>
        )}
        {allDoubts > 1 && may.post && (
          <>
            <span className="ml-auto text-[13px]">{say.allDoubt(allDoubts)}</span>
            <Button onClick={() => setSettling(true)}>{say.theyWent}</Button>
            <Button onClick={() => setSettling(false)}>{say.theyDidNotSend}</Button>
          </>
        )}
      </section>
      <PaperLetters />
      {round.versions.length > 0 && <Versions round={round} />}
      {messages.fault && !messages.shown ? (
        <Empty title={say.messagesCannotShown}>{faultWords(messages.fault)}</Empty>
      ) : !messages.shown ? (
        <Waiting />
      ) : all === 0 ? (
        <Empty title={say.allOnPaper}>{say.allOnPaperWords}</Empty>
      ) : (
        <MessageTable messages={messages} amended={round.versions.length > 0} />
      )}
      <Ask
        open={settling !== null}
        onClose={() => setSettling(null)}
        title={settling ? say.didAllGo(allDoubts) : say.sendAll(allDoubts)}
        act={
          <Button
            kind={settling ? 'primary' : 'final'}
            disabled={settle.isPending}
            onClick={() => settle.mutate({ params, body: { went: settling === true } })}
          >
            {settling ? say.theyWent : say.send(allDoubts)}
          </Button>
        }
      >
        <p>
          {say.nLetters(doubtful)}
          {copies.inDoubt > 0 && ` and ${say.nCopies(copies.inDoubt)}`} {say.beingHandedOverWhen(allDoubts, settling)}
        </p>
      </Ask>
      <Ask
        open={amending}
        onClose={() => setAmending(false)}
        title={say.amendTitle(left + toPrint)}
        act={
          <Button kind="primary" disabled={amend.isPending} onClick={() => amend.mutate({ params })}>
            {say.amendIt}
          </Button>
        }
      >
        <p>
          {say.amendWords(left + toPrint)} {say.amendSent(states.sent)}
        </p>
      </Ask>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={left + toPrint > 0 ? say.withdrawNotYetSent2(left + toPrint) : say.withdraw2(copiesLeft)}
        act={
          <Button kind="primary" onClick={() => withdraw.mutate({ params })}>
            {say.withdraw(left + toPrint, copiesLeft)}
          </Button>
        }
      >
        <p>
          {left > 0 && say.willNotSentNor(left)}
          {toPrint > 0 && say.notToBePrinted(toPrint)}
          {copiesLeft > 0 && say.lettersHaveGoneWill(copiesLeft)}
          {say.haveGoneStayGone(states.sent)}
        </p>
      </Ask>
    </>
  )
}

/** The versions of a round that was amended, each with how many have it, and the message of one who has. */
function Versions({ round }: { round: Round }) {
  const { choose } = usePerson()
  return (
    <section aria-label={say.versions} className="border-rule border-b px-5 py-1.5 text-[14px]">
      <ul>
        {round.versions.map(({ number, at, subject, letters, sent, rowId }) => (
          <li key={number} className="flex items-baseline gap-3">
            <b className="w-60 shrink-0">
              {number}. {say.version(number, at)}
            </b>
            <span className="shrink-0">{say.versionLetters(letters, sent)}</span>
            <span className="min-w-0 truncate text-ink-2" title={subject}>
              “{subject}”
            </span>
            {rowId !== null && (
              <Button kind="quiet" className="ml-auto !min-h-0 shrink-0 py-0" onClick={() => choose(rowId)}>
                {say.seeOne}
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
