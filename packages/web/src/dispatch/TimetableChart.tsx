import type { Timetable } from '@hand-post/contract'
import { type Opening, Openings, openWithin, roundOpen, ZoneDays } from '@hand-post/core'
import { max } from 'd3-array'
import { scaleLinear, scaleUtc } from 'd3-scale'
import { utcFormat } from 'd3-time-format'
import { useId, useMemo } from 'react'
import { useWidth } from '../shared/useWidth.ts'
import { timetableChart as say } from './words.ts'

const barHeight = 28
const rowHeight = barHeight + 22
const left = 88
const right = 168
const maxDays = 14
const minute = 60_000
const hour = 60 * minute
const day = 24 * hour
const dayName = utcFormat('%a %-d %b')
const clock = utcFormat('%H:%M')
// Asked for anew with each number, a format takes a hundred times as long.
const { format: figure } = new Intl.NumberFormat('en-GB')

type Entry = Timetable['departures'][number]

/** One day of the timetable. */
interface Day {
  number: number
  letters: Entry[]
  /** When each of them leaves, and when those of other rounds do: ms since midnight by the clock. */
  hours: number[]
  others: number[]
  open: Opening[]
  /** What the first letter of the next day with any waits for. */
  holds: Entry['by']
}

/** The days from the first to the last letter, those on which none leaves too. */
function daysOf(table: Timetable, zone: string): { days: Day[]; hourOf: (at: number) => number } {
  const zoneDays = new ZoneDays(zone)
  // On a day of 23 or 25 hours the clock is told from how far the day has come.
  const hourOf = (at: number) => {
    const { start, end } = zoneDays.of(at)
    return ((at - start) * day) / (end - start)
  }
  if (table.departures.length === 0) return { days: [], hourOf }
  const first = zoneDays.of(table.departures[0].at).number
  const last = zoneDays.of(table.departures[table.departures.length - 1].at).number
  const open = roundOpen(new Openings(table.limits.hours, zone), table.pace, zone)
  const days = Array.from({ length: last - first + 1 }, (_, i): Day => {
    const { number, start, end } = zoneDays.numbered(first + i)
    return {
      number,
      letters: [],
      hours: [],
      others: [],
      open: i < maxDays ? openWithin(open, start, end) : [],
      holds: null,
    }
  })
  for (const entry of table.departures) {
    const one = days[zoneDays.of(entry.at).number - first]
    one.letters.push(entry)
    one.hours.push(hourOf(entry.at))
  }
  for (const { at } of table.others) days[zoneDays.of(at).number - first]?.others.push(hourOf(at))
  let next: Entry['by'] = null
  for (let i = days.length - 1; i >= 0; i--) {
    days[i].holds = next
    if (days[i].letters.length > 0) next = days[i].letters[0].by
  }
  return { days, hourOf }
}

/**
 * The timetable drawn: a strip for each day, closed hours hatched, a stroke wherever letters leave; solid where they have gone, and other
 * rounds of the mailbox on top in another tone.
 */
export function TimetableChart({ table, zone, now }: { table: Timetable; zone: string; now: number }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const hatch = useId()
  const { days, hourOf } = useMemo(() => daysOf(table, zone), [table, zone])
  if (days.length === 0) return null
  const drawn = days.slice(0, maxDays)
  const closes = drawn.some(({ open }) => open.length !== 1 || open[0].to - open[0].from < 23 * hour)
  // Open day and night, only where letters leave is looked at.
  const openings = closes ? drawn.flatMap(({ open }) => open) : []
  const earliest = Math.min(
    ...drawn.flatMap(({ hours }) => (hours.length > 0 ? [hours[0]] : [])),
    ...openings.map((o) => hourOf(o.from)),
  )
  const latest = Math.max(
    ...drawn.flatMap(({ hours }) => (hours.length > 0 ? [hours[hours.length - 1]] : [])),
    ...openings.map((o) => hourOf(o.to - 1)),
  )
  const pad = Math.max(2 * minute, (latest - earliest) * 0.04)
  const end = Math.max(left + 60, width - right)
  const x = scaleUtc([Math.max(0, earliest - pad), Math.min(day, latest + pad)], [left, end])
  const [from, to] = x.domain().map(Number)
  const count = Math.max(20, Math.floor((end - left) / 6))
  const binned = drawn.map((one) => ({ ...one, bins: binsOf(one, from, to, count) }))
  const y = scaleLinear([0, max(binned, ({ bins }) => max(bins, (b) => b.mine + b.others)) ?? 1], [0, barHeight])
  const height = drawn.length * rowHeight + 22
  const ticks = x.ticks(Math.max(2, Math.floor((end - left) / 90)))
  const nowAt = hourOf(now)
  const today = new ZoneDays(zone).of(now).number
  const within = (at: number) => Math.min(to, Math.max(from, at))
  const hasOthers = drawn.some(({ others }) => others.length > 0)
  return (
    <figure ref={ref}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={say.timetableFiguresStandTable(table.sentence)}
        className="block text-[13px]"
      >
        <pattern id={hatch} width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" className="fill-sheet-2" />
          <line x1="0" y1="0" x2="0" y2="6" className="stroke-rule" strokeWidth="2" />
        </pattern>
        {binned.map(({ number, letters, open, bins, holds }, row) => {
          const base = row * rowHeight + barHeight + 10
          const gone = letters.filter((d) => d.gone).length
          const shut = closedOf(open, hourOf, from, to)
          return (
            <g key={number}>
              <text x={0} y={base - 4} className={letters.length > 0 ? 'fill-ink' : 'fill-ink-2'}>
                {dayName(new Date(number * day))}
              </text>
              {shut.map((one) => (
                <rect
                  key={one.from}
                  x={x(within(one.from))}
                  width={Math.max(0, x(within(one.to)) - x(within(one.from)))}
                  y={base - barHeight - 2}
                  height={barHeight + 2}
                  fill={`url(#${hatch})`}
                />
              ))}
              {open.length === 0 && (
                <text x={(left + end) / 2} y={base - 9} textAnchor="middle" className="fill-ink-2 text-[12px]">
                  {say.shut}
                </text>
              )}
              <line x1={left} x2={end} y1={base} y2={base} className="stroke-rule" />
              {bins.map(({ at, mine, gone, others }) => {
                const start = x(at)
                const wide = Math.max(2, x(at + (to - from) / count) - start - 1)
                return (
                  <g key={at}>
                    {mine > 0 && (
                      <rect
                        x={start}
                        width={wide}
                        y={base - y(mine)}
                        height={y(mine)}
                        className="fill-post-tint stroke-post"
                        strokeWidth={0.75}
                      />
                    )}
                    {gone > 0 && (
                      <rect x={start} width={wide} y={base - y(gone)} height={y(gone)} className="fill-post" />
                    )}
                    {others > 0 && (
                      <rect
                        x={start}
                        width={wide}
                        y={base - y(mine + others)}
                        height={y(others)}
                        className="fill-note-tint stroke-note"
                        strokeWidth={0.75}
                        strokeDasharray="2 1"
                      />
                    )}
                  </g>
                )
              })}
              {number === today && nowAt >= from && nowAt <= to && (
                <g>
                  <line
                    x1={x(nowAt)}
                    x2={x(nowAt)}
                    y1={base - barHeight - 7}
                    y2={base + 3}
                    className="stroke-ink"
                    strokeDasharray="3 2"
                  />
                  <text
                    x={x(nowAt) > end - 40 ? x(nowAt) - 4 : x(nowAt) + 4}
                    textAnchor={x(nowAt) > end - 40 ? 'end' : 'start'}
                    y={base - barHeight + 2}
                    className="fill-ink text-[12px]"
                  >
                    {say.now}
                  </text>
                </g>
              )}
              <text x={end + 10} y={base - 13} className={letters.length > 0 ? 'fill-ink' : 'fill-ink-2'}>
                {letters.length === 0 ? say.none : say.nLetters(letters.length)}
              </text>
              <text x={end + 10} y={base + 1} className="fill-ink-2 text-[12px]">
                {letters.length > 0 && gone === letters.length
                  ? say.allGone
                  : gone > 0
                    ? say.gone(gone)
                    : letters.length > 0 && holds !== null && say.holds[holds] !== ''
                      ? say.thenWaits(say.holds[holds])
                      : ''}
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
      {(hasOthers || closes) && (
        <p aria-hidden="true" className="flex flex-wrap gap-x-5 text-[13px] text-ink-2">
          <Key label={say.legendWaiting} className="fill-post-tint stroke-post" />
          <Key label={say.legendGone} className="fill-post stroke-post" />
          {hasOthers && <Key label={say.legendOthers} className="fill-note-tint stroke-note" dashed />}
          {closes && <Key label={say.legendClosed} fill={`url(#${hatch})`} className="stroke-rule" />}
        </p>
      )}
      {days.length > maxDays && <p className="text-[13px] text-ink-2">{say.table(days.length, maxDays)}</p>}
      <details className="mt-1 text-[13px]">
        <summary className="cursor-pointer text-ink-2">{say.asTable}</summary>
        <table className="mt-1">
          <thead>
            <tr className="text-left">
              {[
                say.day,
                say.first,
                say.last,
                say.letters,
                say.recipients,
                say.gone2,
                ...(hasOthers ? [say.others] : []),
                say.holder,
              ].map((h) => (
                <th key={h} scope="col" className="pr-5">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {days
              .filter(({ letters }) => letters.length > 0)
              .map(({ number, letters, others, holds }) => (
                <tr key={number}>
                  <th scope="row" className="pr-5 text-left font-normal">
                    {dayName(new Date(number * day))}
                  </th>
                  <td className="pr-5">{clock(new Date(hourOf(letters[0].at)))}</td>
                  <td className="pr-5">{clock(new Date(hourOf(letters[letters.length - 1].at)))}</td>
                  <td className="pr-5">{figure(letters.length)}</td>
                  <td className="pr-5">{figure(letters.reduce((sum, d) => sum + d.recipients, 0))}</td>
                  <td className="pr-5">{figure(letters.filter((d) => d.gone).length)}</td>
                  {hasOthers && <td className="pr-5">{figure(others.length)}</td>}
                  <td>{holds === null ? '' : say.holds[holds]}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </details>
    </figure>
  )
}

/** How many letters leave in each part of a day's hours, those parts only in which any does. */
function binsOf({ letters, hours, others }: Day, from: number, to: number, count: number) {
  const bins = new Map<number, { at: number; mine: number; gone: number; others: number }>()
  const of = (h: number) => {
    const i = Math.min(count - 1, Math.floor(((h - from) / (to - from)) * count))
    let one = bins.get(i)
    if (!one) {
      one = { at: from + (i * (to - from)) / count, mine: 0, gone: 0, others: 0 }
      bins.set(i, one)
    }
    return one
  }
  for (let i = 0; i < hours.length; i++) {
    const one = of(hours[i])
    one.mine++
    if (letters[i].gone) one.gone++
  }
  for (const h of others) if (h >= from && h <= to) of(h).others++
  return [...bins.values()]
}

/** The hours of a day at which it is closed, by the clock, between two hours. */
function closedOf(open: Opening[], hourOf: (at: number) => number, from: number, to: number) {
  const closed: { from: number; to: number }[] = []
  let at = from
  for (const opening of open) {
    const opens = hourOf(opening.from)
    if (opens > at) closed.push({ from: at, to: opens })
    at = hourOf(opening.to - 1) + 1
  }
  if (at < to) closed.push({ from: at, to })
  return closed
}

function Key({
  label,
  className,
  fill,
  dashed = false,
}: {
  label: string
  className: string
  fill?: string
  dashed?: boolean
}) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <svg width="16" height="12" aria-hidden="true">
        <rect
          x="0.5"
          y="0.5"
          width="15"
          height="11"
          className={className}
          fill={fill}
          strokeDasharray={dashed ? '2 1' : undefined}
        />
      </svg>
      {label}
    </span>
  )
}
