import { routes, type TrayEntry } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { ArrowLeft, Check, CornerUpLeft, ExternalLink, Undo2 } from 'lucide-react'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { MessageFrame, PlainText } from '../rounds/MessageFrame.tsx'
import { NewAddress } from '../rounds/NewAddress.tsx'
import { NoneFound, useFind, useKeptScroll } from '../shared/find.tsx'
import { moment, shortMoment } from '../shared/moment.ts'
import { Button, Empty, Paper, Say, StateMark, Waiting, Ways } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { inTray as say } from './words.ts'

const addressIn = (from: string) => /<([^<>]+)>$/.exec(from)?.[1] ?? from

/** Answers and returned mail that want a person, over all rounds: read beside the letter, then done. */
export default function InTray() {
  const [done, setDone] = useState<'yes' | 'no'>('no')
  const tray = useQuery(query.inTray(done))
  const [search] = useSearchParams()
  const [at, setAt] = useState<number | null>(Number(search.get('entry')) || null)
  const all = tray.data?.entries ?? []
  const { field, find, fits } = useFind('answers')
  const scroll = useKeptScroll(`answers ${done}`)
  const entries = all.filter((e) => fits(e.person, e.round, e.subject, e.words, e.from))
  const entry = entries.find((e) => e.id === at) ?? null
  const shown = entry ?? entries[0]
  return (
    <div className="mx-auto flex h-full max-w-7xl flex-col gap-3 p-5 max-md:p-3">
      <header className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="text-2xl">{say.tray}</h1>
          <p role="status" className="text-ink-2">
            {tray.data && (tray.data.open === 0 ? say.nothingWantsYouJust : say.look(tray.data.open))}
          </p>
        </div>
        <span className="flex flex-wrap items-center gap-2">
          {all.length > 1 && field}
          <Ways legend={say.whichAnswers} ways={{ no: say.look2, yes: say.doneOnes }} way={done} onChoose={setDone} />
        </span>
      </header>
      {tray.error ? (
        <Empty title={say.trayCannotShown}>{faultWords(tray.error)}</Empty>
      ) : !tray.data ? (
        <Waiting />
      ) : !shown && all.length > 0 ? (
        <Paper>
          <NoneFound find={find} />
        </Paper>
      ) : !shown ? (
        <Paper>
          <Empty title={done === 'no' ? say.trayEmpty : say.nothingDoneYet} shows={say.shows}>
            {done === 'no' ? say.repliesReturnedLettersAll : say.whatYouMarkAs}
          </Empty>
        </Paper>
      ) : (
        <div className="flex min-h-0 flex-1 gap-3">
          <ul
            aria-label={say.answers}
            ref={scroll}
            className={clsx('paper w-80 shrink-0 overflow-auto max-md:w-full', entry && 'max-md:hidden')}
          >
            {entries.map((e) => (
              <li key={e.id} className="border-rule border-b last:border-0">
                <button
                  type="button"
                  aria-current={e.id === shown.id}
                  onClick={() => setAt(e.id)}
                  className={clsx(
                    'block w-full px-3 py-2 text-left',
                    e.id === shown.id ? 'bg-post-tint' : 'hover:bg-sheet-2',
                  )}
                >
                  <span className="flex justify-between gap-2">
                    <b className="truncate">{e.person}</b>
                    <span className="shrink-0 text-[13px] text-ink-2">{shortMoment(e.at)}</span>
                  </span>
                  <span className="mt-0.5 flex items-center gap-2 text-[13px]">
                    <StateMark state={e.kind === 'bounce' ? 'bounced' : 'replied'} />
                    {e.of === 'copy' && <b className="shrink-0">{say.copyS}</b>}
                    {e.of === 'other' && <b className="shrink-0">{say.whose}</b>}
                    <span className="truncate text-ink-2">{e.round}</span>
                  </span>
                  <span className="mt-0.5 line-clamp-2 text-[13px]">{e.words}</span>
                </button>
              </li>
            ))}
          </ul>
          <Reading key={shown.id} entry={shown} back={() => setAt(null)} hidden={!entry} />
        </div>
      )}
    </div>
  )
}

function Reading({ entry, back, hidden }: { entry: TrayEntry; back: () => void; hidden: boolean }) {
  const done = useChange(routes.trayDone, () => {
    void stale(keys.inTray())
    back()
  })
  const whose = useChange(routes.whose, () => stale())
  const isDone = entry.doneAt !== null
  const reply = `mailto:${addressIn(entry.from) || entry.address}?subject=${encodeURIComponent(/^re:/i.test(entry.subject) ? entry.subject : `Re: ${entry.subject}`)}`
  return (
    <article className={clsx('paper flex min-h-0 min-w-0 flex-1 flex-col', hidden && 'max-md:hidden')}>
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
        <Button kind="quiet" className="md:hidden" onClick={back}>
          <ArrowLeft aria-hidden size={16} /> {say.all}
        </Button>
        <div className="min-w-48 flex-1">
          <h2 className="truncate text-[17px]">{entry.subject || say.noSubject}</h2>
          <p className="flex flex-wrap items-center gap-2 text-[13px] text-ink-2">
            <span>
              {entry.from}, {moment(entry.at)}
            </span>
            <PracticeMark mailboxId={entry.mailboxId} />
          </p>
        </div>
        <Button kind="primary" onClick={() => done.mutate({ params: { response: entry.id }, body: { done: !isDone } })}>
          {isDone ? <Undo2 aria-hidden size={16} /> : <Check aria-hidden size={16} />}{' '}
          {isDone ? say.lookAgain : say.done}
        </Button>
        {entry.kind === 'reply' && (
          <a
            href={reply}
            className="inline-flex min-h-8 items-center gap-1.5 rounded-paper border border-rule px-3 py-1 hover:bg-sheet-2"
          >
            <CornerUpLeft aria-hidden size={16} /> {say.replyMailProgram}
          </a>
        )}
      </header>
      {entry.of !== 'person' && (
        <div className="border-rule border-b px-4 py-2">
          <Say tone={entry.of === 'other' ? 'ask' : undefined}>
            {entry.of === 'copy'
              ? say.whoHasCopyLetter(entry.kind, entry.fromAddress, entry.person)
              : say.whichNeitherSAddress(entry.kind, entry.fromAddress, entry.person)}
            {entry.of === 'other' && (
              <Button
                className="mt-2"
                disabled={whose.isPending}
                onClick={() => whose.mutate({ params: { response: entry.id }, body: { of: 'person' } })}
              >
                {say.s(entry.person)}
              </Button>
            )}
          </Say>
        </div>
      )}
      <div className="flex min-h-0 flex-1 max-lg:flex-col">
        <div className="min-h-0 flex-1 overflow-auto p-4">
          {entry.kind === 'bounce' && (
            <p className="mb-3">
              <StateMark state="bounced" /> {entry.words}
            </p>
          )}
          {entry.kind === 'bounce' && entry.of === 'person' && (
            <div className="mb-3 border-rule border-y py-2">
              <NewAddress roundId={entry.roundId} rowId={entry.rowId} person={entry.person} address={entry.address} />
            </div>
          )}
          <p className="whitespace-pre-wrap break-words">
            {entry.kind === 'bounce' ? entry.text : entry.words || entry.text}
          </p>
          {entry.kind === 'reply' && entry.text.trim() !== entry.words.trim() && (
            <details className="mt-4 text-[13px] text-ink-2">
              <summary className="cursor-pointer">{say.whatQuotes}</summary>
              <p className="mt-1 whitespace-pre-wrap break-words">{entry.text}</p>
            </details>
          )}
        </div>
        <section
          aria-label={say.letterAnswers}
          className="flex min-h-64 min-w-0 flex-1 flex-col border-rule max-lg:border-t lg:border-l"
        >
          <p className="bg-sheet-2 px-4 py-1.5 text-[13px]">
            <b>{entry.letter.subject}</b>
            <span className="block text-ink-2">
              {say.sent(entry.person, entry.letter.sentAt)}{' '}
              <Link className="text-post underline" to={`/rounds/${entry.roundId}/responses`}>
                {entry.round} <ExternalLink aria-hidden size={12} className="inline" />
              </Link>
            </span>
          </p>
          {entry.letter.html ? <MessageFrame html={entry.letter.html} /> : <PlainText text={entry.letter.text} />}
        </section>
      </div>
    </article>
  )
}
