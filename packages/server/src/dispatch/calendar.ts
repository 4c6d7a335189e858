import type { TimetableEntry } from '@hand-post/core'
import { dayWritten, ZoneDays } from '@hand-post/core'
import ICAL from 'ical.js'

/**
 * The days on which letters of a round leave, as a calendar (iCalendar, RFC 5545): one event for each, from the first letter of the day
 * to the last.
 * @param zone the mailbox's (IANA), by whose days they are told apart. The times themselves are UTC's, which every calendar knows.
 */
export function calendarOf(
  { id, title, now }: { id: number; title: string; now: number },
  departures: readonly TimetableEntry[],
  zone: string,
): string {
  const days = new ZoneDays(zone)
  const byDay = new Map<number, TimetableEntry[]>()
  for (const one of departures) {
    const { number } = days.of(one.at)
    const letters = byDay.get(number)
    if (letters) letters.push(one)
    else byDay.set(number, [one])
  }
  const utc = (at: number) => ICAL.Time.fromJSDate(new Date(at), true)
  const calendar = new ICAL.Component('vcalendar')
  calendar.updatePropertyWithValue('version', '2.0')
  calendar.updatePropertyWithValue('prodid', '-//Hand Post//Timetable//EN')
  for (const [number, letters] of byDay) {
    const event = new ICAL.Component('vevent')
    const gone = letters.filter((one) => one.gone).length
    event.updatePropertyWithValue('uid', `round-${id}-${dayWritten(number)}@hand-post`)
    event.updatePropertyWithValue('dtstamp', utc(now))
    event.updatePropertyWithValue('dtstart', utc(letters[0].at))
    // An event lasts: one letter alone takes a minute.
    event.updatePropertyWithValue('dtend', utc(Math.max(letters[letters.length - 1].at, letters[0].at + 60_000)))
    const count = `${letters.length.toLocaleString('en-GB')} ${letters.length === 1 ? 'letter' : 'letters'}`
    event.updatePropertyWithValue('summary', `${title}: ${count}`)
    event.updatePropertyWithValue(
      'description',
      gone === letters.length ? 'All have left.' : `${gone} of them have left.`,
    )
    event.updatePropertyWithValue('transp', 'TRANSPARENT')
    calendar.addSubcomponent(event)
  }
  return `${calendar.toString()}\r\n`
}
