import { chmodSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type CallInput, call, type mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import { ImapFlow } from 'imapflow'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { z } from 'zod'
import { type HandPost, readSettings, startHandPost } from '../src/index.ts'
import { DebianHosts, withoutHosts } from './debianHosts.ts'
import { giveDatabase } from './template.ts'
import { wholeBoard } from './wholeBoard.ts'

const office = 'office@quay.example'
const people = ['ada', 'bram', 'cy', 'zoë'].map(
  (name) => `${name.normalize('NFD').replace(/\p{M}/gu, '')}@village.example`,
)
const patience = { timeout: 60_000, interval: 100 }

if (withoutHosts) console.log(`Not tried with Debian's mail hosts: ${withoutHosts}.`)
describe.skipIf(withoutHosts !== null)('with Postfix and Dovecot as Debian has them', () => {
  let hosts: DebianHosts
  let handPost: HandPost
  let folder: string
  let mailbox: number
  const ask = <R extends Route>(route: R, input: CallInput<R> = {}): Promise<z.output<R['answer']>> =>
    call(handPost.address, route, input)
  const settings = (): z.input<typeof mailboxSettingsSchema> => ({
    name: 'Office',
    address: office,
    senderName: 'Hafenbüro',
    aliases: [],
    signature: '',
    user: office,
    password: 'practice',
    smtp: { host: '127.0.0.1', port: hosts.smtpPort, security: 'none', allowSelfSigned: false },
    imap: { host: '127.0.0.1', port: hosts.imapPort, security: 'none', allowSelfSigned: false },
    gentleStart: { wanted: false, days: [1] },
    perDay: 10_000,
    perMinute: 10_000,
    largestMessage: 25_000_000,
    hostFilesSent: false,
    timeZone: 'Europe/London',
  })
  beforeAll(async () => {
    hosts = await DebianHosts.start([office, ...people])
    folder = mkdtempSync(join(tmpdir(), 'hand-post-'))
    giveDatabase(join(folder, 'data'))
    handPost = await startHandPost({
      settings: readSettings({
        HAND_POST_DATA: join(folder, 'data'),
        HAND_POST_PORT: '0',
        HAND_POST_PUBLIC_PORT: '0',
        HAND_POST_PRACTICE_SMTP_PORT: '1',
        HAND_POST_PRACTICE_IMAP_PORT: '1',
      }),
    })
    mailbox = (await ask(routes.addMailbox, { body: settings() })).id
  })
  afterAll(async () => {
    await handPost?.close()
    await hosts?.close()
    rmSync(folder, { recursive: true, force: true })
  })

  /** Looks into somebody's mailbox by IMAP, as a mail program does. */
  async function within<T>(user: string, work: (client: ImapFlow) => Promise<T>): Promise<T> {
    const client = new ImapFlow({
      host: '127.0.0.1',
      port: hosts.imapPort,
      secure: false,
      auth: { user, pass: 'practice' },
      logger: false,
    })
    await client.connect()
    try {
      return await work(client)
    } finally {
      await client.logout()
    }
  }
  const messagesIn = (user: string, path = 'INBOX') =>
    within(user, async (client) => {
      const lock = await client.getMailboxLock(path)
      try {
        const all: Buffer[] = []
        if (client.mailbox && client.mailbox.exists > 0)
          for await (const { source } of client.fetch('1:*', { source: true })) all.push(source!)
        return all
      } finally {
        lock.release()
      }
    })
  /** Posts a round to some addresses and gives its id. */
  async function post(title: string, addresses: string[], files: Uint8Array[] = []): Promise<number> {
    const csv = `Name,Email\n${addresses.map((address) => `${address.split('@')[0]},${address}`).join('\n')}`
    const reading = await ask(routes.readFile, { query: { name: 'p.csv' }, file: new TextEncoder().encode(csv) })
    const list = await ask(routes.makeList, { body: { reading: reading.id } })
    const { id } = await ask(routes.startRound, { body: { title, mailboxId: mailbox } })
    const params = { round: id }
    await ask(routes.changeRound, {
      params,
      body: {
        listId: list.id,
        letterHtml: { subject: `${title} für {{Name}}`, html: '<p>Dear {{Name}}, grüße</p>' },
        dispatch: { perMinute: 10_000 },
      },
    })
    for (const [i, file] of files.entries())
      await ask(routes.addFile, { params, query: { name: `${i}.bin`, role: 'common' }, file })
    const proof = await ask(routes.proof, { params, query: { wait: 'yes' } })
    const asks = proof.findings.filter((f) => f.grade === 'ask').map((f) => f.key)
    if (asks.length > 0) await ask(routes.accept, { params, body: { keys: asks, reason: 'tried' } })
    await ask(routes.post, { params, body: { messages: addresses.length } })
    return id
  }
  const lettersOf = (round: number) => ask(routes.messages, { params: { round } })
  const outcomes = async (round: number) => (await wholeBoard(ask, round)).people.map((p) => p.outcome).sort()

  test('the settings are tried step by step, and a message to oneself is found in no folder for sent mail', async () => {
    const tried = await ask(routes.testMailbox, { body: { ...settings(), selfMessage: true } })
    expect(tried.steps.filter((step) => !step.ok)).toEqual([])
    expect(tried.hostFilesSent).toBe(false)
    const wrong = await ask(routes.testMailbox, { body: { ...settings(), password: 'other', selfMessage: false } })
    expect(wrong.ok).toBe(false)
    expect(JSON.stringify(wrong)).not.toContain('other"')
  })

  test('each gets their own, once; the copy is filed in the folder that the host calls its sent mail, to the octet', async () => {
    const round = await post('First', people)
    await expect.poll(async () => (await lettersOf(round)).every((m) => m.filedAt !== null), patience).toBe(true)
    for (const address of people) {
      await expect.poll(() => messagesIn(address).then((all) => all.length), patience).toBe(1)
      const [raw] = await messagesIn(address)
      const mail = await simpleParser(raw)
      expect(mail.subject).toBe(`First für ${address.split('@')[0]}`)
      expect(mail.text).toContain(`Dear ${address.split('@')[0]}, grüße`)
      expect(mail.from?.value).toEqual([{ name: 'Hafenbüro', address: office }])
    }
    const filed = await messagesIn(office, 'Gesendete Objekte')
    expect(filed).toHaveLength(people.length)
    // What lies there is what was sent; Postfix has put its own fields on top of what was delivered.
    const delivered = await Promise.all(
      people.map(async (address) => (await messagesIn(address))[0].toString('latin1')),
    )
    for (const copy of filed) {
      const text = copy.toString('latin1').replace(/\r\n/g, '\n')
      expect(delivered.some((one) => one.replace(/\r\n/g, '\n').endsWith(text))).toBe(true)
    }
  })

  test('what comes back is known by the report that Postfix makes (RFC 3464), as soon as it is there', async () => {
    const round = await post('Second', ['ada@village.example', 'nobody@village.example'])
    await expect.poll(() => outcomes(round), patience).toEqual(['bounced', 'sent'])
    const board = await wholeBoard(ask, round)
    const [bounce] = board.people.find((p) => p.outcome === 'bounced')!.responses
    expect(bounce.words).toMatch(/unknown user/i)
  })

  test('an answer is seen when Dovecot tells of it (IDLE, RFC 2177), and what answers nothing is not', async () => {
    const round = await post('Third', ['bram@village.example'])
    await expect.poll(() => outcomes(round), patience).toEqual(['sent'])
    const theirs = async () => Promise.all((await messagesIn('bram@village.example')).map((raw) => simpleParser(raw)))
    await expect.poll(async () => (await theirs()).some((m) => m.subject?.startsWith('Third')), patience).toBe(true)
    const letter = (await theirs()).find((m) => m.subject?.startsWith('Third'))!
    const say = (lines: string[]) =>
      within(office, (client) => client.append('INBOX', `${lines.join('\r\n')}\r\n\r\nJa, gern.\r\n`))
    await say(['From: shop@village.example', `To: ${office}`, 'Subject: Offers', 'Message-ID: <1@shop.example>'])
    await say([
      'From: bram@village.example',
      `To: ${office}`,
      'Subject: Re: Third',
      'Message-ID: <2@village.example>',
      `In-Reply-To: ${letter.messageId}`,
    ])
    // Well before the desk would look by itself, which it does every half minute.
    await expect.poll(() => outcomes(round), { timeout: 15_000, interval: 100 }).toEqual(['replied'])
    const tray = await ask(routes.inTray)
    expect(tray.lines.filter((entry) => entry.subject === 'Offers')).toEqual([])
  })

  test('when the inbox is made anew (UIDVALIDITY, RFC 9051), it is read from its beginning and nothing counts twice', async () => {
    const before = await ask(routes.inTray)
    await hosts.stopDovecot()
    const place = join(hosts.folder, 'mail', office)
    for (const name of readdirSync(place)) if (/^dovecot/.test(name)) rmSync(join(place, name), { recursive: true })
    await hosts.startDovecot()
    const round = await post('Fourth', ['cy@village.example'])
    await expect.poll(() => outcomes(round), patience).toEqual(['sent'])
    await expect.poll(async () => (await ask(routes.readNow, { params: { mailbox } })).found === 0, patience).toBe(true)
    const after = await ask(routes.inTray)
    expect(after.lines.map((e) => e.id).sort()).toEqual(before.lines.map((e) => e.id).sort())
  })

  test('a message that the host finds too large is refused in its words, and the others go', async () => {
    const round = await post('Fifth', ['ada@village.example'], [new Uint8Array(4_000_000)])
    await expect.poll(async () => (await lettersOf(round)).map((m) => m.state), patience).toEqual(['refused'])
    expect((await lettersOf(round))[0].reason).toMatch(/size|large/i)
    const next = await post('Sixth', ['ada@village.example'])
    await expect.poll(() => outcomes(next), patience).toEqual(['sent'])
  })

  test('while the host is away what is posted waits; when it is there again everybody gets theirs, once', async () => {
    hosts.stopPostfix()
    const round = await post('Seventh', people)
    await expect
      .poll(async () => (await ask(routes.mailboxes)).find((m) => m.id === mailbox)!.pausedUntil !== null, patience)
      .toBe(true)
    expect((await lettersOf(round)).every((m) => m.state === 'waiting' || m.state === 'retrying')).toBe(true)
    await hosts.startPostfix()
    await ask(routes.carryOnMailbox, { params: { mailbox } })
    await expect.poll(() => outcomes(round), patience).toEqual(people.map(() => 'sent'))
    for (const address of people) {
      const mine = async () =>
        (await Promise.all((await messagesIn(address)).map((raw) => simpleParser(raw)))).filter((m) =>
          m.subject?.startsWith('Seventh'),
        ).length
      await expect.poll(mine, patience).toBe(1)
    }
  })

  test('a folder for sent mail that takes nothing is said, and the letter has gone all the same', async () => {
    const sent = join(hosts.folder, 'mail', office, '.Gesendete Objekte')
    for (const part of ['tmp', 'new', 'cur']) chmodSync(join(sent, part), 0o500)
    const round = await post('Eighth', ['ada@village.example'])
    await expect.poll(async () => (await lettersOf(round))[0].filingFault !== null, patience).toBe(true)
    expect((await lettersOf(round))[0].state).toBe('sent')
    for (const part of ['tmp', 'new', 'cur']) chmodSync(join(sent, part), 0o700)
  })
})
