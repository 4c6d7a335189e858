import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { composeRaw } from '../src/mailboxes/compose.ts'
import { MoodyHost } from './moodyHost.ts'
import { hour, minute, office, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({ manners: Object.fromEntries([0, 1, 2, 3, 4].map((i) => [`p${i}@village.example`, {}])) })
})
afterAll(() => world.close())

const letter = { subject: 'For {{Name}}', html: '<p>Dear {{Name}}</p>' }
const csv = (n: number) =>
  ['Name,Email', ...Array.from({ length: n }, (_, i) => `P${i},p${i}@village.example`)].join('\n')
async function posted(on: World, n: number, changes: object = {}) {
  const { id } = await on.round(csv(n), letter, { dispatch: { perMinute: 60 }, ...changes })
  const params = { round: id }
  const { findings } = await on.call(routes.proof, { params })
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await on.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
  await on.call(routes.post, { params, body: { messages: n } })
  return params
}
const mailboxOf = async (on: World, at = 0) => (await on.call(routes.mailboxes))[at]

describe('what Sent does not take', () => {
  test('is noted in the host’s words, tried again with growing gaps, and blocks no other', async () => {
    const add = world.practice.store.add.bind(world.practice.store)
    let tried = 0
    let full = true
    world.practice.store.add = async (...given) => {
      const [, box, raw] = given
      if (full && box === 'Sent' && raw.toString('latin1').includes('Subject: For P1\r')) {
        tried++
        throw new Error('[OVERQUOTA] the mailbox is full')
      }
      return add(...given)
    }
    const params = await posted(world, 3)
    await world.pass(10_000, 5)
    const lines = await world.call(routes.messages, { params })
    expect(lines.map((m) => [m.person, m.state, m.filedAt !== null])).toEqual([
      ['P0', 'sent', true],
      ['P1', 'sent', false],
      ['P2', 'sent', true],
    ])
    expect(lines[1].filingFault).toMatch(/the mailbox is full/)
    expect(await mailboxOf(world)).toMatchObject({
      notFiled: { count: 1, fault: expect.stringMatching(/full/), next: expect.any(Number) },
    })
    // Once a minute would be 60 times; with growing gaps it is a handful.
    await world.pass(hour, 60)
    expect(tried).toBeGreaterThan(2)
    expect(tried).toBeLessThan(6)
    full = false
    await world.pass(3 * hour, 6)
    expect((await world.call(routes.messages, { params }))[1]).toMatchObject({
      filingFault: null,
      filedAt: expect.any(Number),
    })
    expect((await mailboxOf(world)).notFiled).toBeNull()
    expect((await world.sent()).filter((raw) => raw.includes('Subject: For P1\r'))).toHaveLength(1)
    world.practice.store.add = add
  })

  test('a mailbox without a folder for sent mail says so, and files when there is one', async () => {
    const box = world.practice.store.box.bind(world.practice.store)
    const add = world.practice.store.add.bind(world.practice.store)
    let gone = true
    world.practice.store.add = async (...given) => {
      if (gone && given[1] === 'Sent') throw new Error('[TRYCREATE] there is no such folder')
      return add(...given)
    }
    const params = await posted(world, 1)
    await world.pass(10_000, 3)
    expect((await mailboxOf(world)).notFiled).toMatchObject({
      count: 1,
      fault: expect.stringMatching(/no such folder/),
    })
    gone = false
    await world.pass(hour, 6)
    expect((await world.call(routes.messages, { params }))[0].filedAt).not.toBeNull()
    Object.assign(world.practice.store, { box, add })
  })
})

describe('a host that files sent mail itself', () => {
  let other: World
  beforeAll(async () => {
    other = await World.open({
      filesSent: true,
      manners: Object.fromEntries([0, 1, 2].map((i) => [`p${i}@village.example`, {}])),
    })
  })
  afterAll(() => other.close())
  const settings = async () => {
    const own = mailboxSettingsSchema.parse(await mailboxOf(other))
    return { ...own, name: 'Theirs', password: 'practice', hostFilesSent: false }
  }

  test('is found by a message to oneself, which is taken away again; without the writer’s word none is sent', async () => {
    const body = await settings()
    const plain = await other.call(routes.testMailbox, { body })
    expect([plain.ok, plain.hostFilesSent]).toEqual([true, null])
    expect(await other.inboxOf(office)).toEqual([])
    const found = await other.call(routes.testMailbox, { body: { ...body, selfMessage: true } })
    expect([found.ok, found.hostFilesSent]).toEqual([true, true])
    expect(found.steps.at(-1)!.words).toMatch(/It does: .*taken away again/)
    expect(await other.inboxOf(office)).toEqual([])
    expect(await other.sent()).toEqual([])
    // And of a host that does not, the other way round.
    const own = { ...mailboxSettingsSchema.parse(await mailboxOf(world)), password: 'practice' }
    expect((await world.call(routes.testMailbox, { body: { ...own, selfMessage: true } })).hostFilesSent).toBe(false)
    expect(await world.inboxOf(office)).toEqual([])
  })

  test('is found at the first letters of a round: Sent has each once', async () => {
    const { id } = await other.call(routes.addMailbox, { body: await settings() })
    const params = await posted(other, 3, { mailboxId: id })
    await other.pass(10_000, 5)
    const lines = await other.call(routes.messages, { params })
    expect(lines.every((m) => m.filedAt !== null)).toBe(true)
    expect((await other.sent()).map((raw) => /^Subject: (.*)\r$/m.exec(raw.toString('latin1'))![1]).sort()).toEqual([
      'For P0',
      'For P1',
      'For P2',
    ])
    const mailbox = (await other.call(routes.mailboxes)).find((m) => m.id === id)!
    expect([mailbox.hostFilesSent, mailbox.foundFiling]).toEqual([true, expect.any(Number)])
  })
})

describe('what is enclosed goes as it is', () => {
  const contents = (name: string, bytes: Buffer) => ({
    raw: composeRaw(
      {
        key: 'key',
        messageId: '<key@brindlequay.example>',
        contents: {
          from: { name: 'Harbour Office', address: office },
          to: { name: 'Ada', address: 'ada@village.example' },
          cc: [],
          bcc: [],
          subject: 'S',
          html: '<p>Größe</p>',
          text: 'Größe\n',
          files: [{ name, hash: 'h', size: bytes.length, type: 'text/plain' }],
          pictures: [],
          links: [],
          receipt: false,
        },
      },
      0,
      { read: async () => bytes },
    ),
  })
  // Latin-1, with line ends of every kind, and lines that a flowed text would join.
  const latin1 = Buffer.from('Geb\xfchr \xa31,50 \nzweite Zeile \r\ndritte\r', 'latin1')

  test('a text file keeps its octets, and nobody says what characters they are; the letter’s own text is flowed', async () => {
    const raw = await contents('Gebühren.txt', latin1).raw
    const mail = await simpleParser(raw)
    expect(mail.attachments[0].content).toEqual(latin1)
    const heads = raw.toString('latin1').match(/^Content-Type: text\/plain[\s\S]*?(?=\r\nContent-)/gm)!
    expect(heads[0]).toBe('Content-Type: text/plain; charset=utf-8; format=flowed')
    expect(heads[1]).not.toMatch(/charset=|format=/)
  })
  test.each([
    'Gebühren für “Ada”; Teil 1.txt',
    'a "quoted" \\ name.txt',
    'plain.txt',
    '漢字の名前がとても長いので二行以上に折り返されるはずです.txt',
  ])(
    'a name is given by RFC 2231, and by no encoded-word within quotation marks (RFC 2047, section 5): %s',
    async (name) => {
      const raw = (await contents(name, latin1).raw).toString('latin1')
      const parts = raw.split('\r\n--').filter((part) => /Content-Disposition: attachment/.test(part))
      expect(parts).toHaveLength(1)
      expect(parts[0]).not.toMatch(/=\?/)
      expect((await simpleParser(raw)).attachments[0].filename).toBe(name)
    },
  )
})

describe('letters in doubt', () => {
  test('several are settled together; what is to be sent is looked for in Sent once more first', async () => {
    const host = await new MoodyHost().open()
    try {
      const own = mailboxSettingsSchema.parse(await mailboxOf(world))
      const { id: mailboxId } = await world.call(routes.addMailbox, {
        body: { ...own, name: 'Moody', password: 'practice', smtp: { ...own.smtp, port: host.port } },
      })
      for (const i of [0, 1, 2]) host.moods.set(`p${i}@village.example`, [i === 2 ? 'breaksAfter' : 'keepsAndBreaks'])
      const params = await posted(world, 4, { mailboxId })
      await world.pass(5 * minute, 12)
      const inDoubt = (await world.call(routes.messages, { params })).filter((m) => m.asksWriter)
      expect(inDoubt.map((m) => m.person)).toEqual(['P0', 'P1', 'P2'])
      // One of them turns up in Sent meanwhile, as when the host files late.
      const kept = host.keptFor('p0@village.example')[0]
      await world.practice.store.add(office, 'Sent', Buffer.from(`${kept.raw}\r\n`, 'latin1'), new Date())
      expect(await world.call(routes.settleDoubts, { params, body: { went: false } })).toEqual({ settled: 2, found: 1 })
      await world.pass(5 * minute, 6)
      const after = await world.call(routes.messages, { params })
      expect(after.map((m) => m.state)).toEqual(['sent', 'sent', 'sent', 'sent'])
      // Its Date is the one that it bears, whenever it was found.
      expect(Math.floor(after[0].sentAt! / 1000) * 1000).toBe(Date.parse(/^Date: (.*)\r$/m.exec(kept.raw)![1]))
      // Whoever has had it and was sent it by the writer's word has it twice; nobody else.
      expect([0, 1, 2, 3].map((i) => host.keptFor(`p${i}@village.example`).length)).toEqual([1, 2, 1, 1])
      await expect(world.call(routes.settleDoubts, { params, body: { went: true } })).rejects.toThrow(
        /Nothing of this is in doubt/,
      )
    } finally {
      host.close()
    }
  })
})
