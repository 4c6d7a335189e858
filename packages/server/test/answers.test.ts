import { type AddressInfo, connect, createServer, type Socket } from 'node:net'
import { mailboxSettingsSchema, routes, type TrayLine, type TrayMark, type TrayShow } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { refusal } from './lived.ts'
import { composed, hour, minute, office, World } from './world.ts'

// Everything that comes back finds its letter, with by what it was found, or is left alone.

const day = 24 * hour
const names = ['Ada', 'Bram', 'Cy', 'Dot', 'Eve']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
let world: World
beforeAll(async () => {
  world = await World.open({
    manners: Object.fromEntries(names.map((name) => [addressOf(name), {}])),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
})
afterAll(() => world.close())

/** A round of its own for each test, with a subject that no other has; it has left. */
let round = 0
let season = 0
const subject = () => `Your berth for season ${season}`
let letters = new Map<string, { messageId: string; html: string }>()
beforeEach(async () => {
  season++
  const csv = ['Name,Email,Berth', ...names.map((name, i) => `${name},${addressOf(name)},B${i}`)].join('\n')
  const letter = {
    subject: `Your berth for season ${season}`,
    html: '<p>Dear {{Name}}, <a href="https://brindlequay.example/berths">your berth</a>.</p>',
  }
  const tracking = { opens: true, clicks: true, receipts: false, optOut: true }
  round = (await world.round(csv, letter, { tracking, dispatch: { perMinute: 60, brake: null } })).id
  const { findings } = await world.call(routes.proof, { params: { round }, query: { wait: 'yes' } })
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await world.call(routes.accept, { params: { round }, body: { keys: asks, reason: 'made up' } })
  await world.call(routes.post, { params: { round }, body: { messages: names.length } })
  await world.pass(minute, 8)
  letters = new Map()
  for (const name of names) {
    const mail = await simpleParser((await world.inboxOf(addressOf(name))).at(-1)!)
    letters.set(name, { messageId: mail.messageId!, html: String(mail.html) })
  }
})

const entries = async (show: TrayShow = 'open'): Promise<TrayLine[]> => {
  // Nothing went wrong in silence.
  expect((await world.call(routes.mailboxes))[0].unreadMail.newest).toEqual([])
  return (await world.call(routes.inTray, { query: { show } })).lines.filter((line) => line.roundId === round)
}
const board = () => world.board(round)
const outcomeOf = async (name: string) => (await board()).people.find((p) => p.person === name)!.outcome
const thread = (name: string) => ({
  inReplyTo: letters.get(name)!.messageId,
  references: [letters.get(name)!.messageId],
})
const answer = (name: string, text: string, more: object = {}) =>
  world.arrive({ from: addressOf(name), subject: `Re: ${subject()}`, text, ...thread(name), ...more })
const whose = (response: number, of: 'person' | 'other' | 'perhaps' | 'no') =>
  world.call(routes.whose, { params: { response }, body: { of } })
const mark = (marks: TrayMark[]) => world.call(routes.markTray, { body: { marks } })

describe('finding the letter', () => {
  test('by its headers, whatever its subject; each with the reason', async () => {
    await answer('Ada', 'All well.', { subject: 'Something else' })
    expect(await entries()).toMatchObject([{ person: 'Ada', foundBy: 'header', of: 'person', pile: 'answer' }])
    expect(await outcomeOf('Ada')).toBe('replied')
  })

  test('by our signed address in what it quotes; not by one that a mail program has changed', async () => {
    const link = /https?:[^"]+\/l\/[^"]+/.exec(letters.get('Bram')!.html)![0]
    const from = addressOf('Bram')
    await world.arrive({ from, subject: 'About the boat', text: `Yes.\n\n> see ${link.toUpperCase()}` })
    expect(await entries()).toEqual([])
    await world.arrive({ from, subject: 'About the boat', text: `Yes.\n\n> see ${link}` })
    expect(await entries()).toMatchObject([{ person: 'Bram', foundBy: 'token', of: 'person' }])
    expect(await outcomeOf('Bram')).toBe('replied')
  })

  test('by the Message-ID of a letter that it quotes in its text', async () => {
    const text = `Yes.\n\n-----Original Message-----\nMessage-ID: ${letters.get('Cy')!.messageId}\nHello`
    await world.arrive({ from: addressOf('Cy'), subject: 'FW: letter', text })
    expect(await entries()).toMatchObject([{ person: 'Cy', foundBy: 'quoted', of: 'person', words: 'Yes.' }])
  })

  test('by sender and subject it is proposed only: it counts for nobody until it is taken', async () => {
    await world.arrive({ from: addressOf('Dot'), subject: `Re: ${subject()}`, text: 'I have no program that threads.' })
    const [entry] = await entries()
    expect(entry).toMatchObject({ person: 'Dot', foundBy: 'senderSubject', of: 'perhaps', pile: 'perhaps' })
    expect(await outcomeOf('Dot')).toBe('sent')
    expect((await board()).counts.replied).toBe(0)
    const page = () => world.call(routes.person, { query: { address: addressOf('Dot') } })
    const onPage = async () => (await page()).rounds.find((one) => one.round === round)!.responses.map((r) => r.kind)
    expect(await onPage()).toEqual([])
    await whose(entry.id, 'person')
    expect(await onPage()).toEqual(['reply'])
    expect(await outcomeOf('Dot')).toBe('replied')
    expect(await entries()).toMatchObject([{ foundBy: 'taken', of: 'person', pile: 'answer' }])
    // Taken back.
    await whose(entry.id, 'perhaps')
    expect(await outcomeOf('Dot')).toBe('sent')
  })

  test('what is taken teaches another address of the person; what is taken back, forgets it', async () => {
    const home = 'eve.home@elsewhere.example'
    await world.arrive({ from: `Eve <${home}>`, subject: `Re: ${subject()}`, text: 'From home.' })
    const [entry] = await entries()
    expect(entry).toMatchObject({ person: 'Eve', foundBy: 'nameSubject', of: 'perhaps', fromAddress: home })
    await whose(entry.id, 'person')
    await world.arrive({ from: home, subject: `Re: ${subject()}`, text: 'Once more, without my name.' })
    expect((await entries()).map((e) => [e.person, e.foundBy]).sort()).toEqual([
      ['Eve', 'senderSubject'],
      ['Eve', 'taken'],
    ])
    // Their page has it, whichever of their addresses it is looked for by; and it can be forgotten there.
    const page = (address: string) => world.call(routes.person, { query: { address } })
    expect((await page(addressOf('Eve'))).also).toEqual([home])
    const byHome = await page(home)
    expect(byHome.also).toEqual([addressOf('Eve')])
    expect(byHome.rounds.find((one) => one.round === round)).toMatchObject({ address: addressOf('Eve') })
    await world.call(routes.forgetAddress, { query: { address: home } })
    expect((await page(addressOf('Eve'))).also).toEqual([])
    expect(await refusal(world.call(routes.forgetAddress, { query: { address: home } }))).toMatch(/address/)
    await whose(entry.id, 'person')
    // A second one from there that is no answer forgets nothing, nor does one that is taken back beside another.
    const second = (await entries()).find((e) => e.id !== entry.id)!
    await whose(second.id, 'no')
    expect((await page(addressOf('Eve'))).also).toEqual([home])
    await whose(second.id, 'person')
    await whose(second.id, 'perhaps')
    expect((await page(addressOf('Eve'))).also).toEqual([home])
    // The word on whose it is leaves what is done as it is.
    await mark([{ response: entry.id, done: true }])
    await whose(entry.id, 'perhaps')
    expect((await entries('done')).map((e) => e.id)).toEqual([entry.id])
    await mark([{ response: entry.id, done: false }])
    await world.arrive({ from: home, subject: `Re: ${subject()}`, text: 'A third time.' })
    expect(await entries()).toHaveLength(2)
  })

  test('what is no answer is not shown, not proposed again, and its words are forgotten in a day', async () => {
    await world.arrive({
      from: addressOf('Ada'),
      subject: subject(),
      text: 'Something private.',
      messageId: '<private@v.example>',
    })
    const [entry] = await entries()
    await whose(entry.id, 'no')
    for (const show of ['open', 'putBy', 'done'] as const) expect(await entries(show)).toEqual([])
    expect(await outcomeOf('Ada')).toBe('sent')
    // Numbers are given out anew: it is met once more, and stays refused.
    const inbox = await world.practice.store.box(office, 'INBOX')
    inbox.uidValidity += 1
    world.handPost.parts.inbox.drop((await world.call(routes.mailboxes))[0].id)
    await world.handPost.parts.inbox.readAll()
    expect(await entries()).toEqual([])
    const kept = async () =>
      (
        await world.handPost.parts.db.query<{ details: object }>('SELECT details FROM responses WHERE id = $1', [
          entry.id,
        ])
      )[0].details
    await world.handPost.parts.inbox.forget()
    expect(await kept()).toMatchObject({ words: 'Something private.' })
    world.clock.move(day + minute)
    await world.handPost.parts.inbox.forget()
    expect(await kept()).toEqual({})
  })

  test('other mail leaves no trace: neither other subjects of people we know, nor our subject of people we do not', async () => {
    const { db } = world.handPost.parts
    const before = await db.query('SELECT id FROM responses')
    await world.arrive({ from: addressOf('Ada'), subject: 'Lunch', text: 'Shall we?' })
    // Five people have had this subject: it tells nobody.
    await world.arrive({ from: 'stranger@far.example', subject: `Re: ${subject()}`, text: 'Who are you?' })
    await world.arrive({ from: 'shop@far.example', subject: 'Offers', text: 'Cheap rope.' })
    expect(await entries()).toEqual([])
    expect(await db.query('SELECT id FROM responses')).toHaveLength(before.length)
  })

  test('an answer a hundred days late is not guessed by its subject, but still found by its headers', async () => {
    world.clock.move(100 * day)
    await world.arrive({ from: addressOf('Ada'), subject: `Re: ${subject()}`, text: 'Late.' })
    expect(await entries()).toEqual([])
    await answer('Bram', 'Late, in the thread.')
    expect(await entries()).toMatchObject([{ person: 'Bram', foundBy: 'header' }])
  })
})

describe('returned mail in plain words', () => {
  const returned = (text: string, more: object = {}) =>
    world.arrive({ from: 'Mail delivery <postmaster@village.example>', subject: 'Undeliverable mail', text, ...more })

  test('by the Message-ID it quotes, and by address and subject, it is certain; by the address alone it is proposed', async () => {
    await returned(`ada@village.example: the mailbox is full.\n\nMessage-ID: ${letters.get('Ada')!.messageId}`)
    await returned(`bram@village.example\n550 5.1.1 no such user\n\nSubject: ${subject()}`)
    await returned('cy@village.example: no such user.')
    const found = await entries()
    expect(found.map((e) => [e.person, e.foundBy, e.of, e.pile]).sort()).toEqual([
      ['Ada', 'quoted', 'person', 'returned'],
      ['Bram', 'names', 'person', 'returned'],
      ['Cy', 'addressOnly', 'perhaps', 'perhaps'],
    ])
    expect([await outcomeOf('Ada'), await outcomeOf('Bram'), await outcomeOf('Cy')]).toEqual([
      'bounced',
      'bounced',
      'sent',
    ])
    // Grouped by reason and domain, those for good told apart from those for a while.
    expect((await board()).returned).toEqual([
      { reason: 'mailbox full', domain: 'village.example', hard: false, count: 1, sent: 5 },
      { reason: 'no such mailbox', domain: 'village.example', hard: true, count: 1, sent: 5 },
    ])
  })

  test('a warning of delay is none of the writer’s work; it ends as delivered, returned or answered when more is known', async () => {
    const late = { subject: 'Delivery delayed' }
    await returned(`We will keep trying.\n\nMessage-ID: ${letters.get('Dot')!.messageId}`, late)
    expect(await entries()).toEqual([])
    expect(await outcomeOf('Dot')).toBe('delayed')
    await returned(`dot@village.example: giving up, 5.4.7.\n\nMessage-ID: ${letters.get('Dot')!.messageId}`)
    expect(await outcomeOf('Dot')).toBe('bounced')
    await returned(`Delivery is delayed.\n\nMessage-ID: ${letters.get('Eve')!.messageId}`, late)
    await answer('Eve', 'It came after all.')
    expect(await outcomeOf('Eve')).toBe('replied')
  })

  test('one about mail that is not ours is left alone', async () => {
    await returned('nobody@far.example: no such user.')
    await returned('office@brindlequay.example: no such user.')
    expect(await entries()).toEqual([])
  })
})

describe('what the writer did elsewhere', () => {
  test('their own answer is seen in Sent, and marks the entry; a copy of it to themselves is nobody’s answer', async () => {
    const raw = await answer('Ada', 'May I bring the dinghy?')
    const [entry] = await entries()
    expect(entry).toMatchObject({ pile: 'question', answeredAt: null })
    const { messageId } = await simpleParser(raw)
    world.clock.move(hour)
    await world.arrive({
      from: office,
      to: addressOf('Ada'),
      cc: office,
      subject: `Re: ${subject()}`,
      text: 'You may.',
      inReplyTo: messageId,
      references: [letters.get('Ada')!.messageId, messageId!],
    })
    const after = await entries()
    expect(after).toHaveLength(1)
    expect(after[0].answeredAt).toBe(Math.floor(world.clock.now() / 1000) * 1000)
  })

  test('mail that answers by nothing but its place in Sent is seen when Sent is read', async () => {
    const [practice] = await world.call(routes.mailboxes)
    const raw = await answer('Bram', 'Which pontoon?')
    const { messageId } = await simpleParser(raw)
    // As a mailbox of one’s own, from which other mail is sent too.
    await world.handPost.parts.db.query('UPDATE mailboxes SET practice = false WHERE id = $1', [practice.id])
    try {
      await world.arrive(
        { from: office, to: addressOf('Bram'), subject: 'Re: x', inReplyTo: messageId, text: 'C.' },
        'Sent',
      )
      await world.handPost.parts.otherMail.read(practice.id, true)
      expect((await entries())[0].answeredAt).not.toBeNull()
    } finally {
      await world.handPost.parts.db.query('UPDATE mailboxes SET practice = true WHERE id = $1', [practice.id])
    }
  })
})

describe('other folders', () => {
  const change = async (changes: object) => {
    const [practice] = await world.call(routes.mailboxes)
    await world.call(routes.changeMailbox, {
      params: { mailbox: practice.id },
      body: { ...mailboxSettingsSchema.parse(practice), ...changes },
    })
    return practice.id
  }
  const look = (mailbox: number) => world.call(routes.readNow, { params: { mailbox } })

  test('in Junk an answer is seen by its headers, and not opened; moved to the inbox, it is read', async () => {
    const mailbox = await change({})
    const mail = {
      from: addressOf('Ada'),
      subject: `Re: ${subject()}`,
      text: 'Not junk.',
      messageId: '<junk@v.example>',
      ...thread('Ada'),
    }
    const raw = await world.arrive(mail, 'Junk')
    // Our subject without our headers is not looked at there.
    await world.arrive({ from: addressOf('Bram'), subject: `Re: ${subject()}`, text: 'x' }, 'Junk')
    await look(mailbox)
    expect(await entries()).toMatchObject([{ person: 'Ada', junk: 'Junk', words: '', of: 'person' }])
    expect(await outcomeOf('Ada')).toBe('replied')
    const [before] = await entries()
    await world.arrive(raw)
    expect(await entries()).toMatchObject([{ id: before.id, junk: null, words: 'Not junk.' }])
    await look(mailbox)
    expect(await entries()).toHaveLength(1)
  })

  test('Junk is not looked into where the writer does not wish it', async () => {
    const mailbox = await change({ junk: false })
    await world.arrive({ from: addressOf('Cy'), subject: 'Re: x', text: 'x', ...thread('Cy') }, 'Junk')
    await look(mailbox)
    expect(await entries()).toEqual([])
    await change({ junk: true })
    await look(mailbox)
    expect(await entries()).toHaveLength(1)
  })

  test('a folder that is chosen is read from the letters’ time on; one that is gone is said, and the others go on', async () => {
    await world.arrive({ from: addressOf('Dot'), subject: 'Re: x', text: 'Sorted away.', ...thread('Dot') }, 'Replies')
    const mailbox = await change({})
    await look(mailbox)
    expect(await entries()).toEqual([])
    const { folders } = await world.call(routes.mailFolders, { params: { mailbox } })
    expect(folders).toContainEqual({ path: 'Replies', use: null })
    expect(folders).toContainEqual({ path: 'Junk', use: '\\Junk' })
    await change({ folders: ['Gone', 'Replies'] })
    await look(mailbox)
    await look(mailbox)
    expect(await entries()).toMatchObject([{ person: 'Dot', words: 'Sorted away.' }])
    const [told] = await world.call(routes.mailboxes)
    expect(told.readingFault).toMatch(/^The folder “Gone” could not be looked into for answers: /)
    await change({ folders: [] })
    expect((await world.call(routes.mailboxes))[0].readingFault).toBeNull()
  })
})

test('a message over which the line breaks keeps none of the others back: it is found out which it is, and said', async () => {
  // Between the desk and the host: whenever certain words pass, the line breaks.
  const host = world.practice.imapPort
  const broken: Socket[] = []
  const proxy = createServer((client) => {
    const upstream = connect(host, '127.0.0.1')
    broken.push(client, upstream)
    client.pipe(upstream)
    upstream.on('data', (data) => {
      if (!data.includes('BREAKS-THE-LINE')) return void client.write(data)
      client.destroy()
      upstream.destroy()
    })
    for (const socket of [client, upstream]) socket.on('error', () => {})
    upstream.on('close', () => client.destroy())
    client.on('close', () => upstream.destroy())
  })
  await new Promise<void>((resolve) => proxy.listen(0, '127.0.0.1', resolve))
  const [practice] = await world.call(routes.mailboxes)
  const settings = mailboxSettingsSchema.parse(practice)
  const at = (port: number) =>
    world.call(routes.changeMailbox, {
      params: { mailbox: practice.id },
      body: { ...settings, imap: { ...settings.imap!, port }, password: 'practice' },
    })
  await at((proxy.address() as AddressInfo).port)
  try {
    const words = ['One.', 'Two.', 'BREAKS-THE-LINE', 'Four.', 'Five.']
    for (const [i, name] of names.entries()) {
      const mail = { from: addressOf(name), subject: 'Re: x', text: words[i], to: office, ...thread(name) }
      await world.practice.store.add(office, 'INBOX', await composed(mail), new Date(world.clock.now()))
    }
    const read = () => world.call(routes.readNow, { params: { mailbox: practice.id } })
    await read()
    // Nothing of the group counts before it is known which of them it is; then it is passed over, and all others are there.
    for (let i = 0; i < 6; i++) await read()
    const [told] = await world.call(routes.mailboxes)
    expect(told.unreadMail.newest.map((mail) => mail.sender)).toEqual([addressOf('Cy')])
    expect(told.readingFault).toBeNull()
    await world.call(routes.seenUnreadMail, { params: { mailbox: practice.id } })
    expect((await entries()).map((e) => e.words).sort()).toEqual(['Five.', 'Four.', 'One.', 'Two.'])
  } finally {
    await at(host)
    for (const socket of broken) socket.destroy()
    proxy.close()
  }
})

describe('the in-tray', () => {
  test('done, in another pile and put by are marks; sending back what was before takes them back, all together', async () => {
    for (const name of names) await answer(name, 'Thank you.')
    const all = await entries()
    expect(all.map((e) => e.pile)).toEqual(Array(5).fill('thanks'))
    const [a, b, c] = all
    const first = await mark([
      { response: a.id, done: true },
      { response: b.id, done: true },
      { response: c.id, pile: 'question' },
    ])
    expect((await entries()).map((e) => e.id)).not.toContain(a.id)
    expect((await entries('done')).map((e) => e.id).sort()).toEqual([a.id, b.id].sort())
    expect((await entries()).find((e) => e.id === c.id)!.pile).toBe('question')
    const second = await mark([{ response: a.id, back: { at: world.clock.now() + day, when: null }, done: false }])
    expect((await entries('putBy')).map((e) => e.id)).toEqual([a.id])
    await mark(second.before)
    expect((await entries('done')).map((e) => e.id).sort()).toEqual([a.id, b.id].sort())
    await mark(first.before)
    expect((await entries()).map((e) => [e.id, e.pile])).toEqual(all.map((e) => [e.id, e.pile]))
    // One that is not there is passed over.
    expect((await mark([{ response: 999_999, done: true }])).before).toEqual([])
  })

  test('what is put by comes back on its day, on top, and every desk is told', async () => {
    await answer('Ada', 'I shall know by 12 December.')
    await answer('Bram', 'All well.')
    const ada = (await entries()).find((e) => e.person === 'Ada')!
    const at = world.clock.now() + 3 * day
    await mark([{ response: ada.id, back: { at, when: null } }])
    expect((await entries()).map((e) => e.person)).toEqual(['Bram'])
    expect(await entries('putBy')).toMatchObject([{ person: 'Ada', state: 'putBy', backAt: at }])
    const told: unknown[] = []
    const end = world.handPost.parts.subscribe((event) => told.push(event))
    world.clock.move(3 * day - minute)
    await world.handPost.parts.inbox.tellDue()
    expect([(await entries()).length, told]).toEqual([1, []])
    world.clock.move(minute)
    await world.handPost.parts.inbox.tellDue()
    expect(told).toContainEqual({ topic: 'responses', id: null })
    end()
    expect((await entries()).map((e) => [e.person, e.state])).toEqual([
      ['Ada', 'back'],
      ['Bram', 'open'],
    ])
    expect((await world.call(routes.desk)).cameBack[0]).toMatchObject({ person: 'Ada', state: 'back' })
  })

  test('“only if there is no answer”: one that has come settles it; without one it comes back', async () => {
    await answer('Ada', 'May I bring the dinghy?')
    await answer('Bram', 'Which pontoon?')
    const at = world.clock.now() + 2 * day
    await mark((await entries()).map(({ id }) => ({ response: id, back: { at, when: 'unanswered' } })))
    world.clock.move(day)
    await answer('Ada', 'It is settled, the dinghy stays.')
    world.clock.move(day + minute)
    const open = await entries()
    expect(open.map((e) => [e.person, e.state, e.words]).sort()).toEqual([
      ['Ada', 'open', 'It is settled, the dinghy stays.'],
      ['Bram', 'back', 'Which pontoon?'],
    ])
    expect((await entries('done')).map((e) => e.words)).toEqual(['May I bring the dinghy?'])
  })

  test('“when they open it” brings it back as soon as they do, and not before', async () => {
    await answer('Cy', 'I have not read it yet.')
    const [entry] = await entries()
    await mark([{ response: entry.id, back: { at: null, when: 'opened' } }])
    world.clock.move(hour)
    expect(await entries()).toEqual([])
    const picture = /https?:[^"]+\/p\/[^"]+/.exec(letters.get('Cy')!.html)![0]
    await fetch(picture.replace(/&amp;/g, '&'))
    await world.handPost.parts.fetches.flush()
    expect(await entries()).toMatchObject([{ id: entry.id, state: 'back' }])
  })

  test('an entry has all its words beside the letter and the row, with the days it names, and why it lies where it lies', async () => {
    await answer('Dot', 'Could we say next Tuesday?\n\nDot\n\nOn 2 Nov 2026, Office wrote:\n> Dear Dot')
    const [{ id }] = await entries()
    const entry = await world.call(routes.trayEntry, { params: { response: id } })
    expect(entry).toMatchObject({
      newText: 'Could we say next Tuesday?\n\nDot',
      why: 'It asks: “Could we say next Tuesday?”',
      days: [{ minute: null, words: 'next Tuesday' }],
      letter: { subject: subject() },
      row: [
        { column: 'Name', shown: 'Dot' },
        { column: 'Email', shown: addressOf('Dot') },
        { column: 'Berth', shown: 'B3' },
      ],
    })
    expect(entry.text).toContain('> Dear Dot')
    expect(await refusal(world.call(routes.trayEntry, { params: { response: 999_999 } }))).toMatch(/answer/)
  })

  test('an automatic reply gives the day of return; a receipt lies under done from the start', async () => {
    await answer('Eve', 'I am away until 14 December.', { headers: { 'Auto-Submitted': 'auto-replied' } })
    expect((await entries())[0]).toMatchObject({ pile: 'automatic', backDay: expect.stringMatching(/-12-14$/) })
    const report = [
      `From: ${addressOf('Ada')}`,
      `To: ${office}`,
      'Subject: Read',
      'Content-Type: multipart/report; report-type=disposition-notification; boundary=b',
      '',
      '--b',
      'Content-Type: message/disposition-notification',
      '',
      `Final-Recipient: rfc822;${addressOf('Ada')}`,
      `Original-Message-ID: ${letters.get('Ada')!.messageId}`,
      'Disposition: manual-action/MDN-sent-manually; displayed',
      '--b--',
    ]
    await world.arrive(Buffer.from(report.join('\r\n')))
    expect(await entries()).toHaveLength(1)
    expect(await entries('done')).toMatchObject([{ person: 'Ada', pile: 'receipt', state: 'done' }])
  })

  test('two answers in one second, and one twice in the mailbox: each once', async () => {
    const raw = await answer('Ada', 'First.', { messageId: '<one@v.example>' })
    await answer('Ada', 'Second.', { messageId: '<two@v.example>' })
    await world.arrive(raw)
    expect((await entries()).map((e) => e.words).sort()).toEqual(['First.', 'Second.'])
  })
})

describe('outcome words and reminders', () => {
  test('words are the round’s own, given to one or many, taken back, and counted on the board', async () => {
    const params = { round }
    const give = (given: { row: number; word: string | null }[]) =>
      world.call(routes.giveWords, { params, body: { given } })
    expect(await refusal(give([{ row: 1, word: 'coming' }]))).toMatch(/“coming” is no outcome word of this round/)
    await world.call(routes.setOutcomeWords, { params, body: { words: ['coming', 'not coming', 'coming'] } })
    const first = await give([
      { row: 1, word: 'coming' },
      { row: 2, word: 'coming' },
      { row: 77, word: 'coming' },
    ])
    expect(first.before).toEqual([
      { row: 1, word: null },
      { row: 2, word: null },
    ])
    const words = async () => (await board()).people.map((p) => p.word)
    expect(await words()).toEqual(['coming', 'coming', null, null, null])
    expect((await board()).outcomeWords).toEqual(['coming', 'not coming'])
    const second = await give([{ row: 2, word: 'not coming' }])
    expect(await words()).toEqual(['coming', 'not coming', null, null, null])
    await give(second.before)
    await give(first.before)
    expect(await words()).toEqual(Array(5).fill(null))
    // Whoever has a word, in a list of their own for the next round.
    await give([{ row: 4, word: 'coming' }])
    const next = (words: string[]) =>
      world.call(routes.listFromRound, { body: { name: 'Those', round, outcomes: [], words } })
    expect((await world.rows((await next(['coming'])).id)).map((r) => r.cells.c1)).toEqual(['Dot'])
    expect(await refusal(next([]))).toMatch(/outcome word/)
    await give([{ row: 4, word: null }])
    // A word that is no more one of the round’s goes from whoever had it.
    await give([{ row: 3, word: 'coming' }])
    const { lost } = await world.call(routes.setOutcomeWords, { params, body: { words: ['not coming'] } })
    expect(await words()).toEqual(Array(5).fill(null))
    // Who that was is told, and gets it again with the word.
    expect(lost).toEqual([{ row: 3, word: 'coming' }])
    await world.call(routes.setOutcomeWords, { params, body: { words: ['coming', 'not coming'] } })
    await give(lost)
    expect((await words()).filter((word) => word === 'coming')).toHaveLength(1)
  })

  test('a reminder stands on the desk and in the in-tray at its time, with those by name who have not answered', async () => {
    const params = { round }
    const at = world.clock.now() + 2 * day
    await world.call(routes.addReminder, { params, body: { rows: null, at } })
    await world.call(routes.addReminder, { params, body: { rows: [1, 2], at: at + hour } })
    const mine = async (show: TrayShow = 'open') =>
      (await world.call(routes.inTray, { query: { show } })).reminders.filter((r) => r.roundId === round)
    expect(await mine()).toEqual([])
    expect((await mine('putBy')).map((r) => r.due)).toEqual([false, false])
    await answer('Bram', 'Here.')
    world.clock.move(2 * day + 2 * hour)
    const [all, some] = await mine()
    expect(all).toMatchObject({ about: 5, unanswered: 4, due: true })
    expect(all.people.map((p) => p.person)).toEqual(['Ada', 'Cy', 'Dot', 'Eve'])
    expect(some).toMatchObject({ about: 2, unanswered: 1 })
    expect(some.people.map((p) => p.person)).toEqual(['Ada'])
    expect((await world.call(routes.desk)).waits.reminders.filter((r) => r.roundId === round)).toHaveLength(2)
    // A letter to them is begun with one click, and is for nobody who answers by the time it leaves.
    const { rows } = await world.call(routes.reminderRows, { params: { reminder: some.id } })
    expect(rows).toEqual([1])
    expect((await world.call(routes.reminderRows, { params: { reminder: all.id } })).rows).toEqual([1, 3, 4, 5])
    expect(await refusal(world.call(routes.reminderRows, { params: { reminder: 999_999 } }))).toMatch(/reminder/)
    const end = (done: boolean) => world.call(routes.endReminder, { params: { reminder: all.id }, body: { done } })
    await end(true)
    expect((await mine()).map((r) => r.id)).toEqual([some.id])
    await end(false)
    expect(await mine()).toHaveLength(2)
    expect(
      await refusal(world.call(routes.endReminder, { params: { reminder: 999_999 }, body: { done: true } })),
    ).toMatch(/reminder/)
  })
})
