import type { BringBack as Back, TrayEntry as Entry, TrayLine } from '@hand-post/contract'
import { foundBy, type Pile, pileNames, piles } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { ArrowLeft, Check, CornerUpLeft, ExternalLink, Undo2, UserCheck, UserX } from 'lucide-react'
import { Link } from 'react-router'
import { faultWords } from '../api.ts'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { MessageFrame, PlainText } from '../rounds/MessageFrame.tsx'
import { NewAddress } from '../rounds/NewAddress.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { AnswerSheet } from './AnswerSheet.tsx'
import { BringBack } from './BringBack.tsx'
import { Key } from './Key.tsx'
import { OutcomeWords } from './OutcomeWords.tsx'
import { PileMark } from './pileMarks.tsx'
import { ReturnedFiles } from './ReturnedFiles.tsx'
import { SentAnswers } from './SentAnswers.tsx'
import type { TrayActions } from './trayActions.ts'
import { trayEntry as say } from './words.ts'

/** Which of the choices behind the buttons is open. */
export type Opened = 'bringBack' | 'word' | 'answer' | null

/** The entry in hand: what it says, beside the letter and the row that it answers; and what can be done with it, or with those selected. */
export function TrayEntry({
  line,
  selected,
  now,
  actions,
  opened,
  setOpened,
  onLeave,
  hidden,
}: {
  line: TrayLine
  /** The entries that what is done is done with: those selected, else this one. */
  selected: TrayLine[]
  now: number
  actions: Omit<TrayActions, 'give'> & {
    doneWith: (done: boolean) => void
    putBy: (back: Back) => void
    give: (roundId: number, rows: number[], word: string | null) => void
  }
  opened: Opened
  setOpened: (opened: Opened) => void
  onLeave: () => void
  hidden: boolean
}) {
  const whole = useQuery(query.trayEntry(line.id))
  const entry = whole.data
  const some = selected.length > 0 ? selected : [line]
  const one = selected.length === 0
  const isDone = some.every((l) => l.state === 'done')
  const roundIds = new Set(some.map((l) => l.roundId))
  return (
    <article className={clsx('paper flex min-h-0 min-w-0 flex-1 flex-col', hidden && 'max-md:hidden')}>
      <header className="border-rule border-b px-4 py-2">
        <div className="flex items-start gap-2">
          <Button kind="quiet" className="md:hidden" onClick={onLeave}>
            <ArrowLeft aria-hidden size={16} /> {say.back}
          </Button>
          <div className="min-w-0 flex-1">
            <h2 className="truncate text-[17px]" title={line.subject}>
              {line.subject || say.noSubject}
            </h2>
            <p className="flex flex-wrap items-center gap-x-2 text-[13px] text-ink-2">
              <span className="break-all">
                {line.from}, {moment(line.at)}
              </span>
              <PracticeMark mailboxId={line.mailboxId} />
            </p>
          </div>
        </div>
        <div className="mt-1.5 flex flex-wrap items-center gap-1.5 text-[14px]">
          {!one && (
            <span role="status" className="font-bold">
              {say.selected(selected.length)}
            </span>
          )}
          <Button kind="primary" onClick={() => actions.doneWith(!isDone)}>
            {isDone ? <Undo2 aria-hidden size={16} /> : <Check aria-hidden size={16} />}{' '}
            {isDone ? say.lookAgain : say.done} <Key>D</Key>
          </Button>
          <BringBack
            entry={
              entry && one
                ? entry
                : {
                    days: [],
                    backDay: null,
                    timeZone: entry?.timeZone ?? here,
                    tracksOpens: entry?.tracksOpens ?? false,
                  }
            }
            now={now}
            open={opened === 'bringBack'}
            setOpen={(open) => setOpened(open ? 'bringBack' : null)}
            onBring={actions.putBy}
          />
          {one && canBeAnswered(line) && (
            <Button onClick={() => setOpened('answer')}>
              <CornerUpLeft aria-hidden size={16} /> {say.answer} <Key>A</Key>
            </Button>
          )}
          <OutcomeWords
            roundId={roundIds.size === 1 ? line.roundId : null}
            words={entry?.outcomeWords ?? []}
            given={one ? line.word : null}
            open={opened === 'word'}
            setOpen={(open) => setOpened(open ? 'word' : null)}
            onGive={(word) =>
              actions.give(
                some[0].roundId,
                some.map((l) => l.rowId),
                word,
              )
            }
          />
          <select
            aria-label={say.pile}
            className="input w-auto"
            value={one ? line.pile : ''}
            onChange={(e) => void actions.toPile(some, e.target.value as Pile)}
          >
            {!one && <option value="">{say.pile}</option>}
            {/* Nothing is put to these by hand: the one is the writer's to decide, the other asks nothing. */}
            {piles
              .filter((pile) => (pile !== 'perhaps' && pile !== 'receipt') || (one && pile === line.pile))
              .map((pile) => (
                <option key={pile} value={pile}>
                  {pileNames[pile]}
                </option>
              ))}
          </select>
        </div>
      </header>
      {opened === 'answer' && canBeAnswered(line) && <AnswerSheet line={line} onClose={() => setOpened(null)} />}
      <Whose line={line} actions={actions} />
      {whole.error ? (
        <Empty title={say.cannotShown}>{faultWords(whole.error)}</Empty>
      ) : (
        <div className="flex min-h-0 flex-1 max-lg:flex-col max-lg:overflow-auto">
          <Words line={line} entry={entry} onWrite={() => setOpened('answer')} />
          <Letter line={line} letter={entry?.letter} />
        </div>
      )}
    </article>
  )
}
const here = Intl.DateTimeFormat().resolvedOptions().timeZone

/** Whether an answer can go to whoever wrote an entry. */
export const canBeAnswered = ({ kind, junk }: TrayLine): boolean =>
  (kind === 'reply' || kind === 'automatic') && junk === null

/** Where it is not certain whose it is: why, and the writer's word on it. */
function Whose({ line, actions }: { line: TrayLine; actions: Pick<TrayActions, 'whose'> }) {
  if (line.junk === null && line.of === 'person') return null
  return (
    <div className="space-y-1 border-rule border-b px-4 py-2">
      {line.junk !== null && <Say tone="ask">{say.junk(line.junk)}</Say>}
      {line.of === 'copy' && <Say>{say.copy(line.kind, line.fromAddress, line.person)}</Say>}
      {(line.of === 'other' || line.of === 'perhaps') && (
        <Say tone="ask">
          {line.of === 'perhaps'
            ? say.perhaps(line.from, line.person)
            : say.other(line.kind, line.fromAddress, line.person)}{' '}
          {say.found(foundBy[line.foundBy].words)}
          <span className="mt-1.5 flex flex-wrap gap-2">
            <Button onClick={() => void actions.whose(line, 'person')}>
              <UserCheck aria-hidden size={16} /> {say.theirs(line.person)} <Key>T</Key>
            </Button>
            {line.of === 'perhaps' && (
              <Button onClick={() => void actions.whose(line, 'no')}>
                <UserX aria-hidden size={16} /> {say.noAnswer} <Key>N</Key>
              </Button>
            )}
          </span>
        </Say>
      )}
    </div>
  )
}

/** The new words first; what it quotes folded; the row that it answers. */
function Words({ line, entry, onWrite }: { line: TrayLine; entry: Entry | undefined; onWrite: () => void }) {
  const bounce = line.kind === 'bounce'
  const words = entry?.newText ?? line.words
  return (
    <div className="min-h-0 min-w-0 flex-1 space-y-3 p-4 lg:overflow-auto">
      <p className="flex flex-wrap items-center gap-2 text-[13px] text-ink-2">
        <PileMark pile={line.pile} />
        {line.choice !== null && <b className="text-ink">{say.chose(line.choice)}</b>}
        {line.word !== null && <b className="text-ink">{say.outcome(line.word)}</b>}
        {line.why !== '' && <span>{say.sorted(line.why)}</span>}
      </p>
      {line.answeredAt !== null && (!entry || entry.answers.length === 0) && (
        <Say tone="good">{say.answered(moment(line.answeredAt))}</Say>
      )}
      {bounce && line.of === 'person' && (
        <div className="border-rule border-y py-2">
          <NewAddress roundId={line.roundId} rowId={line.rowId} person={line.person} address={line.address} />
        </div>
      )}
      <p className="whitespace-pre-wrap break-words">
        {words || (entry && <span className="text-ink-2">{say.noWords}</span>)}
      </p>
      {entry && <ReturnedFiles files={entry.returned} fetching={entry.fetching} />}
      {entry && <SentAnswers entry={line.id} answers={entry.answers} onWrite={onWrite} />}
      {entry && entry.text.trim() !== '' && entry.text.trim() !== words.trim() && (
        <details className="text-[13px] text-ink-2">
          <summary className="cursor-pointer">{say.quotes}</summary>
          <p className="mt-1 whitespace-pre-wrap break-words">{entry.text}</p>
        </details>
      )}
      {entry && (
        <section aria-label={say.row} className="border-rule border-t pt-2 text-[13px]">
          <h3 className="text-ink-2">{say.row}</h3>
          {entry.row === null ? (
            <p>{say.noRow}</p>
          ) : (
            <dl className="grid grid-cols-[auto_1fr] gap-x-3">
              {entry.row.map((cell) => (
                <div key={cell.column} className="contents">
                  <dt className="text-ink-2">{cell.column}</dt>
                  <dd className="min-w-0 whitespace-pre-line break-words">{cell.shown}</dd>
                </div>
              ))}
            </dl>
          )}
        </section>
      )}
    </div>
  )
}

function Letter({ line, letter }: { line: TrayLine; letter: Entry['letter'] | undefined }) {
  return (
    <section
      aria-label={say.letter}
      className="flex min-h-64 min-w-0 flex-1 flex-col border-rule max-lg:min-h-96 max-lg:border-t lg:border-l"
    >
      {letter && (
        <>
          <p className="bg-sheet-2 px-4 py-1.5 text-[13px]">
            <b>{letter.subject}</b>
            <span className="block text-ink-2">
              {say.sent(line.person, letter.sentAt)}{' '}
              <Link className="text-post underline" to={`/rounds/${line.roundId}/responses`}>
                {line.round} <ExternalLink aria-hidden size={12} className="inline" />
              </Link>
            </span>
          </p>
          {letter.html ? <MessageFrame html={letter.html} /> : <PlainText text={letter.text} />}
        </>
      )}
    </section>
  )
}
