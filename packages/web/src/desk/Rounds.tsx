import type { RoundOverview } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Link, useSearchParams } from 'react-router'
import { faultWords } from '../api.ts'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { LifeChart } from '../rounds/LifeChart.tsx'
import { isGoingOut, RoundMark } from '../rounds/RoundLines.tsx'
import { StartRound } from '../rounds/StartRound.tsx'
import { NoneFound, useFind, useKeptScroll } from '../shared/find.tsx'
import { daySpan, moment } from '../shared/moment.ts'
import { Empty, Paper, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { rounds as say } from './words.ts'

/** All rounds, by their state: what goes out, what is being prepared, what is finished. */
export default function Rounds() {
  const rounds = useQuery(query.rounds())
  const [search] = useSearchParams()
  const scroll = useKeptScroll('rounds')
  const { field, find, fits } = useFind('rounds')
  const found = (rounds.data ?? []).filter((line) => fits(line.title, line.listName, line.subject))
  const drafts = found.filter((line) => line.postedAt === null)
  const goingOut = found.filter(isGoingOut)
  const finished = found.filter((line) => line.postedAt !== null && !isGoingOut(line))
  return (
    <div ref={scroll} className="h-full overflow-auto">
      <div className="mx-auto max-w-6xl space-y-4 p-5">
        <header className="flex items-end justify-between">
          <h1 className="text-2xl">{say.title}</h1>
          <span className="flex flex-wrap items-center gap-2">
            {(rounds.data?.length ?? 0) > 1 && field}
            <StartRound opened={search.has('start')} />
          </span>
        </header>
        {rounds.error ? (
          <Empty title={say.notShown}>{faultWords(rounds.error)}</Empty>
        ) : !rounds.data ? (
          <Waiting />
        ) : rounds.data.length === 0 ? (
          <Paper>
            <Empty title={say.none} shows={say.noneShows}>
              {say.noneMore}
            </Empty>
          </Paper>
        ) : (
          <>
            {goingOut.length > 0 && (
              <Paper title={say.goingOut}>
                <PostedRounds lines={goingOut.sort((a, b) => (a.lastAt ?? 0) - (b.lastAt ?? 0))} />
              </Paper>
            )}
            {drafts.length > 0 && (
              <Paper title={say.drafts}>
                <Drafts lines={drafts} />
              </Paper>
            )}
            {finished.length > 0 && (
              <Paper title={say.finished}>
                <PostedRounds lines={finished.sort((a, b) => (b.lastAt ?? 0) - (a.lastAt ?? 0))} />
              </Paper>
            )}
            {found.length === 0 && <NoneFound find={find} />}
          </>
        )}
      </div>
    </div>
  )
}

const cell = 'px-3 py-2 align-top first:pl-4 last:pr-4'

/** A table whose rows lead to their rounds. */
function Table({ heads, children }: { heads: [name: string, width: string][]; children: ReactNode }) {
  return (
    <table className="w-full table-fixed text-left">
      <thead className="bg-sheet-2 text-[13px] text-ink-2">
        <tr>
          {heads.map(([name, width]) => (
            <th key={name} scope="col" className="px-3 py-1 font-normal first:pl-4" style={{ width }}>
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  )
}

function Line({ line, children }: { line: RoundOverview; children: ReactNode }) {
  return (
    <tr className="relative border-rule border-t hover:bg-sheet-2">
      <th scope="row" className={`${cell} font-normal`}>
        {/* The whole row leads there; what is read aloud is its name. */}
        <Link to={`/rounds/${line.id}`} className="block font-bold after:absolute after:inset-0">
          {line.title}
        </Link>
        <span className="text-[14px] text-ink-2">
          {line.listName === null ? say.noList : say.peopleIn(line.rowCount, line.listName)}
        </span>{' '}
        <PracticeMark mailboxId={line.mailboxId} />
      </th>
      {children}
    </tr>
  )
}

function PostedRounds({ lines }: { lines: RoundOverview[] }) {
  return (
    <Table
      heads={[
        [say.round, '27%'],
        [say.days, '16%'],
        [say.life, '190px'],
        [say.sent, '9%'],
        [say.answered, '9%'],
        [say.waits, 'auto'],
      ]}
    >
      {lines.map((line) => {
        const all = Object.values(line.states).reduce((a, b) => a + b, 0)
        const waits = say.waiting(line)
        return (
          <Line key={line.id} line={line}>
            <td className={`${cell} text-[14px]`}>
              <RoundMark line={line} />
              {line.firstAt !== null && line.lastAt !== null && (
                <span className="mt-0.5 block">{daySpan(line.firstAt, line.lastAt)}</span>
              )}
            </td>
            <td className={cell}>{line.life && <LifeChart life={line.life} />}</td>
            <td className={`${cell} tabular-nums`}>{say.of(line.states.sent, all)}</td>
            <td className={`${cell} tabular-nums`}>
              {line.replied > 0 ? say.of(line.replied, line.states.sent) : say.noAnswer}
            </td>
            <td className={`${cell} text-[14px]`}>
              {waits.length === 0 ? (
                <span className="text-ink-2">{line.replied > 0 ? say.everybodyAnswered : say.nothing}</span>
              ) : (
                waits.map((one, i) => (
                  <span key={one} className={i === 0 ? 'block' : 'block text-ink-2'}>
                    {one}
                  </span>
                ))
              )}
            </td>
          </Line>
        )
      })}
    </Table>
  )
}

function Drafts({ lines }: { lines: RoundOverview[] }) {
  return (
    <Table
      heads={[
        [say.round, '27%'],
        [say.subject, 'auto'],
        [say.changed, '16%'],
        [say.next, '22%'],
      ]}
    >
      {lines.map((line) => (
        <Line key={line.id} line={line}>
          <td className={`${cell} truncate text-[14px]`}>{line.subject || say.noSubject}</td>
          <td className={`${cell} text-[14px]`}>{moment(line.changedAt)}</td>
          <td className={`${cell} text-[14px]`}>
            {line.listName === null ? say.bringIn : line.subject.trim() === '' ? say.write : say.proofAndPost}
          </td>
        </Line>
      ))}
    </Table>
  )
}
