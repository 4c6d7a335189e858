import { type MessageLine, routes, type TrayShow } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { hour, minute, office, World } from './world.ts'

const archive = 'archive@quayside.example'
const clerk = 'clerk@quayside.example'
let world: World
beforeAll(async () => {
  world = await World.open({
    manners: {
      'ada@village.example': {},
      'bo@village.example': { greylisted: true },
      'cy@village.example': { refused: true },
      'di@village.example': {},
      'ed@village.example': {},
      // Whoever has copies opens and follows what they get, answers by themselves, and by hand.
      [archive]: { opensAfter: 1, clicksAfter: 1.5, away: true, repliesAfter: 3, receiptAfter: 2 },
      [clerk]: {},
      'gone@quayside.example': { bounces: true },
      'refused@quayside.example': { refused: true },
    },
  })
})
afterAll(() => world.close())

const letter = {
  subject: 'Berth fees',
  html: '<p>Dear {{Name}}, <a href="https://brindlequay.example/fees?a=1&b=2">here they are</a>.</p>',
}
/** Posts a round to people by their first names, and gives it time. */
async function posted(names: string[], copies: { cc?: string[]; bcc?: string[] }, tracking = {}) {
  const csv = ['Name,Email', ...names.map((n) => `${n},${n.toLowerCase()}@village.example`)].join('\n')
  const { id } = await world.round(csv, letter, { ...copies, tracking, dispatch: { perMinute: 60 } })
  const params = { round: id }
  const { findings } = await world.call(routes.proof, { params })
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await world.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: names.length } })
  return params
}
const lines = async (params: { round: number }) =>
  new Map((await world.call(routes.messages, { params })).map((m) => [m.person, m]))
const states = ({ copies }: MessageLine) => copies.map((c) => [c.address, c.role, c.state])
const headOf = (raw: Buffer) => raw.toString('latin1').split('\r\n\r\n')[0]
const everything = { opens: true, clicks: true, optOut: true, receipts: true }
describe('copies are people of their own', () => {
  test('they get the letter after the person, with the same head, without the picture, with bare links, and nothing that acts for the person', async () => {
    const params = await posted(['Ada'], { cc: [archive], bcc: [`The clerk <${clerk}>`] }, everything)
    await world.pass(minute, 6)
    const [own] = await world.inboxOf('ada@village.example')
    const [copy] = await world.inboxOf(archive)
    expect(await world.inboxOf(clerk)).toEqual([copy])
    expect(headOf(own)).toMatch(/^Cc: archive@quayside\.example\r?$/m)
    for (const raw of [own, copy]) expect(raw.toString('latin1')).not.toMatch(/^Bcc:|clerk@quayside/im)
    // RFC 8058 and RFC 8098 would let whoever has the copy opt out, or give a receipt, in the person's name.
    const fields = (raw: Buffer) =>
      headOf(raw)
        .replace(/\r\n[ \t]+/g, ' ')
        .split('\r\n')
    const acting = /^(List-Unsubscribe|List-Unsubscribe-Post|Disposition-Notification-To):/
    expect(fields(own).filter((field) => acting.test(field))).toHaveLength(3)
    expect(fields(copy)).toEqual(fields(own).filter((field) => !acting.test(field)))
    const [theirs, bare] = [await simpleParser(own), await simpleParser(copy)]
    expect(theirs.html).toContain(world.handPost.publicUrl)
    expect(theirs.html).toContain('width="1"')
    expect(bare.html).toContain('href="https://brindlequay.example/fees?a=1&amp;b=2"')
    expect(String(bare.html).replaceAll(`${world.handPost.publicUrl}/o/copy`, '')).not.toContain(
      world.handPost.publicUrl,
    )
    expect(bare.html).not.toContain('width="1"')
    const page = await fetch(`${world.handPost.publicUrl}/o/copy`)
    expect([page.status, await page.text()]).toEqual([
      200,
      expect.stringContaining('Only the person whom the letter was written to'),
    ])
    // In Sent lies the letter, once.
    expect((await world.sent()).map(headOf)).toEqual([headOf(own)])
    expect(states((await lines(params)).get('Ada')!)).toEqual([
      [archive, 'cc', 'sent'],
      [clerk, 'bcc', 'sent'],
    ])
  })

  test('whatever whoever has a copy does with it, the person has not done it', async () => {
    const params = await posted(['Di'], { cc: [archive] }, everything)
    await world.pass(hour, 8)
    const { people, counts } = await world.board(params.round)
    expect(people[0].outcome).toBe('sent')
    expect(counts).toMatchObject({
      sent: 1,
      replied: 0,
      automatic: 0,
      opened: 0,
      clicked: 0,
      receipts: 0,
      unanswered: 1,
    })
    // What came is shown as what it is.
    expect(people[0].responses.map((r) => [r.kind, r.of])).toEqual([
      ['automatic', 'copy'],
      ['reply', 'copy'],
    ])
    const { lines: tray } = await world.call(routes.inTray, {})
    expect(tray.find((e) => e.roundId === params.round)).toMatchObject({
      of: 'copy',
      fromAddress: archive,
      person: 'Di',
    })
    expect((await world.call(routes.rounds)).find((r) => r.id === params.round)).toMatchObject({ replied: 0 })
    const text = await world.call(routes.outcomeSheet, {
      params,
      query: { as: 'csv', columns: 'outcome,sentAt,repliedAt' },
    })
    expect(text).toContain('sent, nothing heard')
  })

  test('who is put off or refused has had no copies sent out; the ledger has each recipient that was taken', async () => {
    const before = (await world.inboxOf(clerk)).length
    const params = await posted(['Bo', 'Cy'], {
      cc: [clerk],
      bcc: ['refused@quayside.example', 'gone@quayside.example'],
    })
    await world.pass(minute, 6)
    let all = await lines(params)
    expect(all.get('Bo')).toMatchObject({
      state: 'retrying',
      reason: expect.stringMatching(/asks us to come back in 5 minutes/),
    })
    expect(states(all.get('Bo')!).map(([, , state]) => state)).toEqual(['waiting', 'waiting', 'waiting'])
    expect(all.get('Cy')!.state).toBe('refused')
    expect(all.get('Cy')!.copies.map((c) => [c.state, c.reason])).toEqual(
      Array(3).fill(['withdrawn', 'Not sent, because the letter to the person was not.']),
    )
    expect(await world.inboxOf(clerk)).toHaveLength(before)
    await world.pass(10 * minute, 20)
    all = await lines(params)
    expect(all.get('Bo')!.state).toBe('sent')
    // Each of the three with a fate of its own, from one transaction.
    expect(all.get('Bo')!.copies.map((c) => [c.state, c.reason])).toEqual([
      ['sent', expect.stringContaining('Taken')],
      ['refused', expect.stringMatching(/^There is no such mailbox at that address\. The host said: 550 5\.1\.1/)],
      ['sent', expect.stringContaining('Taken')],
    ])
    expect(await world.inboxOf(clerk)).toHaveLength(before + 1)
    const ledger = await world.handPost.parts.db.query<{ recipients: number; copies: boolean }>(
      'SELECT l.recipients, l.copies FROM ledger l JOIN messages m ON m.id = l.message_id WHERE m.round_id = $1 ORDER BY l.id',
      [params.round],
    )
    expect(ledger).toEqual([
      { recipients: 1, copies: false },
      { recipients: 2, copies: true },
    ])
    // The report about the copy that came back is about the copy (RFC 3464).
    await world.pass(5 * minute, 5)
    const { people } = await world.board(params.round)
    const bo = people.find((p) => p.person === 'Bo')!
    expect(bo.outcome).toBe('sent')
    expect(bo.responses.map((r) => [r.kind, r.of, r.words])).toEqual([
      ['bounce', 'copy', expect.stringContaining('no such mailbox')],
    ])
    expect((await world.call(routes.inTray, {})).lines.find((e) => e.roundId === params.round)).toMatchObject({
      kind: 'bounce',
      of: 'copy',
      fromAddress: 'gone@quayside.example',
    })
  })

  test('an answer from an address that is neither counts when the writer says whose it is', async () => {
    const params = await posted(['Ed'], { bcc: [clerk] })
    await world.pass(minute, 4)
    const [raw] = await world.inboxOf('ed@village.example')
    const inReplyTo = (await simpleParser(raw)).messageId
    const mail = { from: 'Ed at home <ed@elsewhere.example>', subject: 'Re: Berth fees', inReplyTo, text: 'Paid.' }
    await world.arrive({ ...mail, messageId: '<one@elsewhere.example>' })
    const outcome = async () => (await world.board(params.round)).people[0].outcome
    expect(await outcome()).toBe('sent')
    const { lines: tray } = await world.call(routes.inTray, {})
    const entry = tray.find((e) => e.roundId === params.round)!
    expect(entry).toMatchObject({ of: 'other', fromAddress: 'ed@elsewhere.example' })
    await world.call(routes.whose, { params: { response: entry.id }, body: { of: 'person' } })
    expect(await outcome()).toBe('replied')
    await world.call(routes.whose, { params: { response: entry.id }, body: { of: 'other' } })
    expect(await outcome()).toBe('sent')
  })

  test('an address of the do-not-write list gets no copy either, whenever it came there', async () => {
    const params = await posted(['Ada', 'Di', 'Ed'], { cc: ['late@quayside.example'] })
    await world.call(routes.refuseAddress, { body: { address: 'Late@Quayside.example', reason: 'moved away' } })
    await world.pass(5 * minute, 10)
    for (const { state, copies } of (await lines(params)).values()) {
      expect(state).toBe('sent')
      if (copies[0].state !== 'sent')
        expect([copies[0].state, copies[0].reason]).toEqual(['setAside', 'On the do-not-write list: moved away'])
    }
    expect((await world.inboxOf('late@quayside.example')).length).toBeLessThanOrEqual(1)
  })

  test('the timetable knows that the host counts both: with one message a minute, letters with copies leave every two', async () => {
    const [mailbox] = await world.call(routes.mailboxes)
    const { id, practice: _, allowance: __, ...rest } = mailbox
    const change = (perMinute: number) =>
      world.call(routes.changeMailbox, { params: { mailbox: id }, body: { ...rest, perMinute } as never })
    await change(1)
    const csv = ['Name,Email', ...['Ada', 'Di', 'Ed'].map((n) => `${n},${n.toLowerCase()}@village.example`)].join('\n')
    const { id: round } = await world.round(csv, letter, { cc: [clerk], dispatch: { perMinute: 60 } })
    const { departures, sentence } = await world.call(routes.timetable, { params: { round } })
    expect(departures.map((d) => d.at - departures[0].at)).toEqual([0, 2 * minute, 4 * minute])
    expect(sentence).toMatch(/^3 letters to 6 recipients/)
    await change(60)
  })
})

describe('mail that is met once more', () => {
  test('when a mailbox numbers its messages anew, what was read is known by its own Message-ID, and what was done stays done', async () => {
    const params = await posted(['Ada'], {})
    await world.pass(minute, 4)
    const inReplyTo = (await simpleParser((await world.inboxOf('ada@village.example')).at(-1)!)).messageId
    const from = 'ada@village.example'
    await world.arrive({ from, subject: 'Re: fees', inReplyTo, text: 'First.', messageId: '<first@village.example>' })
    await world.arrive({ from, subject: 'Re: fees', inReplyTo, text: 'Second.', messageId: '<second@village.example>' })
    const mine = async (show: TrayShow) =>
      (await world.call(routes.inTray, { query: { show } })).lines.filter((e) => e.roundId === params.round)
    expect(await mine('open')).toHaveLength(2)
    await world.call(routes.markTray, { body: { marks: [{ response: (await mine('open'))[0].id, done: true }] } })
    // As read by an earlier Hand Post, which kept where mail lay and not what it was.
    await world.handPost.parts.db.query(
      "UPDATE responses SET mail_id = NULL, address = NULL WHERE mail_id = '<first@village.example>'",
    )
    const inbox = await world.practice.store.box(office, 'INBOX')
    inbox.uidValidity += 1
    world.handPost.parts.inbox.drop((await world.call(routes.mailboxes))[0].id)
    await world.handPost.parts.inbox.readAll()
    expect((await mine('open')).map((e) => e.words)).toEqual(['First.'])
    expect((await mine('done')).map((e) => e.words)).toEqual(['Second.'])
  })
})

test('answers and returned mail to another address of the mailbox come in too', async () => {
  const [mailbox] = await world.call(routes.mailboxes)
  const { id, practice: _, allowance: __, ...rest } = mailbox
  const alias = 'harbour.master@brindlequay.example'
  await world.call(routes.changeMailbox, { params: { mailbox: id }, body: { ...rest, aliases: [alias] } as never })
  Object.assign(world.practice.correspondents.manner('ed@village.example'), { repliesAfter: 1 })
  Object.assign(world.practice.correspondents.manner('di@village.example'), { bounces: true })
  const params = await posted(['Ed', 'Di'], {})
  // Posted rounds keep what they were; another one from the other address.
  await world.call(routes.withdraw, { params })
  const csv = 'Name,Email\nEd,ed@village.example\nDi,di@village.example'
  const { id: round } = await world.round(
    csv,
    { ...letter, subject: 'From the harbour master' },
    { sender: { address: alias } },
  )
  await world.call(routes.post, { params: { round }, body: { messages: 2 } })
  await world.pass(hour, 8)
  expect((await simpleParser((await world.inboxOf('ed@village.example')).at(-1)!)).from?.text).toContain(alias)
  const { people } = await world.board(round)
  expect(people.map((p) => [p.person, p.outcome])).toEqual([
    ['Ed', 'replied'],
    ['Di', 'bounced'],
  ])
})
