import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'
import ICAL from 'ical.js'
import { oneLine } from '../mailboxes/mail.ts'
import { calendarReply as say } from './words.ts'

/** Characters of a calendar that are read at most, how many of its events, and characters of what one is called. */
const maxCalendar = 100_000
const maxEvents = 5
const maxSummary = 200

/** What somebody answers to an invitation (RFC 5545, section 3.2.12, PARTSTAT), in words. */
const answers: Readonly<Record<string, string>> = {
  ACCEPTED: say.accepts,
  DECLINED: say.declines,
  TENTATIVE: say.tentative,
  DELEGATED: say.delegates,
}
/** What a calendar is sent for (RFC 5546, section 1.4) that is no answer to an invitation, in words. */
const methods: Readonly<Record<string, string>> = {
  REQUEST: say.invites,
  PUBLISH: say.tells,
  COUNTER: say.counters,
  CANCEL: say.cancels,
}

/** A time as the calendar has it: in its own zone, which is named. */
function timeWords(time: ICAL.Time): string {
  // Its figures as they stand there, in whichever zone this program is.
  const { year, month, day, hour, minute, isDate } = time
  const at = new Date(year, month - 1, day, hour, minute)
  const zone = time.zone?.tzid ?? ''
  if (isDate) return format(at, 'd MMMM yyyy', { locale: enGB })
  return `${format(at, 'd MMMM yyyy, HH:mm', { locale: enGB })}${zone === '' || zone === 'floating' ? '' : ` (${oneLine(zone).slice(0, 60)})`}`
}

/**
 * What a calendar says that came with an answer (iCalendar, RFC 5545, sent by the methods of RFC 5546): a line for each of its events.
 * @param text the part of the mail as it came.
 * @returns '' for what is no calendar, or says nothing that a person would want to read.
 */
export function calendarWords(text: string): string {
  if (text.length > maxCalendar) return ''
  try {
    const calendar = new ICAL.Component(ICAL.parse(text))
    const method = String(calendar.getFirstPropertyValue('method') ?? '').toUpperCase()
    return calendar
      .getAllSubcomponents('vevent')
      .slice(0, maxEvents)
      .flatMap((event) => {
        const answer = answers[String(event.getFirstProperty('attendee')?.getParameter('partstat') ?? '').toUpperCase()]
        const does = method === 'REPLY' ? answer : methods[method]
        if (does === undefined) return []
        const summary = oneLine(String(event.getFirstPropertyValue('summary') ?? '')).slice(0, maxSummary)
        const start = event.getFirstPropertyValue('dtstart')
        return say.line(does, summary, start instanceof ICAL.Time ? timeWords(start) : '')
      })
      .join('\n')
  } catch {
    return ''
  }
}
