import { parseTemplate } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { AlertOctagon, Check, CircleDashed, CircleHelp, type LucideIcon, Send } from 'lucide-react'
import { NavLink } from 'react-router'
import { lacksFile } from '../enclosures/lacks.ts'
import { useLetter, useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { times } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'

/** The six stages, in their order. */
export const stages = [
  { id: 'people', name: 'People' },
  { id: 'letter', name: 'Letter' },
  { id: 'enclosures', name: 'Enclosures' },
  { id: 'proof', name: 'Proof' },
  { id: 'dispatch', name: 'Dispatch' },
  { id: 'responses', name: 'Responses' },
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
  attention: [AlertOctagon, 'text-stop', 'wants attention'],
  ask: [CircleHelp, 'text-ask', 'wants your word'],
  none: [CircleDashed, 'text-ink-2', 'not begun'],
  going: [Send, 'text-note', 'under way'],
}

/** The live line of every stage, in words and numbers. */
function useLines(): Record<(typeof stages)[number]['id'], Line> {
  const { round } = useWork()
  const { letter } = useLetter()
  const posted = round.postedAt !== null
  const ready = round.list !== null
  const proof = useQuery({ ...query.proof(round.id), enabled: ready && !posted }).data
  const enclosures = useQuery({ ...query.enclosures(round.id), enabled: ready }).data
  const timetable = useQuery({ ...query.timetable(round.id), enabled: ready }).data
  const board = useQuery({ ...query.board(round.id), enabled: posted }).data
  const late = useQuery(query.people(round.id)).data?.lateComers.length ?? 0
  const { counts, states } = round
  const out = [
    counts.byRule > 0 ? `${counts.byRule} by rule` : '',
    counts.setAside > 0 ? `${counts.setAside} set aside` : '',
    counts.doNotWrite > 0 ? `${counts.doNotWrite} not to be written to` : '',
    counts.joined + counts.sameAddress > 0 ? `${counts.joined + counts.sameAddress} of the same address` : '',
  ]
    .filter(Boolean)
    .join(', ')
  const left = states.waiting + states.retrying + states.sending
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  const lacks = lacksFile(round)
  const with_ = enclosures?.people.filter((p) => !lacks(p)).length ?? 0
  const names = enclosures?.people.some((p) => p.missing.length > 0 || p.files.length > 0)
  return {
    people:
      late > 0
        ? [`${times(late, 'person', 'people')} came late and ${late === 1 ? 'has' : 'have'} no letter`, 'ask']
        : posted
          ? [`Posted to ${times(all, 'person', 'people')}`, 'done']
          : ready
            ? [
                `${times(counts.round, 'person', 'people')}${out ? `; left out: ${out}` : ''}`,
                counts.round > 0 ? 'done' : 'attention',
              ]
            : ['Bring in a list', 'none'],
    letter: letter.subject.trim() ? [`“${shortSubject(letter.subject)}”`, 'done'] : ['Not written yet', 'none'],
    enclosures:
      !enclosures && ready
        ? ['…', 'none']
        : !enclosures || !names
          ? ['None', round.files.length > 0 ? 'ask' : 'none']
          : [
              `${with_} of ${enclosures.people.length} have their files`,
              with_ === enclosures.people.length || proof?.mayPost
                ? 'done'
                : enclosures.people.some((p) => p.missing.length + p.doubtful.length > 0)
                  ? 'attention'
                  : 'ask',
            ],
    proof: posted
      ? ['Settled before posting', 'done']
      : !proof
        ? [ready ? 'Reading every message…' : 'Nothing to proof yet', 'none']
        : proof.stops > 0
          ? [`${proof.stops + proof.asks} to settle`, 'attention']
          : proof.asks > 0
            ? [`${proof.asks} ${proof.asks === 1 ? 'wants' : 'want'} your word`, 'ask']
            : ['Nothing to settle', 'done'],
    dispatch: posted
      ? left > 0
        ? [
            round.held
              ? `Held: ${left} of ${all} not sent`
              : `${states.sent} of ${all} sent, until ${moment(timetable?.last)}`,
            round.held ? 'ask' : 'going',
          ]
        : [`${states.sent} of ${all} sent`, states.inDoubt > 0 ? 'ask' : 'done']
      : timetable?.first
        ? [
            timetable.last! - timetable.first < 60_000
              ? 'Within a minute'
              : `${moment(timetable.first)} – ${moment(timetable.last)}`,
            'none',
          ]
        : [ready && !timetable ? '…' : 'Nothing planned', 'none'],
    responses:
      !board || board.counts.sent === 0
        ? ['Nothing yet', 'none']
        : [
            `${board.counts.replied} of ${board.counts.arrived} replied, ${board.counts.bounced} bounced`,
            board.counts.bounced > 0 ? 'ask' : 'done',
          ],
  }
}

/** The routing slip: six stages from top to bottom; the one in hand is pulled out. */
export function RoutingSlip({ stage }: { stage: string }) {
  const { round } = useWork()
  const lines = useLines()
  return (
    <nav
      aria-label="Stages of the round"
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
                  'relative block border border-rule border-b-0 py-2.5 pr-3 pl-4',
                  on
                    ? 'z-10 rounded-l-paper border-r-sheet border-l-4 border-l-post bg-sheet pl-[13px]'
                    : 'mr-3 bg-sheet-2 hover:bg-sheet',
                  i === 0 && 'rounded-t-paper',
                  i === stages.length - 1 && 'rounded-b-paper border-b',
                )}
              >
                <span className="flex items-center justify-between gap-2">
                  <span className={clsx('font-semibold font-title', on && 'text-post')}>{name}</span>
                  <Icon role="img" size={16} className={tone} aria-label={said} />
                </span>
                <span className="mt-0.5 block text-[13px] text-ink-2 leading-snug max-md:hidden">{words}</span>
              </NavLink>
            </li>
          )
        })}
      </ol>
    </nav>
  )
}
