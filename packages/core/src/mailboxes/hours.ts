import { hours as say } from './words.ts'
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

/**
 * Whether a day counts as a working day: one on which the mailbox opens, and that is none of its days off. Where it opens on every day
 * of the week, those are Monday to Friday (common practice, no source).
 * @param number of the day, in days since 1970.
 */
export function isWorkingDay({ week, off }: Hours, number: number): boolean {
  // 1 January 1970 was a Thursday.
  const weekday = (((number + 3) % 7) + 7) % 7
  const works = week.every((spans) => spans.length > 0) ? weekday < 5 : week[weekday].length > 0
  return works && !off.some(({ from, to }) => number >= dayNumber(from) && number <= dayNumber(to))
}

/** How far ahead it is looked for an hour that is open: longer than any calendar of days off. */
const horizonDays = 3 * 366

/** A stretch of time in which letters may leave, in ms since 1970; to is not included. */
export interface Opening {
  from: number
  to: number
}

/** Stretches in order, those that touch or lie in one another as one. */
function joined<Stretch extends Span>(stretches: readonly Stretch[]): Stretch[] {
  const found: Stretch[] = []
  for (const stretch of [...stretches].sort((a, b) => a.from - b.from)) {
    const before = found.at(-1)
    if (before && stretch.from <= before.to) before.to = Math.max(before.to, stretch.to)
    else found.push({ ...stretch })
  }
  return found
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
    const opened = spans.map(({ from, to }) => ({ from: moment(from), to: moment(to) }))
    return joined(opened.filter(({ from, to }) => from < to))
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
    return openWithin(this, from, to).reduce((sum, opening) => sum + opening.to - opening.from, 0)
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

const twoDigits = (n: number) => String(n).padStart(2, '0')
const clockText = (minutes: number) => `${twoDigits(Math.floor(minutes / 60))}:${twoDigits(minutes % 60)}`

/**
 * The hours of a day as they are written in a field.
 * @example spansText([{ from: 540, to: 750 }, { from: 810, to: 1020 }]) // '09:00–12:30, 13:30–17:00'
 */
export function spansText(spans: readonly Span[]): string {
  if (spans.length === 0) return say.closed
  return spans
    .map(({ from, to }) => (from === 0 && to === 1440 ? say.allDay : `${clockText(from)}–${clockText(to)}`))
    .join(', ')
}

const oneSpan = /^(\d{1,2})(?:[:.](\d{2}))? ?(am|pm)? ?(?:-|–|—|to|until) ?(\d{1,2})(?:[:.](\d{2}))? ?(am|pm)?$/

/** Minutes after midnight that a clock shows, or null where it never does. */
function minutesOf(hours: string, minutes: string | undefined, half: string | undefined): number | null {
  let hour = Number(hours)
  const minute = Number(minutes ?? 0)
  if (half !== undefined) {
    if (hour < 1 || hour > 12) return null
    hour = (hour % 12) + (half === 'pm' ? 12 : 0)
  }
  const all = hour * 60 + minute
  return minute < 60 && all <= 1440 ? all : null
}

/**
 * Reads the hours of a day as somebody writes them: "9–12:30, 13:30–17", "9am to 5pm", "all day"; "closed" or nothing is none.
 * @returns the stretches in order, those that touch or overlap joined, or what is wrong, in words.
 */
export function spansFrom(text: string): Span[] | { fault: string } {
  const written = text.trim().toLowerCase().slice(0, 200)
  if (written === '' || written === say.closed) return []
  const spans: Span[] = []
  for (const piece of written.split(/[,;]| and /)) {
    const plain = piece.trim().replace(/ {2,}/g, ' ')
    if (plain === say.allDay) {
      spans.push({ ...wholeDay })
      continue
    }
    const read = oneSpan.exec(plain)
    const from = read && minutesOf(read[1], read[2], read[3])
    const to = read && minutesOf(read[4], read[5], read[6])
    if (from === null || to === null || from >= to) return { fault: say.noHours(piece.trim()) }
    spans.push({ from, to })
  }
  return joined(spans)
}

/**
 * The hours of a week in words, days that are alike together.
 * @example weekWords(readyWeeks.afternoons) // 'Mon–Fri 13:00–17:00'
 */
export function weekWords(week: Week): string {
  if (readyWeekOf(week) === 'anyTime') return say.anyTime
  const said: string[] = []
  for (let first = 0; first < week.length; ) {
    const text = spansText(week[first])
    let last = first
    while (last + 1 < week.length && spansText(week[last + 1]) === text) last++
    const days = first === last ? say.days[first] : `${say.days[first]}–${say.days[last]}`
    if (week[first].length > 0) said.push(text === say.allDay ? days : `${days} ${text}`)
    first = last + 1
  }
  return said.length === 0 ? say.never : said.join('; ')
}

/** The stretches within a time in which it is open, in order. */
export function openWithin(open: { next(at: number): Opening | null }, from: number, to: number): Opening[] {
  const found: Opening[] = []
  for (let at = from; at < to; ) {
    const opening = open.next(at)
    if (opening === null || opening.from >= to) break
    found.push({ from: Math.max(at, opening.from), to: Math.min(to, opening.to) })
    at = opening.to
  }
  return found
}
