import type { AddressInfo, Socket } from 'node:net'
import { createServer } from 'node:net'
import { type MailboxSettings, mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import { judgeFailure } from '@hand-post/core'
import { SMTPServer } from 'smtp-server'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { openImap, usingImap } from '../src/mailboxes/imap.ts'
import { maskSecret } from '../src/mailboxes/mask.ts'
import { SmtpConnection } from '../src/mailboxes/smtp.ts'
import { heldUp } from './held.ts'
import { minute, World } from './world.ts'

const password = 'anchor “and” chain=3'
/** Longer (ms) than any machine is late by: a thread that is held up so long does the work itself. */
const stopped = 1000
let world: World
let settings: MailboxSettings
const closing: (() => void)[] = []
beforeAll(async () => {
  world = await World.open({ allThreads: true })
  const [mailbox] = await world.call(routes.mailboxes)
  settings = { ...mailboxSettingsSchema.parse(mailbox), password }
})
afterAll(async () => {
  for (const close of closing) close()
  await world.close()
})

/** A host that says whatever it likes: `speak` is called with each connection. */
async function host(speak: (socket: Socket) => void): Promise<number> {
  const sockets = new Set<Socket>()
  const server = createServer((socket) => {
    sockets.add(socket)
    socket.on('error', () => {})
    speak(socket)
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
  closing.push(() => {
    for (const socket of sockets) socket.destroy()
    server.close()
  })
  return (server.address() as AddressInfo).port
}
const at = (port: number) => ({ host: '127.0.0.1', port, security: 'none' as const, allowSelfSigned: false })

/** An IMAP host that greets, and answers each command by `answer`. */
const imapHost = (answer: (tag: string, command: string, socket: Socket) => void, greeting = '* OK hello\r\n') =>
  host((socket) => {
    socket.write(greeting)
    let buffer = ''
    socket.on('data', (chunk) => {
      buffer += chunk
      for (let end = buffer.indexOf('\r\n'); end >= 0; end = buffer.indexOf('\r\n')) {
        const [tag, ...rest] = buffer.slice(0, end).split(' ')
        buffer = buffer.slice(end + 2)
        answer(tag, rest.join(' '), socket)
      }
    })
  })
/** Answers what every client begins with. */
const polite = (tag: string, command: string, socket: Socket): boolean => {
  if (/^CAPABILITY/i.test(command)) socket.write(`* CAPABILITY IMAP4rev1\r\n${tag} OK done\r\n`)
  else if (/^LOGIN/i.test(command)) socket.write(`${tag} OK [CAPABILITY IMAP4rev1] in\r\n`)
  else if (/^(NOOP|ID|ENABLE|NAMESPACE)/i.test(command)) socket.write(`${tag} OK done\r\n`)
  else if (/^LIST "" ""/i.test(command)) socket.write(`* LIST (\\Noselect) "/" ""\r\n${tag} OK done\r\n`)
  else if (/^LIST/i.test(command)) socket.write(`* LIST () "/" INBOX\r\n${tag} OK done\r\n`)
  else if (/^LSUB/i.test(command)) socket.write(`${tag} OK done\r\n`)
  else if (/^LOGOUT/i.test(command)) socket.end(`* BYE\r\n${tag} OK bye\r\n`)
  else return false
  return true
}
const access = (port: number) => ({ imap: at(port), user: 'office', password })
describe('reading hosts that do not behave', () => {
  const endless = (socket: Socket, piece: string) => {
    const more = () => {
      while (!socket.destroyed && socket.write(piece.repeat(2000)));
    }
    socket.on('drain', more)
    more()
  }
  test('an endless line in the place of a greeting, or of an answer', async () => {
    for (const port of [
      await host((socket) => endless(socket, '* OK never ending ')),
      await imapHost((tag, command, socket) => {
        if (/^LOGIN/i.test(command)) endless(socket, '* OK never ending ')
        else polite(tag, command, socket)
      }),
    ]) {
      const held = await heldUp(async () => {
        await expect(openImap(access(port))).rejects.toThrow(/127\.0\.0\.1, port \d+|connection/i)
      })
      expect(held).toBeLessThan(stopped)
    }
  })
  test('two hundred thousand untagged lines do not hold up this thread', async () => {
    const lines = '* 1 EXISTS\r\n'.repeat(200_000)
    const port = await imapHost((tag, command, socket) => {
      if (/^LIST "" "?\*/i.test(command)) socket.write(`${lines}${tag} OK done\r\n`)
      else polite(tag, command, socket)
    })
    const held = await heldUp(() => usingImap(access(port), (client) => client.list()).catch(() => {}))
    expect(held).toBeLessThan(stopped)
  })
  test('untagged lines without an end are broken off in words', async () => {
    const port = await imapHost((tag, command, socket) => {
      if (/^LIST "" "?\*/i.test(command)) endless(socket, '* 1 EXISTS\r\n')
      else polite(tag, command, socket)
    })
    const held = await heldUp(async () => {
      await expect(usingImap(access(port), (client) => client.list(), 20_000)).rejects.toThrow(
        /far more than it was asked for/,
      )
    })
    expect(held).toBeLessThan(stopped)
  })
  test('a literal that is larger than any message, and one that is closed in its middle', async () => {
    const large = await imapHost((tag, command, socket) => {
      if (/^LIST "" "?\*/i.test(command)) socket.write('* LIST () "/" {150000000}\r\n')
      else polite(tag, command, socket)
    })
    await expect(usingImap(access(large), (client) => client.list(), 20_000)).rejects.toThrow(/literal/i)
    const closed = await imapHost((tag, command, socket) => {
      if (/^LIST "" "?\*/i.test(command)) socket.end('* LIST () "/" {500}\r\nhalf of')
      else polite(tag, command, socket)
    })
    await expect(usingImap(access(closed), (client) => client.list())).rejects.toThrow()
  })
  test('silence after each point ends in words, and in time', async () => {
    const silent = await imapHost((tag, command, socket) => {
      if (!/^LIST "" "?\*/i.test(command)) polite(tag, command, socket)
    })
    const began = Date.now()
    await expect(usingImap(access(silent), (client) => client.list(), 1500)).rejects.toThrow(/did not come to an end/)
    expect(Date.now() - began).toBeLessThan(15_000)
  })
  test('a host that speaks an octet at a time is not waited for', async () => {
    const drip = await host((socket) => {
      const timer = setInterval(() => socket.write('*'), 50)
      socket.on('close', () => clearInterval(timer))
    })
    const began = Date.now()
    await expect(openImap(access(drip), 1000)).rejects.toThrow()
    await expect(new SmtpConnection({ smtp: at(drip), user: 'office', password }, 1000).open()).rejects.toThrow(
      /did not answer in time/,
    )
    expect(Date.now() - began).toBeLessThan(10_000)
  })
  test('the inbox reader notes what is the matter, and reads on when the host behaves again', async () => {
    const [mailbox] = await world.call(routes.mailboxes)
    const own = mailboxSettingsSchema.parse(mailbox)
    const params = { mailbox: mailbox.id }
    const odd = await imapHost((tag, command, socket) => {
      if (/^(SELECT|EXAMINE)/i.test(command)) socket.end('* FLAGS {70}\r\nhalf')
      else polite(tag, command, socket)
    })
    await world.call(routes.changeMailbox, { params, body: { ...own, imap: at(odd), password: 'practice' } })
    await world.handPost.parts.inbox.readAll()
    expect((await world.call(routes.mailboxes))[0].readingFault).toMatch(/^Answers could not be read: /)
    await world.call(routes.changeMailbox, { params, body: { ...own, password: 'practice' } })
    await world.pass(minute)
    expect((await world.call(routes.mailboxes))[0].readingFault).toBeNull()
  })
})

describe('sending hosts that do not behave', () => {
  const line = (port: number) => new SmtpConnection({ smtp: at(port), user: 'office', password })
  test.each<[string, (socket: Socket) => void]>([
    ['an endless greeting', (socket) => void socket.write('2'.repeat(5_000_000))],
    ['a greeting of a million lines', (socket) => void socket.write('220-still greeting\r\n'.repeat(1_000_000))],
    ['answers nobody asked for', (socket) => void socket.write('250 yes\r\n'.repeat(100_000))],
    ['a greeting that is none', (socket) => void socket.write('HTTP/1.1 400 Bad Request\r\n\r\n')],
    ['an end in the middle', (socket) => void socket.end('220-hal')],
  ])('%s is said in words, and holds nothing up', async (_, speak) => {
    const port = await host(speak)
    const held = await heldUp(async () => {
      await expect(line(port).open()).rejects.toMatchObject({
        failure: { stage: expect.stringMatching(/connect|signIn/) },
      })
    })
    expect(held).toBeLessThan(stopped)
  })
  test('a line that is closed while a message is on its way tells whoever waits for it, at once', async () => {
    const server = new SMTPServer({
      disabledCommands: ['STARTTLS'],
      allowInsecureAuth: true,
      onAuth: (_, __, done) => done(null, { user: 'x' }),
      // It takes the message, and never says so.
      onData: (stream) => void stream.resume(),
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    closing.push(() => server.close())
    const smtp = line((server.server.address() as AddressInfo).port)
    let inHand!: () => void
    const handed = new Promise<void>((done) => {
      inHand = done
    })
    const sent = smtp
      .send(
        { from: 'office@quay.example', to: ['ada@village.example'] },
        Buffer.from('Subject: x\r\n\r\ny'),
        async () => inHand(),
      )
      .catch((e) => e)
    await handed
    // What it was given by then may have gone.
    await new Promise((done) => setTimeout(done, 200))
    smtp.close()
    expect((await sent).failure).toMatchObject({ stage: 'message', code: null })
    // Closed twice is closed.
    smtp.close()
  })
  test('a message larger than the host says that it takes is refused, and the line stays good for others (RFC 1870)', async () => {
    const taken: string[] = []
    const server = new SMTPServer({
      disabledCommands: ['STARTTLS'],
      allowInsecureAuth: true,
      size: 1000,
      onAuth: (_, __, done) => done(null, { user: 'x' }),
      onData: (stream, session, done) => {
        taken.push(session.id)
        stream.resume().on('end', () => done())
      },
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    closing.push(() => server.close())
    const smtp = line((server.server.address() as AddressInfo).port)
    const envelope = { from: 'office@quay.example', to: ['ada@village.example'] }
    const error = await smtp.send(envelope, Buffer.alloc(1001, 'a')).catch((e) => e)
    expect(error.failure).toMatchObject({ stage: 'envelope', code: 552 })
    expect(judgeFailure(error.failure, envelope.to)).toMatchObject({
      do: 'refuse',
      words: expect.stringMatching(/too big for the host.*1001 octets.*1000/),
    })
    await smtp.send(envelope, Buffer.from('Subject: small\r\n\r\n'))
    expect(taken).toHaveLength(1)
    smtp.close()
  })
})

describe('a stored password goes only where it was given for', () => {
  let id: number
  const given: string[] = []
  let port: number
  let own: MailboxSettings
  beforeAll(async () => {
    const server = new SMTPServer({
      authOptional: false,
      disabledCommands: ['STARTTLS'],
      allowInsecureAuth: true,
      onAuth: ({ password: told }, _session, done) => {
        given.push(told ?? '')
        done(null, { user: 'x' })
      },
    })
    server.on('error', () => {})
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    closing.push(() => server.close())
    port = (server.server.address() as AddressInfo).port
    own = { ...settings, name: 'Own', imap: null }
    id = (await world.call(routes.addMailbox, { body: own })).id
  })
  const refused = async (work: Promise<unknown>) => {
    const error = await work.then(
      () => null,
      (e) => e,
    )
    expect(error).toBeInstanceOf(ProblemError)
    return (error as ProblemError).problem
  }
  test.each<[string, (port: number) => Partial<MailboxSettings>]>([
    ['the port', (p) => ({ smtp: at(p) })],
    ['the host', (p) => ({ smtp: { ...at(p), host: 'localhost' } })],
    ['the encryption', () => ({ smtp: { ...own.smtp, security: 'starttls' } })],
    ['whose certificate', () => ({ smtp: { ...own.smtp, allowSelfSigned: true } })],
    ['the user', () => ({ user: 'somebody else' })],
    ['a reading host', (p) => ({ imap: at(p) })],
  ])('%s changed: it is asked for again, for changing and for trying', async (_, changes) => {
    const { password: __, ...kept } = { ...own, ...changes(port) }
    for (const work of [
      () => world.call(routes.changeMailbox, { params: { mailbox: id }, body: kept }),
      () => world.call(routes.testMailbox, { body: { ...kept, id } }),
    ]) {
      const problem = await refused(work())
      expect([problem.status, problem.title]).toEqual([422, 'Password needed'])
      expect(problem.detail).toMatch(/Type the password again/)
    }
    expect(given).toEqual([])
  })
  test('what leads nowhere new keeps it; one that is typed goes where it is told to', async () => {
    const { password: _, ...kept } = { ...own, name: 'Another name', perDay: 77 }
    expect((await world.call(routes.changeMailbox, { params: { mailbox: id }, body: kept })).perDay).toBe(77)
    const typed = { ...kept, smtp: at(port), password: 'typed just now' }
    await world.call(routes.testMailbox, { body: { ...typed, id } })
    expect(given).toEqual(['typed just now'])
    await world.call(routes.changeMailbox, { params: { mailbox: id }, body: typed })
    const { password: __, ...later } = typed
    await world.call(routes.testMailbox, { body: { ...later, id } })
    expect(given).toEqual(['typed just now', 'typed just now'])
  })
})

describe('hosts that give the password back', () => {
  const base64 = (text: string) => Buffer.from(text).toString('base64')
  // Each form in which SASL sends it (RFC 4616; LOGIN), and as it is.
  const forms = [
    password,
    base64(password),
    base64(`\0office\0${password}`),
    base64(`office\0office\0${password}`),
    encodeURIComponent(password),
    Buffer.from(password).toString('hex'),
  ]
  test('what a host says of it is masked in every form', () => {
    const said = maskSecret(`535 5.7.8 no: ${forms.join(' / ')} for office`, password, 'office')
    for (const form of forms) expect(said).not.toContain(form.replace(/=+$/, ''))
    expect(said).toMatch(/^535 5\.7\.8 no: (••• ?\/? ?)+=* for office$|^535 5\.7\.8 no: •••/)
    expect(maskSecret('nothing of it', password, 'office')).toBe('nothing of it')
    expect(maskSecret('with none', '', 'office')).toBe('with none')
  })
  test('in trying, in what is stored, and in what is shown, it stands nowhere', async () => {
    const echo = forms.join(' ')
    const smtp = await host((socket) => {
      socket.write('220 echo\r\n')
      socket.on('data', (chunk) => {
        const verb = String(chunk).slice(0, 4).toUpperCase()
        socket.write(verb === 'EHLO' ? '250-echo\r\n250 AUTH PLAIN LOGIN\r\n' : `535 5.7.8 wrong: ${echo}\r\n`)
      })
    })
    const imap = await imapHost((tag, command, socket) => {
      if (/^LOGIN|^AUTHENTICATE/i.test(command)) socket.write(`${tag} NO [AUTHENTICATIONFAILED] wrong: ${echo}\r\n`)
      else polite(tag, command, socket)
    })
    const body = { ...settings, name: 'Echo', user: 'office', smtp: at(smtp), imap: at(imap), password }
    const { steps, ok } = await world.call(routes.testMailbox, { body })
    expect(ok).toBe(false)
    const { id } = await world.call(routes.addMailbox, { body })
    await world.handPost.parts.inbox.read(id)
    const round = await world.round(
      'Name,Email\nAda,ada@village.example\n',
      { subject: 'S', html: '<p>Hi</p>' },
      { mailboxId: id },
    )
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 1 } })
    await world.pass(minute)
    const stored = JSON.stringify(
      await world.handPost.parts.db.query('SELECT pause_reason, reading_fault, settings FROM mailboxes'),
    )
    const shown = JSON.stringify([
      steps,
      await world.call(routes.mailboxes),
      await world.call(routes.messages, { params: { round: round.id } }),
    ])
    expect(shown).toContain('•••')
    for (const form of forms) {
      const bare = form.replace(/=+$/, '')
      for (const text of [stored, shown])
        expect(text.includes(bare) || text.includes(JSON.stringify(bare).slice(1, -1)), bare).toBe(false)
    }
  })
})
