import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, test } from 'vitest'
import { anyTime, type Hours, readyWeeks } from '../mailboxes/hours.ts'
import { dayWritten, wallOf } from '../mailboxes/zone.ts'
import {
  allowanceAt,
  type Departure,
  gapOf,
  type Lane,
  type Limits,
  type Pace,
  type Planned,
  plan,
  sendingUntil,
  type ToPlan,
  type Waiting,
} from './plan.ts'

const minute = 60_000
const hour = 60 * minute
const day = 24 * hour
const london = 'Europe/London'

const noLimits: Limits = {
  zone: london,
  hours: anyTime,
  perDay: 1_000_000,
  dayZone: null,
  perHour: null,
  recipientsPerMinute: null,
  perMinute: 60_000,
  perMessage: null,
  gentle: null,
}
const atOnce: Pace = {
  startAt: null,
  perMinute: 60_000,
  perDay: null,
  groups: null,
  until: null,
  uneven: false,
  hours: null,
}
const letter = (id: number, more: Partial<ToPlan> = {}): ToPlan => ({
  id,
  recipients: 1,
  copies: 0,
  notBefore: null,
  seed: id,
  ...more,
})
const letters = (n: number, from = 1) => Array.from({ length: n }, (_, i) => letter(from + i))
const lane = (some: ToPlan[], pace: Partial<Pace> = {}, more: Partial<Lane> = {}): Lane => ({
  id: 1,
  letters: some,
  copies: [],
  pace: { ...atOnce, ...pace },
  gone: 0,
  last: null,
  lastByPace: null,
  ...more,
})
const alone = (only: Lane): Waiting => ({ lanes: [only], evenly: false })
const times = (planned: readonly Planned[]) => planned.map((p) => p.at)
const from = Date.parse('2026-11-27T08:00:00Z')

const grouped = <T>(all: readonly T[], by: (one: T) => string) => {
  const groups = new Map<string, T[]>()
  for (const one of all) groups.set(by(one), [...(groups.get(by(one)) ?? []), one])
  return groups
}

/** Clocks on the wall, read from the offsets that a library which is not ours gives (ECMA-262 Temporal), hour by hour. */
const offsets = new Map<string, number>()
const wall = (at: number, zone: string) => {
  const key = `${zone} ${Math.floor(at / hour)}`
  let offset = offsets.get(key)
  if (offset === undefined) {
    offset = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).offsetNanoseconds / 1e6
    offsets.set(key, offset)
  }
  return at + offset
}
const dateOf = (at: number, zone: string) => new Date(wall(at, zone)).toISOString().slice(0, 10)
const minuteOf = (at: number, zone: string) => Math.floor(wall(at, zone) / minute) % 1440
const isOpen = ({ week, off }: Hours, at: number, zone: string) => {
  const weekday = (new Date(wall(at, zone)).getUTCDay() + 6) % 7
  const minutes = minuteOf(at, zone)
  return (
    week[weekday].some((s) => minutes >= s.from && minutes < s.to) &&
    (off.length === 0 || !off.some((o) => dateOf(at, zone) >= o.from && dateOf(at, zone) <= o.to))
  )
}

interface Gone extends Departure {
  /** The round that it was of. */
  lane: number
  isCopy: boolean
}

/** All that is asked of one moment, rule by rule as a person would, with nothing carried along from one letter to the next. */
function mayLeave(at: number, item: ToPlan, { id, pace }: Lane, gone: Gone[], limits: Limits): boolean {
  const all = item.recipients + item.copies
  const sum = (some: Gone[]) => some.reduce((n, g) => n + g.recipients, 0)
  const within = (ms: number) => sum(gone.filter((g) => g.at > at - ms)) + all
  const own = gone.filter((g) => g.lane === id)
  const letters = own.filter((g) => !g.isCopy)
  const last = letters.at(-1)?.at ?? Number.NEGATIVE_INFINITY
  const onDay = (some: Gone[], zone: string) => sum(some.filter((g) => dateOf(g.at, zone) === dateOf(at, zone)))
  const sendingDays = [...new Set(gone.map((g) => dateOf(g.at, limits.zone)))]
  const before = sendingDays.filter((date) => date !== dateOf(at, limits.zone)).length
  const gentle = limits.gentle?.days[before + (limits.gentle.last?.before ?? 0)]
  const today = onDay(gone, limits.zone)
  const follows = item.copies > 0 ? [at, at + gapOf(limits.perMinute)] : [at]
  return (
    at >= (item.notBefore ?? at) &&
    at >= (pace.startAt ?? at) &&
    gone.every((g) => at >= g.at + gapOf(limits.perMinute)) &&
    at >= last + gapOf(pace.perMinute) &&
    (!pace.groups ||
      letters.length === 0 ||
      letters.length % pace.groups.of !== 0 ||
      at >= last + pace.groups.rest * minute) &&
    (pace.perDay === null || onDay(own, limits.zone) + all <= pace.perDay) &&
    (limits.dayZone === null ? within(day) <= limits.perDay : onDay(gone, limits.dayZone) + all <= limits.perDay) &&
    (limits.perHour === null || within(hour) <= limits.perHour) &&
    (limits.recipientsPerMinute === null || within(minute) <= limits.recipientsPerMinute) &&
    (gentle === undefined || today === 0 || today + all <= gentle) &&
    follows.every(
      (moment) =>
        (pace.hours?.instead || isOpen(limits.hours, moment, limits.zone)) &&
        (!pace.hours || isOpen(pace.hours, moment, limits.zone)),
    )
  )
}

const zones = fc.constantFrom(london, 'America/New_York', 'UTC')
const spans = fc
  .array(fc.tuple(fc.nat(47), fc.integer({ min: 2, max: 20 })), { minLength: 1, maxLength: 2 })
  .map((some) => some.map(([a, long]) => ({ from: a * 30, to: Math.min(1440, (a + long) * 30) })))
const hours: fc.Arbitrary<Hours> = fc.record({
  week: fc
    .tuple(spans, fc.array(fc.boolean(), { minLength: 7, maxLength: 7 }))
    .map(([open, on]) => on.map((yes, i) => (yes || i === 2 ? open : []))),
  off: fc.array(
    fc.nat(6).map((n) => ({ from: dayWritten(20_784 + n), to: dayWritten(20_784 + n), name: 'Off' })),
    { maxLength: 2 },
  ),
})
const maybe = <T>(some: fc.Arbitrary<T>) => fc.option(some, { nil: null })
const limits: fc.Arbitrary<Limits> = fc.record({
  zone: zones,
  hours: fc.oneof(fc.constant(anyTime), hours),
  perDay: fc.integer({ min: 3, max: 12 }),
  dayZone: maybe(zones),
  perHour: maybe(fc.integer({ min: 3, max: 6 })),
  recipientsPerMinute: maybe(fc.integer({ min: 3, max: 4 })),
  perMinute: fc.constantFrom(1, 0.5, 0.2),
  perMessage: fc.constant(null),
  gentle: maybe(
    fc.array(fc.integer({ min: 1, max: 6 }), { minLength: 1, maxLength: 4 }).map((days) => ({ days, last: null })),
  ),
})
const pace: fc.Arbitrary<Pace> = fc.record({
  startAt: maybe(fc.nat(300).map((n) => from + n * minute)),
  perMinute: fc.constantFrom(1, 0.5, 0.1, 1 / 60),
  perDay: maybe(fc.integer({ min: 3, max: 6 })),
  groups: maybe(fc.record({ of: fc.integer({ min: 1, max: 3 }), rest: fc.integer({ min: 1, max: 120 }) })),
  until: fc.constant(null),
  uneven: fc.constant(false),
  hours: maybe(hours.chain((h) => fc.boolean().map((instead) => ({ ...h, instead })))),
})
const some = (copies: number, timed: boolean) =>
  fc
    .array(
      fc.record({
        copies: fc.nat(copies),
        notBefore: timed ? maybe(fc.nat(600).map((n) => from + n * minute)) : fc.constant(null),
      }),
      { minLength: 1, maxLength: 7 },
    )
    .map((all) => all.map((one, i) => letter(i + 1, one)))

/** Holds a plan against every rule, letter by letter, and counts that each stands in it once. */
function holds(planned: readonly Planned[], waiting: Waiting, rules: Limits): void {
  const gone: Gone[] = []
  let before = from
  const all = new Map(waiting.lanes.flatMap((l) => l.letters.map((one) => [one.id, { one, of: l }])))
  expect(planned.map((p) => p.id).sort((a, b) => a - b)).toEqual([...all.keys()].sort((a, b) => a - b))
  for (const { id, at } of planned) {
    if (at === null) continue
    const { one, of } = all.get(id)!
    expect(at).toBeGreaterThanOrEqual(before)
    before = at
    expect(mayLeave(at, one, of, gone, rules), `letter ${id} at ${new Date(at).toISOString()}`).toBe(true)
    gone.push({ at, recipients: one.recipients, lane: of.id, isCopy: false })
    if (one.copies > 0)
      gone.push({ at: at + gapOf(rules.perMinute), recipients: one.copies, lane: of.id, isCopy: true })
  }
}

describe('the plan', () => {
  test('of several rounds keeps every rule of mailbox and round', () => {
    const rounds = fc.array(fc.tuple(some(2, true), pace), { minLength: 1, maxLength: 3 }).map((all) =>
      all.map(
        ([those, p], i): Lane => ({
          ...lane(those.map((l) => ({ ...l, id: l.id + 100 * i }))),
          id: i + 1,
          pace: p,
        }),
      ),
    )
    fc.assert(
      fc.property(limits, rounds, fc.boolean(), (rules, lanes, evenly) => {
        const waiting = { lanes, evenly }
        holds(plan(from, waiting, rules, []), waiting, rules)
      }),
      { numRuns: 120 },
    )
  })

  test('is no later than the best that trying out minute by minute finds', () => {
    fc.assert(
      fc.property(limits, some(1, false), pace, (rules, those, p) => {
        const only = lane(those, p)
        const planned = plan(from, alone(only), rules, [])
        const gone: Gone[] = []
        for (const [i, one] of those.entries()) {
          let at = Math.max(from, ...gone.map((g) => g.at))
          // Of what is later than in two days, the two days before it are tried out.
          const end = planned[i].at ?? at + 2 * day
          at = Math.max(at, end - 2 * day)
          while (at < end && !mayLeave(at, one, only, gone, rules)) at += minute
          expect(at).toBe(end)
          if (planned[i].at === null) break
          gone.push({ at, recipients: 1, lane: 1, isCopy: false })
          if (one.copies > 0)
            gone.push({ at: at + gapOf(rules.perMinute), recipients: one.copies, lane: 1, isCopy: true })
        }
      }),
      { numRuns: 25 },
    )
  })

  test('made anew at any moment of its course is the same plan', () => {
    const rounds = fc
      .array(fc.tuple(some(1, true), pace, fc.boolean(), maybe(fc.integer({ min: 2, max: 60 }))), {
        minLength: 1,
        maxLength: 2,
      })
      .map((all) =>
        all.map(
          ([those, p, uneven, until], i): Lane => ({
            // Until the first of them has left, letters that are spread are spread from now.
            ...lane(
              those.map((l) => ({
                ...l,
                id: l.id + 100 * i,
                seed: l.id + 100 * i,
                notBefore: until === null ? l.notBefore : null,
              })),
            ),
            id: i + 1,
            pace: {
              ...p,
              uneven,
              startAt: until === null ? p.startAt : null,
              until: until === null ? null : from + until * hour,
            },
          }),
        ),
      )
    fc.assert(
      fc.property(limits, rounds, fc.nat(), (rules, lanes, when) => {
        const whole = plan(from, { lanes, evenly: false }, rules, []).filter((p) => p.at !== null)
        fc.pre(whole.length > 1)
        const cut = 1 + (when % (whole.length - 1))
        const left = whole.slice(0, cut)
        const now = left[cut - 1].at
        const item = (p: Planned) => lanes.flatMap((l) => l.letters).find((l) => l.id === p.id)!
        const hostGap = gapOf(rules.perMinute)
        const history: Departure[] = left.flatMap((p) => {
          const copiesAt = p.at + hostGap
          return [
            { at: p.at, recipients: 1 },
            ...(item(p).copies > 0 && copiesAt <= now ? [{ at: copiesAt, recipients: item(p).copies }] : []),
          ]
        })
        const copies = left
          .filter((p) => item(p).copies > 0 && p.at + hostGap > now)
          .map((p) => ({
            lane: p.lane,
            item: letter(p.id, { recipients: item(p).copies, notBefore: p.at + hostGap }),
          }))
        const rest: Lane[] = lanes.map((l) => {
          const own = left.filter((p) => p.lane === l.id)
          const last = own.at(-1)
          const lastByPace = own.findLast((p) => item(p).notBefore === null)
          const ofLastDay = own.filter((p) => dateOf(p.at, rules.zone) === dateOf(last!.at, rules.zone))
          return {
            ...l,
            letters: l.letters.filter((one) => !own.some((p) => p.id === one.id)),
            copies: copies.filter((c) => c.lane === l.id).map((c) => c.item),
            gone: own.length,
            last: last
              ? {
                  at: last.at,
                  onItsDay: ofLastDay.reduce((n, p) => n + p.recipients, 0),
                }
              : null,
            lastByPace: lastByPace ? { at: lastByPace.at, seed: lastByPace.id } : null,
          }
        })
        const days = [...new Set(history.map((d) => Math.floor(wallOf(d.at, rules.zone) / day)))]
        const gentle = rules.gentle && { ...rules.gentle, last: sendingUntil(days) }
        const again = plan(now, { lanes: rest, evenly: false }, { ...rules, gentle }, history)
          .filter((p) => p.of === 'letter' && p.at !== null)
          .map((p) => ({ id: p.id, at: p.at! }))
        const expected = whole.slice(cut).map((p) => ({ id: p.id, at: p.at }))
        // Where letters are spread, a gap is no whole number of milliseconds.
        const near = (list: { id: number; at: number }[]) => list.map((p) => ({ ...p, at: Math.round(p.at / 1000) }))
        if (lanes.every((l) => l.pace.until === null)) expect(again).toEqual(expected)
        else {
          expect(again.map((p) => p.id)).toEqual(expected.map((p) => p.id))
          for (const [i, p] of near(again).entries())
            expect(Math.abs(p.at - near(expected)[i].at)).toBeLessThanOrEqual(1)
        }
      }),
      { numRuns: 120 },
    )
  })

  test('of 300 letters on weekday afternoons, at most 100 a day, from a new mailbox', () => {
    const rules: Limits = {
      ...noLimits,
      perDay: 500,
      perMinute: 10,
      hours: { week: readyWeeks.afternoons, off: [{ from: '2026-12-01', to: '2026-12-01', name: 'Staff day' }] },
      gentle: { days: [20, 40, 80, 160, 320], last: null },
    }
    const planned = plan(from, alone(lane(letters(300), { perDay: 100, perMinute: 2 })), rules, [])
    const byDay = grouped(planned, (p) => dateOf(p.at!, london))
    expect([...byDay].map(([date, some]) => [date, some.length, some[0].by])).toEqual([
      ['2026-11-27', 20, 'hours'],
      ['2026-11-30', 40, 'gentle'],
      ['2026-12-02', 80, 'gentle'],
      ['2026-12-03', 100, 'gentle'],
      ['2026-12-04', 60, 'roundDay'],
    ])
    for (const p of planned) {
      expect(minuteOf(p.at!, london)).toBeGreaterThanOrEqual(13 * 60)
      expect(minuteOf(p.at!, london)).toBeLessThan(17 * 60)
    }
  })

  test('in three groups of 50 with twenty minutes between', () => {
    const planned = times(
      plan(from, alone(lane(letters(150), { perMinute: 10, groups: { of: 50, rest: 20 } })), noLimits, []),
    ).map((at) => (at! - from) / 1000)
    expect(planned[49]).toBe(49 * 6)
    expect(planned[50]).toBe(49 * 6 + 1200)
    expect(planned[100]).toBe(2 * (49 * 6 + 1200))
    expect(planned).toHaveLength(150)
  })

  test('spread evenly over the open hours until a moment, and done by then', () => {
    const rules: Limits = { ...noLimits, hours: { week: readyWeeks.office, off: [] } }
    // From Friday at eight until Monday at noon an office is open for 3½ + 3½ + 3 hours.
    const until = Date.parse('2026-11-30T12:00:00Z')
    const planned = times(plan(from, alone(lane(letters(10), { until })), rules, []))
    expect(planned[0]).toBe(Date.parse('2026-11-27T09:00:00Z'))
    expect(planned[1]).toBe(Date.parse('2026-11-27T10:00:00Z'))
    expect(planned[4]).toBe(Date.parse('2026-11-27T14:00:00Z'))
    expect(planned[7]).toBe(Date.parse('2026-11-30T09:00:00Z'))
    expect(planned[9]).toBe(Date.parse('2026-11-30T11:00:00Z'))
    const jolted = times(plan(from, alone(lane(letters(10), { until, uneven: true })), rules, []))
    expect(jolted).not.toEqual(planned)
    expect(Math.max(...jolted.map((at) => at!))).toBeLessThan(until)
    // What cannot be done by then goes on by the pace.
    const late = times(plan(from, alone(lane(letters(10), { until: from - hour, perMinute: 1 })), noLimits, []))
    expect(late).toEqual(Array.from({ length: 10 }, (_, i) => from + i * minute))
  })

  test('uneven gaps are never shorter than the pace, nor longer by more than half, and not all alike', () => {
    const planned = times(plan(from, alone(lane(letters(200), { perMinute: 10, uneven: true })), noLimits, []))
    const gaps = planned.slice(1).map((at, i) => at! - planned[i]!)
    expect(Math.min(...gaps)).toBeGreaterThanOrEqual(6000)
    expect(Math.max(...gaps)).toBeLessThanOrEqual(9001)
    expect(new Set(gaps).size).toBeGreaterThan(150)
    const mean = gaps.reduce((a, b) => a + b) / gaps.length
    expect(mean).toBeGreaterThan(7200)
    expect(mean).toBeLessThan(7800)
  })

  test('what has a time of its own leaves then, whatever waits by the pace before it', () => {
    const noon = Date.parse('2026-11-27T12:00:00Z')
    const those = [...letters(10), letter(50, { notBefore: noon }), letter(51, { notBefore: noon })]
    const planned = plan(from, alone(lane(those, { perMinute: 1 / 60 })), noLimits, [])
    const of = new Map(planned.map((p) => [p.id, p]))
    expect(of.get(50)).toMatchObject({ at: noon, by: 'time' })
    expect(of.get(51)?.at).toBe(noon + hour)
    expect(of.get(4)?.at).toBe(from + 3 * hour)
    expect(of.get(5)?.at).toBe(noon + 2 * hour)
  })

  test('rounds go in turn, or share evenly; a slow one holds up no other', () => {
    const two = (evenly: boolean, first: Partial<Pace> = {}) =>
      plan(
        from,
        {
          lanes: [lane(letters(4), first), { ...lane(letters(4, 11)), id: 2 }],
          evenly,
        },
        { ...noLimits, perMinute: 1 },
        [],
      ).map((p) => p.id)
    expect(two(false)).toEqual([1, 2, 3, 4, 11, 12, 13, 14])
    expect(two(true)).toEqual([1, 11, 2, 12, 3, 13, 4, 14])
    expect(two(false, { perMinute: 0.5 })).toEqual([1, 11, 2, 12, 3, 13, 4, 14])
    expect(two(false, { perMinute: 0.1 })).toEqual([1, 11, 12, 13, 14, 2, 3, 4])
  })

  test('a letter with copies of the first round waits for its room; the second does not take it bit by bit', () => {
    const history = [0, 1, 2].map((i) => ({ at: from - day + (i + 1) * hour, recipients: 1 }))
    const planned = plan(
      from,
      {
        lanes: [lane([letter(1, { copies: 2 })]), { ...lane(letters(3, 11)), id: 2 }],
        evenly: false,
      },
      { ...noLimits, perDay: 3 },
      history,
    )
    expect(planned[0]).toMatchObject({ id: 1, at: from + 3 * hour, by: 'day' })
    expect(planned[1].at).toBe(from + 3 * hour + day)
  })

  test('a letter with copies leaves while these may follow before it closes; one without them to the last moment', () => {
    const closing = Date.parse('2026-11-27T17:00:00Z')
    const rules: Limits = { ...noLimits, perMinute: 1, hours: { week: readyWeeks.office, off: [] } }
    const at = (startAt: number, copies: number) =>
      plan(from, alone(lane([letter(1, { copies })], { startAt })), rules, [])[0].at
    expect(at(closing - minute, 0)).toBe(closing - minute)
    expect(at(closing - minute, 1)).toBe(Date.parse('2026-11-30T09:00:00Z'))
    expect(at(closing - minute - 1, 1)).toBe(closing - minute - 1)
  })

  test('the allowance is kept for copies of letters that have gone', () => {
    const copy = letter(7, { recipients: 2, notBefore: from + hour })
    const planned = plan(from, alone(lane(letters(3), {}, { copies: [copy] })), { ...noLimits, perDay: 4 }, [])
    expect(planned.map((p) => [p.id, p.at! - from])).toEqual([
      [1, 0],
      [2, 1],
      [7, hour],
      [3, day],
    ])
  })

  test('a gentle start counts days of sending, begins anew after a month’s quiet, and ends', () => {
    const days = (...those: string[]) => sendingUntil(those.map((d) => Math.floor(Date.parse(d) / day)))
    expect(days()).toBeNull()
    expect(days('2026-10-01', '2026-10-02', '2026-10-05')?.before).toBe(2)
    expect(days('2026-08-01', '2026-10-02', '2026-10-05')?.before).toBe(1)
    const perDay = (last: ReturnType<typeof days>) => {
      const planned = plan(from, alone(lane(letters(100))), { ...noLimits, gentle: { days: [5, 10], last } }, [])
      return [...grouped(planned, (p) => dateOf(p.at!, london)).values()].map((some) => some.length)
    }
    expect(perDay(null)).toEqual([5, 10, 85])
    expect(perDay(days('2026-11-26'))).toEqual([10, 90])
    expect(perDay(days('2026-11-25', '2026-11-26'))).toEqual([100])
    expect(perDay(days('2026-10-01', '2026-10-02'))).toEqual([5, 10, 85])
    // A round that begins in two months finds the mailbox quiet again.
    const later = from + 60 * day
    const planned = plan(
      from,
      alone(lane(letters(20), { startAt: later })),
      { ...noLimits, gentle: { days: [5, 10], last: days('2026-11-25', '2026-11-26') } },
      [],
    )
    expect(planned.filter((p) => p.at! < later + 12 * hour)).toHaveLength(5)
  })

  test('says what can never leave, and why, and lets the others go', () => {
    const never = (rules: Partial<Limits>, more: Partial<Pace> = {}) =>
      plan(from, alone(lane([letter(1, { copies: 3 }), letter(2)], more)), { ...noLimits, ...rules }, []).map((p) => [
        p.id,
        p.by,
        p.at === null,
      ])
    expect(never({ perDay: 3 })).toEqual([
      [2, 'now', false],
      [1, 'day', true],
    ])
    expect(never({ perDay: 3, dayZone: london })[1]).toEqual([1, 'day', true])
    expect(never({ perHour: 2 })[1]).toEqual([1, 'hour', true])
    expect(never({ recipientsPerMinute: 2 })[1]).toEqual([1, 'minute', true])
    expect(never({ perMessage: 2 })[1]).toEqual([1, 'message', true])
    expect(never({}, { perDay: 2 })[1]).toEqual([1, 'roundDay', true])
    expect(never({ gentle: { days: [1], last: null } }).every(([, , isNever]) => !isNever)).toBe(true)
    const shut: Hours = { week: readyWeeks.mornings, off: [] }
    expect(
      never({ hours: shut }, { hours: { week: readyWeeks.afternoons, off: [], instead: false } }).map(([, by]) => by),
    ).toEqual(['hours', 'hours'])
  })

  test('one letter an hour is one letter an hour; the host’s pause holds everything', () => {
    expect(times(plan(from, alone(lane(letters(3), { perMinute: 1 / 60 })), noLimits, []))).toEqual([
      from,
      from + hour,
      from + 2 * hour,
    ])
    expect(plan(from, alone(lane(letters(1))), noLimits, [], true)[0].by).toBe('paused')
  })

  test('copies take a place of their own in the host’s pace, and none in the round’s', () => {
    const three = [1, 2, 3].map((id) => letter(id, { copies: 2 }))
    const at = (perMinute: number) =>
      times(plan(from, alone(lane(three, { perMinute: 10 })), { ...noLimits, perMinute }, [])).map((t) => t! - from)
    expect(at(30)).toEqual([0, 6000, 12_000])
    expect(at(10)).toEqual([0, 12_000, 24_000])
  })
})

describe('the allowance', () => {
  test('comes back a day after it was used, or at the host’s midnight', () => {
    const history = [{ at: from, recipients: 9 }]
    const rolling = { ...noLimits, perDay: 10 }
    expect(allowanceAt(from + day - 1, rolling, history)).toBe(1)
    expect(allowanceAt(from + day, rolling, history)).toBe(10)
    const calendar = { ...rolling, dayZone: 'America/New_York' }
    // Midnight in New York is five in London in winter.
    expect(allowanceAt(Date.parse('2026-11-28T04:59:59Z'), calendar, history)).toBe(1)
    expect(allowanceAt(Date.parse('2026-11-28T05:00:00Z'), calendar, history)).toBe(10)
  })

  test('is what the strictest of the limits leaves', () => {
    const history = [
      { at: from - 30 * minute, recipients: 3 },
      { at: from - 10_000, recipients: 2 },
      { at: from + 5, recipients: 50 },
    ]
    expect(allowanceAt(from, { ...noLimits, perDay: 10 }, history)).toBe(5)
    expect(allowanceAt(from, { ...noLimits, perDay: 10, perHour: 7 }, history)).toBe(2)
    expect(allowanceAt(from, { ...noLimits, perDay: 10, recipientsPerMinute: 3 }, history)).toBe(1)
    expect(allowanceAt(from, { ...noLimits, perHour: 4 }, history)).toBe(0)
    const gentle = { days: [6, 100], last: null }
    expect(allowanceAt(from, { ...noLimits, gentle }, history)).toBe(1)
  })
})
