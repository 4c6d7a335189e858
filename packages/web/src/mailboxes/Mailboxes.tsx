import { type Mailbox, routes } from '@hand-post/contract'
import { readyWeekOf, weekWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Plus } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { useMay } from '../shared/me.ts'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sharing } from '../shared/Sharing.tsx'
import { MailboxForm } from './MailboxForm.tsx'
import { PracticeMark } from './PracticeMark.tsx'
import { SignInAgain } from './SignInFields.tsx'
import { ToldHere } from './ToldHere.tsx'
import { UseChart } from './UseChart.tsx'
import { limitWords, practice, mailboxes as say } from './words.ts'

/** Mailboxes: from where letters are sent, and where answers are read. */
export default function Mailboxes() {
  const mailboxes = useQuery(query.mailboxes())
  const may = useMay()
  const [editing, setEditing] = useState<number | 'new' | null>(null)
  const close = () => setEditing(null)
  return (
    <div className="mx-auto max-w-4xl space-y-4 p-5">
      <header className="flex items-end justify-between">
        <div>
          <h1 className="text-2xl">{say.mailboxes}</h1>
          <p className="text-ink-2">
            {say.lettersLeaveFromYour} {!may.keep && say.keepersChange}
          </p>
        </div>
        {editing !== 'new' && may.keep && (
          <Button kind="primary" onClick={() => setEditing('new')}>
            <Plus aria-hidden size={16} /> {say.addMailbox}
          </Button>
        )}
      </header>
      {editing === 'new' && (
        <Paper title={say.newMailbox}>
          <MailboxForm onDone={close} />
        </Paper>
      )}
      {mailboxes.error ? (
        <Empty title={say.mailboxesCannotShown}>{faultWords(mailboxes.error)}</Empty>
      ) : !mailboxes.data ? (
        <Waiting />
      ) : (
        mailboxes.data.map((m) => (
          <Paper
            key={m.id}
            title={
              <span className="flex flex-wrap items-center gap-2">
                {m.name} <PracticeMark mailboxId={m.id} />
              </span>
            }
            actions={
              <span className="flex gap-2">
                {!m.builtIn && <Sharing kind="mailbox" thing={m.id} name={m.name} />}
                {editing !== m.id && may.keep && <Button onClick={() => setEditing(m.id)}>{say.changeSettings}</Button>}
              </span>
            }
          >
            <Standing mailbox={m} />
            {editing === m.id && <MailboxForm mailbox={m} onDone={close} />}
          </Paper>
        ))
      )}
      <ToldHere />
      {may.keep && (
        <Paper title={say.copies}>
          <p className="px-4 py-3">
            {say.copiesHint}{' '}
            <Link to="/copies" className="text-post underline">
              {say.makeCopy}
            </Link>
          </p>
        </Paper>
      )}
    </div>
  )
}

/** How a mailbox stands: its address, its allowance, and what is the matter with it. */
function Standing({ mailbox: m }: { mailbox: Mailbox }) {
  const fresh = () => stale(keys.mailboxes())
  const carryOn = useChange(routes.carryOnMailbox, fresh)
  const may = useMay()
  return (
    <div className="space-y-2 px-4 py-3">
      <p>{m.senderName ? `${m.senderName} <${m.address}>` : m.address}</p>
      <p className="flex items-center gap-2 text-[14px] text-ink-2">
        <svg aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" className="h-2.5 w-24 shrink-0">
          <rect width="100" height="10" className="fill-sheet-2 stroke-rule" />
          <rect width={(100 * m.allowance) / m.perDay} height="10" className="fill-post" />
        </svg>
        {say.recipientsLeft(m.allowance, m.perDay, m.dayZone !== null, m.perMinute, m.used)}
      </p>
      {m.gentleToday !== null && m.gentleToday < m.perDay && <p className="text-[14px]">{say.gentle(m.gentleToday)}</p>}
      {(readyWeekOf(m.hours.week) !== 'anyTime' || m.daysOff > 0) && (
        <p className="text-[14px]">{say.open(weekWords(m.hours.week), m.timeZone, m.daysOff)}</p>
      )}
      <UseChart mailbox={m.id} zone={m.timeZone} />
      {m.practice && <p className="text-[13px] text-ink-2">{practice.explained}</p>}
      {(m.stopped || m.pausedUntil !== null) && (
        <Say tone={m.stopped ? 'stop' : 'ask'}>
          {m.stopped ? say.nothingLeavesUntilFixed : say.nothingLeavesUntil(m.pausedUntil)}
          {m.pauseReason}
          {m.oauth && m.stopped && may.keep && <SignInAgain mailbox={m.id} />}
          {may.post && (
            <Button className="mt-2" onClick={() => carryOn.mutate({ params: { mailbox: m.id } })}>
              {say.tryAgainNow}
            </Button>
          )}
        </Say>
      )}
      {m.saidLimit && may.keep && <SaidLimit mailbox={m.id} said={m.saidLimit} zone={m.timeZone} />}
      {m.notFiled && (
        <Say tone="ask">
          {say.goneNotSentTried(m.notFiled.count, m.notFiled.fault)}
          {m.notFiled.next !== null && `, next ${moment(m.notFiled.next)}`}.
        </Say>
      )}
      {m.foundFiling !== null && m.hostFilesSent && (
        <p className="text-[13px] text-ink-2">{say.letterSentBeforeHand(m.foundFiling)}</p>
      )}
      {m.tellFault && <Say tone="ask">{say.notTold(m.tellFault)}</Say>}
      {m.sentFault && <Say tone="ask">{say.sentNotRead(m.sentFault)}</Say>}
      {m.readingFault && <Say tone="ask">{m.readingFault}</Say>}
      {m.unreadMail.count > 0 && <UnreadMail mailbox={m} />}
    </div>
  )
}

/** A limit that the host has named, or that was met: offered as the mailbox's own. */
function SaidLimit({
  mailbox,
  said,
  zone,
}: {
  mailbox: number
  said: NonNullable<Mailbox['saidLimit']>
  zone: string
}) {
  const answer = useChange(routes.answerSaidLimit, () => stale(keys.mailboxes()))
  const params = { mailbox }
  return (
    <Say tone="ask">
      <p>{say.saidLimit(moment(said.at, zone), said.words, said.counted)}</p>
      <p>{say.saidLimitIs(limitWords[said.limit](said.n))}</p>
      <div className="mt-2 flex gap-2">
        <Button disabled={answer.isPending} onClick={() => answer.mutate({ params, body: { take: true } })}>
          {say.takeLimit}
        </Button>
        <Button disabled={answer.isPending} onClick={() => answer.mutate({ params, body: { take: false } })}>
          {say.leaveLimit}
        </Button>
      </div>
    </Say>
  )
}

/** Mail that could not be read, so that nobody waits in vain for what may have been an answer. */
function UnreadMail({ mailbox: { id, unreadMail } }: { mailbox: Mailbox }) {
  const seen = useChange(routes.seenUnreadMail, () => stale(keys.mailboxes()))
  const { count, newest } = unreadMail
  return (
    <Say tone="ask">
      {say.inboxCouldNotRead(count)}
      <ul className="mt-1 space-y-1">
        {newest.map((mail) => (
          <li key={mail.id}>
            {say.from(mail.at, mail.sender, mail.subject)}
            <span className="block text-[13px]">{say.why(mail.why)}</span>
          </li>
        ))}
      </ul>
      {count > newest.length && <p>{say.and(count, newest.length)}</p>}
      <Button className="mt-2" disabled={seen.isPending} onClick={() => seen.mutate({ params: { mailbox: id } })}>
        {say.iHaveSeen(count)}
      </Button>
    </Say>
  )
}
