import { type BoardLine, type BoardOrder, boardOrders, routes } from '@hand-post/contract'
import type { BoardPick, Chaser } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { MailPlus, Tag } from 'lucide-react'
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { ask, faultWords, tellFault } from '../api.ts'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { NoneFound, useFind } from '../shared/find.tsx'
import { moment } from '../shared/moment.ts'
import { type PersonColumn, PersonTable, useOrder } from '../shared/PersonTable.tsx'
import { usePages } from '../shared/pages.ts'
import { Button, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { beginChaser } from './beginChaser.ts'
import { OutcomeWords } from './OutcomeWords.tsx'
import { OutcomeMark } from './outcomeMarks.tsx'
import { RemindMe } from './RemindMe.tsx'
import { trayActions } from './trayActions.ts'
import { boardPeople as say } from './words.ts'

/** A line of the board: which letters it speaks of, and how that is called. */
export interface Picked {
  pick: BoardPick
  word?: string
  words: string
}

/** The letters that a line of the board speaks of, or all: those in view are fetched, in the order that is wanted. */
export function BoardPeople({
  picked,
  outcomeWords: own,
  hasChoices,
  onShown,
}: {
  picked: Picked | null
  outcomeWords: string[]
  /** Whether the letter has choices. */
  hasChoices: boolean
  /** Told when they are shown, or cannot be. */
  onShown: () => void
}) {
  const { round } = useWork()
  const { person, choose } = usePerson()
  const { field, find: typed } = useFind('people', `board ${round.id}`)
  const find = useDeferredValue(typed)
  const order = useOrder(say.outcomes)
  const [sort] = order[0]
  const which = useMemo(
    () => ({
      find,
      ...(picked ? { pick: picked.pick, word: picked.word } : {}),
      ...(sort && isOrder(sort.id) ? { by: sort.id, way: sort.desc ? ('down' as const) : ('up' as const) } : {}),
    }),
    [find, picked, sort],
  )
  const { shown, fault, onView } = usePages(
    (part) => query.boardLines(round.id, { ...which, ...part }),
    ({ letters, lines }) => ({ count: letters, lines }),
  )
  const amended = round.versions.length > 0
  const hasWords = own.length > 0
  const columns = useMemo<PersonColumn<BoardLine>[]>(
    () => [
      {
        id: 'person',
        head: say.person,
        width: 120,
        by: 'up',
        title: (p) => p.address,
        onClick: (p) => choose(p.rowId),
        cell: (p) => p.person,
      },
      { id: 'outcome', head: say.outcome, width: 172, by: 'up', cell: (p) => <OutcomeMark outcome={p.outcome} /> },
      ...(hasWords
        ? [{ id: 'word', head: say.word, width: 80, by: 'up' as const, cell: (p: BoardLine) => p.word ?? '' }]
        : []),
      ...(hasChoices
        ? [{ id: 'choice', head: say.choice, width: 120, by: 'up' as const, cell: (p: BoardLine) => p.choice ?? '' }]
        : []),
      ...(amended
        ? [{ id: 'version', head: say.version, width: 76, by: 'down' as const, cell: (p: BoardLine) => p.version }]
        : []),
      {
        id: 'when',
        head: say.when,
        width: 132,
        by: 'down',
        className: 'text-[13px] text-ink-2',
        cell: (p) => moment(p.lastAt ?? p.sentAt),
      },
      {
        id: 'said',
        head: say.theirWords,
        width: 60,
        grows: true,
        by: 'up',
        className: 'text-[13px] text-ink-2',
        title: (p) => p.said,
        cell: (p) => p.said,
      },
    ],
    [choose, amended, hasWords, hasChoices],
  )
  // Whoever has asked for these people sees them, however much stands above.
  const place = useRef<HTMLDivElement>(null)
  const pickedWords = picked?.words
  useEffect(() => {
    if (pickedWords !== undefined) place.current?.scrollIntoView({ block: 'end' })
  }, [pickedWords])
  const all = shown && { ...shown.part, lines: shown.lines }
  const there = all !== null || fault !== undefined
  useEffect(() => {
    if (there) onShown()
  }, [there, onShown])
  if (fault && !all) return <Say tone="stop">{faultWords(fault)}</Say>
  if (!all) return <Waiting />
  return (
    <div ref={place} className="flex shrink-0 flex-col">
      <div className="flex flex-wrap items-center justify-end gap-2 px-5 pt-2 text-[14px]">
        <p role="status" className="flex-1 text-[13px] text-ink-2">
          {say.nPeople(all.people)}
          {picked && `: ${picked.words}`}
        </p>
        {field}
        {all.people > 0 && (
          <WithThese people={all.people} which={{ ...which, find: typed }} all={!picked && !typed} own={own} />
        )}
      </div>
      {fault && <Say tone="stop">{faultWords(fault)}</Say>}
      {all.letters > 0 ? (
        <PersonTable
          label={say.outcomes}
          columns={columns}
          lines={all.lines}
          order={order}
          onView={onView}
          // The stage scrolls as a whole: of its own accord the list would be as tall as all its lines.
          className="max-h-[70vh] min-h-40 shrink-0"
          keyOf={(p) => p.messageId}
          isChosen={(p) => person?.id === p.rowId}
        />
      ) : typed ? (
        <NoneFound find={typed} />
      ) : (
        <Say>{say.nobodyJustNow}</Say>
      )}
    </div>
  )
}
const isOrder = (id: string): id is BoardOrder => (boardOrders as readonly string[]).includes(id)

/** Whom a letter is for that is begun from a line of the board, where the line says it; else whoever nothing has come of since. */
function chaserFor({ pick, word }: { pick?: BoardPick; word?: string }): Partial<Chaser> {
  if (pick === 'unanswered') return { who: ['silent'] }
  if (pick === 'noChoice') return { who: ['noChoice'] }
  if (pick === 'noFiles') return { who: ['noFile'] }
  if (pick === 'word' && word !== undefined) return { who: ['word'], words: [word] }
  return {}
}

/** What can be done with all the people who are shown: an outcome word for them, a further letter, or a reminder of them. */
function WithThese({
  people,
  which,
  all,
  own,
}: {
  people: number
  which: { find: string; pick?: BoardPick; word?: string }
  /** Whether these are everybody of the round. */
  all: boolean
  own: string[]
}) {
  const { round } = useWork()
  const zone = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)?.timeZone
  const [opened, setOpened] = useState(false)
  const rows = async () => {
    const { pick, word, find } = which
    return (await ask(routes.boardRows, { params: { round: round.id }, query: { pick, word, find } })).rows
  }
  const give = async (word: string | null) => {
    try {
      await trayActions.give(round.id, await rows(), word)
    } catch (error) {
      tellFault(error)
    }
  }
  const navigate = useNavigate()
  const [writing, setWriting] = useState(false)
  /** Begins a letter to them: whoever has answered by the time it leaves gets none. */
  const write = async () => {
    setWriting(true)
    try {
      await beginChaser(round.id, await rows(), chaserFor(which), navigate)
    } catch (error) {
      tellFault(error)
    } finally {
      setWriting(false)
    }
  }
  return (
    <>
      <OutcomeWords
        roundId={round.id}
        words={own}
        given={null}
        open={opened}
        setOpen={setOpened}
        onGive={(word) => void give(word)}
        trigger={
          <Button>
            <Tag aria-hidden size={16} /> {say.giveWord(people)}
          </Button>
        }
      />
      {round.chases === null && (
        <Button disabled={writing} onClick={() => void write()}>
          <MailPlus aria-hidden size={16} /> {say.writeTo(people)}
        </Button>
      )}
      {zone && <RemindMe roundId={round.id} people={all ? null : { n: people, rows }} zone={zone} />}
    </>
  )
}
