import type { RoundLine } from '@hand-post/contract'
import { Link } from 'react-router'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { StateMark } from '../shared/parts.tsx'
import { roundLines as say } from './words.ts'

/** What a round's line says of it, in a sentence. */
function roundSentence(line: RoundLine): string {
  const { states } = line
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  if (line.postedAt === null) return line.listName === null ? say.noListYet : say.peopleIn(line.rowCount, line.listName)
  const { toPrint, printed } = line.paperLetters
  const left = states.waiting + states.retrying + states.sending
  const went = all === 0 && toPrint + printed > 0 ? say.allOnPaper(toPrint + printed) : say.sent(states.sent, all)
  if (left > 0) return line.held ? say.heldOf(went, left) : say.goUntil(went, left, line.lastAt)
  const rest = [
    toPrint && say.toPrint(toPrint),
    states.refused && say.refused(states.refused),
    states.withdrawn && say.withdrawn(states.withdrawn),
    states.inDoubt && say.doubt(states.inDoubt),
  ].filter(Boolean)
  return [went, ...rest].join(', ')
}

const markOf = (line: RoundLine): [string, string] => {
  const { states } = line
  if (line.postedAt === null) return ['not begun', say.draft]
  if (states.inDoubt > 0) return ['in doubt', say.doubt2]
  if (line.held) return ['set aside', say.held]
  if (states.waiting + states.retrying + states.sending > 0) return ['sending', say.underWay]
  if (line.paperLetters.toPrint > 0) return ['waiting', say.toBePrinted]
  return ['sent', say.finished]
}

/** Whether a round is on its way: letters are to go, or nobody knows whether they went. */
export const isGoingOut = ({ postedAt, states }: RoundLine): boolean =>
  postedAt !== null && states.waiting + states.retrying + states.sending + states.inDoubt > 0

/** How a round stands, as its mark. */
export function RoundMark({ line }: { line: RoundLine }) {
  const [state, word] = markOf(line)
  return <StateMark state={state}>{word}</StateMark>
}

/** Rounds, one line each. */
export function RoundLines({ lines, narrow = false }: { lines: RoundLine[]; narrow?: boolean }) {
  return (
    <ul>
      {lines.map((line) => {
        const all = Object.values(line.states).reduce((a, b) => a + b, 0)
        return (
          <li key={line.id} className="border-rule border-b last:border-0">
            <Link
              to={`/rounds/${line.id}`}
              className="flex flex-wrap items-center gap-x-4 gap-y-0.5 px-4 py-2 hover:bg-sheet-2"
            >
              <span className="w-24 shrink-0">
                <RoundMark line={line} />
              </span>
              <span className="flex min-w-40 flex-1 flex-wrap items-center gap-2">
                <b>{line.title}</b> <PracticeMark mailboxId={line.mailboxId} />
              </span>
              {!narrow && all > 0 && (
                <svg
                  viewBox="0 0 100 8"
                  preserveAspectRatio="none"
                  className="h-2 w-32"
                  role="img"
                  aria-label={say.sent2(line.states.sent, all)}
                >
                  <rect width="100" height="8" className="fill-sheet-2" />
                  <rect width={(100 * line.states.sent) / all} height="8" className="fill-post" />
                </svg>
              )}
              <span className={narrow ? 'w-full pl-28 text-ink-2' : 'w-[25rem] text-ink-2'}>
                {roundSentence(line)}
                {line.replied > 0 && say.replied(line.replied)}
                {line.bounced > 0 && say.bounced(line.bounced)}
              </span>
            </Link>
          </li>
        )
      })}
    </ul>
  )
}
