import type { RoundOfList } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { Link, useParams } from 'react-router'
import { faultWords } from '../api.ts'
import { daySpan } from '../shared/moment.ts'
import { Empty, Paper, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useWidth } from '../shared/useWidth.ts'
import { ComparedChart, mostDrawn } from './ComparedChart.tsx'
import { SharesChart } from './SharesChart.tsx'
import { roundsOfList as say } from './words.ts'

/** The rounds that were posted to a list, over the years, beside each other. */
export default function RoundsOfList() {
  const { list } = useParams()
  const compared = useQuery(query.roundsOfList(Number(list)))
  if (compared.error) return <Empty title={say.notShown}>{faultWords(compared.error)}</Empty>
  if (!compared.data) return <Waiting />
  const { rounds, more } = compared.data
  const back = (
    <Link to={`/people/lists/${list}`} className="text-post underline">
      {say.back}
    </Link>
  )
  if (rounds.length === 0)
    return (
      <Empty title={say.none} action={back}>
        {say.noneWhat}
      </Empty>
    )
  return (
    <div className="mx-auto max-w-7xl p-4">
      <Paper title={say.title(compared.data.list.name)} actions={back}>
        <Compared rounds={rounds} listName={compared.data.list.name} />
        {(rounds.length === 1 || more > 0) && (
          <p className="px-5 py-3 text-[14px] text-ink-2">{rounds.length === 1 ? say.one : say.more(more)}</p>
        )}
      </Paper>
    </div>
  )
}

function Compared({ rounds, listName }: { rounds: RoundOfList[]; listName: string }) {
  // Those that the writer has chosen; until then the latest.
  const [chosen, setChosen] = useState<number[] | null>(null)
  const drawn = chosen ?? rounds.slice(0, mostDrawn).map(({ roundId }) => roundId)
  const change = (roundId: number, on: boolean) =>
    setChosen(on ? [...drawn, roundId] : drawn.filter((one) => one !== roundId))
  const some = rounds.filter(({ roundId }) => drawn.includes(roundId))
  return (
    <>
      <div className="flex flex-wrap gap-x-8 gap-y-4 px-5 py-3">
        <Chart title={say.shares}>
          {(width) => <SharesChart rounds={rounds} width={width} name={`${listName}, ${say.shares}`} />}
        </Chart>
        <Chart title={say.days} hint={say.daysHint(mostDrawn)}>
          {(width) =>
            some.some(({ after }) => after.length > 0) ? (
              <ComparedChart compared={some} width={width} name={`${listName}, ${say.days}`} />
            ) : (
              <p className="py-14 text-center text-ink-2">{say.notADay}</p>
            )
          }
        </Chart>
      </div>
      <div className="overflow-auto border-rule border-t">
        <table className="w-full text-[14px]">
          <caption className="sr-only">{say.table}</caption>
          <thead>
            <tr className="border-rule border-b text-left text-[13px] text-ink-2">
              {Object.entries(say.heads).map(([name, head]) => (
                <th key={name} scope="col" className="px-3 py-1.5 font-normal first:pl-5">
                  {head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rounds.map((round) => (
              <Line
                key={round.roundId}
                round={round}
                drawn={drawn.includes(round.roundId)}
                full={drawn.length >= mostDrawn}
                onDraw={(on) => change(round.roundId, on)}
              />
            ))}
          </tbody>
        </table>
      </div>
    </>
  )
}

/** A chart under its heading, as wide as there is room. */
function Chart({ title, hint, children }: { title: string; hint?: string; children: (width: number) => ReactNode }) {
  const [ref, width] = useWidth<HTMLElement>()
  return (
    <section ref={ref} aria-label={title} className="min-w-72 flex-1 basis-96">
      <h3 className="mb-1 font-bold text-[14px]">
        {title} {hint && <span className="font-normal text-[13px] text-ink-2">{hint}</span>}
      </h3>
      {width === 0 ? <div className="h-[220px]" /> : children(width)}
    </section>
  )
}

function Line({
  round,
  drawn,
  full,
  onDraw,
}: {
  round: RoundOfList
  drawn: boolean
  /** No further one can be drawn. */
  full: boolean
  onDraw: (on: boolean) => void
}) {
  const { counts, tracking } = round
  const cell = 'px-3 py-1.5 align-top'
  const said = [
    ...round.choices.filter(({ people }) => people > 0).map(({ choice, people }) => say.said(choice, people)),
    ...round.words.filter(({ people }) => people > 0).map(({ word, people }) => say.said(word, people)),
  ]
  return (
    <tr className="border-rule border-b last:border-b-0">
      <td className={`${cell} pl-5`}>
        <input
          type="checkbox"
          className="size-4 accent-post"
          aria-label={say.draw(round.title)}
          checked={drawn}
          disabled={!drawn && full}
          onChange={(e) => onDraw(e.target.checked)}
        />
      </td>
      <th scope="row" className={`${cell} text-left font-normal`}>
        <Link to={`/rounds/${round.roundId}/responses`} className="text-post underline">
          {round.title}
        </Link>
      </th>
      <td className={`${cell} whitespace-nowrap`}>{daySpan(round.postedAt, round.postedAt, 0)}</td>
      <td className={cell}>
        {say.letters(counts.messages, round.paper)}
        {counts.waiting > 0 && <div className="text-[13px] text-ink-2">{say.waiting(counts.waiting)}</div>}
      </td>
      <td className={cell}>{say.of(counts.arrived, counts.sent)}</td>
      <td className={cell}>{tracking.opens ? say.of(counts.opened, counts.arrived) : say.notCounted}</td>
      <td className={cell}>{say.of(counts.replied, counts.arrived)}</td>
      <td className={cell}>{round.halfWithin === null ? say.nobody : say.within(round.halfWithin)}</td>
      <td className={cell}>{round.chased === 0 ? say.nobody : round.chased.toLocaleString('en-GB')}</td>
      <td className={cell}>{said.length === 0 ? say.nobody : said.join(', ')}</td>
    </tr>
  )
}
