import { type LastWord, type Round, routes } from '@hand-post/contract'
import { unusualThings } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useEffect, useState } from 'react'
import { faultWords, queries, stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { Ask, Button, Empty, Say, times, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { Progress } from './Progress.tsx'
import { TimetableChart } from './TimetableChart.tsx'
import { Wishes } from './Wishes.tsx'

/** The present, taken anew every few seconds. */
function useNow(every = 5000): number {
  const [now, setNow] = useState(Date.now)
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), every)
    return () => clearInterval(timer)
  }, [every])
  return now
}

/** Dispatch: when and how fast, the timetable, and posting; afterwards, what has become of every message. */
export default function DispatchStage() {
  const { round, goTo } = useWork()
  const timetable = useQuery({ ...query.timetable(round.id), enabled: round.list !== null })
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const now = useNow()
  if (!round.list)
    return (
      <Empty title="Nothing to send yet" action={<Button onClick={() => goTo('people')}>Bring in a list</Button>}>
        The timetable is drawn as soon as there are people.
      </Empty>
    )
  if (timetable.error) return <Empty title="The timetable cannot be drawn">{faultWords(timetable.error)}</Empty>
  if (!timetable.data || !mailbox) return <Waiting />
  const table = timetable.data
  const posted = round.postedAt !== null
  return (
    <div className={posted ? 'flex h-full min-h-0 flex-col' : undefined}>
      {!posted && <Wishes key={round.id} zone={mailbox.timeZone} />}
      <section aria-label="Timetable" className="border-rule border-b px-5 py-4">
        <h2 className="text-[17px]">Timetable</h2>
        <p role="status" className="mt-1 mb-2">
          {table.sentence}
        </p>
        {(mailbox.pausedUntil || mailbox.stopped) && (
          <div className="mb-2">
            <Say tone="ask">
              {mailbox.stopped
                ? 'Nothing leaves until the mailbox is working again: '
                : `The mailbox waits until ${moment(mailbox.pausedUntil, mailbox.timeZone)}: `}
              {mailbox.pauseReason}
            </Say>
          </div>
        )}
        <TimetableChart table={table} zone={mailbox.timeZone} now={now} />
        <p className="mt-2 text-[13px] text-ink-2">
          {mailbox.name} may write to {table.perDay.toLocaleString('en-GB')} recipients in any 24 hours, at most{' '}
          {times(mailbox.perMinute, 'message')} a minute; just now {table.allowance.toLocaleString('en-GB')} more. Times
          are those of {mailbox.timeZone}.
        </p>
      </section>
      {posted ? <Progress /> : <LastWordAndPost round={round} />}
    </div>
  )
}

/** How many people or findings the last word names. */
const maxNamed = 200

/** A sentence that can be opened to see of whom or what it speaks. */
function More({ words, children }: { words: string; children: ReactNode }) {
  return (
    <details>
      <summary className="cursor-pointer">{words}</summary>
      <ul className="mt-1 max-h-40 list-disc overflow-auto border-rule border-l pl-6 text-[14px]">{children}</ul>
    </details>
  )
}

const many = (n: number) => n.toLocaleString('en-GB')

/** Which files go with the letters, in words. */
function filesSentence({ files }: LastWord): string {
  const { common, own, peopleWithOwn, staying } = files
  const going =
    common + own === 0
      ? 'No files go with them.'
      : `${[common > 0 && `${times(common, 'file')} ${common === 1 ? 'goes' : 'go'} to everybody`, own > 0 && `${times(own, 'file')} of people’s own to ${times(peopleWithOwn, 'person', 'people')}`].filter(Boolean).join(', ')}.`
  return staying === 0
    ? going
    : `${going} ${times(staying, 'file')} that ${staying === 1 ? 'lies' : 'lie'} with the round ${staying === 1 ? 'goes' : 'go'} to nobody.`
}

/** Who gets copies, in words. */
function copiesSentence({ copies, letters }: LastWord): string {
  if (copies.count === 0) return 'Nobody gets a copy.'
  const whom = copies.count === 1 ? copies.addresses[0].address : `${many(copies.count)} addresses`
  return `${copies.letters === letters ? 'Every letter is' : `${many(copies.letters)} of ${many(letters)} letters are`} copied to ${whom}. A copy goes when the person’s letter was taken.`
}

/** What the mailbox may write to afterwards, in words. */
function allowanceSentence({ afterwards, waitingElsewhere }: LastWord, zone: string): string {
  if (!afterwards) return 'None of them can leave: each is for more recipients than the mailbox may write to in a day.'
  const others =
    waitingElsewhere > 0 ? `, with the ${times(waitingElsewhere, 'recipient')} that other rounds have waiting` : ''
  return afterwards.left > 0
    ? `When the last has left, ${moment(afterwards.at, zone)}, the mailbox may write to ${many(afterwards.left)} more recipients within its 24 hours${others}.`
    : `When the last has left, ${moment(afterwards.at, zone)}, the mailbox has used up what it may write to in 24 hours${others}.`
}

/** The last word before posting, and the one button that posts. */
function LastWordAndPost({ round }: { round: Round }) {
  const { chosen, goTo, written } = useWork()
  const proof = useQuery(query.proof(round.id)).data
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const progress = useProgress(round.id)
  const [asking, setAsking] = useState(false)
  const [notWritten, setNotWritten] = useState<string | null>(null)
  const post = useChange(routes.post, (posted) => {
    setAsking(false)
    queries.setQueryData(keys.round(round.id), posted)
    void stale()
  })
  // Not while it is being posted: the desk says that the round has changed before it answers, and a posted round has no last word.
  const word = useQuery({ ...query.lastWord(round.id), enabled: asking && !post.isPending })
  const n = chosen.length
  const accepted = proof?.findings.filter((f) => f.accepted !== null) ?? []
  const set = useQuery(query.readingSet(round.id)).data?.set ?? []
  const read = set.filter((one) => one.read).length
  /** Asked only of what is written to the desk: what is posted is what stands there. */
  const openAsking = () =>
    void written().then(
      () => {
        setNotWritten(null)
        setAsking(true)
      },
      (error) => {
        setAsking(false)
        setNotWritten(faultWords(error))
      },
    )
  const said = word.isFetching ? undefined : word.data
  const home = said?.home.join(' and ') ?? ''
  const unusual = said
    ? unusualThings({
        departures: said.departures.map((d) => d.at),
        zone: mailbox?.timeZone ?? 'UTC',
        counts: round.counts,
        readingSet: set.length,
        read,
      })
    : []
  return (
    <section aria-label="Post" className="px-5 py-4">
      {notWritten !== null && (
        <div className="mb-3">
          <Say tone="stop">Nothing was posted. {notWritten} Look whether Hand Post still runs, then try again.</Say>
        </div>
      )}
      {proof && !proof.mayPost ? (
        <div className="flex flex-wrap items-center gap-3">
          <Say tone="stop">
            {proof.stops > 0
              ? `${times(proof.stops, 'finding')} of the proof must be settled before this round can be posted.`
              : `${times(proof.asks, 'finding')} of the proof ${proof.asks === 1 ? 'wants' : 'want'} your word before this round can be posted.`}
          </Say>
          <Button onClick={() => goTo('proof')}>Go to the proof</Button>
        </div>
      ) : (
        <div className="flex flex-wrap items-center gap-4">
          <Button kind="final" disabled={!proof?.mayPost || n === 0} onClick={openAsking}>
            Post {times(n, 'letter')}
          </Button>
          <p className="max-w-sm text-[13px] text-ink-2">
            What is posted is frozen, and cannot be called back once it has left. You are asked once more.
          </p>
        </div>
      )}
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={`Post ${times(said?.letters ?? n, 'letter')}?`}
        act={
          <Button
            kind="final"
            disabled={post.isPending || !said}
            onClick={() =>
              said && post.mutate({ params: { round: round.id }, body: { messages: said.letters, print: said.print } })
            }
          >
            {post.isPending
              ? progress
                ? `${progress.words}: ${progress.done} of ${progress.of}`
                : 'Posting…'
              : `Post ${times(said?.letters ?? n, 'letter')}`}
          </Button>
        }
      >
        {word.error ? (
          <Say tone="stop">{faultWords(word.error)}</Say>
        ) : !said ? (
          <Waiting />
        ) : (
          <>
            {unusual.length > 0 && (
              <Say tone="ask">
                <h3 className="mb-1 font-bold font-sans text-[14px]">Look at this first</h3>
                <ul className="list-disc space-y-1 pl-5">
                  {unusual.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                </ul>
              </Say>
            )}
            <p>{said.sentence}</p>
            <ul className="list-disc space-y-1 pl-5">
              <li>
                From {mailbox?.senderName ? `${mailbox.senderName} <${mailbox.address}>` : mailbox?.address}
                {mailbox?.practice && ', a practice mailbox: nothing reaches a real person'}.
              </li>
              <li>
                {said.outside.count + said.outside.copies === 0 ? (
                  `Nobody outside ${home}.`
                ) : (
                  <More
                    words={`Outside ${home}: ${many(said.outside.count)} of ${times(said.letters, 'person', 'people')}${said.outside.copies > 0 ? `, and ${times(said.outside.copies, 'address', 'addresses')} with copies` : ''}.`}
                  >
                    {said.outside.people.map((one) => (
                      <li key={one.rowId}>
                        {one.person === one.address ? one.address : `${one.person}, ${one.address}`}
                      </li>
                    ))}
                    {said.outside.count > said.outside.people.length && (
                      <li>and {many(said.outside.count - said.outside.people.length)} more</li>
                    )}
                    {said.copies.addresses
                      .filter((c) => c.outside)
                      .map((c) => (
                        <li key={c.address}>{c.address}, a copy</li>
                      ))}
                  </More>
                )}
              </li>
              <li>
                {said.copies.count < 2 ? (
                  copiesSentence(said)
                ) : (
                  <More words={copiesSentence(said)}>
                    {said.copies.addresses.map((c) => (
                      <li key={c.address}>
                        {c.address}, of {times(c.letters, 'letter')}
                      </li>
                    ))}
                    {said.copies.count > said.copies.addresses.length && (
                      <li>and {many(said.copies.count - said.copies.addresses.length)} more</li>
                    )}
                  </More>
                )}
              </li>
              <li>{filesSentence(said)}</li>
              {accepted.length > 0 && (
                <li>
                  <More
                    words={`${times(accepted.length, 'finding')} of the proof ${accepted.length === 1 ? 'was' : 'were'} accepted with a reason.`}
                  >
                    {accepted.slice(0, maxNamed).map((f) => (
                      <li key={f.key}>
                        {f.person !== null && <b>{f.person}: </b>}
                        {f.message} <i>“{f.accepted}”</i>
                      </li>
                    ))}
                    {accepted.length > maxNamed && <li>and {accepted.length - maxNamed} more, as the proof shows</li>}
                  </More>
                </li>
              )}
              {set.length > 0 && (
                <li>
                  {read === set.length
                    ? `The reading set was read to its end: every variation of the letter has been seen.`
                    : `Of the ${times(set.length, 'message')} that show every variation of the letter, ${read === 0 ? 'none was' : `${read} ${read === 1 ? 'was' : 'were'}`} read.`}
                </li>
              )}
              <li>{allowanceSentence(said, mailbox?.timeZone ?? 'UTC')}</li>
            </ul>
          </>
        )}
        <p className="text-[13px] text-ink-2">
          What has not left yet can be held or withdrawn at any time. What has left cannot.
        </p>
      </Ask>
    </section>
  )
}
