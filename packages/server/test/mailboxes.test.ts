import { readdirSync, readFileSync, statSync } from 'node:fs'
import type { AddressInfo } from 'node:net'
import { createServer, type Server } from 'node:net'
import { join } from 'node:path'
import { type MailboxSettings, mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import { SMTPServer, type SMTPServerOptions } from 'smtp-server'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { cert, key } from './certificate.ts'
import { hour, minute, office, peopleCsv, recipientsIn, World } from './world.ts'

let world: World
let settings: MailboxSettings
const servers: { close(done?: () => void): unknown }[] = []
beforeAll(async () => {
  world = await World.open()
  const [mailbox] = await world.call(routes.mailboxes)
  settings = { ...mailboxSettingsSchema.parse(mailbox), password: 'practice' }
})
afterAll(async () => {
  for (const server of servers) server.close()
  await world.close()
})

/** A submission host of another make, with its own (self-signed) certificate. */
async function otherHost(options: SMTPServerOptions): Promise<number> {
  const server = new SMTPServer({
    logger: false,
    key,
    cert,
    onAuth: (_a, _s, done) => done(null, { user: 'x' }),
    ...options,
  })
  server.on('error', () => {})
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
  servers.push(server)
  return ((server.server as Server).address() as AddressInfo).port
}
const smtp = (port: number, security: 'none' | 'starttls' | 'tls', allowSelfSigned = false, host = '127.0.0.1') => ({
  host,
  port,
  security,
  allowSelfSigned,
})
const tried = async (changes: Partial<MailboxSettings>) => {
  const { steps, ok } = await world.call(routes.testMailbox, { body: { ...settings, ...changes } })
  return { ok, failed: steps.filter((s) => !s.ok).map((s) => `${s.step}: ${s.words}`), steps: steps.map((s) => s.step) }
}

describe('testing a mailbox names each step and its own error', () => {
  test('the practice mailbox works from the start', async () => {
    const { ok, steps } = await tried({})
    expect(ok).toBe(true)
    expect(steps.length).toBeGreaterThanOrEqual(5)
  })
  test('a wrong password', async () => {
    const { failed } = await tried({ password: 'wrong' })
    expect(failed.join('\n')).toMatch(/Sign in to send: The host refused the sign-in.*5\.7\.8/)
    expect(failed.join('\n')).toMatch(/IMAP host refused the sign-in/)
  })
  test('a closed port', async () => {
    const server = createServer()
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    const { port } = server.address() as AddressInfo
    await new Promise((done) => server.close(done))
    expect((await tried({ smtp: smtp(port, 'none') })).failed[0]).toMatch(/Nothing answers at 127\.0\.0\.1, port \d+/)
  })
  test('a certificate nobody signed is taken only by choice, over TLS and STARTTLS', async () => {
    for (const [security, options] of [
      ['tls', { secure: true }],
      ['starttls', {}],
    ] as const) {
      const port = await otherHost(options)
      const refused = await tried({ smtp: smtp(port, security) })
      expect(refused.failed[0], security).toMatch(/certificate of 127\.0\.0\.1 is signed by nobody this machine knows/)
      const taken = await tried({ smtp: smtp(port, security, true) })
      expect(taken.failed, security).toEqual([])
      expect(taken.steps).toContain('Certificate for sending')
    }
  })
  test('a host without STARTTLS, and plain text beyond this machine', async () => {
    const port = await otherHost({ disabledCommands: ['STARTTLS'] })
    expect((await tried({ smtp: smtp(port, 'starttls') })).failed[0]).toMatch(/STARTTLS/)
    const error = await tried({ smtp: smtp(25, 'none', false, 'mail.quay.example') }).catch(
      (e: ProblemError) => e.problem.detail,
    )
    expect(JSON.stringify(error)).toMatch(/would show the password to others/)
  })
  test('a name that is none', async () => {
    expect((await tried({ smtp: smtp(587, 'tls', false, 'no-such-host.invalid') })).failed[0]).toMatch(
      /There is no host called no-such-host.invalid|did not answer/,
    )
  })
})

describe('stored mailboxes', () => {
  test('the password is encrypted at rest and never given back', async () => {
    const secret = 'Tide-tables-1887'
    const added = await world.call(routes.addMailbox, { body: { ...settings, name: 'Second', password: secret } })
    expect(JSON.stringify(await world.call(routes.mailboxes))).not.toContain(secret)
    expect(JSON.stringify(added)).not.toMatch(/password|secret/i)
    const files = (folder: string): string[] =>
      readdirSync(folder).flatMap((n) =>
        statSync(join(folder, n)).isDirectory() ? files(join(folder, n)) : [join(folder, n)],
      )
    for (const file of files(join(world.folder, 'data'))) expect(readFileSync(file).includes(secret), file).toBe(false)
    expect(statSync(join(world.folder, 'data/key')).mode & 0o077).toBe(0)
    await world.call(routes.removeMailbox, { params: { mailbox: added.id } })
    expect(await world.call(routes.mailboxes)).toHaveLength(1)
  })
  test('whatever leads to the practice host is for practice, and says so; only the one that was there from the start stays', async () => {
    const [builtIn] = await world.call(routes.mailboxes)
    expect([builtIn.practice, builtIn.builtIn]).toEqual([true, true])
    const add = (name: string, changes: Partial<MailboxSettings>) =>
      world.call(routes.addMailbox, { body: { ...settings, name, imap: null, ...changes } })
    const second = await add('Second', {})
    const byName = await add('By name', { smtp: { ...settings.smtp, host: 'localhost' } })
    const elsewhere = await add('Elsewhere', { smtp: { ...settings.smtp, port: settings.smtp.port + 1 } })
    expect([second, byName, elsewhere].map((m) => [m.practice, m.builtIn])).toEqual([
      [true, false],
      [true, false],
      [false, false],
    ])
    for (const { id } of [second, byName, elsewhere])
      await world.call(routes.removeMailbox, { params: { mailbox: id } })
    await expect(world.call(routes.removeMailbox, { params: { mailbox: builtIn.id } })).rejects.toThrow(/stays/)
  })
  test('names with line ends are refused: they would add headers', async () => {
    const error = await world
      .call(routes.addMailbox, { body: { ...settings, senderName: 'A\r\nBcc: x@y.example' } })
      .catch((e) => e)
    expect(error).toBeInstanceOf(ProblemError)
    expect(error.problem.status).toBe(422)
  })
})

describe('what mail hosts do on the way', () => {
  const plain = (n: number) =>
    peopleCsv(n)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
  const letter = { subject: 'S', html: '<p>Hello {{Name}}</p>' }

  test("the host's own limit, lower than thought, pauses the mailbox and loses nothing", async () => {
    const other = await World.open({
      limits: { perDay: 5 },
      manners: Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`person${i}@village.example`, {}])),
    })
    try {
      const round = await other.round(plain(8), letter, { dispatch: { perMinute: 60 } })
      const params = { round: round.id }
      await other.call(routes.post, { params, body: { messages: 8 } })
      await other.pass(2 * minute, 4)
      expect((await other.call(routes.round, { params })).states).toMatchObject({ sent: 5, waiting: 3, refused: 0 })
      const [mailbox] = await other.call(routes.mailboxes)
      expect(mailbox.pauseReason).toMatch(/used up what it may send.*4\.5\.3/)
      expect((await other.call(routes.desk)).waits.pausedMailboxes[0].until).toBe(mailbox.pausedUntil)
      await other.pass(28 * hour, 56)
      expect((await other.call(routes.round, { params })).states).toMatchObject({ sent: 8, waiting: 0 })
      for (let i = 0; i < 8; i++) expect(await other.inboxOf(`person${i}@village.example`)).toHaveLength(1)
    } finally {
      await other.close()
    }
  })

  test('a password that no longer holds stops everything until it is mended', async () => {
    const round = await world.round(plain(3), letter, { dispatch: { perMinute: 60 } })
    const params = { round: round.id }
    const [mailbox] = await world.call(routes.mailboxes)
    await world.call(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: { ...settings, password: 'old' } })
    await world.call(routes.post, { params, body: { messages: 3 } })
    await world.pass(minute, 2)
    expect((await world.call(routes.round, { params })).states).toMatchObject({ sent: 0, waiting: 3 })
    expect((await world.call(routes.mailboxes))[0]).toMatchObject({
      stopped: true,
      pauseReason: expect.stringContaining('sign-in'),
    })
    await world.call(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: settings })
    await world.call(routes.carryOnMailbox, { params: { mailbox: mailbox.id } })
    await world.pass(minute, 4)
    expect((await world.call(routes.round, { params })).states).toMatchObject({ sent: 3, waiting: 0 })
  })

  test('Cc sees and is seen, Bcc is seen by nobody; when the person is put off, copies are not sent twice', async () => {
    const other = await World.open({
      manners: {
        'person0@village.example': { greylisted: true },
        'person1@village.example': {},
        'copy@quay.example': {},
        'quiet@quay.example': {},
      },
    })
    try {
      const round = await other.round(plain(2), letter, {
        dispatch: { perMinute: 60 },
        cc: ['copy@quay.example'],
        bcc: ['quiet@quay.example'],
      })
      const params = { round: round.id }
      expect(recipientsIn(await other.call(routes.timetable, { params }))).toBe(6)
      await other.call(routes.post, { params, body: { messages: 2 } })
      await other.pass(20 * minute, 20)
      expect((await other.call(routes.round, { params })).states).toMatchObject({ sent: 2 })
      for (const address of ['person0@village.example', 'person1@village.example']) {
        const got = await other.inboxOf(address)
        expect(got).toHaveLength(1)
        expect(got[0].toString()).toMatch(/^Cc: copy@quay\.example\r$/m)
        expect(got[0].toString()).not.toContain('quiet@quay.example')
      }
      expect(await other.inboxOf('copy@quay.example')).toHaveLength(2)
      expect(await other.inboxOf('quiet@quay.example')).toHaveLength(2)
      expect((await other.call(routes.mailboxes))[0].allowance).toBe(500 - 6)
    } finally {
      await other.close()
    }
  })

  test('held, nothing leaves; carried on, it goes on without a burst; withdrawn, it stays withdrawn', async () => {
    const round = await world.round(plain(30), { ...letter, subject: 'Held' }, { dispatch: { perMinute: 1 } })
    const params = { round: round.id }
    await world.call(routes.post, { params, body: { messages: 30 } })
    await world.pass(3 * minute, 6)
    const states = async () => (await world.call(routes.round, { params })).states
    const { sent } = await states()
    expect(sent).toBeGreaterThanOrEqual(3)
    await world.call(routes.hold, { params })
    await world.pass(10 * minute, 5)
    expect((await states()).sent).toBe(sent)
    await world.call(routes.carryOn, { params })
    await world.pass(2 * minute, 4)
    // Ten minutes were lost; still only one a minute leaves.
    expect((await states()).sent).toBeLessThanOrEqual(sent + 3)
    const { withdrawn } = await world.call(routes.withdraw, { params })
    await world.pass(hour, 10)
    const after = await states()
    expect(after).toMatchObject({ waiting: 0, withdrawn })
    expect(after.sent + withdrawn).toBe(30)
    const line = (await world.call(routes.messages, { params })).find((m) => m.state === 'sent')!
    expect(await world.call(routes.rawMessage, { params: { message: line.id } })).toContain(
      `To: ${line.person} <${line.address}>`,
    )
    expect(office).toContain('@')
  })
})
