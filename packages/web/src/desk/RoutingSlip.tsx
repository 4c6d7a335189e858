import { listed, parseTemplate } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { AlertOctagon, Check, CircleDashed, CircleHelp, type LucideIcon, Send, Users } from 'lucide-react'
import { NavLink } from 'react-router'
import { lacksFile } from '../enclosures/lacks.ts'
import { isOpen, useLetter, useWork } from '../rounds/RoundContext.tsx'
import { type CompanyWork, useCompany } from '../rounds/useCompany.ts'
import { moment } from '../shared/moment.ts'
import { query } from '../shared/queries.ts'
import { routingSlip as say } from './words.ts'

/** The six stages, in their order. */
export const stages = [
  { id: 'people', name: say.people },
  { id: 'letter', name: say.letter },
  { id: 'enclosures', name: say.enclosures },
  { id: 'proof', name: say.proof },
  { id: 'dispatch', name: say.dispatch },
  { id: 'responses', name: say.responses },
] as const

/** The subject as a line of the slip shows it: fields by their names alone, and cut to a line and a half. */
function shortSubject(subject: string): string {
  const text = parseTemplate(subject)
    .map((s) => (typeof s === 'string' ? s : `{{${s.column}}}`))
    .join('')
  return text.length > 44 ? `${text.slice(0, 43)}…` : text
}

type Line = [words: string, mark: 'done' | 'attention' | 'ask' | 'none' | 'going']

const marks: Record<Line[1], [LucideIcon, string, string]> = {
  done: [Check, 'text-good', 'done'],
  attention: [AlertOctagon, 'text-stop', say.wantsAttention],
  ask: [CircleHelp, 'text-ask', say.wantsYourWord],
  none: [CircleDashed, 'text-ink-2', say.notBegun],
  going: [Send, 'text-note', say.underWay],
}

/** How many of the others are shown at a stage; all are named below. */
const maxInitials = 3
const initialsOf = (name: string) =>
  name
    .split(/\s+/)
    .slice(0, 2)
    .map((word) => [...word][0] ?? '')
    .join('')
    .toUpperCase()

/** The live line of every stage, in words and numbers. */
function useLines(): Record<(typeof stages)[number]['id'], Line> {
  const { round } = useWork()
  const { letter } = useLetter()
  const posted = round.postedAt !== null
  const ready = round.list !== null
  const open = isOpen(round)
  const proof = useQuery({ ...query.proof(round.id), enabled: ready && open }).data
  const enclosures = useQuery({ ...query.enclosures(round.id), enabled: ready }).data
  const timetable = useQuery({ ...query.timetable(round.id), enabled: ready }).data
  const [firstAt, lastAt] = [timetable?.departures[0]?.at, timetable?.departures.at(-1)?.at]
  const board = useQuery({ ...query.board(round.id), enabled: posted }).data
  const late = useQuery(query.people(round.id)).data?.lateComers.length ?? 0
  const { counts, states } = round
  const out = [
    counts.notChased > 0 ? say.notChased(counts.notChased) : '',
    counts.byRule > 0 ? say.rule(counts.byRule) : '',
    counts.setAside > 0 ? say.setAside(counts.setAside) : '',
    counts.doNotWrite > 0 ? say.notWritten(counts.doNotWrite) : '',
    counts.joined + counts.sameAddress > 0 ? say.sameAddress(counts.joined, counts.sameAddress) : '',
  ]
    .filter(Boolean)
    .join(', ')
  const left = states.waiting + states.retrying + states.sending
  const { toPrint, printed, withdrawn } = round.paperLetters
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  const lacks = lacksFile(round)
  const with_ = enclosures?.people.filter((p) => !lacks(p)).length ?? 0
  const names = enclosures?.people.some((p) => p.missing.length > 0 || p.files.length > 0)
  return {
    people:
      late > 0
        ? [say.cameLateNoLetter(late), 'ask']
        : posted
          ? [say.posted(all + toPrint + printed + withdrawn), 'done']
          : ready
            ? [
                `${say.nPeople(counts.round + counts.onPaper)}${counts.onPaper > 0 ? say.onPaper(counts.onPaper) : ''}${out ? say.leftOut(out) : ''}`,
                counts.round + counts.onPaper > 0 ? 'done' : 'attention',
              ]
            : [say.bringList, 'none'],
    letter: letter.subject.trim() ? [`“${shortSubject(letter.subject)}”`, 'done'] : [say.notWrittenYet, 'none'],
    enclosures:
      !enclosures && ready
        ? ['…', 'none']
        : !enclosures || !names
          ? [say.none, round.files.length > 0 ? 'ask' : 'none']
          : [
              say.haveTheirFiles(with_, enclosures.people.length),
              with_ === enclosures.people.length || proof?.mayPost
                ? 'done'
                : enclosures.people.some((p) => p.missing.length + p.doubtful.length > 0)
                  ? 'attention'
                  : 'ask',
            ],
    proof: !open
      ? [say.settledBeforePosting, 'done']
      : !proof
        ? [ready ? say.readingEveryMessage : say.nothingProofYet, 'none']
        : proof.stops > 0
          ? [say.settle(proof.stops, proof.asks), 'attention']
          : proof.asks > 0
            ? [say.yourWord(proof.asks), 'ask']
            : [say.nothingSettle, 'done'],
    dispatch: posted
      ? left > 0
        ? [
            round.amendingSince !== null
              ? say.amending(left)
              : round.held
                ? say.heldNotSent(left, all)
                : say.sentUntil(states.sent, all, lastAt),
            round.held ? 'ask' : 'going',
          ]
        : toPrint > 0
          ? [say.toPrint(states.sent, all, toPrint), 'ask']
          : [all === 0 ? say.allPrinted(printed) : say.sent(states.sent, all), states.inDoubt > 0 ? 'ask' : 'done']
      : firstAt !== undefined && lastAt !== undefined
        ? [lastAt - firstAt < 60_000 ? say.withinMinute : `${moment(firstAt)} – ${moment(lastAt)}`, 'none']
        : [
            ready && !timetable ? '…' : counts.onPaper > 0 ? say.allOnPaper(counts.onPaper) : say.nothingPlanned,
            'none',
          ],
    responses:
      !board || board.counts.sent === 0
        ? [say.nothingYet, 'none']
        : [
            say.repliedBounced(board.counts.replied, board.counts.arrived, board.counts.bounced),
            board.counts.bounced > 0 ? 'ask' : 'done',
          ],
  }
}

/** Who else is in the round, and where. */
function Others({ others }: { others: CompanyWork['others'] }) {
  if (others.length === 0) return null
  const called = (id: string) => stages.find((s) => s.id === id)!.name
  return (
    <section aria-label={say.alsoHere} className="mt-3 mr-3 text-[13px] text-ink-2 max-md:hidden">
      <h2 className="flex items-center gap-1.5 font-semibold">
        <Users aria-hidden size={14} /> {say.alsoHere}
      </h2>
      <ul role="status">
        {others.map(({ id, name, stages }) => (
          <li key={id}>{say.isAt(name, listed(stages.map(called)))}</li>
        ))}
      </ul>
    </section>
  )
}

/** The routing slip: six stages from top to bottom; the one in hand is pulled out. */
export function RoutingSlip({ stage }: { stage: string }) {
  const { round } = useWork()
  const lines = useLines()
  const { others } = useCompany(round.id)
  return (
    <nav
      aria-label={say.stagesRound}
      className="w-56 shrink-0 overflow-y-auto overflow-x-hidden py-0 pl-3 max-md:w-full max-md:overflow-x-auto max-md:px-2 max-md:pb-2"
    >
      <ol className="max-md:flex max-md:w-max">
        {stages.map(({ id, name }, i) => {
          const [words, mark] = lines[id]
          const [Icon, tone, said] = marks[mark]
          const on = id === stage
          return (
            <li key={id}>
              <NavLink
                to={`/rounds/${round.id}/${id}`}
                aria-current={on ? 'step' : undefined}
                className={clsx(
                  'relative block border border-rule border-b-0 py-2 pr-3 pl-4',
                  on
                    ? 'z-10 rounded-l-paper border-r-sheet border-l-4 border-l-post bg-sheet pl-[13px]'
                    : 'mr-3 bg-sheet-2 hover:bg-sheet',
                  i === 0 && 'rounded-t-paper',
                  i === stages.length - 1 && 'rounded-b-paper border-b',
                )}
              >
                <span className="flex items-center justify-between gap-2">
                  <span className={clsx('font-semibold font-title', on && 'text-post')}>{name}</span>
                  <span className="flex items-center gap-1">
                    {others
                      .filter((one) => one.stages.includes(id))
                      .slice(0, maxInitials)
                      .map((one) => (
                        <abbr
                          key={one.id}
                          title={say.isHere(one.name)}
                          className="rounded-paper border border-rule bg-sheet px-1 font-semibold text-[11px] text-ink-2 no-underline"
                        >
                          {initialsOf(one.name)}
                        </abbr>
                      ))}
                    <Icon role="img" size={16} className={tone} aria-label={said} />
                  </span>
                </span>
                {/* Room for two lines, so that a count that grows moves nothing below it. */}
                <span className="mt-0.5 block min-h-[2lh] text-[13px] text-ink-2 leading-snug max-md:hidden">
                  {words}
                </span>
              </NavLink>
            </li>
          )
        })}
      </ol>
      <Others others={others} />
    </nav>
  )
}
