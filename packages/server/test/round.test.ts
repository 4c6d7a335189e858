import { createHash } from 'node:crypto'
import { mailboxSettingsSchema, ProblemError, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { tinyPdf } from './tinyPdf.ts'
import { hour, minute, office, peopleCsv, World } from './world.ts'

// mailparser (an independent MIME parser) reads every message that the practice host received.
describe('one round by HTTP calls alone', () => {
  let world: World
  beforeAll(async () => {
    world = await World.open({
      manners: {
        'person0@village.example': { opensAfter: 10, clicksAfter: 12, repliesAfter: 30, receiptAfter: 11 },
        'person1@village.example': { away: true },
        'person2@village.example': { bounces: true },
        'person3@village.example': { refused: true },
        'person4@village.example': { scanner: true },
        'person5@village.example': { greylisted: true },
        'person6@village.example': {},
        'person7@village.example': {},
      },
    })
  })
  afterAll(() => world.close())

  test('goes from a list to answers, each person getting their own', async () => {
    const html =
      '<p>Dear {{Name}},</p><p>Berth <b>{{Berth}}</b> & mooring: <a href="https://harbour.example/rules?x=1&amp;y=2">the rules</a>.</p><script>alert(1)</script>'
    const round = await world.round(
      peopleCsv(8),
      { subject: 'Berth {{berth}} for {{Name, or "you"}}', html },
      { tracking: { opens: true, clicks: true, receipts: true }, dispatch: { perMinute: 60 } },
    )
    expect(round.said.join()).toContain('a script (nothing of it was run)')
    const params = { round: round.id }
    const before = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(before.mayPost).toBe(false)
    expect(new Set(before.findings.map((f) => f.check))).toEqual(new Set(['missingFile', 'outside']))

    const contents = Array.from({ length: 8 }, (_, i) =>
      tinyPdf(`Permit of person ${i}, person${i}@village.example`, 'x'.repeat(i * 1000)),
    )
    for (const [i, content] of contents.entries())
      await world.call(routes.addFile, { params, query: { name: `permit-${i}.pdf`, role: 'own' }, file: content })
    const rules = Buffer.from('harbour rules')
    await world.call(routes.addFile, { params, query: { name: 'Harbour rules é.txt', role: 'common' }, file: rules })
    const proof = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    expect(proof).toMatchObject({ stops: 0, asks: 0, mayPost: true })

    await world.call(routes.sendCopies, { params, body: { rowIds: [2] } })
    const [copy] = await world.inboxOf(office)
    const readCopy = await simpleParser(copy)
    expect(readCopy.subject).toBe('[Copy] Berth B001 for Person 1')
    expect([readCopy.to].flat().map((t) => t?.text)).toEqual([office])
    expect(readCopy.text).toContain('person1@village.example')
    expect(await world.inboxOf('person1@village.example')).toHaveLength(0)

    await expect(world.call(routes.post, { params, body: { messages: 7 } })).rejects.toThrow(ProblemError)
    await world.call(routes.post, { params, body: { messages: 8 } })
    await expect(world.call(routes.post, { params, body: { messages: 8 } })).rejects.toThrow(/posted/)
    await world.pass(minute, 20)

    const ids = new Set<string>()
    for (const i of [0, 1, 2, 4, 6, 7]) {
      const got = await world.inboxOf(`person${i}@village.example`)
      expect(got).toHaveLength(1)
      const mail = await simpleParser(got[0], { skipImageLinks: true })
      const to = [mail.to].flat()
      expect(to).toHaveLength(1)
      expect(to[0]?.value).toEqual([{ name: `Person ${i}`, address: `person${i}@village.example` }])
      expect(mail.cc).toBeUndefined()
      expect(mail.subject).toBe(`Berth B00${i} for Person ${i}`)
      expect(mail.text).toContain(`Dear Person ${i},`)
      expect(mail.html).toContain(`Berth <strong>B00${i}</strong> &amp; mooring`)
      for (let other = 0; other < 8; other++) if (other !== i) expect(got[0].toString()).not.toContain(`erson ${other}`)
      expect(mail.attachments.map((a) => a.filename)).toEqual(['Harbour rules é.txt', `permit-${i}.pdf`])
      expect(mail.attachments[0].content.equals(rules)).toBe(true)
      expect(createHash('sha256').update(mail.attachments[1].content).digest('hex')).toBe(
        createHash('sha256').update(contents[i]).digest('hex'),
      )
      ids.add(mail.messageId!)
      for (const line of got[0].toString('latin1').split('\r\n')) expect(line.length).toBeLessThanOrEqual(998)
    }
    expect(ids.size).toBe(6)

    // The greylisted one is tried again; everything has a copy in Sent, the same to the byte.
    await world.pass(10 * minute, 10)
    const [greylisted] = await world.inboxOf('person5@village.example')
    expect(greylisted).toBeDefined()
    const sent = await world.sent()
    expect(sent).toHaveLength(7)
    const copy5 = sent.find((raw) => raw.includes('person5@village.example'))!
    expect(copy5.toString('latin1')).toBe(greylisted.toString('latin1'))

    await world.pass(2 * hour, 8)
    const board = await world.board(params.round)
    const outcome = (i: number) => board.people.find((p) => p.address === `person${i}@village.example`)!
    expect(board.people.map((p) => p.outcome)).toEqual([
      'replied',
      'automatic',
      'bounced',
      'refused',
      'sent',
      'sent',
      'sent',
      'sent',
    ])
    expect(
      outcome(0)
        .responses.filter((r) => !r.automatic)
        .map((r) => r.kind),
    ).toEqual(['open', 'receipt', 'click', 'reply'])
    expect(outcome(0).responses.find((r) => r.kind === 'reply')!.words).not.toContain('>')
    expect(outcome(2).responses[0].words).toContain('no such mailbox')
    expect(outcome(3).reason).toContain('no such mailbox')
    expect(outcome(4).responses.every((r) => r.automatic)).toBe(true)
    expect(board.counts).toMatchObject({
      messages: 8,
      sent: 7,
      refused: 1,
      bounced: 1,
      arrived: 6,
      replied: 1,
      unanswered: 5,
      opened: 1,
      openedByMachine: 1,
      clicked: 1,
      receipts: 1,
      automatic: 1,
    })

    const tray = await world.call(routes.inTray)
    expect(tray.lines.map((e) => [e.kind, e.pile, e.person]).sort()).toEqual([
      ['automatic', 'automatic', expect.any(String)],
      ['bounce', 'returned', 'Person 2'],
      ['reply', expect.stringMatching(/^(answer|thanks|question)$/), 'Person 0'],
    ])
    const csv = await world.call(routes.outcomeSheet, { query: { as: 'csv' }, params })
    expect(csv).toContain('Person 0,person0@village.example,B000,permit-0.pdf,replied')
    expect(csv.split('\r\n')).toHaveLength(10)
  })
})

test("the day's limit in the middle of a round: nothing is lost, and it goes on when the allowance does", async () => {
  const world = await World.open({
    manners: Object.fromEntries(Array.from({ length: 25 }, (_, i) => [`person${i}@village.example`, {}])),
  })
  try {
    const mailbox = (await world.call(routes.mailboxes))[0]
    const settings = mailboxSettingsSchema.parse(mailbox)
    await world.call(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: { ...settings, perDay: 10 } })
    const csv = peopleCsv(25)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
    const round = await world.round(
      csv,
      { subject: 'S', html: '<p>Hello {{Name}}</p>' },
      { dispatch: { perMinute: 60 } },
    )
    const params = { round: round.id }
    const plan = await world.call(routes.timetable, { params })
    expect(plan.departures.filter((d) => d.at < world.clock.now() + 24 * hour)).toHaveLength(10)
    expect(plan.sentence).toContain(
      'on 3 days. 15 letters wait for a later day: the mailbox’s limit of 10 recipients in any 24 hours is what holds them.',
    )
    await world.call(routes.post, { params, body: { messages: 25 } })
    await world.pass(5 * minute, 10)
    const states = async () => (await world.call(routes.round, { params })).states
    expect(await states()).toMatchObject({ sent: 10, waiting: 15 })
    const { departures } = await world.call(routes.timetable, { params })
    expect(departures.find((d) => !d.gone)!.at).toBeGreaterThan(world.clock.now() + 23 * hour)

    await world.restart()
    await world.pass(23 * hour)
    expect(await states()).toMatchObject({ sent: 10, waiting: 15 })
    await world.pass(hour)
    await world.pass(5 * minute, 10)
    expect(await states()).toMatchObject({ sent: 20, waiting: 5 })
    await world.pass(24 * hour)
    await world.pass(5 * minute, 10)
    expect(await states()).toMatchObject({ sent: 25, waiting: 0 })
    for (let i = 0; i < 25; i++) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
  } finally {
    await world.close()
  }
})
