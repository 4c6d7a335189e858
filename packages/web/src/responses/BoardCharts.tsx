import type { Board } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { faultWords } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Say, Ways } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useWidth } from '../shared/useWidth.ts'
import { ChoiceChart } from './ChoiceChart.tsx'
import { ComparedChart, comparedWords } from './ComparedChart.tsx'
import { HourChart } from './HourChart.tsx'
import { SeenBy } from './SeenBy.tsx'
import { TimelineChart } from './TimelineChart.tsx'
import { roundsOfList, boardCharts as say } from './words.ts'

type Way = keyof typeof say.ways

/** What came back of a round, drawn: one drawing at a time. Fetched when those who answered stand there, so that it does not hold them up. */
export function BoardCharts({
  board,
  wait,
  link,
  setLink,
}: {
  board: Board
  wait: boolean
  /** The link whose followers are shown. */
  link: string | null
  setLink: (link: string | null) => void
}) {
  const { round } = useWork()
  const charts = useQuery({ ...query.boardCharts(round.id), enabled: !wait })
  const [ref, width] = useWidth<HTMLElement>()
  const [way, setWay] = useState<Way>('time')
  const data = charts.data
  const words = data ? comparedWords(data.compared) : null
  const name = `${round.title}, ${say.ways[way]}`
  return (
    <figure ref={ref} aria-label={say.drawings}>
      <div className="mb-1 flex text-[13px]">
        <Ways
          legend={say.which}
          ways={say.ways}
          without={[
            ...(board.choices.length === 0 ? (['choices'] as const) : []),
            ...(board.tracking.opens || board.tracking.clicks ? [] : (['seen'] as const)),
          ]}
          way={way}
          onChoose={setWay}
        />
      </div>
      {way === 'choices' ? (
        <ChoiceChart board={board} width={width} name={name} />
      ) : way === 'seen' ? (
        <SeenBy width={width} name={name} link={link} setLink={setLink} />
      ) : charts.error ? (
        <Say tone="stop">{faultWords(charts.error)}</Say>
      ) : !data || width === 0 ? (
        <div className="h-[190px]" />
      ) : way === 'time' ? (
        data.overTime.lines.length > 0 ? (
          <TimelineChart overTime={data.overTime} width={width} name={name} />
        ) : (
          <Nothing>{say.nothingSent}</Nothing>
        )
      ) : way === 'hour' ? (
        [...data.byHour.opened, ...data.byHour.replied].some((n) => n > 0) ? (
          <HourChart byHour={data.byHour} width={width} name={name} />
        ) : (
          <Nothing>{say.nothingHeard}</Nothing>
        )
      ) : data.compared.some((one) => one.after.length > 0) ? (
        <>
          <ComparedChart compared={data.compared} width={width} name={name} />
          <p className="text-[14px]">
            {words ?? (data.compared.length === 1 ? say.noEarlier : say.notADay)}{' '}
            {round.list && data.compared.length > 1 && (
              <Link to={`/people/lists/${round.list.id}/rounds`} className="text-post underline">
                {roundsOfList.open}
              </Link>
            )}
          </p>
        </>
      ) : (
        <Nothing>{say.notADay}</Nothing>
      )}
    </figure>
  )
}

const Nothing = ({ children }: { children: string }) => (
  <p className="flex h-[190px] items-center justify-center text-[14px] text-ink-2">{children}</p>
)

/** Why letters of a round came back; nothing where none did. */
export function WhyBack({ wait }: { wait: boolean }) {
  const { round } = useWork()
  const returned = useQuery({ ...query.boardCharts(round.id), enabled: !wait }).data?.returned ?? []
  if (returned.length === 0) return null
  return (
    <section aria-label={say.whyBack} className="border-rule border-b px-5 py-1.5 text-[14px]">
      <h3 className="text-[13px] text-ink-2">{say.whyBack}</h3>
      <ul className="flex flex-wrap gap-x-6">
        {returned.slice(0, mostReasons).map(({ count, sent, domain, reason, hard }) => (
          <li key={`${domain} ${reason} ${hard}`}>{say.returned(count, sent, domain, reason, hard)}</li>
        ))}
        {returned.length > mostReasons && (
          <li className="text-ink-2">{say.moreReasons(returned.length - mostReasons)}</li>
        )}
      </ul>
    </section>
  )
}
/** How many reasons are written out. */
const mostReasons = 12
