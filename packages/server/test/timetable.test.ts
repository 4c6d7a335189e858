import { type MailboxSettings, mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { Temporal } from 'temporal-polyfill'
import { afterEach, describe, expect, test } from 'vitest'
import { office, World } from './world.ts'

const minute = 60_000
const hour = 60 * minute
const letter = { subject: 'To {{Name}}', html: '<p>Dear {{Name}}</p>' }
const csv = (n: number) =>
  ['Name,Email', ...Array.from({ length: n }, (_, i) => `Person ${i},person${i}@village.example`)].join('\r\n')

let world: World
afterEach(() => world?.close())

/** A world whose clock stands at a moment, with n people who take what comes, and a mailbox with these settings. */
async function open(n: number, at: string, changes: Partial<MailboxSettings> = {}): Promise<void> {
  world = await World.open({
    manners: Object.fromEntries(Array.from({ length: n }, (_, i) => [`person${i}@village.example`, {}])),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  world.clock.move(Date.parse(at) - world.clock.now())
  await settings({ timeZone: 'Europe/London', ...changes })
}
async function settings(changes: Partial<MailboxSettings>): Promise<void> {
  const [mailbox] = await world.call(routes.mailboxes)
  await world.call(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), ...changes },
  })
}
const due = async () => {
  await world.handPost.parts.dispatcher.wakeAll()
  await world.handPost.parts.dispatcher.settled()
}
/** Moves the clock to a moment and lets happen what is due. */
const moveTo = (at: number) => {
  world.clock.move(at - world.clock.now())
  return due()
}
const timetable = (round: number) => world.call(routes.timetable, { params: { round } })
const states = async (round: number) => (await world.call(routes.round, { params: { round } })).states
/** A clock on the wall, by a library that is not ours (ECMA-262 Temporal). */
const wall = (at: number, zone = 'Europe/London') => Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone)
const dateOf = (at: number, zone?: string) => wall(at, zone).toPlainDate().toString()
const counts = (dates: string[]) => {
  const all = new Map<string, number>()
  for (const date of dates) all.set(date, (all.get(date) ?? 0) + 1)
  return [...all]
}

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
      world = await World.open({
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

describe('order and turns', () => {
  test('letters leave by a column or by chance; one is sent first, one last, one is withdrawn', async () => {
    await open(8, '2026-11-02T09:00:00Z')
    const round = await world.round(csv(8), letter, { dispatch: { perMinute: 1 } })
    const params = { round: round.id }
    const rowsOf = async () => (await timetable(round.id)).departures.map((d) => d.rowId)
    const order = (order: object) => world.call(routes.changeRound, { params, body: { dispatch: { order } as never } })
    await order({ by: 'random' })
    const byChance = await rowsOf()
    expect(byChance).not.toEqual([1, 2, 3, 4, 5, 6, 7, 8])
    expect(await rowsOf()).toEqual(byChance)
    await order({ by: 'column', column: round.list!.columns[0].id, descending: true })
    expect(await rowsOf()).toEqual([8, 7, 6, 5, 4, 3, 2, 1])
    await world.call(routes.post, { params, body: { messages: 8 } })
    expect(await rowsOf()).toEqual([8, 7, 6, 5, 4, 3, 2, 1])
    await due()
    const idOf = async (row: number) => (await world.call(routes.messages, { params })).find((m) => m.rowId === row)!.id
    await world.call(routes.moveLetter, { params: { message: await idOf(2) }, body: { to: 'first' } })
    await world.call(routes.moveLetter, { params: { message: await idOf(6) }, body: { to: 'last' } })
    await world.call(routes.withdrawLetter, { params: { message: await idOf(4) } })
    expect(await rowsOf()).toEqual([8, 2, 7, 5, 3, 1, 6])
    // What has left is neither moved nor called back.
    for (const move of [
      world.call(routes.moveLetter, { params: { message: await idOf(8) }, body: { to: 'last' } }),
      world.call(routes.withdrawLetter, { params: { message: await idOf(8) } }),
    ])
      await expect(move).rejects.toThrow(/does not wait any more/)
    for (let i = 0; i < 8; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 7, withdrawn: 1 })
    expect(await world.inboxOf('person3@village.example')).toHaveLength(0)
  })

  test('rounds that share a mailbox take turns as the writer says, or share it evenly', async () => {
    await open(6, '2026-11-02T09:00:00Z', { perMinute: 1 })
    const rounds: number[] = []
    for (const subject of ['First', 'Second']) {
      const { id } = await world.round(csv(6), { ...letter, subject }, { title: subject, dispatch: { perMinute: 60 } })
      await world.call(routes.post, { params: { round: id }, body: { messages: 6 } })
      rounds.push(id)
    }
    const [first, second] = rounds
    const [mailbox] = await world.call(routes.mailboxes)
    const lastOf = async (id: number) => (await timetable(id)).departures.at(-1)!.at
    expect(await lastOf(first)).toBeLessThan((await timetable(second)).departures[0].at)
    const [shared] = (await world.call(routes.outTray)).sharing
    expect(shared).toMatchObject({ mailboxId: mailbox.id, evenly: false, rounds: [{ id: first }, { id: second }] })
    const turns = (evenly: boolean) =>
      world.call(routes.changeTurns, { params: { mailbox: mailbox.id }, body: { rounds: [second, first], evenly } })
    await turns(false)
    expect((await world.call(routes.outTray)).sharing[0].rounds.map((r) => r.id)).toEqual([second, first])
    expect(await lastOf(second)).toBeLessThan(await lastOf(first))
    await turns(true)
    expect(Math.abs((await lastOf(second)) - (await lastOf(first)))).toBeLessThanOrEqual(minute)
    for (let i = 0; i < 14; i++) await moveTo(world.clock.now() + minute)
    expect(await states(first)).toMatchObject({ sent: 6 })
    expect(await states(second)).toMatchObject({ sent: 6 })
    expect((await world.call(routes.outTray)).sharing).toEqual([])
  })
})

describe('times of people’s own', () => {
  const people = [
    'Name,Email,When,Zone',
    'Ada,person0@village.example,3/11/2026 14:30,',
    'Bo,person1@village.example,3/11/2026 14:30,Asia/Tokyo',
    'Cy,person2@village.example,,',
    'Di,person3@village.example,4/11/2026 08:00,',
  ].join('\r\n')
  const columnOf = (round: { list: { columns: { id: string; name: string }[] } | null }, name: string) =>
    round.list!.columns.find((c) => c.name === name)!.id

  test('each letter leaves at the day and hour in its row, by the clock where the person is; a blank by the pace', async () => {
    await open(4, '2026-11-02T09:00:00Z')
    const round = await world.round(people, letter, { dispatch: { perMinute: 60 } })
    const params = { round: round.id }
    const times = { column: columnOf(round, 'When'), zoneColumn: columnOf(round, 'Zone'), hour: 540 }
    await world.call(routes.changeRound, { params, body: { dispatch: { times } } })
    const expected = [
      [3, '2026-11-02T09:00:00Z'],
      [2, '2026-11-03T05:30:00Z'],
      [1, '2026-11-03T14:30:00Z'],
      [4, '2026-11-04T08:00:00Z'],
    ].map(([row, at]) => [Number(row), Date.parse(String(at))])
    const table = await timetable(round.id)
    expect(table.departures.map((d) => [d.rowId, d.at])).toEqual(expected)
    expect(table.departures.map((d) => d.by)).toEqual(['now', 'time', 'time', 'time'])
    expect(table.sentence).toContain('each person’s own time is what holds them')
    await world.call(routes.post, { params, body: { messages: 4 } })
    for (const [, at] of expected) await moveTo(at)
    const messages = await world.call(routes.messages, { params })
    expect(messages.map((m) => [m.rowId, m.sentAt]).sort((a, b) => a[1]! - b[1]!)).toEqual(expected)
    for (let i = 0; i < 4; i++) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
  })

  test('a time that is none stops the round; past, and outside the hours, it asks', async () => {
    await open(4, '2026-11-03T15:00:00Z', { hours: { week: readyWeeks.afternoons, off: [], holidays: null } })
    const round = await world.round(people, letter)
    const params = { round: round.id }
    const when = columnOf(round, 'When')
    await world.call(routes.changeRound, {
      params,
      body: { dispatch: { times: { column: when, zoneColumn: null, hour: 540 } } },
    })
    const found = async () =>
      (await world.call(routes.proof, { params, query: { wait: 'yes' } })).findings
        .filter((f) => f.check.startsWith('ownTime'))
        .map((f) => [f.check, f.grade, f.rowId, f.message])
    expect(await found()).toEqual([
      ['ownTimePast', 'ask', 1, 'Their own time, Tue 3 Nov 14:30, is past: the letter would leave as soon as it can.'],
      ['ownTimePast', 'ask', 2, 'Their own time, Tue 3 Nov 14:30, is past: the letter would leave as soon as it can.'],
      [
        'ownTimeClosed',
        'ask',
        4,
        'Their own time, Wed 4 Nov 08:00, is outside the hours: the letter would wait until Wed 4 Nov 13:00.',
      ],
    ])
    await world.edit(round.list!.id, { do: 'cells', cells: [[4, when, 'soon']] })
    expect((await found())[0]).toEqual([
      'ownTimeUnread',
      'stop',
      4,
      '“soon” in “When” is no time. Write a day and hour, such as 2/11/2026 09:00, or nothing.',
    ])
    await expect(world.call(routes.post, { params, body: { messages: 4 } })).rejects.toThrow(
      /proof has something to settle/,
    )
  })
})

test('the days are given as a calendar that other programs read', async () => {
  await open(5, '2026-11-02T16:58:00Z', { hours: { week: readyWeeks.office, off: [], holidays: null } })
  const round = await world.round(csv(5), letter, {
    title: 'Berths, moorings; and “a title that is longer than a line of a calendar may be” äöü',
    dispatch: { perMinute: 1 },
  })
  const text = await world.call(routes.calendar, { params: { round: round.id } })
  // RFC 5545: lines end with CRLF and have 75 octets at most (3.1); text is escaped (3.3.11); each event has UID and DTSTAMP (3.6.1).
  expect(text.endsWith('END:VCALENDAR\r\n')).toBe(true)
  for (const line of text.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75)
  expect(text.replaceAll('\r\n', '')).not.toMatch(/[\r\n]/)
  const lines = text.replaceAll('\r\n ', '').split('\r\n')
  const all = (name: string) =>
    lines.filter((line) => line.startsWith(`${name}:`)).map((line) => line.slice(name.length + 1))
  expect(all('DTSTART')).toEqual(['20261102T165800Z', '20261103T090000Z'])
  expect(all('DTEND')).toEqual(['20261102T165900Z', '20261103T090200Z'])
  expect(all('UID')).toHaveLength(2)
  expect(all('DTSTAMP')).toHaveLength(2)
  expect(all('SUMMARY')[1]).toBe(
    'Berths\\, moorings\\; and “a title that is longer than a line of a calendar may be” äöü: 3 letters',
  )
})

describe('what cannot be', () => {
  test('is refused in words, and nothing is changed', async () => {
    await open(1, '2026-11-02T09:00:00Z')
    const refusal = async (changes: Partial<MailboxSettings>) => {
      const error = await settings(changes).catch((error) => error)
      expect(error).toBeInstanceOf(ProblemError)
      return [error.problem.detail, ...(error.problem.faults ?? []).map((f: { fault: string }) => f.fault)].join(' ')
    }
    const hours = { week: readyWeeks.office, off: [], holidays: null }
    expect(await refusal({ hours: { ...hours, week: readyWeeks.office.map(() => []) } })).toContain('never open')
    expect(await refusal({ hours: { ...hours, off: [{ from: '2026-12-24', to: '2026-12-01', name: '' }] } })).toContain(
      'The last day is before the first.',
    )
    expect(await refusal({ hours: { ...hours, holidays: { country: 'XX', region: null, worked: [] } } })).toContain(
      'The public holidays of “XX” are not known.',
    )
    expect(await refusal({ hours: { ...hours, holidays: { country: 'GB', region: 'ZZ', worked: [] } } })).toContain(
      '“ZZ” is no region of “GB”',
    )
    expect(await refusal({ dayZone: 'Europe/Brindle' })).toContain('There is no time zone called “Europe/Brindle”')
    expect(await refusal({ gentleStart: { wanted: true, days: Array(61).fill(1) } })).toContain('never ends')
    expect(await refusal({ perHour: 0 })).toContain('nothing would ever leave')
    expect((await world.call(routes.mailboxes))[0]).toMatchObject({ perHour: null, dayZone: null })
    const round = await world.round(csv(1), letter)
    const error = await world
      .call(routes.changeRound, { params: { round: round.id }, body: { dispatch: { groups: { of: 0, rest: 5 } } } })
      .catch((error) => error)
    expect(error).toBeInstanceOf(ProblemError)
  })

  test('letters that the hours never let go are told, and stay where they are', async () => {
    await open(3, '2026-11-02T09:00:00Z', { hours: { week: readyWeeks.mornings, off: [], holidays: null } })
    const hours = { week: readyWeeks.afternoons, off: [], instead: false }
    const round = await world.round(csv(3), letter, { dispatch: { hours } })
    expect((await timetable(round.id)).sentence).toBe(
      '3 letters can never leave: the hours of the round and of the mailbox are never open at the same time.',
    )
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
    await moveTo(world.clock.now() + 48 * hour)
    expect(await states(round.id)).toMatchObject({ waiting: 3 })
    expect((await timetable(round.id)).never).toEqual([{ by: 'hours', letters: 3 }])
    await world.call(routes.changePace, { params: { round: round.id }, body: { hours: { ...hours, instead: true } } })
    await moveTo(Date.parse('2026-11-04T13:30:00Z'))
    await moveTo(Date.parse('2026-11-04T13:31:00Z'))
    expect((await states(round.id)).sent).toBeGreaterThan(0)
  })

  test('public holidays come from a calendar, and those that are worked count as open', async () => {
    await open(2, '2026-12-24T16:59:00Z', {
      hours: {
        week: readyWeeks.office,
        off: [],
        holidays: { country: 'GB', region: 'ENG', worked: [] },
      },
    })
    // Bank holidays in England: Friday 25 December 2026, and Monday 28 December for Boxing Day on a Saturday (gov.uk, from memory).
    const round = await world.round(csv(2), letter, { dispatch: { perMinute: 1 } })
    expect((await timetable(round.id)).departures.map((d) => wall(d.at).toPlainDateTime().toString())).toEqual([
      '2026-12-24T16:59:00',
      '2026-12-29T09:00:00',
    ])
    const known = await world.call(routes.holidays, { query: { country: 'GB', region: 'ENG' } })
    expect(known.days).toContainEqual({ from: '2026-12-25', to: '2026-12-25', name: 'Christmas Day' })
    expect(known.regions.map((r) => r.code)).toContain('SCT')
    await settings({
      hours: {
        week: readyWeeks.office,
        off: [],
        holidays: { country: 'GB', region: 'ENG', worked: ['2026-12-28'] },
      },
    })
    expect(
      wall((await timetable(round.id)).departures[1].at)
        .toPlainDateTime()
        .toString(),
    ).toBe('2026-12-28T09:00:00')
    expect((await world.call(routes.mailboxes))[0].address).toBe(office)
  })
})

describe('other mail of the mailbox', () => {
  const mail = (id: string | null, to: string) =>
    Buffer.from(
      [
        ...(id ? [`Message-ID: <${id}@desk.example>`] : []),
        `From: ${office}`,
        `To: ${to}`,
        'Subject: By hand',
        '',
        'Words',
      ].join('\r\n'),
    )
  const put = (raw: Buffer, at = world.clock.now()) => world.practice.store.add(office, 'Sent', raw, new Date(at))
  /** A mailbox that the writer uses beside Hand Post. */
  async function office2(changes: Partial<MailboxSettings>) {
    const [own] = await world.call(routes.mailboxes)
    return world.call(routes.addMailbox, {
      body: { ...mailboxSettingsSchema.parse(own), name: 'Office', password: 'practice', ...changes },
    })
  }
  const read = (id: number) => world.handPost.parts.otherMail.read(id, true)
  const mailboxOf = async (id: number) => (await world.call(routes.mailboxes)).find((m) => m.id === id)!

  test('counts in the allowance: each To, Cc and Bcc, what is ours not, and it is said', async () => {
    await open(12, '2026-11-02T09:00:00Z')
    await put(mail('old', 'a@quay.example'), world.clock.now() - 30 * hour)
    await put(mail('one', 'a@quay.example, b@quay.example, A@quay.example'))
    await put(mail(null, 'c@quay.example\r\nCc: d@quay.example\r\nBcc: e@quay.example'))
    const { id } = await office2({ perDay: 10 })
    await read(id)
    expect(await mailboxOf(id)).toMatchObject({ allowance: 5, used: { ours: 0, other: 5 }, sentFault: null })
    const round = await world.round(csv(12), letter, { mailboxId: id, dispatch: { perMinute: 60 } })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 12 } })
    await due()
    for (let i = 0; i < 3; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 5, waiting: 7 })
    // Our own lie in Sent by now too, and are counted once.
    await read(id)
    expect(await mailboxOf(id)).toMatchObject({ allowance: 0, used: { ours: 5, other: 5 } })
    const { hours } = await world.call(routes.mailboxUse, { params: { mailbox: id } })
    expect(hours.reduce((n, h) => n + h.gone, 0)).toBe(5)
    expect(hours.reduce((n, h) => n + h.other, 0)).toBe(5)
    // What the writer sends while the round waits takes from it as well, without being asked for.
    await moveTo(Date.parse('2026-11-03T08:50:00Z'))
    await put(mail('three', 'a@quay.example, b@quay.example, c@quay.example'))
    await moveTo(Date.parse('2026-11-03T09:00:01Z'))
    for (let i = 0; i < 12; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 12, waiting: 0 })
    expect((await mailboxOf(id)).used).toEqual({ ours: 7, other: 3 })
  })

  test('a mailbox that is used is not new, and one whose Sent cannot be read says so and goes on', async () => {
    await open(3, '2026-11-02T09:00:00Z')
    for (let day = 1; day <= 2; day++) await put(mail(`d${day}`, 'a@quay.example'), world.clock.now() - day * 24 * hour)
    const { id } = await office2({ gentleStart: { wanted: true, days: [1, 2, 3, 4] } })
    await read(id)
    // Today is its third day of sending.
    expect((await mailboxOf(id)).gentleToday).toBe(3)
    const own = mailboxSettingsSchema.parse(await mailboxOf(id))
    await world.call(routes.changeMailbox, {
      params: { mailbox: id },
      body: { ...own, password: 'practice', imap: { ...own.imap!, port: 1 } },
    })
    await read(id)
    expect((await mailboxOf(id)).sentFault).toMatch(/127\.0\.0\.1/)
    const round = await world.round(csv(3), letter, { mailboxId: id, dispatch: { perMinute: 60 } })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
    for (let i = 0; i < 3; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 3 })
  })

  test('a Sent folder that was laid out anew is read anew, and nothing is counted twice', async () => {
    await open(1, '2026-11-02T09:00:00Z')
    await put(mail('one', 'a@quay.example'))
    const { id } = await office2({})
    await read(id)
    await world.handPost.parts.db.query(
      'UPDATE mailboxes SET sent_uid_validity = 1, sent_last_uid = 900 WHERE id = $1',
      [id],
    )
    await put(mail('two', 'b@quay.example'))
    await read(id)
    await read(id)
    expect((await mailboxOf(id)).used.other).toBe(2)
  })
})

describe('the brake', () => {
  /** A round of 30 letters, one a minute, to people of whom some are of another manner. */
  async function posted(brake: number | null, manner: (i: number) => object) {
    const n = 30
    world = await World.open({
      manners: Object.fromEntries(Array.from({ length: n }, (_, i) => [`person${i}@village.example`, manner(i)])),
      limits: { perDay: 10_000, perMinute: 10_000 },
      speed: 6,
    })
    const round = await world.round(csv(n), letter, { dispatch: { perMinute: 1, brake } })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: n } })
    return { params: { round: round.id }, n }
  }

  test('a round of which many come back holds itself, says why by domain, and goes on by the writer’s word', async () => {
    // Every fifth of the first comes back after five minutes.
    const { params, n } = await posted(8, (i) => (i < 15 && i % 5 === 0 ? { bounces: true } : {}))
    for (let i = 0; i < 20; i++) await world.pass(minute)
    const held = await world.call(routes.round, { params })
    expect(held.held).toBe(true)
    expect(held.heldWhy).toMatch(
      /^The round holds itself: of its first 1\d letters, 3 were refused or came back: 3 at village\.example \(.+\)\. Look at them/,
    )
    expect((await timetable(params.round)).sentence).toContain('The round is held')
    const { sent } = held.states
    expect(sent).toBeLessThan(n)
    await world.pass(hour)
    expect((await states(params.round)).sent).toBe(sent)
    await world.call(routes.carryOn, { params })
    for (let i = sent; i < n; i++) await world.pass(minute)
    expect(await world.call(routes.round, { params })).toMatchObject({
      held: false,
      heldWhy: null,
      states: { sent: n },
    })
    for (let i = 0; i < n; i += 7) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
  })

  test('a round of which the first are refused holds itself at once; switched off, it lets everything go', async () => {
    const { params, n } = await posted(8, (i) => (i < 4 ? { refused: true } : {}))
    for (let i = 0; i < 6; i++) await moveTo(world.clock.now() + minute)
    expect(await world.call(routes.round, { params })).toMatchObject({
      held: true,
      states: { refused: 3, waiting: n - 3 },
    })
    await world.call(routes.changePace, { params, body: { brake: null } })
    await world.call(routes.carryOn, { params })
    for (let i = 0; i < n; i++) await moveTo(world.clock.now() + minute)
    expect(await world.call(routes.round, { params })).toMatchObject({
      held: false,
      states: { refused: 4, sent: n - 4 },
    })
  })
})
