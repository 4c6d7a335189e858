import { ProblemError, routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { afterEach, describe, expect, test } from 'vitest'
import {
  closeWorld,
  counts,
  csv,
  dateOf,
  due,
  hour,
  letter,
  minute,
  moveTo,
  open,
  openWorld,
  settings,
  states,
  timetable,
  world,
} from './lived.ts'

afterEach(closeWorld)

describe('the writer’s own pace', () => {
  test('a new mailbox starts gently, and says so; one that sent lately does not', async () => {
    await open(30, '2026-11-02T09:00:00Z', { gentleStart: { wanted: true, days: [5, 10] } })
    expect((await world.call(routes.mailboxes))[0]).toMatchObject({ allowance: 5, gentleToday: 5 })
    const round = await world.round(csv(30), letter, { dispatch: { perMinute: 60 } })
    const table = await timetable(round.id)
    expect(counts(table.departures.map((d) => dateOf(d.at)))).toEqual([
      ['2026-11-02', 5],
      ['2026-11-03', 10],
      ['2026-11-04', 15],
    ])
    expect(table.sentence).toContain('25 letters wait for a later day: the mailbox’s gentle start')
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 30 } })
    for (const { at } of table.departures) await moveTo(at)
    expect(await states(round.id)).toMatchObject({ sent: 30, waiting: 0 })
    expect((await world.call(routes.mailboxes))[0].gentleToday).toBeNull()
    // After a month's quiet it starts gently again.
    await moveTo(world.clock.now() + 32 * 24 * hour)
    expect((await world.call(routes.mailboxes))[0].gentleToday).toBe(5)
  })

  test('a letter with more copies than a gentle day has room for goes as the day’s first, and no other with it', async () => {
    await open(3, '2026-11-02T09:00:00Z', { gentleStart: { wanted: true, days: [1, 2, 100] } })
    const cc = ['a@quay.example', 'b@quay.example']
    const round = await world.round(csv(3), letter, { cc, dispatch: { perMinute: 60 } })
    const { departures } = await timetable(round.id)
    expect(departures.map((d) => dateOf(d.at))).toEqual(['2026-11-02', '2026-11-03', '2026-11-04'])
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
    for (const [i, { at }] of departures.entries()) {
      await moveTo(at)
      expect(await states(round.id)).toMatchObject({ sent: i + 1 })
      await moveTo(at + minute)
    }
    expect(await world.inboxOf('a@quay.example')).toHaveLength(3)
  })

  test('another pace while letters wait: what waits goes by it, each still once', async () => {
    await open(40, '2026-11-02T09:00:00Z')
    const round = await world.round(csv(40), letter, { dispatch: { perMinute: 1 } })
    const params = { round: round.id }
    await world.call(routes.post, { params, body: { messages: 40 } })
    await due()
    for (let i = 0; i < 9; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 10, waiting: 30 })
    // Tried out first: what it would be computed from is the letters that wait.
    const given = await world.call(routes.planGiven, { params })
    expect(given.lanes.find((lane) => lane.id === round.id)).toMatchObject({ gone: 10, letters: { length: 30 } })
    await world.call(routes.changePace, { params, body: { perMinute: 60, groups: { of: 15, rest: 30 } } })
    const table = await timetable(round.id)
    const gaps = table.departures.slice(1).map((d, i) => Math.round((d.at - table.departures[i].at) / minute))
    // After the 15th and the 30th letter of the round.
    expect(gaps.flatMap((gap, i) => (gap === 30 ? [i + 1] : []))).toEqual([15, 30])
    for (const { at } of table.departures.slice(10)) await moveTo(at)
    expect(await states(round.id)).toMatchObject({ sent: 40, waiting: 0 })
    for (let i = 0; i < 40; i += 13) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
  })

  test('told twice by its host to go slower, a round goes at half its pace, and says so; or it stays, when that is wished', async () => {
    const slow = async (goSlower: boolean) => {
      await openWorld({
        manners: Object.fromEntries(Array.from({ length: 30 }, (_, i) => [`person${i}@village.example`, {}])),
        limits: { perDay: 10_000, perMinute: 3 },
      })
      const round = await world.round(csv(30), letter, { dispatch: { perMinute: 20, goSlower } })
      await world.call(routes.post, { params: { round: round.id }, body: { messages: 30 } })
      for (let i = 0; i < 90; i++) await moveTo(world.clock.now() + 20_000)
      const after = await world.call(routes.round, { params: { round: round.id } })
      const paces = [after.dispatch.perMinute, after.slowed] as const
      if (!goSlower) return paces
      // Another pace by the writer's word is theirs again.
      await world.call(routes.changePace, { params: { round: round.id }, body: { perMinute: 30 } })
      expect((await world.call(routes.round, { params: { round: round.id } })).slowed).toBeNull()
      await world.close()
      return paces
    }
    const [pace, said] = await slow(true)
    expect(pace).toBeLessThanOrEqual(10)
    expect(20 / pace).toBe(2 ** Math.round(Math.log2(20 / pace)))
    expect(said).toMatch(
      /^The mail host asked twice to go slower, so the round goes at [\d.]+ letters a minute now instead of [\d.]+\.$/,
    )
    expect(await slow(false)).toEqual([20, null])
  })

  test('another first minute holds what waits until then; a round that is not posted has no pace to change', async () => {
    await open(5, '2026-11-02T09:00:00Z')
    const round = await world.round(csv(5), letter, { dispatch: { perMinute: 1 } })
    const params = { round: round.id }
    const refused = await world.call(routes.changePace, { params, body: { perMinute: 2 } }).catch((error) => error)
    expect(refused).toBeInstanceOf(ProblemError)
    expect(refused.problem.detail).toContain('is not posted yet')
    await world.call(routes.post, { params, body: { messages: 5 } })
    await due()
    const startAt = world.clock.now() + 5 * hour
    await world.call(routes.changePace, { params, body: { startAt } })
    expect((await timetable(round.id)).departures.map((d) => d.at)).toEqual([
      world.clock.now(),
      ...[0, 1, 2, 3].map((i) => startAt + i * minute),
    ])
    await moveTo(startAt - 1)
    expect(await states(round.id)).toMatchObject({ sent: 1, waiting: 4 })
  })

  test('rounds that share a mailbox: a slow one holds up no other, and each is drawn with the other', async () => {
    await open(20, '2026-11-02T09:00:00Z')
    const slow = await world.round(csv(20), letter, { dispatch: { perMinute: 1 / 60 } })
    await world.call(routes.post, { params: { round: slow.id }, body: { messages: 20 } })
    const quick = await world.round(csv(20), { ...letter, subject: 'Another' }, { dispatch: { perMinute: 10 } })
    const table = await timetable(quick.id)
    expect(table.departures.at(-1)!.at - table.departures[0].at).toBeLessThan(5 * minute)
    expect(table.others.length).toBeGreaterThan(0)
    await world.call(routes.post, { params: { round: quick.id }, body: { messages: 20 } })
    for (let i = 0; i < 5; i++) await moveTo(world.clock.now() + minute)
    expect(await states(quick.id)).toMatchObject({ sent: 20 })
    expect(await states(slow.id)).toMatchObject({ sent: 1, waiting: 19 })
  })

  test('done by a moment, or it says why not', async () => {
    await open(20, '2026-11-02T09:00:00Z', { perDay: 8 })
    const until = world.clock.now() + 3 * hour
    const round = await world.round(csv(20), letter, { dispatch: { perMinute: 60, until } })
    expect((await timetable(round.id)).sentence).toMatch(
      /This cannot be done by Mon 2 Nov 12:00: 12 letters leave later, and the mailbox’s limit of 8 recipients in any 24 hours is what holds them\.$/,
    )
    await settings({ perDay: 100 })
    const table = await timetable(round.id)
    expect(table.sentence).toContain('All have left by Mon 2 Nov 12:00.')
    expect(table.departures.map((d) => d.at - table.departures[0].at)).toEqual(
      Array.from({ length: 20 }, (_, i) => i * 9 * minute),
    )
  })

  test('closed hours: nothing leaves while it is late, and nothing bursts when it opens', async () => {
    await open(12, '2026-11-02T16:58:00Z', { hours: { week: readyWeeks.office, off: [], holidays: null } })
    const round = await world.round(csv(12), letter, { dispatch: { perMinute: 1 } })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 12 } })
    await due()
    await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 2 })
    // The machine sleeps through the night and the morning.
    await moveTo(Date.parse('2026-11-02T17:30:00Z'))
    expect(await states(round.id)).toMatchObject({ sent: 2 })
    await moveTo(Date.parse('2026-11-03T12:40:00Z'))
    expect(await states(round.id)).toMatchObject({ sent: 2 })
    await moveTo(Date.parse('2026-11-03T13:30:00Z'))
    expect(await states(round.id)).toMatchObject({ sent: 3 })
    await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 4 })
  })
})
