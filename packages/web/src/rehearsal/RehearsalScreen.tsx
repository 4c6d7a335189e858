import { addressOf, type Rehearsal, type Round, routes } from '@hand-post/contract'
import { useMutation, useQuery } from '@tanstack/react-query'
import { ArrowLeft, ChevronDown, ChevronUp, Paperclip } from 'lucide-react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, useParams } from 'react-router'
import { toast } from 'sonner'
import { ask, faultWords, stale, tellFault, useChange } from '../api.ts'
import { type Looks, plainLooks } from '../rounds/MessageFrame.tsx'
import { MessageSheet } from '../rounds/MessageSheet.tsx'
import { moment } from '../shared/moment.ts'
import { PersonCell, PersonGrid } from '../shared/PersonGrid.tsx'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { rehearsalScreen as say } from './words.ts'

type Inbox = Rehearsal['inboxes'][number]

/** The rehearsal of a round: the whole of it in the practice mailbox, each inbox as its owner sees it. */
export default function RehearsalScreen() {
  const id = Number(useParams().round)
  const round = useQuery(query.round(id))
  const rehearsal = useQuery(query.rehearsal(id))
  const error = round.error ?? rehearsal.error
  if (error) return <Empty title={say.rehearsalCannotShown}>{faultWords(error)}</Empty>
  if (!round.data || rehearsal.data === undefined) return <Waiting />
  return <Stage round={round.data} rehearsal={rehearsal.data} />
}

function Stage({ round, rehearsal }: { round: Round; rehearsal: Rehearsal | null }) {
  const params = { round: round.id }
  const progress = useProgress(round.id)
  const stop = useRef<AbortController | null>(null)
  const fresh = () => stale(keys.round(round.id))
  const again = useMutation({
    mutationFn: (signal: AbortSignal) => ask(routes.rehearse, { params, signal }),
    onError: (error) => {
      if (!stop.current?.signal.aborted) tellFault(error)
    },
    onSettled: fresh,
  })
  const clear = useChange(routes.clearRehearsal, () => {
    toast(say.rehearsalClearedAway)
    return fresh()
  })
  // A page that is left, like one that is closed, waits for nothing: the rehearsal is stopped, and nothing of it is kept.
  useEffect(() => () => stop.current?.abort(), [])
  const rehearse = () => {
    stop.current = new AbortController()
    again.mutate(stop.current.signal)
  }
  const letters = say.nLetters(round.counts.round)
  const draft = round.postedAt === null
  return (
    <div className="flex min-h-0 flex-col gap-2 px-5 py-3 max-md:px-3 md:h-full">
      <header className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Link className="inline-flex items-center gap-1 text-post underline" to={`/rounds/${round.id}/proof`}>
          <ArrowLeft aria-hidden size={15} /> {say.proof}
        </Link>
        <h1 className="min-w-0 flex-1 truncate text-xl max-md:order-last max-md:basis-full max-md:whitespace-normal">
          {say.rehearsal(round.title)}
        </h1>
        {rehearsal && !again.isPending && (
          <>
            <Button kind="quiet" onClick={() => clear.mutate({ params })} disabled={clear.isPending}>
              {say.clearAway}
            </Button>
            {draft && (
              <Button kind={rehearsal.changed ? 'primary' : 'plain'} onClick={rehearse}>
                {say.rehearseAgain}
              </Button>
            )}
          </>
        )}
      </header>
      {again.isPending ? (
        <div role="status" className="mx-auto w-full max-w-md space-y-3 py-16 text-center">
          <p>
            {progress?.words === 'Rehearsing'
              ? say.lettersPracticeMailbox(progress.done, progress.of)
              : say.makingEveryLetter}
          </p>
          <progress
            aria-label={say.rehearsing}
            className="w-full"
            max={progress?.of ?? 1}
            value={progress?.words === 'Rehearsing' ? progress.done : 0}
          />
          <p className="text-[13px] text-ink-2">{say.leavingPageStopsNothing}</p>
          <Button onClick={() => stop.current?.abort()}>{say.stop}</Button>
        </div>
      ) : rehearsal === null ? (
        <Empty
          title={say.nothingRehearsedYet}
          action={
            draft && (
              <Button kind="primary" onClick={rehearse} disabled={round.counts.round === 0}>
                {say.rehearse(letters)}
              </Button>
            )
          }
        >
          {draft ? say.wholeRoundGoesPractice : say.roundPostedSoThere}
        </Empty>
      ) : (
        <>
          <Summary round={round} rehearsal={rehearsal} />
          <Inboxes key={rehearsal.at} round={round} rehearsal={rehearsal} />
        </>
      )}
    </div>
  )
}

/** What came of it, in words. */
function Summary({ round, rehearsal }: { round: Round; rehearsal: Rehearsal }) {
  const { taken, messages, refused, changed } = rehearsal
  const proof = useQuery({ ...query.proof(round.id), enabled: round.postedAt === null }).data
  const open = proof ? proof.stops + proof.asks : 0
  return (
    <div className="space-y-1.5">
      <p role="status">
        <b>{refused.length === 0 ? say.arrived(messages) : say.arrived2(taken, messages)}</b>
        {rehearsal.first !== null && say.asTheyWouldLeave(rehearsal.first, rehearsal.last, rehearsal.size)}
        {say.rehearsedNobodyGotAnything(rehearsal.at)}
        {round.counts.onPaper > 0 && ` ${say.onPaper(round.counts.onPaper)}`}
      </p>
      {changed && round.postedAt === null && <Say tone="ask">{say.roundHasBeenChanged}</Say>}
      {!changed && open > 0 && (
        <Say tone="note">
          {say.proofHasStillSettle(open)}{' '}
          <Link className="underline" to={`/rounds/${round.id}/proof`}>
            {say.settleThem}
          </Link>
        </Say>
      )}
      {refused.length > 0 && (
        <Say tone="stop">
          <p>{say.wouldNotLeave(refused.length)}</p>
          <ul className="max-h-28 overflow-auto">
            {refused.map((r) => (
              <li key={r.rowId}>
                <b>{r.person || r.address || say.somebodyWithoutName}</b>
                {r.address !== '' && r.address !== r.person && ` (${r.address})`}: {r.answer}
              </li>
            ))}
          </ul>
        </Say>
      )}
    </div>
  )
}

/** Whose inbox it is, in words. */
const ownerOf = ({ person, address }: Inbox) => person ?? address

function Inboxes({ round, rehearsal }: { round: Round; rehearsal: Rehearsal }) {
  const [wanted, setWanted] = useState('')
  const [at, setAt] = useState(rehearsal.inboxes[0]?.address)
  const found = useMemo(() => {
    const words = wanted.trim().toLowerCase()
    return rehearsal.inboxes.filter(
      (i) => i.address.toLowerCase().includes(words) || i.person?.toLowerCase().includes(words),
    )
  }, [rehearsal, wanted])
  const place = found.findIndex((i) => i.address === at)
  const inbox = found[Math.max(place, 0)]
  if (rehearsal.inboxes.length === 0) return null
  return (
    <div className="flex min-h-0 flex-1 gap-3 max-md:flex-col">
      <section aria-label={say.inboxes} className="paper flex w-80 shrink-0 flex-col max-md:h-56 max-md:w-full">
        <input
          type="search"
          aria-label={say.findInbox}
          placeholder={say.findOne(rehearsal.inboxes.length)}
          className="input m-2"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
        <PersonGrid
          label={say.whoseInbox}
          lines={found}
          keyOf={(i) => i.address}
          isChosen={(i) => i === inbox}
          heightOf={() => 50}
        >
          {(i) => (
            <PersonCell className="block" onClick={() => setAt(i.address)}>
              <span className="flex justify-between gap-2">
                <b className="truncate">{ownerOf(i)}</b>
                {(i.messages > 1 || i.person === null) && (
                  <span className="text-[13px] text-ink-2">{say.nLetters(i.messages)}</span>
                )}
              </span>
              <span className="block truncate text-[13px] text-ink-2">
                {i.person === null ? say.copiesOnly : i.address}
              </span>
            </PersonCell>
          )}
        </PersonGrid>
        {found.length === 0 && <p className="p-3 text-ink-2">{say.noInboxHasAddress}</p>}
      </section>
      {inbox && (
        <section
          aria-label={say.inbox}
          className="paper flex min-h-0 min-w-0 flex-1 flex-col max-md:h-[85dvh] max-md:flex-none"
        >
          <header className="flex items-center gap-2 border-rule border-b px-3 py-1">
            <h2 className="min-w-0 flex-1 truncate text-[16px]">{say.whatSees(ownerOf(inbox))}</h2>
            <span className="whitespace-nowrap text-[13px] text-ink-2">
              {say.ofIt(Math.max(place, 0), found.length)}
            </span>
            <Button
              kind="quiet"
              aria-label={say.previousInbox}
              disabled={place <= 0}
              onClick={() => setAt(found[place - 1].address)}
            >
              <ChevronUp aria-hidden size={18} />
            </Button>
            <Button
              kind="quiet"
              aria-label={say.nextInbox}
              disabled={Math.max(place, 0) >= found.length - 1}
              onClick={() => setAt(found[Math.max(place, 0) + 1].address)}
            >
              <ChevronDown aria-hidden size={18} />
            </Button>
          </header>
          <InboxOf key={inbox.address} round={round} inbox={inbox} rehearsedAt={rehearsal.at} />
        </section>
      )}
    </div>
  )
}

/** What lies in one inbox, and the message that is read. Kept by when it was rehearsed: the next one has others. */
function InboxOf({ round, inbox, rehearsedAt }: { round: Round; inbox: Inbox; rehearsedAt: number }) {
  const [looks, setLooks] = useState(plainLooks)
  const [at, setAt] = useState<number | null>(null)
  const { address } = inbox
  const lines = useQuery(query.rehearsedInbox(round.id, rehearsedAt, address))
  if (lines.error) return <Empty title={say.inboxCannotLookedInto}>{faultWords(lines.error)}</Empty>
  if (!lines.data) return <Waiting />
  const line = lines.data.find((l) => l.uid === at) ?? lines.data[0]
  return (
    <>
      {lines.data.length > 1 && (
        <div className="flex max-h-44 flex-col border-rule border-b">
          <PersonGrid label={say.lettersInbox} lines={lines.data} keyOf={(l) => l.uid} isChosen={(l) => l === line}>
            {(l) => (
              <PersonCell className="block" onClick={() => setAt(l.uid)}>
                <span className="flex items-center gap-3">
                  <span className="w-32 shrink-0 whitespace-nowrap text-[13px] text-ink-2">{moment(l.at)}</span>
                  <span className="truncate">{l.subject}</span>
                  {l.withFiles && <Paperclip aria-label={say.files} size={13} className="shrink-0" />}
                </span>
              </PersonCell>
            )}
          </PersonGrid>
        </div>
      )}
      <Arrived
        key={line.uid}
        round={round}
        which={{ address, uid: line.uid }}
        rehearsedAt={rehearsedAt}
        looks={looks}
        setLooks={setLooks}
      >
        {say.came(line.at)}
      </Arrived>
    </>
  )
}

function Arrived({
  round,
  which,
  rehearsedAt,
  looks,
  setLooks,
  children,
}: {
  round: Round
  which: { address: string; uid: number }
  rehearsedAt: number
  looks: Looks
  setLooks: (looks: Looks) => void
  children: string | string[]
}) {
  const params = { round: round.id }
  const message = useQuery(query.rehearsedMessage(round.id, rehearsedAt, which))
  if (message.error) return <Empty title={say.messageCannotRead}>{faultWords(message.error)}</Empty>
  if (!message.data) return <Waiting />
  const files = message.data.files.map(({ part, name, size }) => ({
    name,
    size,
    href: addressOf(routes.rehearsedFile, { params, query: { ...which, part } }),
  }))
  return (
    <MessageSheet
      message={{ ...message.data, bcc: [], files, missing: [], paper: null, estimated: false }}
      looks={looks}
      setLooks={setLooks}
      source={addressOf(routes.rehearsedSource, { params, query: which })}
      hasFields={false}
    >
      <span className="text-ink-2">{children}</span>
    </MessageSheet>
  )
}
