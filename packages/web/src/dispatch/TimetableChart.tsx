import { tzOffset } from '@date-fns/tz'
import type { Timetable } from '@hand-post/contract'
import { bin, groups, max, min } from 'd3-array'
import { scaleLinear, scaleUtc } from 'd3-scale'
import { utcDay } from 'd3-time'
import { utcFormat } from 'd3-time-format'
import { useMemo } from 'react'
import { useWidth } from '../shared/useWidth.ts'
import { timetableChart as say } from './words.ts'

const rowHeight = 54
const barHeight = 28
const left = 88
const right = 104
const maxDays = 14
const dayName = utcFormat('%a %-d %b')
const clock = utcFormat('%H:%M')
const minute = 60_000

/** The timetable drawn: a strip for each day, a stroke wherever letters leave; solid where they have gone. */
export function TimetableChart({ table, zone, now }: { table: Timetable; zone: string; now: number }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  // Times are moved into the mailbox's zone and drawn as UTC, so that the days are the mailbox's days.
  const shift = useMemo(() => (at: number) => at + tzOffset(zone, new Date(at)) * minute, [zone])
  const days = useMemo(
    () =>
      groups(
        table.departures.map((d) => ({ ...d, at: shift(d.at) })),
        (d) => utcDay.floor(new Date(d.at)).getTime(),
      ),
    [table.departures, shift],
  )
  if (days.length === 0) return null
  const hourOf = (at: number) => at - utcDay.floor(new Date(at)).getTime()
  const earliest = min(table.departures, (d) => hourOf(shift(d.at)))!
  const latest = max(table.departures, (d) => hourOf(shift(d.at)))!
  const pad = Math.max(2 * minute, (latest - earliest) * 0.04)
  const x = scaleUtc(
    [Math.max(0, earliest - pad), Math.min(24 * 60 * minute, latest + pad)],
    [left, Math.max(left + 60, width - right)],
  )
  const bins = bin<(typeof days)[number][1][number], number>()
    .value((d) => hourOf(d.at))
    .domain(x.domain().map(Number) as [number, number])
    .thresholds(scaleLinear(x.domain().map(Number), [0, 1]).ticks(Math.max(20, Math.floor((width - left - right) / 6))))
  const binned = days.map(([day, departures]) => ({
    day,
    departures,
    bins: bins(departures).filter((b) => b.length > 0),
  }))
  const most = max(binned, ({ bins }) => max(bins, (b) => b.length))!
  const y = scaleLinear([0, most], [0, barHeight])
  const drawn = binned.slice(0, maxDays)
  const height = drawn.length * rowHeight + 22
  const ticks = x.ticks(Math.max(2, Math.floor((width - left - right) / 90)))
  const nowAt = hourOf(shift(now))
  const today = utcDay.floor(new Date(shift(now))).getTime()
  return (
    <figure ref={ref}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={say.timetableFiguresStandTable(table.sentence)}
        className="block text-[13px]"
      >
        {drawn.map(({ day, departures, bins }, row) => {
          const base = row * rowHeight + barHeight + 16
          const gone = departures.filter((d) => d.gone).length
          return (
            <g key={day}>
              <text x={0} y={base - 4} className="fill-ink">
                {dayName(new Date(day))}
              </text>
              <line x1={left} x2={width - right} y1={base} y2={base} className="stroke-rule" />
              {bins.map((b) => {
                const from = x(b.x0!)
                const wide = Math.max(2, x(b.x1!) - from - 1)
                const done = b.filter((d) => d.gone).length
                return (
                  <g key={b.x0}>
                    <rect
                      x={from}
                      width={wide}
                      y={base - y(b.length)}
                      height={y(b.length)}
                      className="fill-post-tint stroke-post"
                      strokeWidth={0.75}
                    />
                    {done > 0 && (
                      <rect x={from} width={wide} y={base - y(done)} height={y(done)} className="fill-post" />
                    )}
                  </g>
                )
              })}
              {day === today && nowAt >= Number(x.domain()[0]) && nowAt <= Number(x.domain()[1]) && (
                <g>
                  <line
                    x1={x(nowAt)}
                    x2={x(nowAt)}
                    y1={base - barHeight - 13}
                    y2={base + 3}
                    className="stroke-ink"
                    strokeDasharray="3 2"
                  />
                  <text
                    x={x(nowAt) > width - right - 40 ? x(nowAt) - 4 : x(nowAt) + 4}
                    textAnchor={x(nowAt) > width - right - 40 ? 'end' : 'start'}
                    y={base - barHeight - 3}
                    className="fill-ink text-[12px]"
                  >
                    {say.now}
                  </text>
                </g>
              )}
              <text x={width - right + 10} y={base - 14} className="fill-ink">
                {say.nLetters(departures.length)}
              </text>
              <text x={width - right + 10} y={base} className="fill-ink-2 text-[12px]">
                {gone === 0 ? say.go : gone === departures.length ? say.allGone : say.gone(gone)}
              </text>
            </g>
          )
        })}
        {ticks.map((tick) => (
          <text
            key={+tick}
            x={x(tick)}
            y={drawn.length * rowHeight + 14}
            textAnchor="middle"
            className="fill-ink-2 text-[12px]"
          >
            {clock(tick)}
          </text>
        ))}
      </svg>
      {days.length > maxDays && <p className="text-[13px] text-ink-2">{say.table(days.length, maxDays)}</p>}
      <details className="mt-1 text-[13px]">
        <summary className="cursor-pointer text-ink-2">{say.asTable}</summary>
        <table className="mt-1">
          <thead>
            <tr className="text-left">
              {[say.day, say.first, say.last, say.letters, say.recipients, say.gone2].map((h) => (
                <th key={h} scope="col" className="pr-5">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {days.map(([day, departures]) => (
              <tr key={day}>
                <th scope="row" className="pr-5 text-left font-normal">
                  {dayName(new Date(day))}
                </th>
                <td className="pr-5">{clock(new Date(departures[0].at))}</td>
                <td className="pr-5">{clock(new Date(departures.at(-1)!.at))}</td>
                <td className="pr-5">{departures.length}</td>
                <td className="pr-5">{departures.reduce((sum, d) => sum + d.recipients, 0)}</td>
                <td>{departures.filter((d) => d.gone).length}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </figure>
  )
}
