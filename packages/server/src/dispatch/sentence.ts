import { tz } from '@date-fns/tz'
import { format } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'

/** A moment with its weekday, as people say it, in a mailbox's time zone. */
export function momentWords(at: number, timeZone: string): string {
  return format(at, 'EEE d MMM HH:mm', { locale: enGB, in: tz(timeZone) })
}

const neverWords = (n: number) =>
  `${n.toLocaleString('en-GB')} ${n === 1 ? 'letter' : 'letters'} can never leave: more recipients than the mailbox may write to in a day.`

/** Says a timetable in a sentence: "58 letters to 58 people. From Thu 26 Nov 09:00 to Fri 27 Nov 11:20." */
export function timetableSentence(
  table: {
    messages: number
    recipients: number
    first: number | null
    last: number | null
    impossible: number
    departures: { at: number }[]
    perDay: number
  },
  timeZone: string,
  now: number,
  /** Letters that wait and have no time: the round is held, or they can never leave. */
  without: { held: number; never: number } = { held: 0, never: 0 },
): string {
  const held =
    without.held === 0
      ? ''
      : without.held === 1
        ? ' The round is held: one letter waits, and has no time until you carry on.'
        : ` The round is held: ${without.held.toLocaleString('en-GB')} letters wait, and have no time until you carry on.`
  if (table.messages === 0 || table.first === null || table.last === null)
    return (
      held.trim() ||
      (without.never > 0 ? neverWords(without.never) : 'Nothing is planned yet: the round has no people.')
    )
  const n = (value: number, one: string, many: string) => `${value.toLocaleString('en-GB')} ${value === 1 ? one : many}`
  const days = new Set(table.departures.map((d) => format(d.at, 'yyyy-MM-dd', { in: tz(timeZone) }))).size
  const soon = Math.abs(table.first - now) < 60_000
  const start = momentWords(table.first, timeZone)
  const span =
    table.last - table.first < 60_000
      ? `within a minute from ${soon ? 'now' : start}`
      : `from ${soon ? 'now' : start} to ${momentWords(table.last, timeZone)}`
  const spread =
    days > 1 ? `, on ${days} days, at most ${table.perDay.toLocaleString('en-GB')} recipients in any 24 hours` : ''
  const never = table.impossible + without.never > 0 ? ` ${neverWords(table.impossible + without.never)}` : ''
  return `${n(table.messages, 'letter', 'letters')} to ${n(table.recipients, 'recipient', 'recipients')}, ${span}${spread}.${held}${never}`
}
