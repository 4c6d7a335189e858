import { type AddressInfo, createServer, type Socket } from 'node:net'
import { setTimeout as sleep } from 'node:timers/promises'
import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { minute, office, World } from './world.ts'

// Seen within five seconds where the host offers IDLE (RFC 2177); nothing here asks the desk to look.
const soon = 5000
let world: World
let inReplyTo: string
let params: { round: number }
const sockets = new Set<Socket>()
const silent = createServer((socket) => sockets.add(socket))
beforeAll(async () => {
  await new Promise<void>((done) => silent.listen(0, '127.0.0.1', () => done()))
  world = await World.open({ allThreads: true, manners: { 'ada@village.example': {} } })
  const { id } = await world.round('Name,Email\nAda,ada@village.example', {
    subject: 'S',
    html: '<p>Dear {{Name}}</p>',
  })
  params = { round: id }
  await world.call(routes.post, { params, body: { messages: 1 } })
  await world.pass(minute, 2)
  inReplyTo = (await simpleParser((await world.inboxOf('ada@village.example'))[0])).messageId!
})
afterAll(async () => {
  for (const socket of sockets) socket.destroy()
  silent.close()
  await world.close()
})

let answers = 0
const answer = () =>
  world.practice.store.add(
    office,
    'INBOX',
    Buffer.from(
      `From: ada@village.example\r\nTo: ${office}\r\nSubject: Re: S\r\nMessage-ID: <${++answers}@village.example>\r\nIn-Reply-To: ${inReplyTo}\r\n\r\nAnswer ${answers}\r\n`,
    ),
    new Date(),
  )
const seen = async () => (await world.board(params.round)).people[0].responses.length
/** Waits until so many answers were seen, and says how long (ms) that took. */
async function until(n: number): Promise<number> {
  const began = Date.now()
  while ((await seen()) < n && Date.now() - began < 30_000) await sleep(50)
  return Date.now() - began
}

test('one answer, at whatever moment it comes', async () => {
  for (const pause of [0, 150, 300, 2000]) {
    await sleep(pause)
    await answer()
    expect(await until(answers)).toBeLessThan(soon)
  }
})

test('those that come while others are being read, or while drafts are looked for in another folder', async () => {
  // The office has a draft of another round lying there, so that Sent is looked into too.
  const { id } = await world.round('Name,Email\nAda,ada@village.example', {
    subject: 'D',
    html: '<p>Dear {{Name}}</p>',
  })
  await world.call(routes.putDrafts, { params: { round: id } })
  for (let i = 0; i < 12; i++) {
    await answer()
    await sleep(i * 15)
    if (i === 5) void world.handPost.parts.inbox.readAll()
  }
  expect(await until(answers)).toBeLessThan(soon)
  expect(await seen()).toBe(answers)
})

test('those of one mailbox while the host of another does not say a word', async () => {
  const [mailbox] = await world.call(routes.mailboxes)
  const own = mailboxSettingsSchema.parse(mailbox)
  await world.call(routes.addMailbox, {
    body: {
      ...own,
      name: 'Silent',
      password: 'x',
      imap: { ...own.smtp, port: (silent.address() as AddressInfo).port },
    },
  })
  // As at its start: all are looked into, the silent one first or last.
  void world.handPost.parts.inbox.readAll()
  await sleep(300)
  expect(sockets.size).toBeGreaterThan(0)
  world.handPost.parts.inbox.drop(mailbox.id)
  await answer()
  void world.handPost.parts.inbox.readAll()
  expect(await until(answers)).toBeLessThan(soon)
})
