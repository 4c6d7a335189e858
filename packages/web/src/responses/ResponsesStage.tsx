import { type Board, routes } from '@hand-post/contract'
import type { Outcome } from '@hand-post/core'
import { useVirtualizer } from '@tanstack/react-virtual'
import clsx from 'clsx'
import { Download, RefreshCw } from 'lucide-react'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, useBoard, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Say, times, Waiting } from '../shared/parts.tsx'
import { OutcomeMark } from './outcomeMarks.tsx'
import { TimelineChart } from './TimelineChart.tsx'

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
    gone(p) && p.responses.some((r) => r.kind === kind && r.automatic === automatic)

interface BoardLine {
  words: string
  n: number
  of: number
  ofWhat: string
  pick: Pick
}

/** The lines of the board: each count with what it is a part of. */
function linesOf({ counts: c, tracking }: Board): BoardLine[] {
  const arrived = 'that arrived'
  const lines: (BoardLine | false)[] = [
    { words: 'replied', n: c.replied, of: c.arrived, ofWhat: arrived, pick: outcomeIs('replied') },
    {
      words: 'not answered',
      n: c.unanswered,
      of: c.arrived,
      ofWhat: arrived,
      pick: (p) => gone(p) && p.outcome !== 'replied',
    },
    { words: 'sent an automatic reply', n: c.automatic, of: c.arrived, ofWhat: arrived, pick: has('automatic') },
    tracking.opens && {
      words: 'opened',
      n: c.opened,
      of: c.arrived,
      ofWhat: arrived,
      pick: (p) => has('open')(p) || has('click')(p),
    },
    tracking.opens && {
      words: 'fetched by a machine only, not counted as opened',
      n: c.openedByMachine,
      of: c.arrived,
      ofWhat: arrived,
      pick: (p) => has('open', true)(p) && !has('open')(p) && !has('click')(p),
    },
    tracking.clicks && { words: 'followed a link', n: c.clicked, of: c.arrived, ofWhat: arrived, pick: has('click') },
    tracking.receipts && {
      words: 'gave a read receipt',
      n: c.receipts,
      of: c.arrived,
      ofWhat: arrived,
      pick: has('receipt'),
    },
    { words: 'bounced', n: c.bounced, of: c.sent, ofWhat: 'sent', pick: outcomeIs('bounced') },
    c.refused > 0 && {
      words: 'refused by the host',
      n: c.refused,
      of: c.messages,
      ofWhat: 'posted',
      pick: outcomeIs('refused'),
    },
    c.waiting > 0 && {
      words: 'not yet sent',
      n: c.waiting,
      of: c.messages,
      ofWhat: 'posted',
      pick: outcomeIs('waiting'),
    },
    c.inDoubt > 0 && { words: 'in doubt', n: c.inDoubt, of: c.messages, ofWhat: 'posted', pick: outcomeIs('inDoubt') },
    c.withdrawn > 0 && {
      words: 'withdrawn',
      n: c.withdrawn,
      of: c.messages,
      ofWhat: 'posted',
      pick: outcomeIs('withdrawn'),
    },
  ]
  return lines.filter((l) => l !== false)
}

/** Responses: the board of a round. */
export default function ResponsesStage() {
  const { round, goTo } = useWork()
  const board = useBoard(round.id, round.postedAt !== null)
  if (round.postedAt === null)
    return (
      <Empty title="Nothing has gone yet" action={<Button onClick={() => goTo('dispatch')}>Go to Dispatch</Button>}>
        When the round is posted, you see here who answered, whose letter came back, and who was not heard from.
      </Empty>
    )
  if (board.error) return <Empty title="The board cannot be shown">{faultWords(board.error)}</Empty>
  if (!board.data) return <Waiting />
  return <BoardOf board={board.data} />
}

function BoardOf({ board }: { board: Board }) {
  const { round } = useWork()
  const [chosen, setChosen] = useState<string | null>(null)
  const lines = linesOf(board)
  const picked = lines.find((l) => l.words === chosen)
  const read = useChange(routes.readNow, ({ found }) =>
    toast(found === 0 ? 'Nothing new.' : `${times(found, 'answer')} found.`),
  )
  const { counts } = board
  const people = picked ? board.people.filter(picked.pick) : board.people
  return (
    <div className="flex h-full min-h-0 flex-col overflow-auto">
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-5 py-2">
        <p role="status" className="min-w-60 flex-1">
          <b>
            {counts.sent} of {times(counts.messages, 'letter')} sent, {counts.arrived} arrived.
          </b>{' '}
          {counts.replied} replied; {counts.unanswered} not yet answered.
        </p>
        <Button onClick={() => read.mutate({ params: { mailbox: round.mailboxId } })} disabled={read.isPending}>
          <RefreshCw aria-hidden size={16} /> {read.isPending ? 'Looking…' : 'Look for answers now'}
        </Button>
        <a
          href={`/api/rounds/${round.id}/outcome.csv`}
          className="inline-flex min-h-8 items-center gap-1.5 rounded-paper border border-rule bg-sheet px-3 py-1 hover:bg-sheet-2"
        >
          <Download aria-hidden size={16} /> The list with outcomes (.csv)
        </a>
      </header>
      <div className="flex shrink-0 flex-wrap gap-x-8 gap-y-3 border-rule border-b px-5 py-3">
        <ul className="min-w-72 flex-1">
          {lines.map((l) => (
            <li key={l.words}>
              <button
                type="button"
                aria-pressed={chosen === l.words}
                title="Show these people"
                onClick={() => setChosen(chosen === l.words ? null : l.words)}
                className={clsx(
                  'flex w-full items-center gap-3 rounded-paper px-1.5 py-0.5 text-left',
                  chosen === l.words ? 'bg-post-tint' : 'hover:bg-sheet-2',
                )}
              >
                <svg aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" className="h-2.5 w-20 shrink-0">
                  <rect width="100" height="10" className="fill-sheet-2 stroke-rule" />
                  <rect width={l.of === 0 ? 0 : (100 * l.n) / l.of} height="10" className="fill-post" />
                </svg>
                <span>
                  <b>{l.n}</b> of {l.of} {l.ofWhat}: {l.words}
                </span>
              </button>
            </li>
          ))}
        </ul>
        <div className="min-w-80 flex-[1.3]">
          <TimelineChart board={board} />
        </div>
      </div>
      {!board.tracking.opens && !board.tracking.clicks && (
        <p className="border-rule border-b px-5 py-1.5 text-[13px] text-ink-2">
          Opens and clicks were not asked for in this round.
        </p>
      )}
      <Answered board={board} />
      <People people={people} words={picked?.words} />
    </div>
  )
}

/** What the chosen person's letter brought back, each thing with its words. */
function Answered({ board }: { board: Board }) {
  const { person } = useWork()
  const of = board.people.find((p) => p.rowId === person?.id)
  if (!of || of.responses.length === 0) return null
  const words: Record<string, string> = {
    reply: 'replied',
    automatic: 'sent an automatic reply',
    bounce: 'came back',
    delayed: 'is delayed on its way',
    delivered: 'was delivered',
    receipt: 'gave a read receipt',
    open: 'opened it',
    click: 'followed a link',
  }
  return (
    <section
      aria-label={`What came back from ${of.person}`}
      className="max-h-56 shrink-0 overflow-auto border-rule border-b bg-sheet-2 px-5 py-2"
    >
      <h2 className="text-[16px]">{of.person}</h2>
      <ul className="space-y-1 text-[14px]">
        {of.responses.map((r) => (
          <li key={r.id} className="flex gap-3">
            <span className="w-32 shrink-0 text-ink-2">{moment(r.at)}</span>
            <span className="min-w-0 whitespace-pre-line">
              {words[r.kind]}
              {r.automatic && ' (a machine, by how fast)'}
              {r.words && `: ${r.words}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function People({ people, words }: { people: Board['people']; words: string | undefined }) {
  const { person, choose } = useWork()
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: people.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 34,
    overscan: 12,
  })
  return (
    <>
      {words && (
        <p className="px-5 pt-2 text-[13px] text-ink-2">
          {times(people.length, 'person', 'people')}: {words}
        </p>
      )}
      {people.length === 0 ? (
        <Say>Nobody just now.</Say>
      ) : (
        <div
          ref={scroller}
          role="grid"
          aria-label="Outcomes"
          aria-rowcount={people.length}
          tabIndex={0}
          className="min-h-48 flex-1 overflow-auto"
        >
          <div role="rowgroup" className="relative text-[14px]" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((item) => {
              const p = people[item.index]
              const said =
                p.responses.find((r) => r.kind === 'reply' || r.kind === 'bounce')?.words ??
                (p.outcome === 'refused' ? p.reason : '')
              return (
                <div
                  key={p.messageId}
                  role="row"
                  tabIndex={-1}
                  aria-rowindex={item.index + 1}
                  aria-selected={person?.id === p.rowId}
                  style={{ transform: `translateY(${item.start}px)`, height: 34 }}
                  className={clsx(
                    'absolute top-0 left-0 flex w-full items-center gap-3 border-rule border-b px-5',
                    person?.id === p.rowId ? 'bg-post-tint' : 'hover:bg-sheet-2',
                  )}
                >
                  <span role="gridcell" tabIndex={-1} className="w-44 shrink-0 truncate" title={p.address}>
                    <button type="button" className="w-full truncate text-left" onClick={() => choose(p.rowId)}>
                      {p.person}
                    </button>
                  </span>
                  <span role="gridcell" tabIndex={-1} className="w-48 shrink-0">
                    <OutcomeMark outcome={p.outcome} />
                  </span>
                  <span role="gridcell" tabIndex={-1} className="w-32 shrink-0 text-[13px] text-ink-2 max-lg:hidden">
                    {moment(p.lastAt ?? p.sentAt)}
                  </span>
                  <span
                    role="gridcell"
                    tabIndex={-1}
                    className="min-w-0 flex-1 truncate text-[13px] text-ink-2"
                    title={said || undefined}
                  >
                    {said}
                  </span>
                </div>
              )
            })}
          </div>
        </div>
      )}
    </>
  )
}
