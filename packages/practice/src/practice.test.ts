import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ImapFlow } from 'imapflow'
import { createTransport } from 'nodemailer'
import { afterEach, expect, test } from 'vitest'
import { type Manner, mannerOf, type PracticeMailbox, startPractice } from './index.ts'

// The hosts are met here as any mail program meets them: by nodemailer and imapflow, over their ports.
const account = 'office@practice.example'
let practice: PracticeMailbox | null = null
let folder = ''
let now = Date.parse('2026-11-02T09:00:00Z')
const open = async (manners: Record<string, Manner>, limits = {}) => {
  folder = await mkdtemp(join(tmpdir(), 'practice-'))
  practice = await startPractice({
    folder,
    accounts: { [account]: 'pw' },
    manners,
    limits,
    clock: { now: () => now },
    lookEvery: 0,
    speed: 1,
  })
  return practice
}
afterEach(async () => {
  await practice?.close()
  await rm(folder, { recursive: true, force: true })
})
const send = (to: string, more = {}, user = account) =>
  createTransport({ host: '127.0.0.1', port: practice!.smtpPort, auth: { user, pass: 'pw' }, ignoreTLS: true })
    .sendMail({ from: account, to, subject: 'Hello', text: 'Dear you', messageId: '<one@practice.example>', ...more })
    .then(
      (info) => String(info.response),
      (error) => String(error.response ?? error.message),
    )
const imap = async (user = account) => {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: practice!.imapPort,
    secure: false,
    doSTARTTLS: false,
    auth: { user, pass: 'pw' },
    logger: false,
  })
  await client.connect()
  return client
}

test('limits are answered with the codes of RFC 5321 and RFC 3463', async () => {
  await open(
    { 'gone@x.example': { refused: true }, 'grey@x.example': { greylisted: true } },
    { perDay: 3, perMinute: 2, largestMessage: 2000 },
  )
  expect(await send('gone@x.example')).toMatch(/^550 5\.1\.1/)
  expect(await send('grey@x.example')).toMatch(/^451 4\.7\.1/)
  now += 5 * 60_000
  expect(await send('grey@x.example')).toMatch(/^250 2\.0\.0/)
  expect(await send('a@x.example', { text: 'x'.repeat(3000) })).toMatch(/^552/)
  expect(await send('a@x.example')).toMatch(/^250/)
  expect(await send('b@x.example')).toMatch(/^450 4\.7\.0/)
  now += 61_000
  expect(await send('a@x.example, b@x.example')).toMatch(/^(250|452)/)
  now += 61_000
  expect(await send('c@x.example')).toMatch(/^452 4\.5\.3/)
  now += 24 * 60 * 60_000
  expect(await send('c@x.example')).toMatch(/^250/)
})

test('correspondents reply in the thread, are away, give receipts and bounce, as the standards have it', async () => {
  await open({
    'ann@x.example': { opensAfter: 1, repliesAfter: 5, receiptAfter: 2, away: true },
    'bad@x.example': { bounces: true },
  })
  await send('ann@x.example', { headers: { 'Disposition-Notification-To': account } })
  await send('bad@x.example')
  now += 10 * 60_000
  await practice!.correspondents.doDue()
  const client = await imap()
  const lock = await client.getMailboxLock('INBOX')
  const got: string[] = []
  for await (const m of client.fetch('1:*', { source: true })) got.push(m.source!.toString())
  lock.release()
  expect(got).toHaveLength(4)
  const one = (pattern: RegExp) => got.find((m) => pattern.test(m))!
  expect(one(/^Subject: Re: Hello/m)).toMatch(/In-Reply-To: <one@practice\.example>[\s\S]*> Dear you/)
  expect(one(/^Auto-Submitted: auto-replied/m)).toContain('In-Reply-To: <one@practice.example>')
  expect(one(/report-type=disposition-notification/)).toMatch(
    /Original-Message-ID: <one@practice\.example>[\s\S]*Disposition: manual-action\/MDN-sent-manually; displayed/,
  )
  expect(one(/report-type=delivery-status/)).toMatch(
    /Final-Recipient: rfc822; bad@x\.example[\s\S]*Action: failed[\s\S]*Status: 5\.1\.1/,
  )
  await client.logout()
})

test('an IMAP client finds, files, marks and searches, over a restart too', async () => {
  await open({})
  let client = await imap()
  expect((await client.list()).map((b) => [b.path, b.specialUse ?? '']).sort()).toEqual([
    ['Drafts', '\\Drafts'],
    ['INBOX', '\\Inbox'],
    ['Junk', '\\Junk'],
    ['Replies', ''],
    ['Sent', '\\Sent'],
  ])
  const raw = 'From: a@b.example\r\nMessage-ID: <filed@b.example>\r\nSubject: =?utf-8?q?Z=C3=B6?=\r\n\r\nbody\r\n'
  await client.append('Sent', raw, ['\\Seen'], new Date('2026-11-01T10:00:00Z'))
  await client.logout()
  const { folder: kept } = { folder }
  await practice!.close()
  practice = await startPractice({ folder: kept, accounts: { [account]: 'pw' }, lookEvery: 0 })
  client = await imap()
  const lock = await client.getMailboxLock('Sent')
  expect(await client.search({ header: { 'message-id': '<filed@b.example>' } }, { uid: true })).toEqual([1])
  expect(await client.search({ header: { 'message-id': '<none@b.example>' } }, { uid: true })).toEqual([])
  const found = await client.fetchOne('1', { source: true, flags: true, internalDate: true }, { uid: true })
  expect(
    found && [found.source!.toString(), found.flags!.has('\\Seen'), (found.internalDate as Date).toISOString()],
  ).toEqual([raw, true, '2026-11-01T10:00:00.000Z'])
  await client.messageFlagsAdd('1', ['\\Flagged'], { uid: true })
  const flags = await client.fetchOne('1', { flags: true }, { uid: true })
  expect(flags && [...flags.flags!].sort()).toEqual(['\\Flagged', '\\Seen'])
  lock.release()
  await client.logout()
  const wrong = new ImapFlow({
    host: '127.0.0.1',
    port: practice.imapPort,
    secure: false,
    doSTARTTLS: false,
    auth: { user: account, pass: 'no' },
    logger: false,
  })
  wrong.on('error', () => {})
  await expect(wrong.connect()).rejects.toMatchObject({ authenticationFailed: true })
})

test('manners are drawn from the seed: the same for the same seed, of every kind over many addresses', () => {
  const all = Array.from({ length: 400 }, (_, i) => mannerOf('seed', `p${i}@x.example`))
  expect(all).toEqual(Array.from({ length: 400 }, (_, i) => mannerOf('seed', `P${i}@x.example`)))
  for (const kind of ['bounces', 'refused', 'away', 'scanner', 'greylisted', 'opensAfter', 'repliesAfter'] as const)
    expect(
      all.some((m) => m[kind]),
      kind,
    ).toBe(true)
})

test('a rehearsal has inboxes of its own: no limit, no answer, nothing of it reaches an account, and names lead nowhere else', async () => {
  await open(
    { 'ann@x.example': { repliesAfter: 1, opensAfter: 1 }, 'gone@x.example': { refused: true } },
    { perDay: 2 },
  )
  const rehearsal = 'rehearsal-7'
  const odd = ['ann@x.example', 'gone@x.example', 'o\u2019neil+a%2fb@x.example', 'a/b@x.example', 'zoë@x.example']
  for (const to of odd)
    expect(await send(to, { date: new Date('2026-12-24T08:00:00Z') }, rehearsal)).toMatch(/^250 2\.0\.0/)
  expect(await send('ann@x.example', {}, 'rehearsal-8')).toMatch(/^250/)
  now += 24 * 3600_000
  await practice!.correspondents.doDue()
  expect(practice!.correspondents.nextAt()).toBeNull()
  for (const box of ['INBOX', 'Sent'] as const) expect((await practice!.store.box(account, box)).messages).toEqual([])
  expect((await practice!.store.box('ann@x.example', 'INBOX')).messages).toEqual([])
  // The account may still write to as many as before.
  expect(await send('ann@x.example, bob@x.example')).toMatch(/^250/)

  const client = await imap(rehearsal)
  const names = (await client.list()).map((b) => b.path)
  expect(names).toHaveLength(odd.length)
  expect(names).toContain('Inboxes/ann@x.example')
  for (const path of names) {
    const lock = await client.getMailboxLock(path)
    const found = await client.fetchOne('1', { envelope: true, internalDate: true })
    // It comes in when its Date says, not when it was handed over.
    expect(found ? found.internalDate : null).toEqual(new Date('2026-12-24T08:00:00Z'))
    lock.release()
  }
  for (const name of [
    'Inboxes/..',
    'Inboxes/../../x',
    'Inboxes/nobody@x.example',
    'INBOX',
    'Inboxes/',
    'Inboxes/%2e%2e',
  ])
    await expect(client.mailboxDelete(name), name).rejects.toThrow()
  await client.mailboxDelete('Inboxes/ann@x.example')
  expect(await client.list()).toHaveLength(odd.length - 1)
  await client.logout()

  const other = await imap('rehearsal-8')
  expect((await other.list()).map((b) => b.path)).toEqual(['Inboxes/ann@x.example'])
  await other.logout()
  const own = await imap()
  expect((await own.list()).map((b) => b.path)).not.toContain('Inboxes/ann@x.example')
  await own.logout()
})
