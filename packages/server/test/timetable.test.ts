import { routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { afterEach, expect, test } from 'vitest'
import { closeWorld, counts, csv, dateOf, hour, letter, minute, moveTo, open, timetable, wall, world } from './lived.ts'

afterEach(closeWorld)

test('a thousand letters over ten days, with two changes of the clock, a day off and two crashes, keep every rule and every minute', async () => {
  const n = 1000
  // Clocks go back in London on 25 October 2026 and in New York on 1 November (tz database).
  await open(n, '2026-10-23T06:00:00Z', {
    // Filing has tests of its own.
    imap: null,
    hours: {
      week: readyWeeks.office.map((spans, i) => (i === 6 ? [{ from: 30, to: 150 }] : i === 5 ? [] : spans)),
      off: [{ from: '2026-10-28', to: '2026-10-28', name: 'Stocktaking' }],
      holidays: { country: 'GB', region: 'ENG', worked: [] },
    },
    perDay: 160,
    dayZone: 'America/New_York',
    perHour: 60,
    recipientsPerMinute: 5,
    perMinute: 20,
    gentleStart: { wanted: true, days: [40, 80] },
  })
  const round = await world.round(csv(n), letter, {
    dispatch: { perMinute: 4, perDay: 150, groups: { of: 25, rest: 3 } },
  })
  const before = await timetable(round.id)
  await world.call(routes.post, { params: { round: round.id }, body: { messages: n } })
  const planned = (await timetable(round.id)).departures
  // What was drawn before posting is what is planned.
  expect(planned.map(({ at, rowId }) => ({ at, rowId }))).toEqual(
    before.departures.map(({ at, rowId }) => ({ at, rowId })),
  )
  // The clock goes from one planned moment to the next; twice the power goes.
  for (const [i, { at }] of planned.entries()) {
    await moveTo(at)
    if (i === 260 || i === 610) await world.crash()
  }
  await world.handPost.parts.dispatcher.settled()
  const messages = await world.call(routes.messages, { params: { round: round.id } })
  expect(messages.filter((m) => m.state !== 'sent').map((m) => m.state)).toEqual([])
  const plannedAt = new Map(planned.map(({ rowId, at }) => [rowId, at]))
  expect(messages.filter((m) => m.sentAt !== plannedAt.get(m.rowId)).map((m) => m.id)).toEqual([])

  // Every rule, each looked at by itself.
  const times = messages.map((m) => m.sentAt!).sort((a, b) => a - b)
  for (const at of times) {
    const now = wall(at)
    const m = now.hour * 60 + now.minute
    const inOffice = now.dayOfWeek < 6 && ((m >= 540 && m < 750) || (m >= 810 && m < 1020))
    const onSunday = now.dayOfWeek === 7 && m >= 30 && m < 150
    expect(inOffice || onSunday, now.toString()).toBe(true)
    expect(dateOf(at)).not.toBe('2026-10-28')
  }
  const perDay = counts(times.map((at) => dateOf(at)))
  expect(perDay.slice(0, 2).map(([, count]) => count)).toEqual([40, 80])
  expect(perDay.length).toBeGreaterThanOrEqual(9)
  for (const [, count] of perDay) expect(count).toBeLessThanOrEqual(150)
  for (const [, count] of counts(times.map((at) => dateOf(at, 'America/New_York'))))
    expect(count).toBeLessThanOrEqual(160)
  const within = (ms: number) => {
    let most = 0
    for (let i = 0, from = 0; i < times.length; i++) {
      while (times[from] <= times[i] - ms) from++
      most = Math.max(most, i - from + 1)
    }
    return most
  }
  expect(within(hour)).toBeLessThanOrEqual(60)
  expect(within(minute)).toBeLessThanOrEqual(5)
  // Both changes of the clock lie in it, and the Sunday on which an hour is there twice was used.
  expect(perDay.map(([date]) => date)).toContain('2026-10-25')
  expect(times.at(-1)!).toBeGreaterThan(Date.parse('2026-11-02T00:00:00Z'))
  // Each person has it once.
  for (const i of [0, 1, 499, 999]) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
})
