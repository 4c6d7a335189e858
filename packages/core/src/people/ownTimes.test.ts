import { Temporal } from 'temporal-polyfill'
import { expect, test } from 'vitest'
import type { Column } from './column.ts'
import { compileOwnTimes, type OwnTimes } from './ownTimes.ts'

const column = (id: string, kind: Column['kind']): Column => ({ id, name: id, kind })
const columns = [column('when', 'dateTime'), column('day', 'date'), column('hour', 'time'), column('zone', 'text')]
const from = Date.parse('2026-11-27T08:30:00Z')
const timeOf = (times: Partial<OwnTimes> | null, cells: Record<string, string>, zone = 'Europe/London') =>
  compileOwnTimes(
    times && { column: null, zoneColumn: null, hour: 540, ...times },
    columns,
    zone,
    from,
  )({
    id: 1,
    position: 'a',
    cells,
  })
/** A moment by a clock somewhere, as a library that is not ours has it (ECMA-262 Temporal). */
const at = (text: string) => ({ at: Temporal.ZonedDateTime.from(text).epochMilliseconds })

test('a day and hour, a day with the round’s hour, an hour on the next day that has it', () => {
  expect(timeOf({ column: 'when' }, { when: '2/12/2026 14:30' })).toEqual(at('2026-12-02T14:30[Europe/London]'))
  expect(timeOf({ column: 'when' }, { when: '2/12/2026' })).toEqual(at('2026-12-02T09:00[Europe/London]'))
  expect(timeOf({ column: 'day' }, { day: '2/7/2027' })).toEqual(at('2027-07-02T09:00[Europe/London]'))
  expect(timeOf({ column: 'day', hour: 15 * 60 + 5 }, { day: '2/12/2026' })).toEqual(
    at('2026-12-02T15:05[Europe/London]'),
  )
  expect(timeOf({ column: 'hour' }, { hour: '10:00' })).toEqual(at('2026-11-27T10:00[Europe/London]'))
  expect(timeOf({ column: 'hour' }, { hour: '08:00' })).toEqual(at('2026-11-28T08:00[Europe/London]'))
})

test('by the clock where the person is; a blank zone is the mailbox’s', () => {
  expect(timeOf({ zoneColumn: 'zone' }, { zone: 'Asia/Tokyo' })).toEqual(at('2026-11-28T09:00[Asia/Tokyo]'))
  expect(timeOf({ zoneColumn: 'zone' }, { zone: 'America/New_York' })).toEqual(at('2026-11-27T09:00[America/New_York]'))
  expect(timeOf({ zoneColumn: 'zone' }, { zone: ' ' })).toEqual({ at: null })
  const both = { column: 'when', zoneColumn: 'zone' }
  expect(timeOf(both, { when: '2/12/2026 14:30', zone: 'Asia/Tokyo' })).toEqual(at('2026-12-02T14:30[Asia/Tokyo]'))
  expect(timeOf(both, { when: '2/12/2026 14:30', zone: '' })).toEqual(at('2026-12-02T14:30[Europe/London]'))
  // The hour that London's clocks jump over on 28 March 2027 (tz database): the moment of the jump.
  expect(timeOf({ column: 'when' }, { when: '28/3/2027 01:30' })).toEqual(at('2027-03-28T01:00[UTC]'))
})

test('a blank goes by the pace; so does everybody without a column, or with one that is gone', () => {
  expect(timeOf({ column: 'when' }, { when: ' ' })).toEqual({ at: null })
  expect(timeOf(null, { when: '2/12/2026 14:30' })).toEqual({ at: null })
  expect(timeOf({ column: 'gone' }, { when: '2/12/2026 14:30' })).toEqual({ at: null })
})

test('what is no time and no zone is told, and taken for nothing', () => {
  expect(timeOf({ column: 'when' }, { when: 'soon' })).toEqual({ wrong: 'time', columnId: 'when', text: 'soon' })
  expect(timeOf({ column: 'hour' }, { hour: 'noon-ish' })).toEqual({
    wrong: 'time',
    columnId: 'hour',
    text: 'noon-ish',
  })
  expect(timeOf({ zoneColumn: 'zone' }, { zone: 'Quay/Time' })).toEqual({
    wrong: 'zone',
    columnId: 'zone',
    text: 'Quay/Time',
  })
  // A column that became another kind since.
  expect(timeOf({ column: 'zone' }, { zone: 'words' })).toEqual({ wrong: 'time', columnId: 'zone', text: 'words' })
})
