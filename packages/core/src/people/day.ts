import { tz } from '@date-fns/tz'
import { format } from 'date-fns'

/**
 * The day it is at a moment, as ISO text.
 * @param now milliseconds since 1970.
 * @param timeZone a zone of the IANA database; the machine's own when left out.
 * @example dayOf(Date.UTC(2026, 11, 31, 23, 30), 'Europe/Berlin') // '2027-01-01'
 */
export const dayOf = (now: number, timeZone?: string): string =>
  format(now, 'yyyy-MM-dd', timeZone === undefined ? undefined : { in: tz(timeZone) })
