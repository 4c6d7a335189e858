import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, test } from 'vitest'
import {
  anyTime,
  type Hours,
  Openings,
  OpenTogether,
  readyWeekOf,
  readyWeeks,
  spansFrom,
  spansText,
  weekWords,
} from './hours.ts'
import { dayNumber, dayWritten, instantOf, isTimeZone, wallOf, ZoneDays } from './zone.ts'

// The judge of time zones is a reference library for the standard's own arithmetic: temporal-polyfill (ECMA-262 Temporal).
// Zones that change their clocks at two in the morning, at midnight, by half an hour, and never.
const zones = ['Europe/London', 'America/New_York', 'Africa/Cairo', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'UTC']
const zone = fc.constantFrom(...zones)
const moment = fc.integer({ min: Date.parse('2024-01-01T00:00:00Z'), max: Date.parse('2029-12-31T00:00:00Z') })
const at = (text: string) => Date.parse(text)

/** A wall clock's minute as the judge reads it: the earlier where it is shown twice. */
const judged = (wall: number, timeZone: string) =>
  Temporal.Instant.fromEpochMilliseconds(wall)
    .toZonedDateTimeISO('UTC')
    .toPlainDateTime()
    .toZonedDateTime(timeZone, { disambiguation: 'earlier' })

describe('the clock of a zone', () => {
  test('shows what it shows', () => {
    fc.assert(
      fc.property(moment, zone, (ms, timeZone) => {
        const shown = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(timeZone).toPlainDateTime()
        expect(wallOf(ms, timeZone)).toBe(shown.toZonedDateTime('UTC').epochMilliseconds)
      }),
    )
  })

  test('shows each minute first at the moment found for it, or jumps over it at that moment', () => {
    const minutes = fc.integer({ min: 0, max: 6 * 366 * 24 * 60 }).map((n) => at('2024-01-01T00:00:00Z') + n * 60_000)
    const atChanges = fc
      .tuple(
        fc.constantFrom('2026-03-29', '2026-10-25', '2026-03-08', '2026-11-01', '2026-04-24', '2026-10-04'),
        fc.nat(1439),
      )
      .map(([date, minute]) => at(`${date}T00:00:00Z`) + minute * 60_000)
    fc.assert(
      fc.property(fc.oneof(minutes, atChanges), zone, (wall, timeZone) => {
        const found = instantOf(wall, timeZone)
        const right = judged(wall, timeZone)
        const shows = right.toPlainDateTime().toZonedDateTime('UTC').epochMilliseconds === wall
        if (shows) expect(found).toBe(right.epochMilliseconds)
        else {
          const before = Temporal.Instant.fromEpochMilliseconds(found - 1).toZonedDateTimeISO(timeZone)
          expect(before.getTimeZoneTransition('next')?.epochMilliseconds).toBe(found)
          expect(wallOf(found, timeZone)).toBeGreaterThan(wall)
          expect(wallOf(found - 1, timeZone)).toBeLessThan(wall)
        }
      }),
      { numRuns: 400 },
    )
  })

  test('days begin and end where they do, with 23 and 25 hours too', () => {
    fc.assert(
      fc.property(moment, zone, (ms, timeZone) => {
        const right = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(timeZone)
        const day = new ZoneDays(timeZone).of(ms)
        expect(dayWritten(day.number)).toBe(right.toPlainDate().toString())
        expect(dayNumber(dayWritten(day.number))).toBe(day.number)
        expect(day.start).toBe(right.startOfDay().epochMilliseconds)
        expect(day.end - day.start).toBe(right.hoursInDay * 3_600_000)
      }),
    )
  })

  test('there are zones, and names that are none', () => {
    for (const name of zones) expect(isTimeZone(name)).toBe(true)
    for (const name of ['', 'Europe/Brindle', 'nowhere', 'Europe/London; DROP']) expect(isTimeZone(name)).toBe(false)
  })
})

const span = fc.tuple(fc.integer({ min: 0, max: 1440 }), fc.integer({ min: 0, max: 1440 })).map(([a, b]) => ({
  from: Math.min(a, b),
  to: Math.max(a, b),
}))
const hours: fc.Arbitrary<Hours> = fc.record({
  week: fc.array(fc.array(span, { maxLength: 3 }), { minLength: 7, maxLength: 7 }),
  off: fc.array(
    fc
      .tuple(fc.integer({ min: 0, max: 40 }), fc.integer({ min: 0, max: 5 }))
      .map(([n, days]) => ({ from: dayWritten(20_500 + n), to: dayWritten(20_500 + n + days), name: 'Off' })),
    { maxLength: 3 },
  ),
})
/** Whether a clock that a person looks at says that it is open, on days without a change of the clock. */
const seenOpen = ({ week, off }: Hours, ms: number, timeZone: string) => {
  const clock = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(timeZone)
  const minute = clock.hour * 60 + clock.minute
  const date = clock.toPlainDate().toString()
  return (
    week[clock.dayOfWeek - 1].some((s) => minute >= s.from && minute < s.to) &&
    !off.some((o) => date >= o.from && date <= o.to)
  )
}
const from = 20_500 * 24 * 3_600_000
const nearby = fc.integer({ min: 0, max: 40 * 24 * 60 }).map((n) => from + n * 60_000)

describe('hours', () => {
  test('are open when the clock on the wall says so, and the next opening is the first', () => {
    fc.assert(
      fc.property(hours, nearby, zone, (kept, ms, timeZone) => {
        const normal = Temporal.Instant.fromEpochMilliseconds(ms).toZonedDateTimeISO(timeZone)
        const opening = new Openings(kept, timeZone).next(ms)
        const isOpen = opening !== null && opening.from <= ms
        if (normal.hoursInDay === 24) expect(isOpen).toBe(seenOpen(kept, ms, timeZone))
        if (opening === null) {
          for (let i = 0; i < 400; i++) expect(seenOpen(kept, ms + i * 3_600_000, timeZone)).toBe(false)
          return
        }
        expect(opening.to).toBeGreaterThan(Math.max(ms, opening.from))
        // Nothing between is open: looked at every seven minutes, on ordinary days.
        for (let at = ms; at < opening.from; at += 7 * 60_000)
          if (Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(timeZone).hoursInDay === 24)
            expect(seenOpen(kept, at, timeZone)).toBe(false)
      }),
      { numRuns: 80 },
    )
  })

  test('together are open when each of them is, and open time adds up', () => {
    fc.assert(
      fc.property(hours, hours, nearby, fc.integer({ min: 1, max: 2 * 24 * 60 }), (a, b, ms, minutes) => {
        const both = new OpenTogether([new Openings(a, 'UTC'), new Openings(b, 'UTC')])
        const to = ms + minutes * 60_000
        let open = 0
        // In UTC, where every day is alike, sums will do.
        const isOpen = ({ week, off }: Hours, minute: number) => {
          const number = Math.floor(minute / 1440)
          const date = new Date(number * 24 * 3_600_000).toISOString().slice(0, 10)
          return (
            week[(number + 3) % 7].some((s) => minute % 1440 >= s.from && minute % 1440 < s.to) &&
            !off.some((o) => date >= o.from && date <= o.to)
          )
        }
        for (let at = ms / 60_000; at < to / 60_000; at++) if (isOpen(a, at) && isOpen(b, at)) open += 60_000
        expect(both.openBetween(ms, to)).toBe(open)
        const end = both.after(ms, open)
        if (end !== null) {
          expect(both.openBetween(ms, end)).toBe(open)
          expect(both.next(end)?.from).toBeLessThanOrEqual(end)
        }
      }),
      { numRuns: 100 },
    )
  })

  test('in the night that loses an hour, and in the one that has it twice', () => {
    const night = (fromHour: number, toHour: number): Hours => ({
      week: Array.from({ length: 7 }, () => [{ from: fromHour * 60, to: toHour * 60 }]),
      off: [],
    })
    const on = (h: Hours, date: string) => new Openings(h, 'Europe/London').on(dayNumber(date))
    // At 01:00 on 29 March 2026 clocks in London go to 02:00; at 02:00 on 25 October back to 01:00 (tz database).
    expect(on(night(1, 2), '2026-03-29')).toEqual([])
    expect(on(night(0, 1.5), '2026-03-29')).toEqual([
      { from: at('2026-03-29T00:00:00Z'), to: at('2026-03-29T01:00:00Z') },
    ])
    expect(on(night(1.5, 3), '2026-03-29')).toEqual([
      { from: at('2026-03-29T01:00:00Z'), to: at('2026-03-29T02:00:00Z') },
    ])
    expect(on(night(0, 24), '2026-03-29')).toEqual([
      { from: at('2026-03-29T00:00:00Z'), to: at('2026-03-29T23:00:00Z') },
    ])
    expect(on(night(1, 2), '2026-10-25')).toEqual([
      { from: at('2026-10-25T00:00:00Z'), to: at('2026-10-25T02:00:00Z') },
    ])
    expect(on(night(1.5, 1.75), '2026-10-25')).toEqual([
      { from: at('2026-10-25T00:30:00Z'), to: at('2026-10-25T00:45:00Z') },
    ])
    expect(on(night(9, 17), '2026-10-25')).toEqual([
      { from: at('2026-10-25T09:00:00Z'), to: at('2026-10-25T17:00:00Z') },
    ])
  })

  test('that touch or lie in one another are one opening', () => {
    const week = Array.from({ length: 7 }, () => [
      { from: 720, to: 780 },
      { from: 540, to: 720 },
      { from: 600, to: 660 },
      { from: 800, to: 810 },
    ])
    const day = at('2026-11-27T00:00:00Z')
    expect(new Openings({ week, off: [] }, 'UTC').on(dayNumber('2026-11-27'))).toEqual([
      { from: day + 540 * 60_000, to: day + 780 * 60_000 },
      { from: day + 800 * 60_000, to: day + 810 * 60_000 },
    ])
  })

  test('that never open say so, soon', () => {
    const never: Hours = { week: Array.from({ length: 7 }, () => []), off: [] }
    const mornings: Hours = { week: readyWeeks.mornings, off: [] }
    const afternoons: Hours = { week: readyWeeks.afternoons, off: [] }
    expect(new Openings(never, 'UTC').next(0)).toBeNull()
    const together = new OpenTogether([new Openings(mornings, 'UTC'), new Openings(afternoons, 'UTC')])
    expect(together.next(from)).toBeNull()
    expect(together.after(from, 1)).toBeNull()
    expect(together.openBetween(from, from + 1e10)).toBe(0)
    expect(
      new Openings({ ...anyTime, off: [{ from: '2020-01-01', to: '2099-01-01', name: 'Off' }] }, 'UTC').next(from),
    ).toBeNull()
  })

  test('a ready choice is known again, and one that was changed is not', () => {
    expect(readyWeekOf(structuredClone(readyWeeks.office))).toBe('office')
    expect(readyWeekOf(readyWeeks.anyTime)).toBe('anyTime')
    expect(readyWeekOf(readyWeeks.office.map((spans, i) => (i === 2 ? [] : spans)))).toBeNull()
    for (const week of Object.values(readyWeeks)) expect(week).toHaveLength(7)
  })
})

describe('hours as they are written', () => {
  test.each([
    ['9–12:30, 13:30–17', '09:00–12:30, 13:30–17:00'],
    ['9am to 5pm', '09:00–17:00'],
    ['12am-12pm', '00:00–12:00'],
    ['13.15 - 14.45', '13:15–14:45'],
    ['14-16 and 9-11', '09:00–11:00, 14:00–16:00'],
    ['9–12, 12–13', '09:00–13:00'],
    ['9–12, 10–11', '09:00–12:00'],
    ['0–24', 'all day'],
    ['all day', 'all day'],
    ['9–12, all day', 'all day'],
    ['20:00–24:00', '20:00–24:00'],
    ['', 'closed'],
    [' Closed ', 'closed'],
  ])('%j is %s', (written, shown) => {
    expect(spansText(spansFrom(written) as [])).toBe(shown)
  })

  test.each(['9', '17–9', '9–9', '9–25', '9:60–10', '13pm–14pm', 'morning', '9–12,', '9–12–13', '-1–3'])(
    '%j is none, and that is said',
    (written) =>
      expect(spansFrom(written)).toEqual({ fault: expect.stringMatching(/^“.*” is not a stretch of hours/) }),
  )

  test('whatever is written for a week of hours is read again', () => {
    fc.assert(
      fc.property(hours, ({ week }) => {
        for (const spans of week) {
          const read = spansFrom(spansText(spans.filter((s) => s.from < s.to)))
          expect(Array.isArray(read)).toBe(true)
          expect(spansFrom(spansText(read as []))).toEqual(read)
        }
      }),
    )
    fc.assert(
      fc.property(fc.string(), (text) => {
        expect(spansFrom(text)).toBeDefined()
      }),
    )
  })

  test('a week is told in as few words as it takes', () => {
    expect(weekWords(readyWeeks.anyTime)).toBe('any time')
    expect(weekWords(readyWeeks.office)).toBe('Mon–Fri 09:00–12:30, 13:30–17:00')
    expect(weekWords(readyWeeks.weekdays)).toBe('Mon–Fri')
    const odd = readyWeeks.mornings.map((spans, i) => (i === 2 ? [] : i === 5 ? [{ from: 600, to: 720 }] : spans))
    expect(weekWords(odd)).toBe('Mon–Tue 09:00–12:00; Thu–Fri 09:00–12:00; Sat 10:00–12:00')
    expect(weekWords(odd.map(() => []))).toBe('never open')
  })
})
