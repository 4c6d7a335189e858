import { type LastWord, type Round, routes } from '@hand-post/contract'
import { unusualThings } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import { faultWords, queries, stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Ask, Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { Chasers } from './Chasers.tsx'
import { Progress } from './Progress.tsx'
import { SecondEyes, useKeptBySecondEyes } from './SecondEyes.tsx'
import { TimetableChart } from './TimetableChart.tsx'
import { usePlan } from './usePlan.ts'
import { Wishes } from './Wishes.tsx'
import { chaserPosting, dispatchStage as say } from './words.ts'

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
  const posted = round.postedAt !== null
  const stored = useQuery({ ...query.timetable(round.id), enabled: posted })
  const tried = usePlan(round.id, round.dispatch, !posted && round.list !== null)
  const { error, table } = posted ? { error: stored.error, table: stored.data } : tried
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const now = useNow()
  if (!round.list)
    return (
      <Empty title={say.nothingSendYet} action={<Button onClick={() => goTo('people')}>{say.bringList}</Button>}>
        {say.timetableDrawnAsSoon}
      </Empty>
    )
  if (error) return <Empty title={say.timetableCannotDrawn}>{faultWords(error)}</Empty>
  if (!table || !mailbox) return <Waiting />
  return (
    <div className={posted ? 'flex h-full min-h-0 flex-col' : undefined}>
      {!posted && <Wishes key={round.id} mailbox={mailbox} />}
      <section aria-label={say.timetable} className="border-rule border-b px-5 py-4">
        <h2 className="text-[17px]">{say.timetable}</h2>
        <p role="status" className="mt-1 mb-2">
          {table.sentence}
        </p>
        {(mailbox.pausedUntil || mailbox.stopped) && (
          <div className="mb-2">
            <Say tone="ask">
              {mailbox.stopped
                ? say.nothingLeavesUntilMailbox
                : say.mailboxWaitsUntil(mailbox.pausedUntil, mailbox.timeZone)}
              {mailbox.pauseReason}
            </Say>
          </div>
        )}
        <TimetableChart table={table} zone={mailbox.timeZone} now={now} />
        {table.departures.length > 0 && (
          <p className="mt-1 text-[13px]">
            <a className="text-post underline" href={`/api/rounds/${round.id}/timetable.ics`} download>
              {say.calendar}
            </a>
          </p>
        )}
        <p className="mt-2 text-[13px] text-ink-2">
          {say.mayWriteRecipients(
            mailbox.name,
            table.limits.perDay,
            table.limits.dayZone !== null,
            table.limits.perMinute,
            table.allowance,
            mailbox.timeZone,
          )}
        </p>
      </section>
      <Chasers round={round} />
      {posted ? (
        <Progress mailbox={mailbox} />
      ) : round.chases?.postedAt === null ? (
        <WithItsRound {...round.chases} />
      ) : (
        <LastWordAndPost round={round} />
      )}
    </div>
  )
}

/** A chaser whose round is not posted yet is posted together with it. */
function WithItsRound({ id, title }: { id: number; title: string }) {
  const navigate = useNavigate()
  return (
    <section aria-label={say.post2} className="flex flex-wrap items-center gap-3 px-5 py-4">
      <p className="min-w-60 flex-1">{chaserPosting.withItsRound(title)}</p>
      <Button onClick={() => void navigate(`/rounds/${id}/dispatch`)}>{chaserPosting.goToRound}</Button>
    </section>
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
      ? say.noFilesGoThem
      : `${[common > 0 && say.everybody(common), own > 0 && say.peopleSOwn(own, peopleWithOwn)].filter(Boolean).join(', ')}.`
  return staying === 0 ? going : say.roundNobody(going, staying)
}

/** Who gets copies, in words. */
function copiesSentence({ copies, letters }: LastWord): string {
  if (copies.count === 0) return say.nobodyGetsCopy
  const whom = copies.count === 1 ? copies.addresses[0].address : `${many(copies.count)} addresses`
  return say.lettersCopiedCopyGoes(copies.letters, letters, many(copies.letters), many(letters), whom)
}

/** What the mailbox may write to afterwards, in words. */
function allowanceSentence({ afterwards, waitingElsewhere }: LastWord, zone: string): string {
  if (!afterwards) return say.noneThemCanLeave
  const others = waitingElsewhere > 0 ? say.otherRoundsHaveWaiting(waitingElsewhere) : ''
  return afterwards.left > 0
    ? say.whenLastHasLeft(afterwards.at, zone, many(afterwards.left), others)
    : say.whenLastHasLeft2(afterwards.at, zone, others)
}

/** The last word before posting, and the one button that posts. */
function LastWordAndPost({ round }: { round: Round }) {
  const { chosen, onPaper, goTo, written } = useWork()
  const proof = useQuery(query.proof(round.id)).data
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const progress = useProgress(round.id)
  const may = useMay()
  const keptByEyes = useKeptBySecondEyes()
  const [asking, setAsking] = useState(false)
  const [notWritten, setNotWritten] = useState<string | null>(null)
  const post = useChange(routes.post, (posted) => {
    setAsking(false)
    queries.setQueryData(keys.round(round.id), posted)
    void stale()
  })
  // Not while it is being posted: the desk says that the round has changed before it answers, and a posted round has no last word.
  const word = useQuery({ ...query.lastWord(round.id), enabled: asking && !post.isPending })
  const n = chosen.length + onPaper.length
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
  const all = said && said.letters + said.paper.letters
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
    <section aria-label={say.post2} className="px-5 py-4">
      {notWritten !== null && (
        <div className="mb-3">
          <Say tone="stop">{say.nothingPostedLookWhether(notWritten)}</Say>
        </div>
      )}
      {proof && !proof.mayPost ? (
        <div className="flex flex-wrap items-center gap-3">
          <Say tone="stop">
            {proof.stops > 0 ? say.proofMustSettledBefore(proof.stops) : say.proofYourWordBefore(proof.asks)}
          </Say>
          <Button onClick={() => goTo('proof')}>{say.goProof}</Button>
        </div>
      ) : !may.post ? (
        <OthersPost />
      ) : (
        <div className="flex flex-wrap items-center gap-4">
          <Button kind="final" disabled={!proof?.mayPost || n === 0 || keptByEyes} onClick={openAsking}>
            {say.post(chosen.length, onPaper.length)}
          </Button>
          <p className="max-w-sm text-[13px] text-ink-2">{say.whatPostedFrozenCannot}</p>
        </div>
      )}
      <SecondEyes />
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.post3(all, n)}
        act={
          <Button
            kind="final"
            disabled={post.isPending || !said}
            onClick={() =>
              said &&
              post.mutate({
                params: { round: round.id },
                body: { messages: said.letters, paper: said.paper.letters, print: said.print },
              })
            }
          >
            {post.isPending
              ? progress
                ? `${progress.words}: ${progress.done} of ${progress.of}`
                : say.posting
              : say.post4(all, n)}
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
                <h3 className="mb-1 font-bold font-sans text-[14px]">{say.lookFirst}</h3>
                <ul className="list-disc space-y-1 pl-5">
                  {unusual.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                </ul>
              </Say>
            )}
            <p>{said.letters === 0 ? say.allOnPaper : said.sentence}</p>
            <ul className="list-disc space-y-1 pl-5">
              {said.paper.letters > 0 && <li>{say.onPaper(said.paper.letters, said.paper.notPrinted)}</li>}
              <li>
                {say.from} {mailbox?.senderName ? `${mailbox.senderName} <${mailbox.address}>` : mailbox?.address}
                {mailbox?.practice && say.practiceMailboxNothingReaches}.
              </li>
              {said.letters > 0 && (
                <>
                  <li>
                    {said.outside.count + said.outside.copies === 0 ? (
                      say.nobodyOutside(home)
                    ) : (
                      <More
                        words={say.outsideCopies(home, many(said.outside.count), said.letters, said.outside.copies)}
                      >
                        {said.outside.people.map((one) => (
                          <li key={one.rowId}>
                            {one.person === one.address ? one.address : `${one.person}, ${one.address}`}
                          </li>
                        ))}
                        {said.outside.count > said.outside.people.length && (
                          <li>{say.more(many(said.outside.count - said.outside.people.length))}</li>
                        )}
                        {said.copies.addresses
                          .filter((c) => c.outside)
                          .map((c) => (
                            <li key={c.address}>{say.copy(c.address)}</li>
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
                          <li key={c.address}>{say.ofIt(c.address, c.letters)}</li>
                        ))}
                        {said.copies.count > said.copies.addresses.length && (
                          <li>{say.more(many(said.copies.count - said.copies.addresses.length))}</li>
                        )}
                      </More>
                    )}
                  </li>
                </>
              )}
              <li>{filesSentence(said)}</li>
              {accepted.length > 0 && (
                <li>
                  <More words={say.proofAcceptedReason(accepted.length)}>
                    {accepted.slice(0, maxNamed).map((f) => (
                      <li key={f.key}>
                        {f.person !== null && <b>{f.person}: </b>}
                        {f.message} <i>“{f.accepted}”</i>
                      </li>
                    ))}
                    {accepted.length > maxNamed && <li>{say.moreAsProofShows(accepted.length, maxNamed)}</li>}
                  </More>
                </li>
              )}
              {set.length > 0 && (
                <li>{read === set.length ? say.readingSetReadEnd : say.showEveryVariationLetter(set.length, read)}</li>
              )}
              {said.chasers.map(({ id, title, days }) => (
                <li key={id}>{chaserPosting.toCome(title, days)}</li>
              ))}
              {said.letters > 0 && <li>{allowanceSentence(said, mailbox?.timeZone ?? 'UTC')}</li>}
            </ul>
          </>
        )}
        <p className="text-[13px] text-ink-2">{say.whatHasNotLeft}</p>
      </Ask>
    </section>
  )
}
