import { routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterEach, describe, expect, test } from 'vitest'
import { atMoodyHost, closeWorld, csv, due, hour, letter, minute, moody, moveTo, open, states, world } from './lived.ts'
import { office } from './world.ts'

afterEach(closeWorld)

const all = { done: true, held: true, doubt: true }
async function posted(people: number, changes: Parameters<typeof world.round>[2] = {}) {
  const round = await world.round(csv(people), letter, { dispatch: { perMinute: 60 }, ...changes })
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: people } })
  await due()
  return params
}
/** What lies in the office's own inbox, read by another parser than ours. */
const told = async () => Promise.all((await world.inboxOf(office)).map(async (raw) => simpleParser(raw)))
const notices = () => world.call(routes.notices)

describe('told without looking', () => {
  test('that a round is done: once, when the last letter and the last copy have gone, with counts; it counts, and is no answer', async () => {
    await open(3, '2026-11-02T09:00:00Z', { tell: all })
    const params = await posted(3, { cc: ['archive@quay.example'] })
    expect(await told()).toEqual([])
    for (let i = 0; i < 8; i++) await moveTo(world.clock.now() + minute)
    expect(await states(params.round)).toMatchObject({ sent: 3 })
    const [message, ...more] = await told()
    expect(more).toEqual([])
    expect(message.subject).toBe('Hand Post: “A round” is done')
    expect(message.text).toContain('3 letters sent.')
    expect(message.text).toContain(`${world.handPost.address}/rounds/${params.round}/dispatch`)
    // RFC 3834: nobody's absence answers it.
    expect(message.headers.get('auto-submitted')).toBe('auto-generated')
    // Three letters, three copies, and the message itself.
    const [mailbox] = await world.call(routes.mailboxes)
    expect(mailbox).toMatchObject({ used: { ours: 7, other: 0 }, tellFault: null })
    await world.handPost.parts.inbox.readAll()
    expect((await world.board(params.round)).counts).toMatchObject({ replied: 0, bounced: 0 })
    expect(await notices()).toMatchObject([{ kind: 'done', roundId: params.round, subject: message.subject }])
    // Started anew, and after more time: not once more.
    await world.restart()
    await moveTo(world.clock.now() + hour)
    expect(await told()).toHaveLength(1)
    expect(await notices()).toHaveLength(1)
    // With late-comers it is done a second time.
    const list = (await world.call(routes.round, { params })).list!
    await world.edit(list.id, {
      do: 'addRows',
      rows: [{ [list.columns[0].id]: 'Late Comer', [list.columns[1].id]: 'late@village.example' }],
    })
    await world.call(routes.topUp, { params, body: { messages: 1 } })
    for (let i = 0; i < 4; i++) await moveTo(world.clock.now() + minute)
    expect((await told()).map((one) => one.text?.match(/\d+ letters sent/)?.[0])).toEqual([
      '3 letters sent',
      '4 letters sent',
    ])
    expect(await world.call(routes.notices, { query: { after: (await notices())[0].id } })).toHaveLength(1)
  })

  test('that a round has held itself, with why; what is not wanted as a message is told on the screen only', async () => {
    await open(40, '2026-11-02T09:00:00Z')
    const id = await atMoodyHost({ tell: { ...all, done: false } })
    for (let i = 2; i < 12; i++) moody!.moods.set(`person${i}@village.example`, ['refuses'])
    const params = await posted(40, { mailboxId: id })
    for (let i = 0; i < 30; i++) await moveTo(world.clock.now() + 2000)
    const now = await world.call(routes.round, { params })
    expect(now).toMatchObject({ held: true })
    const message = await simpleParser(moody!.keptFor(office)[0].raw)
    expect(message.subject).toBe('Hand Post: “A round” has held itself')
    const inOneLine = (text: string | undefined) => text?.replace(/\s+/g, ' ')
    expect(inOneLine(message.text)).toContain(inOneLine(now.heldWhy!))
    expect(message.text).toContain(`${now.states.waiting} waiting`)
    await world.call(routes.withdraw, { params })
    await moveTo(world.clock.now() + minute)
    expect((await notices()).map((one) => one.kind)).toEqual(['held', 'done'])
    expect(moody!.keptFor(office)).toHaveLength(1)
  })

  test('that letters are in doubt; a message that the host does not take is tried again, and then said at the mailbox', async () => {
    await open(4, '2026-11-02T09:00:00Z')
    const id = await atMoodyHost({ tell: all })
    moody!.moods.set('person1@village.example', ['keepsAndBreaks'])
    moody!.moods.set(office, ['putsOff', 'putsOff', 'putsOff', 'putsOff', 'putsOff'])
    const params = await posted(4, { mailboxId: id })
    for (let i = 0; i < 5; i++) await moveTo(world.clock.now() + minute)
    expect(await states(params.round)).toMatchObject({ inDoubt: 1 })
    const [notice] = await notices()
    expect(notice).toMatchObject({ kind: 'doubt', subject: 'Hand Post: “A round” has 1 letter in doubt' })
    const fault = async () => (await world.call(routes.mailboxes)).find((m) => m.id === id)!.tellFault
    expect(await fault()).toContain('Greylisted')
    for (let i = 0; i < 8; i++) await moveTo(world.clock.now() + 7 * hour)
    expect(await fault()).toContain('Greylisted')
    expect(moody!.keptFor(office)).toHaveLength(0)
    // Settled by the writer, the round is done: that is told, and takes the fault away.
    const [doubt] = (await world.call(routes.messages, { params })).filter((line) => line.asksWriter)
    await world.call(routes.settleDoubt, { params: { message: doubt.id }, body: { went: true } })
    await world.handPost.parts.dispatcher.settled()
    expect((await notices()).map((one) => one.kind)).toEqual(['doubt', 'done'])
    expect(moody!.keptFor(office)).toHaveLength(1)
    expect(await fault()).toBeNull()
  })

  test('a message that was cut off in the middle is not sent a second time', async () => {
    await open(1, '2026-11-02T09:00:00Z', { tell: all })
    await posted(1)
    await moveTo(world.clock.now() + minute)
    expect(await told()).toHaveLength(1)
    await world.handPost.parts.db.query(`UPDATE notices SET state = 'sending'`)
    await world.crash()
    await moveTo(world.clock.now() + hour)
    expect(await told()).toHaveLength(1)
    expect((await world.call(routes.mailboxes))[0].tellFault).toContain('it may have gone')
  })
})
