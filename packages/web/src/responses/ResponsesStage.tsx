import { type Board, routes } from '@hand-post/contract'
import type { BoardPick } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { FileCheck2, FileSpreadsheet, Paperclip, Printer, RefreshCw } from 'lucide-react'
import { useCallback, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, useChange } from '../api.ts'
import { Chasers } from '../dispatch/Chasers.tsx'
import { useNextDeparture } from '../dispatch/nextDeparture.ts'
import { EndedLine } from '../record/Ended.tsx'
import { ForgettingLine } from '../record/Forgetting.tsx'
import { RecordSheet } from '../record/RecordSheet.tsx'
import { recordSheet } from '../record/words.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button, Empty, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { BoardCharts, WhyBack } from './BoardCharts.tsx'
import { BoardPeople, type Picked } from './BoardPeople.tsx'
import { HandBack } from './HandBack.tsx'
import { HeardFrom } from './HeardFrom.tsx'
import { KeepFiles } from './KeepFiles.tsx'
import { handBack, responsesStage as say } from './words.ts'

interface BoardLine extends Picked {
  n: number
  /** Whom it speaks of is not known any more. */
  forgotten?: boolean
}
/** Lines that share what they are counted of. */
interface BoardGroup {
  of: number
  ofWhat: string
  /** What stands over it, where that is not what it is a part of. */
  title?: string
  lines: BoardLine[]
}

/** The lines of the board, each under what it is a part of. */
function groupsOf({
  counts: c,
  tracking,
  words,
  choices,
  choseNothing,
  peopleReached,
  forgotten,
}: Board): BoardGroup[] {
  const line = (pick: BoardPick, words: string, n: number): BoardLine => ({ pick, words, n })
  const arrived = [
    line('replied', say.replied, c.replied),
    line('unanswered', say.notAnswered, c.unanswered),
    line('automatic', say.sentAutomaticReply, c.automatic),
  ]
  if (tracking.opens)
    arrived.push(
      { ...line('opened', say.opened, c.opened), forgotten },
      { ...line('openedByMachine', say.fetchedMachineOnly, c.openedByMachine), forgotten },
    )
  if (tracking.clicks) arrived.push({ ...line('clicked', say.followedLink, c.clicked), forgotten })
  if (tracking.receipts) arrived.push({ ...line('receipts', say.gaveReadReceipt, c.receipts), forgotten })
  if (tracking.optOut || c.optedOut > 0) arrived.push(line('optedOut', say.optedOutFurtherLetters, c.optedOut))
  if (c.files > 0) arrived.push(line('files', say.files, c.files), line('noFiles', say.noFiles, c.arrived - c.files))
  if (c.delayed > 0) arrived.push(line('delayed', say.delayed, c.delayed))
  const posted = [
    line('refused', say.refusedHost, c.refused),
    line('waiting', say.notYetSent, c.waiting),
    line('inDoubt', say.doubt, c.inDoubt),
    line('withdrawn', say.withdrawn, c.withdrawn),
  ].filter((l) => l.n > 0)
  // People are counted, not letters: whoever was written to again has one word.
  const without = peopleReached - words.reduce((sum, { people }) => sum + people, 0)
  const byWords = [
    ...words.map(({ word, people }): BoardLine => ({ pick: 'word', word, words: word, n: people })),
    line('noWord', say.withoutWord, without),
  ]
  const byChoice = [
    ...choices.map(({ choice, people }): BoardLine => ({ pick: 'choice', word: choice, words: choice, n: people })),
    line('noChoice', say.choseNothing, choseNothing),
  ]
  return [
    { of: c.arrived, ofWhat: say.arrived, lines: arrived },
    ...(choices.length > 0 ? [{ of: peopleReached, ofWhat: say.arrived, title: say.byChoice, lines: byChoice }] : []),
    ...(words.length > 0 ? [{ of: peopleReached, ofWhat: say.arrived, title: say.byWords, lines: byWords }] : []),
    { of: c.sent, ofWhat: say.sent, lines: [line('bounced', say.bounced, c.bounced)] },
    ...(posted.length > 0 ? [{ of: c.messages, ofWhat: say.posted, lines: posted }] : []),
  ]
}

/** Responses: the board of a round. */
export default function ResponsesStage() {
  const { round, goTo } = useWork()
  const board = useQuery({ ...query.board(round.id), enabled: round.postedAt !== null })
  if (round.postedAt === null)
    return (
      <Empty title={say.nothingHasGoneYet} action={<Button onClick={() => goTo('dispatch')}>{say.goDispatch}</Button>}>
        {say.whenRoundPostedYou}
      </Empty>
    )
  if (board.error) return <Empty title={say.boardCannotShown}>{faultWords(board.error)}</Empty>
  if (!board.data) return <Waiting />
  return <BoardOf board={board.data} />
}

function BoardOf({ board }: { board: Board }) {
  const { round } = useWork()
  const [chosen, choose] = useState<string | null>(null)
  const [link, chooseLink] = useState<string | null>(null)
  // People are shown by one thing at a time.
  const setChosen = (words: string | null) => {
    choose(words)
    chooseLink(null)
  }
  const setLink = (address: string | null) => {
    chooseLink(address)
    choose(null)
  }
  const [wait, setWait] = useState(true)
  const [keeping, setKeeping] = useState(false)
  const [handingBack, setHandingBack] = useState(false)
  const [recording, setRecording] = useState(false)
  const onShown = useCallback(() => setWait(false), [])
  const boardGroups = groupsOf(board)
  const picked: Picked | null =
    link === null
      ? (boardGroups.flatMap((g) => g.lines).find((l) => l.words === chosen) ?? null)
      : { pick: 'link', word: link, words: say.followed(link) }
  const read = useChange(routes.readNow, ({ found }) => toast(found === 0 ? say.nothingNew : say.found(found)))
  const { counts } = board
  const next = useNextDeparture()
  return (
    <div className="flex min-h-full flex-col">
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-5 py-2">
        <p role="status" className="min-w-60 flex-1">
          <b>{say.sentArrived(counts.sent, counts.messages, counts.arrived)}</b>{' '}
          {say.repliedNotYetAnswered(counts.replied, counts.unanswered, next)}
        </p>
        <Button onClick={() => read.mutate({ params: { mailbox: round.mailboxId } })} disabled={read.isPending}>
          <RefreshCw aria-hidden size={16} /> {read.isPending ? say.looking : say.lookAnswers}
        </Button>
        {counts.files > 0 && (
          <Button onClick={() => setKeeping(true)}>
            <Paperclip aria-hidden size={16} /> {say.keepFiles}
          </Button>
        )}
        <Button onClick={() => setHandingBack(true)}>
          <FileSpreadsheet aria-hidden size={16} /> {handBack.open}
        </Button>
        {round.chases === null && (
          <Button onClick={() => setRecording(true)}>
            <FileCheck2 aria-hidden size={16} /> {recordSheet.open}
          </Button>
        )}
      </header>
      <EndedLine />
      <ForgettingLine />
      <div className="flex shrink-0 flex-wrap gap-x-8 gap-y-3 border-rule border-b px-5 py-3">
        <div className="w-[17rem] shrink-0 space-y-1.5 text-[14px]">
          <Groups groups={boardGroups.filter((g) => !g.title)} chosen={chosen} setChosen={setChosen} />
        </div>
        <div className="min-w-72 flex-1">
          <BoardCharts board={board} wait={wait} link={link} setLink={setLink} />
          <div className="mt-2 w-[17rem] space-y-1.5 text-[14px]">
            <Groups groups={boardGroups.filter((g) => g.title)} chosen={chosen} setChosen={setChosen} />
          </div>
        </div>
      </div>
      <WhyBack wait={wait} />
      {board.paper.length > 0 && (
        <p className="border-rule border-b px-5 py-1.5 text-[14px]">
          <Printer aria-hidden size={15} className="mr-1.5 inline text-ink-2" />
          {say.onPaper(board.paper)}
        </p>
      )}
      {!board.tracking.opens && !board.tracking.clicks && (
        <p className="border-rule border-b px-5 py-1.5 text-[13px] text-ink-2">{say.opensClicksWereNot}</p>
      )}
      {round.chasers.length > 0 && <Chasers round={round} />}
      <HeardFrom />
      {handingBack && <HandBack onClose={() => setHandingBack(false)} />}
      {recording && <RecordSheet onClose={() => setRecording(false)} />}
      {keeping && <KeepFiles onClose={() => setKeeping(false)} />}
      <BoardPeople
        picked={picked}
        outcomeWords={board.outcomeWords}
        hasChoices={board.choices.length > 0}
        onShown={onShown}
      />
    </div>
  )
}

/** Lines of the board, each with the people it speaks of behind it. */
function Groups({
  groups,
  chosen,
  setChosen,
}: {
  groups: BoardGroup[]
  chosen: string | null
  setChosen: (words: string | null) => void
}) {
  return (
    <>
      {groups.map(({ of, ofWhat, title = say.ofThe(of, ofWhat), lines }) => (
        <section key={title} aria-label={title}>
          <h3 className="text-[13px] text-ink-2">{title}</h3>
          <ul>
            {lines.map((l) => (
              <li key={l.words}>
                <button
                  type="button"
                  aria-pressed={chosen === l.words}
                  disabled={l.forgotten}
                  title={l.forgotten ? say.whoIsForgotten : say.showThesePeople(l.n, of, ofWhat)}
                  onClick={() => setChosen(chosen === l.words ? null : l.words)}
                  className={clsx(
                    'flex min-h-[24px] w-full items-center gap-2 rounded-paper px-1 text-left',
                    chosen === l.words ? 'bg-post-tint' : !l.forgotten && 'hover:bg-sheet-2',
                  )}
                >
                  <b className="w-8 shrink-0 text-right">{l.n}</b>
                  <svg aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" className="h-2 w-9 shrink-0">
                    <rect width="100" height="10" className="fill-sheet-2 stroke-rule" />
                    <rect width={of === 0 ? 0 : (100 * l.n) / of} height="10" className="fill-post" />
                  </svg>
                  <span className="truncate">{l.words}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </>
  )
}
