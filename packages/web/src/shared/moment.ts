import { tz } from '@date-fns/tz'
import { format, isSameDay } from 'date-fns'
import { enGB } from 'date-fns/locale/en-GB'

const here = Intl.DateTimeFormat().resolvedOptions().timeZone

/** A moment with its weekday, in a time zone (the reader's own when left out); the zone is named when it is another. */
export function moment(at: number | null | undefined, zone: string = here): string {
  if (at === null || at === undefined) return ''
  return `${format(at, 'EEE d MMM HH:mm', { locale: enGB, in: tz(zone) })}${zone === here ? '' : ` (${zone})`}`
}

/** A moment as short as can be: the time today, else the day. */
export function shortMoment(at: number, now = Date.now()): string {
  return isSameDay(at, now) ? format(at, 'HH:mm') : format(at, 'EEE d MMM', { locale: enGB })
}
