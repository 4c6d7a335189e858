import { tz, tzOffset } from '@date-fns/tz'
import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'

const day = 24 * 60 * 60 * 1000
const minute = 60_000

/** A moment with its weekday, as people say it, in a time zone: "Fri 27 Nov 09:00". */
export function momentWords(at: number, timeZone: string): string {
  return format(at, 'EEE d MMM HH:mm', { locale: enGB, in: tz(timeZone) })
}

/**
 * A moment to the second with its year, for what is kept.
 * @param at ms since 1970.
 * @param timeZone IANA.
 * @example momentInFull(Date.UTC(2026, 10, 27, 9), 'Europe/London') // 'Fri 27 Nov 2026, 09:00:00'
 */
export function momentInFull(at: number, timeZone: string): string {
  return format(at, 'EEE d MMM yyyy, HH:mm:ss', { locale: enGB, in: tz(timeZone) })
}

/** Whether a time zone is known by that name (IANA). */
export function isTimeZone(name: string): boolean {
  try {
    return new Intl.DateTimeFormat('en-GB', { timeZone: name }).format(0) !== ''
  } catch {
    return false
  }
}

/**
 * A moment's date and time as a clock in a zone shows it, told in milliseconds since 1970 as if that clock were UTC's.
 * @example wallOf(0, 'Asia/Tokyo') // 9 * 3_600_000
 */
export const wallOf = (at: number, zone: string): number => at + tzOffset(zone, new Date(at)) * minute

/**
 * The first moment (ms since 1970) at which a clock in a zone shows a date and time or, where it jumps over that, a later one: the
 * moment of the jump. What the clock shows twice is meant the first time.
 * @param wall as {@link wallOf} tells it.
 */
export function instantOf(wall: number, zone: string): number {
  // No zone changes its clock twice within two days.
  const candidates = [wall - day, wall + day].map((near) => wall - tzOffset(zone, new Date(near)) * minute)
  const [first, second] = [Math.min(...candidates), Math.max(...candidates)]
  if (wallOf(first, zone) === wall) return first
  if (wallOf(second, zone) === wall) return second
  // Jumped over: the clock shows less at one moment and more at the next, and between them lies the jump.
  let [before, after] = [first, second]
  while (after - before > 1) {
    const middle = Math.floor((before + after) / 2)
    if (wallOf(middle, zone) < wall) before = middle
    else after = middle
  }
  return after
}

/** A day in a zone: its number in days since 1970, its first moment, and that of the day after it. */
export interface ZoneDay {
  number: number
  start: number
  end: number
}

/** The first moments of days that were asked for, by zone: the same days are asked for again and again. */
const known = new Map<string, Map<number, number>>()
/** How many days of a zone are kept. */
const maxKnown = 20_000

/** The days of a time zone, each with the moments at which it begins and ends: not all of them have 24 hours. */
export class ZoneDays {
  private last: ZoneDay | null = null
  private readonly starts: Map<number, number>

  /** @param zone IANA. */
  constructor(readonly zone: string) {
    this.starts = known.get(zone) ?? new Map()
    if (this.starts.size > maxKnown) this.starts.clear()
    known.set(zone, this.starts)
  }

  /** The day of a moment. */
  of(at: number): ZoneDay {
    if (this.last && at >= this.last.start && at < this.last.end) return this.last
    this.last = this.numbered(Math.floor(wallOf(at, this.zone) / day))
    return this.last
  }

  /** A day by its number. */
  numbered(number: number): ZoneDay {
    return { number, start: this.startOf(number), end: this.startOf(number + 1) }
  }

  private startOf(number: number): number {
    let start = this.starts.get(number)
    if (start === undefined) {
      start = instantOf(number * day, this.zone)
      this.starts.set(number, start)
    }
    return start
  }
}

/** The number of days since 1970 of a day written as 2026-11-27 (ISO 8601). */
export const dayNumber = (written: string): number => Math.floor(Date.parse(`${written}T00:00:00Z`) / day)

/** A day written as 2026-11-27 (ISO 8601), by its number of days since 1970. */
export const dayWritten = (number: number): string => new Date(number * day).toISOString().slice(0, 10)
