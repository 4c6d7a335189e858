import type { AddressInfo } from 'node:net'
import { createServer, type Socket } from 'node:net'
import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { hour, minute, World } from './world.ts'

// A submission host that breaks off, puts off and refuses at every point of RFC 5321's dialogue, by whom the message is to.
type Point = 'greeting' | 'mail' | 'rcpt' | 'data' | 'dot'
interface Break {
  at: Point
  /** What it answers there; null breaks the connection off without a word. */
  answer: string | null
  /** How often it does so; afterwards it takes the message. */
  times: number
}
const breaks: Record<string, Break> = {
  'mail-dropped': { at: 'rcpt', answer: null, times: 1 },
  'data-refused': { at: 'data', answer: '554 5.7.1 not from you', times: 1 },
  'dot-dropped': { at: 'dot', answer: null, times: 1 },
  'dot-put-off': { at: 'dot', answer: '451 4.3.0 try again later', times: 1 },
  'dot-full': { at: 'dot', answer: '552 5.2.2 the mailbox is full', times: 1 },
  'rcpt-closing': { at: 'rcpt', answer: '421 4.3.2 going down', times: 1 },
  'always-put-off': { at: 'rcpt', answer: '450 4.2.1 busy', times: 1000 },
}
const names = [...Object.keys(breaks), 'taken']

/** What the host took, by the name before the @. */
const taken = new Map<string, number>()
const done = new Map<string, number>()
const sockets = new Set<Socket>()
const host = createServer((socket) => {
  sockets.add(socket)
  socket.on('close', () => sockets.delete(socket))
  socket.on('error', () => {})
  let to = ''
  let inData = false
  let buffer = ''
  const breaksAt = (point: Point): boolean => {
    const b = breaks[to]
    if (!b || b.at !== point || (done.get(to) ?? 0) >= b.times) return false
    done.set(to, (done.get(to) ?? 0) + 1)
    if (b.answer === null) socket.destroy()
    else socket.write(`${b.answer}\r\n`)
    if (b.answer?.startsWith('421')) socket.end()
    return true
  }
  socket.write('220 host of another make\r\n')
  socket.on('data', (chunk) => {
    buffer += chunk.toString('latin1')
    for (;;) {
      const end = buffer.indexOf(inData ? '\r\n.\r\n' : '\r\n')
      if (end < 0) return
      const line = buffer.slice(0, end)
      buffer = buffer.slice(end + (inData ? 5 : 2))
      if (inData) {
        inData = false
        if (breaksAt('dot')) continue
        taken.set(to, (taken.get(to) ?? 0) + 1)
        socket.write('250 2.0.0 taken\r\n')
        continue
      }
      const verb = line.slice(0, 4).toUpperCase()
      if (verb === 'EHLO') socket.write('250-host\r\n250 AUTH PLAIN\r\n')
      else if (verb === 'AUTH') socket.write('235 2.7.0 welcome\r\n')
      else if (verb === 'RCPT') {
        to = /<([^@>]+)@/.exec(line)?.[1] ?? ''
        if (!breaksAt('rcpt')) socket.write('250 2.1.5 ok\r\n')
      } else if (verb === 'DATA') {
        if (breaksAt('data')) continue
        inData = true
        socket.write('354 go on\r\n')
      } else socket.write('250 2.0.0 ok\r\n')
    }
  })
})

let world: World
beforeAll(async () => {
  await new Promise<void>((listening) => host.listen(0, '127.0.0.1', () => listening()))
  world = await World.open()
})
afterAll(async () => {
  for (const socket of sockets) socket.destroy()
  host.close()
  await world.close()
})

test('whatever the host does, nobody gets two, nothing is lost, and each says what became of it', async () => {
  const [practice] = await world.call(routes.mailboxes)
  const settings = { ...mailboxSettingsSchema.parse(practice), password: 'practice', perMinute: 600 }
  const mailbox = await world.call(routes.addMailbox, {
    body: { ...settings, name: 'Other', smtp: { ...settings.smtp, port: (host.address() as AddressInfo).port } },
  })
  const csv = ['Name,Email', ...names.map((n) => `${n},${n}@village.example`)].join('\n')
  const round = await world.round(
    csv,
    { subject: 'S', html: '<p>Dear {{Name}}</p>' },
    { mailboxId: mailbox.id, dispatch: { perMinute: 600 } },
  )
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: names.length } })
  await world.pass(2 * hour, 60)

  const lines = new Map((await world.call(routes.messages, { params })).map((m) => [m.person, m]))
  const line = (name: string) => lines.get(name)!
  // Broken off before the message was given over: certainly not gone, so it was tried again.
  for (const name of ['taken', 'mail-dropped', 'rcpt-closing', 'dot-put-off']) {
    expect(line(name).state, name).toBe('sent')
    expect(taken.get(name), name).toBe(1)
  }
  // Permanent answers are final, with the host's words.
  expect(line('data-refused')).toMatchObject({ state: 'refused', reason: expect.stringContaining('not from you') })
  expect(line('dot-full')).toMatchObject({ state: 'refused', reason: expect.stringContaining('The mailbox is full') })
  // Broken off after the message was given over: nobody can know, so the writer is asked, and nothing is sent meanwhile.
  expect(line('dot-dropped')).toMatchObject({ state: 'inDoubt', asksWriter: true })
  expect(taken.get('dot-dropped')).toBeUndefined()
  expect((await world.call(routes.desk)).waits.inDoubt).toBe(1)
  expect(line('always-put-off').state).toBe('retrying')

  // By the writer's word it is sent, once.
  await world.call(routes.settleDoubt, { params: { message: line('dot-dropped').id }, body: { went: false } })
  await world.pass(minute, 2)
  expect(taken.get('dot-dropped')).toBe(1)
  await expect(
    world.call(routes.settleDoubt, { params: { message: line('dot-dropped').id }, body: { went: false } }),
  ).rejects.toThrow(/Nothing of this is in doubt/)

  // Put off for ever: given up after its tries, and said.
  await world.pass(48 * hour, 48)
  const given = (await world.call(routes.messages, { params })).find((m) => m.person === 'always-put-off')!
  expect(given).toMatchObject({ state: 'refused', reason: expect.stringMatching(/Tried 7 times/) })
  expect([...taken.values()].every((n) => n === 1)).toBe(true)
})
