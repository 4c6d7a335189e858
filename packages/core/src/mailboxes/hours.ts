import { dayNumber, instantOf, type ZoneDay, ZoneDays } from './zone.ts'

/** From when to when on a day, in minutes after midnight by the clock; to is not included. */
export interface Span {
  from: number
  to: number
}

/** The hours of each day of the week, from Monday to Sunday; a day without any is closed. */
export type Week = Span[][]

/** Days on which nothing leaves, both included, as 2026-12-24 (ISO 8601). */
export interface DaysOff {
  from: string
  to: string
  /** Why, as "Christmas Day". */
  name: string
}

/** When letters may leave. */
export interface Hours {
  week: Week
  off: DaysOff[]
}

const wholeDay: Span = { from: 0, to: 24 * 60 }
const weekOf = (weekdays: Span[], weekend: Span[] = []): Span[][] => [
  ...Array.from({ length: 5 }, () => weekdays.map((span) => ({ ...span }))),
  ...Array.from({ length: 2 }, () => weekend.map((span) => ({ ...span }))),
]
const at = (from: number, to: number): Span => ({ from: from * 60, to: to * 60 })

/** The ready choices of hours. What an office keeps: common practice, no source. */
export const readyWeeks = {
  anyTime: weekOf([wholeDay], [wholeDay]),
  office: weekOf([at(9, 12.5), at(13.5, 17)]),
  mornings: weekOf([at(9, 12)]),
  afternoons: weekOf([at(13, 17)]),
  weekdays: weekOf([wholeDay]),
}
export type ReadyWeek = keyof typeof readyWeeks

/** Which ready choice a week is, or null where it is of the writer's own making. */
export function readyWeekOf(week: Week): ReadyWeek | null {
  const same = (other: Week) =>
    other.every(
      (spans, i) =>
        spans.length === week[i].length &&
        spans.every((span, j) => span.from === week[i][j].from && span.to === week[i][j].to),
    )
  return (Object.keys(readyWeeks) as ReadyWeek[]).find((name) => same(readyWeeks[name])) ?? null
}

/** Any time at all. */
export const anyTime: Hours = { week: readyWeeks.anyTime, off: [] }

/** How far ahead it is looked for an hour that is open: longer than any calendar of days off. */
const horizonDays = 3 * 366

/** A stretch of time in which letters may leave, in ms since 1970; to is not included. */
export interface Opening {
  from: number
  to: number
}

/** When a mailbox is open: its hours in its time zone, worked out as moments from day to day, as far as they are asked for. */
export class Openings {
  private readonly days: ZoneDays
  private readonly off: { from: number; to: number }[]
  private readonly ofDay = new Map<number, Opening[]>()
  private readonly always: boolean
  private last: Opening | null = null

  /** @param zone IANA. */
  constructor(
    private readonly hours: Hours,
    zone: string,
  ) {
    this.days = new ZoneDays(zone)
    this.off = hours.off.map(({ from, to }) => ({ from: dayNumber(from), to: dayNumber(to) }))
    this.always = this.off.length === 0 && hours.week.every((spans) => spans.some((s) => s.from === 0 && s.to === 1440))
  }

  /** The opening in which a moment lies, or the first after it; null where it opens in no three years. */
  next(from: number): Opening | null {
    if (this.always) return { from: Number.NEGATIVE_INFINITY, to: Number.POSITIVE_INFINITY }
    if (this.last && from >= this.last.from && from < this.last.to) return this.last
    const first = this.days.of(from).number
    for (let number = first; number < first + horizonDays; number++)
      for (const opening of this.on(number))
        if (from < opening.to) {
          if (from >= opening.from) this.last = opening
          return opening
        }
    return null
  }

  /** The openings of a day, by its number of days since 1970. */
  on(number: number): readonly Opening[] {
    let openings = this.ofDay.get(number)
    if (!openings) {
      openings = this.isOff(number) ? [] : this.openedOn(this.days.numbered(number))
      this.ofDay.set(number, openings)
    }
    return openings
  }

  private isOff(number: number): boolean {
    return this.off.some(({ from, to }) => number >= from && number <= to)
  }

  private openedOn({ number, start, end }: ZoneDay): Opening[] {
    // 1 January 1970 was a Thursday.
    const spans = this.hours.week[(((number + 3) % 7) + 7) % 7]
    const moment = (minutes: number) =>
      minutes <= 0
        ? start
        : minutes >= 24 * 60
          ? end
          : Math.min(end, Math.max(start, instantOf((number * 24 * 60 + minutes) * 60_000, this.days.zone)))
    const opened = spans
      .map(({ from, to }) => ({ from: moment(from), to: moment(to) }))
      .filter(({ from, to }) => from < to)
      .sort((a, b) => a.from - b.from)
    // Spans that touch or lie in one another are one opening.
    const joined: Opening[] = []
    for (const opening of opened) {
      const before = joined.at(-1)
      if (before && opening.from <= before.to) before.to = Math.max(before.to, opening.to)
      else joined.push(opening)
    }
    return joined
  }
}

/** When all of several are open at once. */
export class OpenTogether {
  private closedFrom = Number.POSITIVE_INFINITY

  constructor(private readonly all: readonly Openings[]) {}

  /** The opening in which a moment lies, or the first after it; null where they are never open together within three years. */
  next(from: number): Opening | null {
    if (from >= this.closedFrom) return null
    const found = this.search(from)
    if (found === null) this.closedFrom = from
    return found
  }

  private search(from: number): Opening | null {
    const limit = from + horizonDays * 24 * 60 * 60 * 1000
    for (let at = from; at < limit; ) {
      let [opens, closes] = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY]
      for (const openings of this.all) {
        const opening = openings.next(Math.max(at, opens))
        if (opening === null) return null
        opens = Math.max(opens, opening.from)
        closes = Math.min(closes, opening.to)
      }
      // None of them has closed again before the last of them opened.
      if (Math.max(at, opens) < closes) return { from: opens, to: closes }
      at = opens
    }
    return null
  }

  /** How long (ms) it is open between two moments. */
  openBetween(from: number, to: number): number {
    let open = 0
    for (let at = from; at < to; ) {
      const opening = this.next(at)
      if (opening === null || opening.from >= to) break
      open += Math.min(to, opening.to) - Math.max(at, opening.from)
      at = opening.to
    }
    return open
  }

  /** The moment at which it has been open for so many ms since another; null where it never has. */
  after(from: number, open: number): number | null {
    let left = open
    for (let at = from; ; ) {
      const opening = this.next(at)
      if (opening === null) return null
      const start = Math.max(at, opening.from)
      if (left < opening.to - start) return start + left
      left -= opening.to - start
      at = opening.to
    }
  }
}
