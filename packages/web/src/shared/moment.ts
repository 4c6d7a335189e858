import { tz } from '@date-fns/tz'
import { format, isSameDay, isSameMonth, isSameYear } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'

const here = Intl.DateTimeFormat().resolvedOptions().timeZone

/** A moment with its weekday, in a time zone (the reader's own when left out); zone and year are named when they are others than here and now. */
export function moment(at: number | null | undefined, zone: string = here): string {
  if (at === null || at === undefined) return ''
  return `${within(at, zone)}${zone === here ? '' : ` (${zone})`}`
}

const within = (at: number, zone: string) =>
  format(at, isSameYear(at, Date.now(), { in: tz(zone) }) ? 'EEE d MMM HH:mm' : 'EEE d MMM yyyy HH:mm', {
    locale: enGB,
    in: tz(zone),
  })

/** From one moment until another, in a time zone, which is named once where it is another than the reader's own. */
export const fromUntil = (from: number, until: number, zone: string = here): string =>
  `from ${within(from, zone)} until ${moment(until, zone)}`

/** A moment as short as can be: the time today, else the day, with its year where it is not this one. */
export function shortMoment(at: number, now = Date.now()): string {
  if (isSameDay(at, now)) return format(at, 'HH:mm')
  return format(at, isSameYear(at, now) ? 'EEE d MMM' : 'd MMM yyyy', { locale: enGB })
}

/** The days from one moment to another, as short as can be: "Mon 23 Nov", "Mon 23 – Tue 24 Nov", with years where they are not this one. */
export function daySpan(from: number, to: number, now = Date.now()): string {
  const year = (at: number) => (isSameYear(at, now) ? '' : ' yyyy')
  const last = format(to, `EEE d MMM${year(to)}`, { locale: enGB })
  if (isSameDay(from, to)) return last
  const first = isSameMonth(from, to) ? 'EEE d' : `EEE d MMM${isSameYear(from, to) ? '' : year(from)}`
  return `${format(from, first, { locale: enGB })} – ${last}`
}

/** The time of day of a moment, in a time zone. */
export const hourOf = (at: number, zone: string = here): string => format(at, 'HH:mm', { in: tz(zone) })

/** The month of a moment, with its year. */
export const monthOf = (at: number): string => format(at, 'MMM yyyy', { locale: enGB })
