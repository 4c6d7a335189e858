import { addressOf, type Board, routes } from '@hand-post/contract'
import { type Outcome, outcomeFormatNames, outcomeFormats, outcomeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { Download, Printer, RefreshCw, Tag } from 'lucide-react'
import { useMemo, useState } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { faultWords, useChange } from '../api.ts'
import { useNextDeparture } from '../dispatch/nextDeparture.ts'
import { NewAddress } from '../rounds/NewAddress.tsx'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { type PersonColumn, PersonTable } from '../shared/PersonTable.tsx'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { OutcomeWords } from './OutcomeWords.tsx'
import { OutcomeMark } from './outcomeMarks.tsx'
import { RemindMe } from './RemindMe.tsx'
import { TimelineChart } from './TimelineChart.tsx'
import { trayActions } from './trayActions.ts'
import { responsesStage as say } from './words.ts'

/** Which people a line of the board speaks of. */
type Pick = (person: Board['people'][number]) => boolean
const outcomeIs =
  (...outcomes: Outcome[]): Pick =>
  ({ outcome }) =>
    outcomes.includes(outcome)
const gone: Pick = (p) => !outcomeIs('waiting', 'inDoubt', 'withdrawn', 'refused', 'bounced')(p)
const has =
  (kind: string, automatic = false): Pick =>
  (p) =>
    gone(p) && p.responses.some((r) => r.kind === kind && r.of === 'person' && r.automatic === automatic)

interface BoardLine {
  words: string
  n: number
  pick: Pick
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
function groupsOf({ counts: c, tracking, people, outcomeWords }: Board): BoardGroup[] {
  const line = (words: string, n: number, pick: Pick): BoardLine => ({ words, n, pick })
  const arrived = [
    line('replied', c.replied, outcomeIs('replied')),
    line(say.notAnswered, c.unanswered, (p) => gone(p) && p.outcome !== 'replied'),
    line(say.sentAutomaticReply, c.automatic, has('automatic')),
  ]
  if (tracking.opens)
    arrived.push(
      line('opened', c.opened, (p) => has('open')(p) || has('click')(p)),
      line(
        say.fetchedMachineOnly,
        c.openedByMachine,
        (p) => has('open', true)(p) && !has('open')(p) && !has('click')(p),
      ),
    )
  if (tracking.clicks) arrived.push(line(say.followedLink, c.clicked, has('click')))
  if (tracking.receipts) arrived.push(line(say.gaveReadReceipt, c.receipts, has('receipt')))
  if (tracking.optOut || c.optedOut > 0) arrived.push(line(say.optedOutFurtherLetters, c.optedOut, has('optOut')))
  const posted = [
    line(say.refusedHost, c.refused, outcomeIs('refused')),
    line(say.notYetSent, c.waiting, outcomeIs('waiting')),
    line(say.doubt, c.inDoubt, outcomeIs('inDoubt')),
    line('withdrawn', c.withdrawn, outcomeIs('withdrawn')),
  ].filter((l) => l.n > 0)
  const delayed = people.filter(outcomeIs('delayed')).length
  if (delayed > 0) arrived.push(line(say.delayed, delayed, outcomeIs('delayed')))
  // People are counted, not letters: whoever was written to again has one word.
  const wordIs =
    (word: string | null): Pick =>
    (p) =>
      gone(p) && p.word === word
  const peopleWith = (pick: Pick) => new Set(people.filter(pick).map((p) => p.rowId)).size
  const words = [...outcomeWords, null].map((word) =>
    line(word ?? say.withoutWord, peopleWith(wordIs(word)), wordIs(word)),
  )
  return [
    { of: c.arrived, ofWhat: say.arrived, lines: arrived },
    ...(outcomeWords.length > 0
      ? [{ of: peopleWith(gone), ofWhat: say.arrived, title: say.byWords, lines: words }]
      : []),
    { of: c.sent, ofWhat: 'sent', lines: [line('bounced', c.bounced, outcomeIs('bounced'))] },
    ...(posted.length > 0 ? [{ of: c.messages, ofWhat: 'posted', lines: posted }] : []),
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
  const [chosen, setChosen] = useState<string | null>(null)
  const boardGroups = groupsOf(board)
  const picked = boardGroups.flatMap((g) => g.lines).find((l) => l.words === chosen)
  const read = useChange(routes.readNow, ({ found }) => toast(found === 0 ? say.nothingNew : say.found(found)))
  const { counts } = board
  const next = useNextDeparture()
  const people = picked ? board.people.filter(picked.pick) : board.people
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
        {outcomeFormatNames.map((as) => (
          <a
            key={as}
            href={addressOf(routes.outcomeCsv, { params: { round: round.id }, query: { as } })}
            className="inline-flex min-h-8 items-center gap-1.5 rounded-paper border border-rule bg-sheet px-3 py-1 hover:bg-sheet-2"
          >
            <Download aria-hidden size={16} /> {say.outcomesAs(outcomeFormats[as].ending)}
          </a>
        ))}
      </header>
      <div className="flex shrink-0 flex-wrap gap-x-8 gap-y-3 border-rule border-b px-5 py-3">
        <div className="w-[17rem] shrink-0 space-y-1.5 text-[14px]">
          <Groups groups={boardGroups.filter((g) => !g.title)} chosen={chosen} setChosen={setChosen} />
        </div>
        <div className="min-w-72 flex-1">
          <TimelineChart board={board} />
          <div className="mt-2 w-[17rem] space-y-1.5 text-[14px]">
            <Groups groups={boardGroups.filter((g) => g.title)} chosen={chosen} setChosen={setChosen} />
          </div>
        </div>
      </div>
      {board.returned.length > 0 && (
        <section aria-label={say.whyBack} className="border-rule border-b px-5 py-1.5 text-[14px]">
          <h3 className="text-[13px] text-ink-2">{say.whyBack}</h3>
          <ul className="flex flex-wrap gap-x-6">
            {board.returned.map(({ count, sent, domain, reason, hard }) => (
              <li key={`${domain} ${reason} ${hard}`}>{say.returned(count, sent, domain, reason, hard)}</li>
            ))}
          </ul>
        </section>
      )}
      {board.paper.length > 0 && (
        <p className="border-rule border-b px-5 py-1.5 text-[14px]">
          <Printer aria-hidden size={15} className="mr-1.5 inline text-ink-2" />
          {say.onPaper(board.paper)}
        </p>
      )}
      {!board.tracking.opens && !board.tracking.clicks && (
        <p className="border-rule border-b px-5 py-1.5 text-[13px] text-ink-2">{say.opensClicksWereNot}</p>
      )}
      <Answered board={board} />
      <People people={people} words={picked?.words} outcomeWords={board.outcomeWords} />
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
                  title={say.showThesePeople(l.n, of, ofWhat)}
                  onClick={() => setChosen(chosen === l.words ? null : l.words)}
                  className={clsx(
                    'flex min-h-[24px] w-full items-center gap-2 rounded-paper px-1 text-left',
                    chosen === l.words ? 'bg-post-tint' : 'hover:bg-sheet-2',
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

/** What the chosen person's letter brought back, each thing with its words. */
function Answered({ board }: { board: Board }) {
  const { round } = useWork()
  const { person } = usePerson()
  // The latest letter of whoever has had several.
  const of = board.people.findLast((p) => p.rowId === person?.id)
  const failed = of?.outcome === 'refused' || of?.outcome === 'bounced'
  if (!of || (of.responses.length === 0 && !failed)) return null
  const words: Record<string, string> = {
    reply: 'replied',
    automatic: say.sentAutomaticReply,
    bounce: say.cameBack,
    delayed: say.delayedWay,
    delivered: say.delivered,
    receipt: say.gaveReadReceipt,
    open: say.opened,
    click: say.followedLink,
  }
  return (
    <section
      aria-label={say.whatCameBackFrom(of.person)}
      className="max-h-56 shrink-0 overflow-auto border-rule border-b bg-sheet-2 px-5 py-2"
    >
      <h2 className="flex items-baseline gap-3 text-[16px]">
        {of.person}
        <Link
          to={`/person?address=${encodeURIComponent(of.address)}`}
          className="font-sans text-[13px] text-post underline"
        >
          {say.allTheirLetters}
        </Link>
      </h2>
      {failed && (
        <div className="my-1.5">
          {of.outcome === 'refused' && (
            <p className="mb-1 text-[14px]">
              {say.refused} {of.reason}
            </p>
          )}
          <NewAddress key={of.messageId} roundId={round.id} rowId={of.rowId} person={of.person} address={of.address} />
        </div>
      )}
      <ul className="space-y-1 text-[14px]">
        {of.responses.map((r) => (
          <li key={r.id} className="flex gap-3">
            <span className="w-32 shrink-0 text-ink-2">{moment(r.at)}</span>
            <span className="min-w-0 whitespace-pre-line">
              {words[r.kind]}
              {r.automatic && say.machineHowFast}
              {r.of === 'copy' && say.whoHasCopyDoes(r.from, of.person)}
              {r.of === 'other' && say.anotherAddressCountsOnce(of.person)}
              {r.of === 'perhaps' && say.perhaps}
              {r.of === 'no' && say.no}
              {r.words && `: ${r.words}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

type OnBoard = Board['people'][number]

/** What somebody answered, or why their letter came back. */
const saidBy = (p: Board['people'][number]) =>
  p.responses.find((r) => r.of === 'person' && (r.kind === 'reply' || r.kind === 'bounce'))?.words ??
  (p.outcome === 'refused' ? p.reason : '')

function People({
  people,
  words,
  outcomeWords: own,
}: {
  people: Board['people']
  words: string | undefined
  outcomeWords: string[]
}) {
  const { round } = useWork()
  const zone = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)?.timeZone
  const [opened, setOpened] = useState(false)
  const rows = [...new Set(people.map((p) => p.rowId))]
  const { person, choose } = usePerson()
  const amended = round.versions.length > 0
  const hasWords = own.length > 0
  const columns = useMemo<PersonColumn<OnBoard>[]>(
    () => [
      {
        id: 'person',
        head: say.person,
        width: 152,
        by: (p) => p.person,
        title: (p) => p.address,
        onClick: (p) => choose(p.rowId),
        cell: (p) => p.person,
      },
      {
        id: 'outcome',
        head: say.outcome,
        width: 168,
        by: (p) => outcomeWords[p.outcome],
        cell: (p) => <OutcomeMark outcome={p.outcome} />,
      },
      ...(hasWords
        ? [
            {
              id: 'word',
              head: say.word,
              width: 104,
              by: (p: OnBoard) => p.word,
              cell: (p: OnBoard) => p.word ?? '',
            },
          ]
        : []),
      ...(amended
        ? [
            {
              id: 'version',
              head: say.version,
              width: 76,
              by: (p: OnBoard) => p.version,
              cell: (p: OnBoard) => p.version,
            },
          ]
        : []),
      {
        id: 'when',
        head: say.when,
        width: 128,
        by: (p) => p.lastAt ?? p.sentAt,
        className: 'text-[13px] text-ink-2',
        cell: (p) => moment(p.lastAt ?? p.sentAt),
      },
      {
        id: 'words',
        head: say.theirWords,
        width: 160,
        grows: true,
        by: (p) => saidBy(p) || null,
        className: 'text-[13px] text-ink-2',
        title: saidBy,
        cell: saidBy,
      },
    ],
    [choose, amended, hasWords],
  )
  return (
    <>
      <div className="flex flex-wrap items-center justify-end gap-2 px-5 pt-2 text-[14px]">
        <p className="flex-1 text-[13px] text-ink-2">
          {say.nPeople(rows.length)}
          {words && `: ${words}`}
        </p>
        {people.length > 0 && (
          <>
            <OutcomeWords
              roundId={round.id}
              words={own}
              given={null}
              open={opened}
              setOpen={setOpened}
              onGive={(word) => void trayActions.give(round.id, rows, word)}
              trigger={
                <Button>
                  <Tag aria-hidden size={16} /> {say.giveWord(rows.length)}
                </Button>
              }
            />
            {zone && <RemindMe roundId={round.id} rows={words ? rows : null} zone={zone} />}
          </>
        )}
      </div>
      {people.length === 0 ? (
        <Say>{say.nobodyJustNow}</Say>
      ) : (
        <PersonTable
          label={say.outcomes}
          columns={columns}
          lines={people}
          keyOf={(p) => p.messageId}
          isChosen={(p) => person?.id === p.rowId}
        />
      )}
    </>
  )
}
