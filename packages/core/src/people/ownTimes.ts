import { instantOf, isTimeZone, wallOf } from '../mailboxes/zone.ts'
import { type Row, shown } from './cell.ts'
import type { Column } from './column.ts'
import { parsedValue } from './kinds.ts'

const day = 24 * 60 * 60 * 1000

/** How letters get times of their own: from a column, by the clock of the place where each person is, or both. */
export interface OwnTimes {
  /** A column of days and hours, of days, or of hours; null is the round's hour for everybody. */
  column: string | null
  /** A column with time zones (IANA); null, and a blank, is the mailbox's. */
  zoneColumn: string | null
  /** The round's hour, in minutes after midnight: for days without one, and where there is no column. */
  hour: number
}

/** A person's own time (ms since 1970), null where they have none, or what in which cell is no time or no zone. */
export type OwnTime = { at: number | null } | { wrong: 'time' | 'zone'; columnId: string; text: string }

/** The kinds of columns that times can be taken from. */
export const kindsOfTimes = new Set(['dateTime', 'date', 'time'])

/**
 * Says of each person when their letter is to leave.
 * @param zone the mailbox's (IANA).
 * @param from the first moment at which anything may leave: an hour without a day is the first such hour from then on.
 */
export function compileOwnTimes(
  times: OwnTimes | null,
  columns: readonly Column[],
  zone: string,
  from: number,
): (row: Row) => OwnTime {
  const column = columns.find((c) => c.id === times?.column)
  const zoneColumn = columns.find((c) => c.id === times?.zoneColumn)
  if (times === null || (column === undefined && zoneColumn === undefined)) return () => ({ at: null })
  const zones = new Map<string, boolean>()
  return (row) => {
    const place = zoneColumn ? shown(row.cells[zoneColumn.id]).trim() : ''
    if (place !== '' && !zones.has(place)) zones.set(place, isTimeZone(place))
    if (place !== '' && !zones.get(place)) return { wrong: 'zone', columnId: zoneColumn!.id, text: place }
    const where = place || zone
    /** The first moment from `from` on at which the clock there shows so many ms after midnight. */
    const nextAt = (ofDay: number) => {
      const today = Math.floor(wallOf(from, where) / day) * day
      const at = instantOf(today + ofDay, where)
      return at >= from ? at : instantOf(today + day + ofDay, where)
    }
    if (column === undefined) return { at: place === '' ? null : nextAt(times.hour * 60_000) }
    const text = shown(row.cells[column.id]).trim()
    if (text === '') return { at: null }
    const value = parsedValue(row.cells[column.id], column)
    const wall = typeof value === 'string' ? wallWritten(value, times.hour) : null
    if (wall === null) return { wrong: 'time', columnId: column.id, text }
    return { at: wall < day ? nextAt(wall) : instantOf(wall, where) }
  }
}

/** What a clock shows at a time written in ISO 8601, in ms since 1970 as if it were UTC's; of an hour alone, in ms since midnight. */
function wallWritten(value: string, hour: number): number | null {
  const [, date, hours, minutes] = /^(?:(\d{4}-\d\d-\d\d)T?)?(?:(\d\d):(\d\d).*)?$/.exec(value) ?? []
  const ofDay = hours === undefined ? hour * 60_000 : (Number(hours) * 60 + Number(minutes)) * 60_000
  if (date === undefined) return hours === undefined ? null : ofDay
  const midnight = Date.parse(`${date}T00:00:00Z`)
  return Number.isNaN(midnight) || midnight < day ? null : midnight + ofDay
}
