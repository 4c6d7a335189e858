import { type Round, routes } from '@hand-post/contract'
import {
  answerSubject,
  bareAddress,
  compileCopies,
  compileForPaper,
  compileLetter,
  displayName,
  encloser,
  messageSize,
  momentWords,
  postalLines,
  quotedBelow,
  quotedText,
  shown,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { ChevronDown, ChevronsDown, ChevronsUp, ChevronUp } from 'lucide-react'
import { useMemo, useState } from 'react'
import { toast } from 'sonner'
import { ask, stale, tellFault, useChange } from '../api.ts'
import { useMay } from '../shared/me.ts'
import { Ask, Button, Empty } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { FindPerson } from './FindPerson.tsx'
import { type Looks, plainLooks } from './MessageFrame.tsx'
import { MessageSheet, type Shown } from './MessageSheet.tsx'
import { isOpen, useLetter, useNotes, usePerson, useWork } from './RoundContext.tsx'
import { SendCopies } from './SendCopies.tsx'
import { messagePane as say } from './words.ts'

/** Where the desk shows a letter's picture. */
export const pictureAddress = (src: string) => (src.startsWith('file:') ? `/api/files/${src.slice(5)}` : src)

const fileAddress = (hash: string, name: string) => `/api/files/${hash}?name=${encodeURIComponent(name)}`

/** The message of the everybody person, exactly as they will get it. */
export function MessagePane({ reading = false }: { reading?: boolean }) {
  const [looks, setLooks] = useState(plainLooks)
  const { round, rows, everybody } = useWork()
  const { person, step, choose } = usePerson()
  if (!round.list)
    return (
      <div className="paper h-full">
        <Empty title={say.messageStandsHere}>{say.asSoonAsThere}</Empty>
      </div>
    )
  const at = person ? everybody.indexOf(person.id) : -1
  return (
    <section aria-label={say.message} className="paper flex h-full min-h-0 flex-col">
      <header className="flex items-center gap-1 border-rule border-b px-2 py-1">
        {steps.map(({ by, name, keys, icon: Icon }) => (
          <Button
            key={name}
            kind="quiet"
            className="px-1"
            onClick={() => step(by)}
            disabled={at < 0 || (by < 0 ? at === 0 : at === everybody.length - 1)}
            aria-label={`${name} (${keys})`}
            title={`${name}: ${keys}`}
          >
            <Icon aria-hidden size={18} />
          </Button>
        ))}
        <FindPerson />
        <span className="ml-auto whitespace-nowrap pr-1 text-[13px] text-ink-2">
          {at >= 0
            ? say.ofIt(at, everybody.length)
            : person
              ? round.amendingSince === null
                ? say.notRound
                : say.doesNotWait
              : ''}
        </span>
      </header>
      {reading && isOpen(round) && person && at >= 0 && <MarkRead />}
      {person ? (
        round.postedAt !== null && (round.amendingSince !== null) !== at >= 0 ? (
          <FrozenMessage looks={looks} setLooks={setLooks} />
        ) : (
          <LiveMessage looks={looks} setLooks={setLooks} />
        )
      ) : (
        <Empty title={say.nobodyShow}>{rows.length === 0 ? say.listHasNoRows : say.chooseRow}</Empty>
      )}
      {person && !isOpen(round) && <OnceMore key={person.id} />}
      {person && at < 0 && everybody.length > 0 && (
        <p className="border-rule border-t px-3 py-1.5 text-[13px]">
          {round.amendingSince === null ? say.personGetsNoMessage : say.notAmended}{' '}
          <Button kind="quiet" onClick={() => choose(everybody[0])}>
            {say.showFirstWhoDoes}
          </Button>
        </p>
      )}
    </section>
  )
}

/** The ways from one person's message to another's. */
const steps = [
  { by: Number.NEGATIVE_INFINITY, name: say.firstPerson, keys: say.altShift, icon: ChevronsUp },
  { by: -1, name: say.previousPerson, keys: 'Alt ↑', icon: ChevronUp },
  { by: 1, name: say.nextPerson, keys: 'Alt ↓', icon: ChevronDown },
  { by: Number.POSITIVE_INFINITY, name: say.lastPerson, keys: say.altShift2, icon: ChevronsDown },
]

/** Notes that the message in hand was read as it stands, and says how many were. A change of it takes that back. */
function MarkRead() {
  const { round, everybody, written } = useWork()
  const { person } = usePerson()
  const data = useQuery(query.readingSet(round.id)).data
  const key = keys.ofRound(round.id, 'reading-set')
  const fresh = () => stale(key)
  // The mark turns under the hand; what the desk says then holds.
  const [turned, setTurned] = useState<{ id: number; done: boolean } | null>(null)
  if (!data) return null
  const { read } = data
  const { id } = person!
  const done = turned?.id === id ? turned.done : read.includes(id)
  const turn = async () => {
    setTurned({ id, done: !done })
    try {
      await written()
      await ask(done ? routes.unmarkRead : routes.markRead, { params: { round: round.id, row: id } })
    } catch (error) {
      tellFault(error)
    }
    await fresh()
    setTurned((now) => (now?.id === id ? null : now))
  }
  return (
    <p className="flex items-center gap-2 border-rule border-b bg-sheet-2 px-3 py-0.5 text-[13px]">
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={done} onChange={() => void turn()} />
        {say.iHaveReadMessage}
      </label>
      <span className="ml-auto text-ink-2">{say.read(read.length, everybody.length)}</span>
    </p>
  )
}

/** Sends somebody the very message again that they have had: deliberately, and in words of its own. */
function OnceMore() {
  const { round } = useWork()
  const { person } = usePerson()
  const [open, setOpen] = useState(false)
  const may = useMay()
  const had = useQuery(query.messages(round.id, { row: person!.id })).data ?? []
  const sent = had.filter((m) => m.state === 'sent')
  const onItsWay = had.some(
    (m) => m.state !== 'sent' && m.state !== 'withdrawn' && m.state !== 'refused' && m.state !== 'setAside',
  )
  const again = useChange(routes.sendOnceMore, () => {
    setOpen(false)
    toast(say.letterGoesOnceMore(sent[0].person))
    return stale(keys.round(round.id))
  })
  if (sent.length === 0) return null
  return (
    <p className="flex items-center justify-between gap-2 border-rule border-t px-3 py-1 text-[13px] text-ink-2">
      <span>
        {say.sent(sent.at(-1)!.sentAt)}
        {sent.length > 1 && say.timesAll(sent.length)}
        {onItsWay && say.onceMoreWay}
      </span>
      {may.post && (
        <Button kind="quiet" disabled={onItsWay} onClick={() => setOpen(true)}>
          {say.sendOnceMore}
        </Button>
      )}
      <Ask
        open={open}
        onClose={() => setOpen(false)}
        title={say.sendSameLetterAgain(sent[0].person)}
        act={
          <Button
            kind="final"
            disabled={again.isPending}
            onClick={() =>
              again.mutate({
                params: { round: round.id },
                body: { rows: [{ row: person!.id, hadTimes: sent.length }] },
              })
            }
          >
            {say.sendOnceMore2}
          </Button>
        }
      >
        <p>{say.hasHadLetterTimes(sent[0].person, sent.length, sent.at(-1)!.sentAt, sent[0].address)}</p>
      </Ask>
    </p>
  )
}

/** Made on the spot from the letter and the row, with the same core that makes what is sent. */
function LiveMessage({ looks, setLooks }: { looks: Looks; setLooks: (looks: Looks) => void }) {
  const { round, making, onPaper: paperRows } = useWork()
  const { person, together } = usePerson()
  const { letter } = useLetter()
  const { notes } = useNotes()
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const columns = round.list!.columns
  const printed = person !== null && paperRows.includes(person.id)
  const compiled = useMemo(
    () => (printed ? compileForPaper : compileLetter)(letter, columns, { ...making, tint: looks.tint, pictureAddress }),
    [letter, columns, making, looks.tint, printed],
  )
  const { cc, bcc, sender } = round
  const copies = useMemo(
    () => compileCopies({ cc, bcc, replyTo: sender.replyTo ? [sender.replyTo] : [] }, columns),
    [cc, bcc, sender.replyTo, columns],
  )
  const { files: all, filesColumn, filePattern, sentAs, fileMatches, madeFiles } = round
  const enclose = useMemo(() => {
    const byHand = new Map<number, number[]>()
    for (const { rowId, fileId } of fileMatches) byHand.set(rowId, [...(byHand.get(rowId) ?? []), fileId])
    const made = new Map(madeFiles.map(({ rowId, fileId }) => [rowId, fileId]))
    return encloser(all, columns, { column: filesColumn, pattern: filePattern, byHand, made, sentAs })
  }, [all, columns, filesColumn, filePattern, sentAs, fileMatches, madeFiles])
  const first = useFirstLetter(person?.id ?? null)
  const message = useMemo<Shown>(() => {
    const row = person!
    const own = compiled.merge(row, together, notes.get(row.id))
    const merged = first === null ? own : { ...own, ...followed(own, first, round, mailbox?.timeZone ?? 'UTC') }
    const enclosed = enclose(row, together)
    const files = enclosed.files.map(({ sentAs, size, hash }) => ({
      name: sentAs,
      size,
      href: fileAddress(hash, sentAs),
    }))
    const address = round.addressColumn ? bareAddress(shown(row.cells[round.addressColumn])) : ''
    const name = displayName(row, round.nameColumns, round.addressColumn)
    return {
      from: mailbox ? `${sender.name ?? mailbox.senderName} <${sender.address ?? mailbox.address}>` : '',
      paper: printed ? postalLines(row, round.paper.columns) : null,
      to: address === '' ? say.noAddress : name === address ? address : `${name} <${address}>`,
      ...copies.of(row, address),
      ...merged,
      files,
      missing: enclosed.missing.map((m) => m.name),
      size: messageSize(
        merged.html,
        merged.text,
        files.map((f) => f.size),
      ),
      estimated: true,
    }
  }, [compiled, copies, enclose, person, printed, round, sender, mailbox, together, notes, first])
  return <PersonSheet message={message} looks={looks} setLooks={setLooks} />
}

/** Of a chaser the letter that a person's own follows; null where there is none, or it is on its way. */
function useFirstLetter(rowId: number | null) {
  const { chases, chaser } = useWork().round
  const wanted = chases !== null && chaser !== null && (chaser.thread || chaser.quote) && rowId !== null
  const data = useQuery({ ...query.message(chases?.id ?? 0, rowId ?? 0), enabled: wanted }).data
  return wanted && data ? data : null
}

/** What a chaser's message has of the letter that it follows, as it is put together when it is posted. */
function followed(
  own: { html: string; text: string; subject: string },
  { from, subject, text, sentAt }: { from: string; subject: string; text: string; sentAt: number | null },
  { chaser }: Pick<Round, 'chaser'>,
  zone: string,
) {
  const at = sentAt === null ? null : momentWords(sentAt, zone)
  return {
    ...(chaser?.quote && quotedBelow(own, quotedText({ from, at, text }))),
    ...(chaser?.thread && { subject: answerSubject(subject) }),
  }
}

function FrozenMessage({ looks, setLooks }: { looks: Looks; setLooks: (looks: Looks) => void }) {
  const { round } = useWork()
  const { person } = usePerson()
  const message = useQuery(query.message(round.id, person!.id))
  if (!message.data) return <p className="p-4 text-ink-2">{say.oneMoment}</p>
  const files = message.data.files.map(({ name, size, hash }) => ({ name, size, href: fileAddress(hash, name) }))
  return (
    <PersonSheet message={{ ...message.data, files, missing: [], estimated: true }} looks={looks} setLooks={setLooks} />
  )
}

/** The message of the chosen person on its sheet. */
function PersonSheet(sheet: { message: Shown; looks: Looks; setLooks: (looks: Looks) => void }) {
  const { round, written } = useWork()
  const { person } = usePerson()
  return (
    <MessageSheet {...sheet} source={`/api/rounds/${round.id}/letter-file?as=eml&row=${person!.id}`} written={written}>
      {isOpen(round) && sheet.message.paper === null && <SendCopies label={say.copyMe} rowIds={[person!.id]} />}
    </MessageSheet>
  )
}
