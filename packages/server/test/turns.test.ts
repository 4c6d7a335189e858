import { setTimeout as sleep } from 'node:timers/promises'
import { type MailboxSettings, ProblemError, routes } from '@hand-post/contract'
import { plan, readyWeeks } from '@hand-post/core'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { planJobs } from '../src/dispatch/planJobs.ts'
import { mailboxGiven } from '../src/dispatch/planRound.ts'
import { timesPlanned, waitingLanes, writePlan } from '../src/dispatch/store.ts'
import {
  closeWorld,
  csv,
  due,
  hour,
  letter,
  minute,
  moveTo,
  open,
  settings,
  states,
  timetable,
  wall,
  world,
} from './lived.ts'
import { office } from './world.ts'

afterEach(closeWorld)

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
    const message = await idOf(8)
    for (const move of [
      () => world.call(routes.moveLetter, { params: { message }, body: { to: 'last' } }),
      () => world.call(routes.withdrawLetter, { params: { message } }),
    ])
      await expect(move()).rejects.toThrow(/does not wait any more/)
    for (let i = 0; i < 8; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ sent: 7, withdrawn: 1 })
    expect(await world.inboxOf('person3@village.example')).toHaveLength(0)
  })

  test('what waits is read in pieces of any size as it would be at once, in the order in which it leaves', async () => {
    await open(7, '2026-11-02T09:00:00Z')
    const ids: number[] = []
    for (const people of [7, 5]) {
      const round = await world.round(csv(people), letter, { dispatch: { startAt: world.clock.now() + hour } })
      const params = { round: round.id }
      const column = round.list!.columns[0].id
      const order = { by: 'column' as const, column, descending: true }
      await world.call(routes.changeRound, { params, body: { dispatch: { order } } })
      await world.call(routes.post, { params, body: { messages: people } })
      ids.push(round.id)
    }
    const { db } = world.handPost.parts
    const [{ mailboxId }] = await world.call(routes.rounds)
    const [moved] = await world.call(routes.messages, { params: { round: ids[1] } })
    await world.call(routes.moveLetter, { params: { message: moved.id }, body: { to: 'first' } })
    const inOrder = await db.query<{ id: number; roundId: number }>(
      `SELECT id, round_id AS "roundId" FROM messages ORDER BY turn, position, again, id`,
    )
    const expected = ids.map((id) => inOrder.filter((one) => one.roundId === id).map((one) => one.id))
    expect(expected.flat()).not.toEqual(expected.flat().sort((a, b) => a - b))
    for (const atOnce of [1, 2, 3, 5, 7, 12, 13, undefined]) {
      const lanes = await waitingLanes(db, mailboxId, 'UTC', null, atOnce)
      expect(
        lanes.map(({ letters }) => letters.map(({ id }) => id)),
        `${atOnce} at once`,
      ).toEqual(expected)
    }
  })

  test('the times of many are written in parts, between which others go on; planned anew meanwhile, the rest are left to that', async () => {
    await open(8, '2026-11-02T09:00:00Z', { perMinute: 1 })
    const { id: round } = await world.round(csv(8), letter, { dispatch: { startAt: world.clock.now() + hour } })
    await world.call(routes.post, { params: { round }, body: { messages: 8 } })
    const { db } = world.handPost.parts
    const [{ mailboxId }] = await world.call(routes.rounds)
    const times = async () =>
      (await db.query<{ at: number | null }>('SELECT planned_at AS at FROM messages ORDER BY id')).map(({ at }) => at)
    const whole = await times()
    expect(new Set(whole).size).toBe(8)
    const given = await mailboxGiven(db, mailboxId, world.clock.now())
    const planned = plan(given.now, given, given.limits, given.history, given.paused)
    const none = whole.map(() => null)
    /** Writes the plan three at a time where no letter has a time; `between` happens after each part. */
    const write = async (between: (known: number) => Promise<unknown>) => {
      await db.query('UPDATE messages SET planned_at = NULL, planned_by = NULL')
      const transaction: typeof db.transaction = async (work) => {
        const done = await db.transaction(work)
        await between((await times()).filter((at) => at !== null).length)
        return done
      }
      return writePlan({ ...db, transaction }, mailboxId, await timesPlanned(db, mailboxId), given.lanes, planned, 3)
    }
    const seen: number[] = []
    expect(await write(async (known) => seen.push(known))).toBe('whole')
    expect(seen).toEqual([3, 6, 8])
    expect(await times()).toEqual(whole)
    // Somebody else plans anew behind the second part.
    const anew = () => db.query('UPDATE mailboxes SET planned = planned + 1')
    expect(await write(async (known) => known === 6 && anew())).toBe('overtaken')
    expect(await times()).toEqual([...whole.slice(0, 6), null, null])
    // What was planned before this plan was read is not written over.
    await db.query('UPDATE messages SET planned_at = NULL, planned_by = NULL')
    const before = (await timesPlanned(db, mailboxId)) - 1
    expect(await writePlan(db, mailboxId, before, given.lanes, planned)).toBe('stale')
    expect(await times()).toEqual(none)
    // Two that plan at the same moment both come to an end, however often each overtakes the other.
    let turns = 0
    const busy: typeof db.transaction = async (work) => {
      const done = await db.transaction(work)
      if (++turns % 2 === 0) await sleep(20)
      return done
    }
    const both = [1, 2].map(() =>
      planJobs.planMany(
        { mailboxId, now: world.clock.now(), atOnce: 1 },
        { db: { ...db, transaction: busy }, progress: () => {} },
      ),
    )
    await Promise.all(both)
    expect(await times()).toEqual(whole)
    // Held, none has a time.
    await world.call(routes.hold, { params: { round } })
    await world.call(routes.carryOn, { params: { round } })
    expect(await times()).toEqual(whole)
    await world.call(routes.hold, { params: { round } })
    expect(await times()).toEqual(none)
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

describe('letters that nobody has planned', () => {
  /** Posts a round as a process does that ends before it has planned it. */
  const posted = async (people: number, more: object = {}) => {
    const round = await world.round(csv(people), letter, more)
    const { compute, clock, publicAddress } = world.handPost.parts
    const given = { roundId: round.id, expected: people, onPaper: 0, now: clock.now(), publicAddress }
    await compute.run('post', given)
    return round
  }
  const planned = async () => timesPlanned(world.handPost.parts.db, (await world.call(routes.mailboxes))[0].id)

  test('of a process that has ended are given their times by whoever works the mailbox, and leave', async () => {
    await open(5, '2026-11-02T09:00:00Z')
    const round = await posted(3, { dispatch: { perMinute: 1 } })
    const { dispatcher } = world.handPost.parts
    await due()
    expect(await states(round.id)).toMatchObject({ waiting: 3, sent: 0 })
    // That they have no time is no reason for which they could not leave.
    expect(await timetable(round.id)).toMatchObject({
      departures: [],
      never: [],
      sentence: '3 letters have no time yet: they are given theirs within a few minutes.',
    })
    // Whoever has posted them may be planning just now.
    const before = await planned()
    await dispatcher.planForgotten()
    expect(await planned()).toBe(before)
    await dispatcher.planForgotten()
    expect(await planned()).toBeGreaterThan(before)
    await due()
    expect(await states(round.id)).toMatchObject({ waiting: 2, sent: 1 })
    for (let i = 0; i < 2; i++) await moveTo(world.clock.now() + minute)
    expect(await states(round.id)).toMatchObject({ waiting: 0, sent: 3 })
  })

  test('are left to whoever plans them, as long as that goes on', async () => {
    await open(5, '2026-11-02T09:00:00Z')
    await posted(2)
    const { db, dispatcher } = world.handPost.parts
    const leavesThem = async () => {
      const before = await planned()
      await dispatcher.planForgotten()
      expect(await planned()).toBe(before)
    }
    for (let i = 0; i < 3; i++) {
      await leavesThem()
      await db.query('UPDATE mailboxes SET planned = planned + 1')
    }
    await leavesThem()
    // Times are written in parts.
    await db.query('UPDATE messages SET planned_at = 1 WHERE id = (SELECT min(id) FROM messages)')
    await leavesThem()
  })

  test('for they are held, or can never leave, are not planned again and again', async () => {
    await open(4, '2026-11-02T09:00:00Z', { hours: { week: readyWeeks.mornings, off: [], holidays: null } })
    const hours = { week: readyWeeks.afternoons, off: [], instead: false }
    const never = await world.round(csv(2), letter, { dispatch: { hours } })
    await world.call(routes.post, { params: { round: never.id }, body: { messages: 2 } })
    const held = await world.round(csv(2), { ...letter, subject: 'Held' }, { dispatch: { startAt: hour } })
    await world.call(routes.post, { params: { round: held.id }, body: { messages: 2 } })
    await world.call(routes.hold, { params: { round: held.id } })
    const before = await planned()
    for (let i = 0; i < 3; i++) await world.handPost.parts.dispatcher.planForgotten()
    expect(await planned()).toBe(before)
  })

  test('because planning failed: what was posted is told as posted, and is planned at the next look', async () => {
    await open(4, '2026-11-02T09:00:00Z')
    const round = await world.round(csv(2), letter)
    const { compute, dispatcher } = world.handPost.parts
    const run = compute.run.bind(compute)
    const failing = vi
      .spyOn(compute, 'run')
      .mockImplementation(((name: string, ...rest: unknown[]) =>
        name.startsWith('plan')
          ? Promise.reject(new Error('no memory left'))
          : run(name as never, ...(rest as [never]))) as never)
    const told = await world.call(routes.post, { params: { round: round.id }, body: { messages: 2 } })
    expect(told).toMatchObject({ postedAt: expect.any(Number), states: { waiting: 2 } })
    failing.mockRestore()
    await dispatcher.planForgotten()
    await due()
    expect((await states(round.id)).sent).toBeGreaterThan(0)
  })
})

test('it is looked for both by itself: twice a minute for what is due, and once for what has no time', async () => {
  const timers = vi.spyOn(globalThis, 'setInterval')
  await open(3, '2026-11-02T09:00:00Z')
  const { dispatcher } = world.handPost.parts
  const looks = [vi.spyOn(dispatcher, 'wakeForgotten'), vi.spyOn(dispatcher, 'planForgotten')]
  const lookAfter = (wanted: number) => {
    for (const [look, ms] of timers.mock.calls) if (ms === wanted) look()
    return looks.map(({ mock }) => mock.calls.length)
  }
  expect(lookAfter(30_000)).toEqual([1, 0])
  expect(lookAfter(60_000)).toEqual([1, 1])
  timers.mockRestore()
})

test('letters that are planned, and of which nobody told whoever works the mailbox, leave at the next look', async () => {
  await open(3, '2026-11-02T09:00:00Z')
  const { db, dispatcher } = world.handPost.parts
  const round = await world.round(csv(3), letter, { dispatch: { perMinute: 1 } })
  const untold = vi.spyOn(dispatcher, 'wake').mockImplementation(() => {})
  await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
  untold.mockRestore()
  await dispatcher.settled()
  expect(await states(round.id)).toMatchObject({ waiting: 3, sent: 0 })
  await dispatcher.wakeForgotten()
  await dispatcher.settled()
  expect(await states(round.id)).toMatchObject({ waiting: 2, sent: 1 })
  // What is not due yet, or waits in a mailbox that is stopped, wakes nobody.
  const wakes = vi.spyOn(dispatcher, 'wake').mockImplementation(() => {})
  await dispatcher.wakeForgotten()
  expect(wakes).not.toHaveBeenCalled()
  world.clock.move(minute)
  await db.query('UPDATE mailboxes SET stopped = true')
  await dispatcher.wakeForgotten()
  expect(wakes).not.toHaveBeenCalled()
  await db.query('UPDATE mailboxes SET stopped = false')
  await dispatcher.wakeForgotten()
  expect(wakes).toHaveBeenCalledOnce()
  wakes.mockRestore()
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
