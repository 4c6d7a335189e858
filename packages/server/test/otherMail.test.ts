import { type MailboxSettings, mailboxSettingsSchema, routes } from '@hand-post/contract'
import { afterEach, describe, expect, test } from 'vitest'
import {
  closeWorld,
  csv,
  due,
  hour,
  letter,
  minute,
  moveTo,
  open,
  openWorld,
  states,
  timetable,
  world,
} from './lived.ts'
import { office } from './world.ts'

afterEach(closeWorld)

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
    await openWorld({
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
