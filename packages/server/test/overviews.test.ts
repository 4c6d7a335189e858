import { lifeParts, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { hour, minute, office, World } from './world.ts'

// What the pages of all rounds, all lists, one person and the mailboxes say, against what was done here.
let world: World
beforeAll(async () => {
  world = await World.open({
    manners: Object.fromEntries(Array.from({ length: 9 }, (_, i) => [`p${i}@village.example`, {}])),
  })
})
afterAll(() => world.close())

const letter = { subject: 'For {{Name}}', html: '<p>Dear {{Name}}, your berth is ready.</p>' }
const csv = (n: number) =>
  ['Name,Email', ...Array.from({ length: n }, (_, i) => `P${i},p${i}@village.example`)].join('\n')
const sum = (numbers: number[]) => numbers.reduce((a, b) => a + b, 0)
const overview = async (id: number) => (await world.call(routes.rounds)).find((r) => r.id === id)!
/** Posts a round; that its people were written to before is accepted. */
async function post(round: number, messages: number) {
  const params = { round }
  const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  const keys = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages } })
}
async function posted(n: number, perMinute: number) {
  const { id } = await world.round(csv(n), letter, { dispatch: { perMinute } })
  await post(id, n)
  return { params: { round: id } }
}
let answers = 0
async function answer(address: string, words: string) {
  const { messageId } = await simpleParser((await world.inboxOf(address)).at(-1)!)
  const raw = `From: ${address}\r\nTo: ${office}\r\nSubject: Re\r\nMessage-ID: <${++answers}.${address}>\r\nIn-Reply-To: ${messageId}\r\n\r\n${words}\r\n`
  await world.practice.store.add(office, 'INBOX', Buffer.from(raw), new Date(world.clock.now()))
  await world.handPost.parts.inbox.readAll()
}

describe('all rounds', () => {
  test('one that is not posted has a subject and no life', async () => {
    const { id } = await world.round(csv(2), letter)
    expect(await overview(id)).toMatchObject({ subject: 'For {{Name}}', life: null, inTray: 0 })
  })
  test('a life counts each letter once, gone or to go, from the first to the last of it', async () => {
    const began = world.clock.now()
    const { params } = await posted(6, 1)
    await world.pass(2.5 * minute, 5)
    const { life, states, firstAt, lastAt } = await overview(params.round)
    expect(states.sent).toBeGreaterThan(0)
    expect(states.waiting).toBeGreaterThan(0)
    expect([sum(life!.gone), sum(life!.toGo), sum(life!.answered)]).toEqual([states.sent, states.waiting, 0])
    expect([life!.from, life!.to]).toEqual([firstAt, lastAt])
    expect(life!.from).toBeGreaterThanOrEqual(began)
    // The first part has the first letter, the last part the last.
    expect(life!.gone[0]).toBeGreaterThan(0)
    expect(life!.toGo[lifeParts - 1]).toBeGreaterThan(0)
    await world.pass(10 * minute, 20)
    expect(sum((await overview(params.round)).life!.gone)).toBe(6)
  })
  test('an answer is one of a person, however often they write; what is not done waits in the in-tray', async () => {
    const { params } = await posted(3, 60)
    await world.pass(minute, 10)
    await world.pass(4 * hour)
    await answer('p1@village.example', 'Yes.')
    await answer('p1@village.example', 'And one more thing.')
    const line = await overview(params.round)
    expect([sum(line.life!.answered), line.replied, line.inTray]).toEqual([1, 1, 2])
    // It came hours after the letters: they stand at the one end, it at the other.
    expect(line.life!.answered[lifeParts - 1]).toBe(1)
    expect(line.life!.gone[0]).toBe(3)
    const { lines } = await world.call(routes.inTray)
    const [mine] = lines.filter((e) => e.roundId === params.round)
    await world.call(routes.markTray, { body: { marks: [{ response: mine.id, done: true }] } })
    expect((await overview(params.round)).inTray).toBe(1)
  })
})

test('all lists: each says which rounds are written to its people, and is not deleted while there is one', async () => {
  const first = await world.round(csv(1), letter)
  const second = await world.call(routes.startRound, { body: { title: 'Another', listId: first.list!.id } })
  const line = async () => (await world.call(routes.lists)).find((l) => l.id === first.list!.id)!
  expect((await line()).rounds).toEqual([
    { id: second.id, title: 'Another', posted: false },
    { id: first.id, title: 'A round', posted: false },
  ])
  await world.call(routes.deleteRound, { params: { round: second.id } })
  const remove = world.call(routes.deleteList, { params: { list: first.list!.id } })
  await expect(remove).rejects.toThrow(/is the list of “A round”/)
})

test('one person: the words of each letter, its files, and what came back', async () => {
  const { id } = await world.round(csv(1), letter)
  const params = { round: id }
  await world.call(routes.addFile, { params, query: { name: 'rules.txt', role: 'common' }, file: Buffer.from('Rules') })
  await post(id, 1)
  await world.pass(minute, 2)
  await answer('p0@village.example', 'Thank you.')
  const { rounds } = await world.call(routes.person, { query: { address: 'P0@Village.example' } })
  expect(rounds[0]).toMatchObject({
    round: id,
    subject: 'For P0',
    text: expect.stringContaining('Dear P0, your berth is ready.'),
    files: [{ name: 'rules.txt', size: 5 }],
    responses: [{ kind: 'reply', words: expect.stringContaining('Thank you.') }],
  })
})

describe('the use of a mailbox by the hour', () => {
  const use = async () => {
    const [{ id }] = await world.call(routes.mailboxes)
    return world.call(routes.mailboxUse, { params: { mailbox: id } })
  }
  test('what has gone and what is planned are each in their hour; all of the last day is what the allowance lacks', async () => {
    await world.pass(25 * hour)
    await posted(4, 60)
    await world.pass(minute, 10)
    await world.pass(3 * hour)
    const later = await world.round(csv(2), letter, {
      dispatch: { startAt: world.clock.now() + 5.5 * hour, perMinute: 60 },
    })
    await post(later.id, 2)
    const { now, hours } = await use()
    expect(hours.map((h) => (h.at - now) / hour)).toEqual(Array.from({ length: 48 }, (_, i) => i - 24))
    // Three hours and a minute ago: the fourth hour before now.
    expect(hours.map((h, i) => [i - 24, h.gone]).filter(([, n]) => n)).toEqual([[-4, 4]])
    expect(hours.map((h, i) => [i - 24, h.planned]).filter(([, n]) => n)).toEqual([[5, 2]])
    const [mailbox] = await world.call(routes.mailboxes)
    expect(mailbox.perDay - mailbox.allowance).toBe(sum(hours.map((h) => h.gone)))
    // What is held leaves at no hour.
    await world.call(routes.hold, { params: { round: later.id } })
    expect(sum((await use()).hours.map((h) => h.planned))).toBe(0)
  })
})
