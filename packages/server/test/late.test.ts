import { routes } from '@hand-post/contract'
import { afterEach, describe, expect, test } from 'vitest'
import {
  atMoodyHost,
  closeWorld,
  csv,
  due,
  hour,
  letter,
  minute,
  moody,
  moodyAgain,
  moveTo,
  open,
  states,
  timetable,
  world,
} from './lived.ts'
import type { Mood } from './moodyHost.ts'

afterEach(closeWorld)

/** A round of some people, one letter a minute, of which the first has gone. */
async function aRound(people = 30, mailboxId?: number) {
  const round = await world.round(csv(people), letter, { dispatch: { perMinute: 1 }, ...(mailboxId && { mailboxId }) })
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: people } })
  await due()
  return params
}
const lateOf = async (params: { round: number }) => (await world.call(routes.round, { params })).late
/** How many letters of a round left in each of the minutes after a time. */
async function leftAfter(params: { round: number }, at: number) {
  const lines = await world.call(routes.messages, { params })
  return lines.filter((line) => line.sentAt !== null && line.sentAt >= at).length
}

describe('late letters', () => {
  test('asleep over the planned time: they go on by the pace, not all at once, and it is said what was late and why', async () => {
    await open(30, '2026-11-02T09:00:00Z')
    const params = await aRound()
    const [, second] = (await timetable(params.round)).departures
    const woken = second.at + 10.5 * minute
    await moveTo(woken)
    expect(await lateOf(params)).toEqual({
      from: second.at,
      until: woken,
      letters: 11,
      why: 'This machine was asleep then, or its clock was put forward.',
    })
    expect(await leftAfter(params, woken)).toBe(1)
    await moveTo(woken + minute)
    expect(await leftAfter(params, woken)).toBe(2)
    // In time again, nothing new is said.
    expect((await lateOf(params))?.until).toBe(woken)
  })

  test('not running over the planned time', async () => {
    await open(30, '2026-11-02T09:00:00Z')
    const params = await aRound()
    const [, second] = (await timetable(params.round)).departures
    await world.handPost.close()
    world.clock.move(5 * hour)
    await world.restart()
    await due()
    expect(await lateOf(params)).toMatchObject({ from: second.at, letters: 29, why: 'Hand Post was not running then.' })
    expect(await states(params.round)).toMatchObject({ sent: 2 })
  })

  test('a host that is down for hours: from when until when, in its words; mended by hand, until then', async () => {
    await open(30, '2026-11-02T09:00:00Z')
    const id = await atMoodyHost()
    const params = await aRound(30, id)
    expect(await states(params.round)).toMatchObject({ sent: 1 })
    const { port } = moody!
    moody!.close()
    const down = world.clock.now() + minute
    await moveTo(down)
    expect(await lateOf(params)).toBeNull()
    for (let i = 0; i < 200; i++) await moveTo(world.clock.now() + minute)
    const late = (await lateOf(params))!
    expect(late).toMatchObject({ from: down, letters: null })
    expect(late.why).toContain('cannot be reached')
    expect(late.until).toBeGreaterThan(world.clock.now())
    await moodyAgain(port)
    await world.call(routes.carryOnMailbox, { params: { mailbox: id } })
    await world.handPost.parts.dispatcher.settled()
    expect((await lateOf(params))!.until).toBe(world.clock.now())
    expect(await states(params.round)).toMatchObject({ sent: 2, waiting: 28 })
  })

  test('a round that is held is not late', async () => {
    await open(5, '2026-11-02T09:00:00Z')
    const params = await aRound(5)
    await world.call(routes.hold, { params })
    await moveTo(world.clock.now() + 3 * hour)
    await world.call(routes.carryOn, { params })
    await due()
    expect(await lateOf(params)).toBeNull()
  })
})

describe('what a host says of its limits', () => {
  const offered = async (id: number) => (await world.call(routes.mailboxes)).find((mailbox) => mailbox.id === id)!

  test.each([
    ['namesLimit', { limit: 'perHour', n: 20, counted: false }, 'perHour'],
    ['usedUp', { limit: 'perDay', n: 4, counted: true }, 'perDay'],
  ] as const)('%s: it is kept and offered; taken, what waits goes by it', async (mood, said, limit) => {
    await open(9, '2026-11-02T09:00:00Z')
    const id = await atMoodyHost()
    moody!.moods.set('person4@village.example', [mood as Mood])
    const params = await aRound(9, id)
    for (let i = 0; i < 5; i++) await moveTo(world.clock.now() + minute)
    expect(await states(params.round)).toMatchObject({ sent: 4, waiting: 5 })
    const { saidLimit } = await offered(id)
    expect(saidLimit).toMatchObject(said)
    expect(saidLimit?.words).toMatch(/limit/i)
    const taken = await world.call(routes.answerSaidLimit, { params: { mailbox: id }, body: { take: true } })
    expect(taken).toMatchObject({ [limit]: said.n, saidLimit: null })
    // In the timetable at once: four have gone, so a day's four are used up, and an hour's twenty are not.
    const left = (await timetable(params.round)).departures.filter((d) => !d.gone)
    expect(left[0].at > world.clock.now() + 20 * hour).toBe(limit === 'perDay')
    const again = world.call(routes.answerSaidLimit, { params: { mailbox: id }, body: { take: true } })
    await expect(again).rejects.toThrow('no limit of the host to answer')
  })

  test('left as it is, it is not offered again; one that is not less than what is set is not offered', async () => {
    await open(9, '2026-11-02T09:00:00Z', { perHour: 20 })
    const id = await atMoodyHost()
    moody!.moods.set('person1@village.example', ['usedUp'])
    moody!.moods.set('person2@village.example', ['namesLimit'])
    const params = await aRound(9, id)
    await moveTo(world.clock.now() + minute)
    expect((await offered(id)).saidLimit).toMatchObject({ n: 1, counted: true })
    await world.call(routes.answerSaidLimit, { params: { mailbox: id }, body: { take: false } })
    for (let i = 0; i < 3; i++) await moveTo(world.clock.now() + 90 * minute)
    expect((await states(params.round)).sent).toBeGreaterThan(1)
    expect((await offered(id)).saidLimit).toBeNull()
  })
})
