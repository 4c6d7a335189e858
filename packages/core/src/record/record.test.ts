import { createHash } from 'node:crypto'
import fc from 'fast-check'
import { zipSync } from 'fflate'
import { describe, expect, test } from 'vitest'
import { archiveParts } from './archive.ts'
import { chainFault, checkRecord, messageIdIn, RecordFault, readSeal } from './check.ts'
import { eventWords, type RoundEvent } from './events.ts'
import { MboxReader, mboxEntry, mboxSeparator } from './mbox.ts'
import { canonical, chained, type MessageEntry, type RecordEntry, type RecordHead, type Seal } from './seal.ts'

const sha256 = (data: string | Uint8Array) => createHash('sha256').update(data).digest('hex')
const bytes = (text: string) => new Uint8Array(Buffer.from(text, 'latin1'))
const source = (all: Uint8Array) => ({
  size: all.length,
  read: async (from: number, to: number) => all.subarray(from, to),
})
const sent = Date.UTC(2026, 10, 12, 9, 30, 15)
const office = { name: 'Harbour Office', address: 'office@brindlequay.example' }

describe('canonical JSON', () => {
  // RFC 8785, sections 3.2.2 and 3.2.3: the printed example, its keys in another order, and what it says of it. Read from memory.
  test('the example of the standard', () => {
    const value = JSON.parse(
      String.raw`{"numbers":[333333333.33333329,1E30,4.50,2e-3,0.000000000000000000000000001],"string":"\u20ac$\u000F\u000aA'\u0042\u0022\u005c\\\"\/","literals":[null,true,false]}`,
    )
    expect(canonical(value)).toBe(
      String.raw`{"literals":[null,true,false],"numbers":[333333333.3333333,1e+30,4.5,0.002,1e-27],"string":"€$\u000f\nA'B\"\\\\\"/"}`,
    )
  })
  // RFC 8785, section 3.2.3: keys stand in the order of their UTF-16 code units. Read from memory.
  test('the order of keys', () => {
    const keys = ['\u20ac', '\r', '\ufb33', '1', '\u{1f600}', '\u0080', '\u00f6']
    const written = canonical(Object.fromEntries(keys.map((key, i) => [key, i])))
    expect(Object.keys(JSON.parse(written))).toEqual(['1', '\r', '\u0080', '\u00f6', '\u20ac', '\u{1f600}', '\ufb33'])
  })
  test('says the same of a value however its keys stand', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        const turned = (one: unknown): unknown =>
          Array.isArray(one)
            ? one.map(turned)
            : one !== null && typeof one === 'object'
              ? Object.fromEntries(
                  Object.entries(one)
                    .reverse()
                    .map(([key, held]) => [key, turned(held)]),
                )
              : one
        expect(canonical(turned(value))).toBe(canonical(value))
        expect(JSON.parse(canonical(value))).toEqual(JSON.parse(JSON.stringify(value)))
      }),
    )
  })
})

describe('.mbox', () => {
  // RFC 4155, appendix A: the line has an address and a moment in UTC in the form of asctime, whose day is padded by a blank (C, 7.27.3.1).
  test('the line before a message', () => {
    expect(mboxSeparator(office.address, sent)).toBe('From office@brindlequay.example Thu Nov 12 09:30:15 2026')
    expect(mboxSeparator('a@b.example', Date.UTC(2026, 1, 3))).toBe('From a@b.example Tue Feb  3 00:00:00 2026')
  })

  /** Lines that are easily taken for others. */
  const line = fc.oneof(
    fc.constantFrom('', 'From ', 'From me', '>From you', '>>From them', 'from x', '>', 'Subject: Hello', 'Fro', '.'),
    fc.string({ unit: 'binary-ascii', maxLength: 60 }).map((text) => text.replace(/[\r\n]/g, ' ')),
    fc.uint8Array({ maxLength: 60 }).map((octets) =>
      Buffer.from(octets)
        .toString('latin1')
        .replace(/[\r\n]/g, '.'),
    ),
  )
  const message = fc.array(line, { maxLength: 12 }).map((lines) => bytes(lines.map((one) => `${one}\r\n`).join('')))

  test('messages are read back to the octet, in pieces of any size', () => {
    fc.assert(
      fc.property(fc.array(message, { minLength: 1, maxLength: 5 }), fc.integer({ min: 1, max: 90 }), (raws, piece) => {
        const file = Buffer.concat(raws.map((raw, i) => mboxEntry(mboxSeparator(office.address, sent + i * 1000), raw)))
        const reader = new MboxReader(10_000, () => new Error('too large'))
        const read = []
        for (let at = 0; at < file.length; at += piece) read.push(...reader.take(file.subarray(at, at + piece)))
        read.push(...reader.finish())
        expect(read.map((one) => Buffer.from(one.raw).toString('latin1'))).toEqual(
          raws.map((raw) => Buffer.from(raw).toString('latin1')),
        )
        expect(read.map((one) => one.separator)).toEqual(
          raws.map((_, i) => mboxSeparator(office.address, sent + i * 1000)),
        )
        expect(read.reduce((sum, one) => sum + one.taken, 0)).toBe(file.length)
      }),
    )
  })

  test('a message without end is broken off', () => {
    const reader = new MboxReader(1000, () => new RecordFault('too large'))
    expect(() => [...reader.take(bytes(`From a\n${'x'.repeat(2000)}`))]).toThrow('too large')
    const lines = new MboxReader(1000, () => new RecordFault('too large'))
    expect(() => [...lines.take(bytes(`From a\n${'x\n'.repeat(2000)}`))]).toThrow('too large')
  })
})

test('the Message-ID of a head, as it may be written', () => {
  const of = (text: string) => messageIdIn(bytes(text))
  expect(of('Subject: x\r\nMessage-ID: <a@b.example>\r\n\r\nHello')).toBe('<a@b.example>')
  expect(of('MESSAGE-ID:\r\n <a@b.example>\r\nSubject: x\r\n\r\n')).toBe('<a@b.example>')
  expect(of('message-id:<a@b.example>')).toBe(null)
  expect(of('Subject: x\r\n\r\nMessage-ID: <in@words.example>\r\n')).toBe(null)
  expect(of('X-Message-ID: <x@y.example>\r\n\r\n')).toBe(null)
  expect(of('')).toBe(null)
})

const raw = (n: number, text = 'Dear all,') =>
  bytes(
    `From: ${office.name} <${office.address}>\r\nTo: person${n}@village.example\r\nMessage-ID: <m${n}@brindlequay.example>\r\n\r\n${text}\r\nFrom here on, ${n}.\r\n`,
  )
const message = (n: number, more: Partial<MessageEntry> = {}): MessageEntry => ({
  kind: 'message',
  round: 'Permits',
  row: n + 2,
  person: `Person ${n}`,
  to: `person${n}@village.example`,
  from: office,
  subject: 'Your permit',
  messageId: `<m${n}@brindlequay.example>`,
  version: 1,
  state: 'sent',
  at: new Date(sent + n * 1000).toISOString(),
  answer: '250 OK',
  sha256: sha256(raw(n)),
  files: [{ name: 'permit.pdf', size: 8, sha256: sha256(bytes('a permit')) }],
  copies: [],
  came: [],
  ...more,
})
const head = (entries: number): RecordHead => ({
  format: 'hand-post-record',
  version: 1,
  round: 'Permits',
  number: 7,
  mailbox: office,
  list: 'People',
  postedAt: new Date(sent).toISOString(),
  madeAt: new Date(sent + 86_400_000).toISOString(),
  zone: 'Europe/London',
  entries,
})
const pdf = bytes('%PDF-1.7 the record')
function sealed(entries: RecordEntry[]): Seal {
  return { ...chained(head(entries.length), entries, sha256), pdf: sha256(pdf) }
}
const some: RecordEntry[] = [
  {
    kind: 'version',
    round: 'Permits',
    number: 1,
    at: null,
    subject: 'Your permit',
    words: 'Dear {{Name}}',
    files: [{ name: 'plan.pdf', size: 4, sha256: sha256(bytes('plan')) }],
  },
  { kind: 'event', round: 'Permits', at: null, what: 'posted', words: 'Posted: 3 letters.', details: { letters: 3 } },
  { kind: 'leftOut', row: 9, person: 'Una Left', address: '', why: 'Set aside by the writer.' },
  message(0),
  message(1),
  message(2, { state: 'refused', sha256: null, at: null, answer: 'There is no such mailbox.' }),
  message(3),
  { kind: 'paper', row: 12, person: 'Ida Post', state: 'printed', printedAt: null, version: 1 },
]
const mboxOf = (ns: number[], text?: string) =>
  new Uint8Array(Buffer.concat(ns.map((n) => mboxEntry(mboxSeparator(office.address, sent + n * 1000), raw(n, text)))))
const zipOf = (parts: Record<string, Uint8Array>) => zipSync(parts, { level: 0 })
const check = (seal: Seal, archive: Uint8Array, paper: Uint8Array | null = null) =>
  checkRecord(seal, archiveParts(source(archive)), { sha256, pdf: paper })

describe('a seal', () => {
  test('is read from its JSON as it was written, and its chain holds', () => {
    const seal = sealed(some)
    expect(readSeal(JSON.stringify(seal))).toEqual(seal)
    expect(readSeal(`\ufeff${JSON.stringify(seal, null, 2)}`)).toEqual(seal)
    expect(chainFault(seal, sha256)).toBe(null)
  })

  // The chain as docs/record.md describes it, reckoned by hand beside the code.
  test('its hashes are those of the canonical entries, each behind the one before', () => {
    const { head: h, entries, end } = sealed(some)
    let link = createHash('sha256').update(canonical(h)).digest('hex')
    for (const { entry, hash } of entries) {
      link = createHash('sha256')
        .update(`${link}\n${canonical(entry)}`)
        .digest('hex')
      expect(hash).toBe(link)
    }
    expect(end).toBe(link)
  })

  test('whatever is changed in it is noticed', () => {
    const seal = sealed(some)
    /** All places of a value, as paths. */
    const places = (value: unknown, path: (string | number)[] = []): (string | number)[][] =>
      value !== null && typeof value === 'object'
        ? Object.entries(value).flatMap(([key, held]) => places(held, [...path, key]))
        : [path]
    const chain = { head: seal.head, entries: seal.entries, end: seal.end }
    const all = places(chain)
    fc.assert(
      fc.property(fc.integer({ min: 0, max: all.length - 1 }), (i) => {
        const copy = structuredClone(chain) as unknown as Record<string, unknown>
        const path = all[i]
        let at = copy as Record<string | number, unknown>
        for (const key of path.slice(0, -1)) at = at[key] as Record<string | number, unknown>
        const last = path.at(-1)!
        const was = at[last]
        at[last] = typeof was === 'number' ? was + 1 : typeof was === 'string' ? `${was}x` : was === null ? 'x' : !was
        expect(chainFault({ ...(copy as unknown as typeof chain), pdf: seal.pdf }, sha256)).not.toBe(null)
      }),
      { numRuns: 400 },
    )
  })

  test('entries taken away, added, or put into another order are noticed', () => {
    const seal = sealed(some)
    const without = { ...seal, entries: seal.entries.slice(0, -1) }
    expect(chainFault(without, sha256)).toBe('The record has 7 entries and says that it has 8.')
    const shorter = { ...without, head: { ...seal.head, entries: 7 } }
    expect(chainFault(shorter, sha256)).toMatch(/Entry 1 of 8|Entry 1 of 7/)
    const cut = sealed(some.slice(0, -1))
    expect(chainFault({ ...cut, end: seal.end }, sha256)).toMatch(/does not lead to the end/)
    const turned = [...seal.entries]
    ;[turned[3], turned[4]] = [turned[4], turned[3]]
    expect(chainFault({ ...seal, entries: turned }, sha256)).toBe(
      'Entry 4 of 8 (the letter to Person 1) is not what was sealed: it, or what stands before it, was changed.',
    )
  })

  test('what is no seal is said to be none', () => {
    expect(() => readSeal('%PDF-1.7')).toThrow('This file is not JSON.')
    expect(() => readSeal('[]')).toThrow('not a seal as Hand Post makes it')
    const seal = sealed(some)
    expect(() => readSeal(JSON.stringify({ ...seal, head: { ...seal.head, version: 2 } }))).toThrow('of version 2')
    expect(() => readSeal(JSON.stringify({ ...seal, end: 'no hash' }))).toThrow('at “end”')
    expect(() => readSeal(JSON.stringify({ ...seal, more: 1 }))).toThrow('not a seal')
  })
})

describe('a record beside its archive', () => {
  test('holds: an .mbox file of all that was sent', async () => {
    const found = await check(sealed(some), mboxOf([0, 1, 3]), pdf)
    expect(found).toMatchObject({
      round: 'Permits',
      letters: { sent: 3, found: 3 },
      copies: { sent: 0, found: 0 },
      pdf: 'same',
      faults: [],
      holds: true,
    })
  })

  test('holds: a zip with files, answers and lists, in any order', async () => {
    const archive = zipOf({
      'list.csv': bytes('File'),
      'answers/1.eml': bytes('Message-ID: <other@village.example>\r\n\r\nYes'),
      'files/permit.pdf': bytes('a permit'),
      'files/plan.pdf': bytes('plan'),
      'messages/3.eml': raw(3),
      'messages/1.eml': raw(1),
      'messages/0.eml': raw(0),
    })
    expect(await check(sealed(some), archive)).toMatchObject({
      letters: { sent: 3, found: 3 },
      files: 2,
      answers: 1,
      others: ['list.csv'],
      pdf: 'notGiven',
      holds: true,
    })
  })

  test('holds: copies that are other octets than the letter', async () => {
    const copy = raw(0, 'Without the picture')
    const copies: MessageEntry['copies'] = [
      { address: 'chair@village.example', role: 'cc', state: 'sent', at: null, answer: null, sha256: sha256(copy) },
      {
        address: 'clerk@village.example',
        role: 'bcc',
        state: 'refused',
        at: null,
        answer: null,
        sha256: sha256(raw(9)),
      },
    ]
    const seal = sealed([message(0, { copies })])
    const whole = zipOf({ 'a.eml': raw(0), 'b.eml': copy })
    expect(await check(seal, whole)).toMatchObject({ copies: { sent: 1, found: 1 }, holds: true })
    expect((await check(seal, zipOf({ 'a.eml': raw(0) }))).faults).toEqual([
      'The copy of the letter to Person 0, as those got it who had one, is not in the archive.',
    ])
  })

  test('fails, whichever octet of an .mbox file is changed, taken away or added', async () => {
    const seal = sealed(some)
    const file = mboxOf([0, 1, 3])
    await fc.assert(
      fc.asyncProperty(
        fc.integer({ min: 0, max: file.length - 1 }),
        fc.integer({ min: 1, max: 255 }),
        fc.constantFrom('changed', 'taken', 'added'),
        async (at, by, how) => {
          const other =
            how === 'taken'
              ? Uint8Array.from([...file.subarray(0, at), ...file.subarray(at + 1)])
              : how === 'added'
                ? Uint8Array.from([...file.subarray(0, at), by, ...file.subarray(at)])
                : file.map((octet, i) => (i === at ? octet ^ by : octet))
          const held = await check(seal, other).then(
            ({ holds }) => holds,
            (error) => {
              expect(error).toBeInstanceOf(RecordFault)
              return false
            },
          )
          expect(held).toBe(false)
        },
      ),
      { numRuns: 600 },
    )
  })

  test('fails, whichever octet of a letter or a file in a zip is changed, whether its checksum was mended or not', async () => {
    const seal = sealed(some)
    const parts = { 'a.eml': raw(0), 'b.eml': raw(1), 'c.eml': raw(3), 'files/permit.pdf': bytes('a permit') }
    const names = Object.keys(parts) as (keyof typeof parts)[]
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...names), fc.nat(), fc.integer({ min: 1, max: 255 }), async (name, n, by) => {
        const at = n % parts[name].length
        const changed = parts[name].map((octet, i) => (i === at ? octet ^ by : octet))
        expect((await check(seal, zipOf({ ...parts, [name]: changed }))).holds).toBe(false)
        const whole = zipOf(parts)
        const where = Buffer.from(whole).indexOf(Buffer.from(parts[name])) + at
        whole[where] ^= by
        await expect(check(seal, whole)).rejects.toThrow(RecordFault)
      }),
      { numRuns: 100 },
    )
  })

  test('says what is missing, there twice, or not of it', async () => {
    const seal = sealed(some)
    expect((await check(seal, mboxOf([0, 3]))).faults).toEqual([
      'The letter to Person 1 at person1@village.example is not in the archive.',
    ])
    expect((await check(seal, mboxOf([0, 1, 1, 3]))).faults).toEqual([
      'The letter to Person 1 is in the archive more than once (message 3 of the .mbox file).',
    ])
    expect((await check(seal, mboxOf([0, 1, 3, 4]))).faults).toEqual([
      'message 4 of the .mbox file is no letter of this record.',
    ])
    // A letter that the record says was refused was not sent: it does not belong there.
    expect((await check(seal, mboxOf([0, 1, 2, 3]))).holds).toBe(false)
    expect((await check(seal, mboxOf([0, 1, 3]), bytes('%PDF-1.7 another'))).faults).toEqual([
      'The PDF is not the one that was made with this seal.',
    ])
    const other = zipOf({ 'a.eml': raw(0), 'b.eml': raw(1), 'c.eml': raw(3), 'files/x.pdf': bytes('xxx') })
    expect((await check(seal, other)).faults).toEqual([
      'files/x.pdf is no file that was sent with these letters, or was changed.',
    ])
  })

  test('says of how many letters nothing can be said, and takes them for part of the record', async () => {
    const seal = sealed([message(0), message(1, { sha256: null })])
    expect(await check(seal, mboxOf([0, 1]))).toMatchObject({
      letters: { sent: 1, found: 1 },
      unhashed: 1,
      holds: true,
    })
    expect(await check(seal, mboxOf([0]))).toMatchObject({ unhashed: 1, holds: true })
  })

  test('of very many faults the first are listed, and the others counted', async () => {
    const many = Array.from({ length: 500 }, (_, i) => message(i))
    const found = await check(sealed(many), mboxOf([0]))
    expect(found.faults).toHaveLength(200)
    expect(found.moreFaults).toBe(299)
    expect(found.holds).toBe(false)
  })

  test('what is no archive, or cut off, is said to be', async () => {
    const seal = sealed(some)
    const whole = zipOf({ 'a.eml': raw(0) })
    await expect(check(seal, bytes('%PDF'))).rejects.toThrow('neither an .mbox file nor a zip')
    await expect(check(seal, new Uint8Array(0))).rejects.toThrow('neither an .mbox file nor a zip')
    await expect(check(seal, whole.subarray(0, whole.length - 30))).rejects.toThrow('cannot be read to its end')
  })

  test('a zip that holds more than it says is broken off', async () => {
    // Every entry says how large it is, in its own head and in the directory: one that unpacks to more says it wrongly.
    const bomb = zipSync({ 'a.eml': new Uint8Array(101_000_000) }, { level: 1 })
    await expect(check(sealed(some), bomb)).rejects.toThrow('is larger than 100 MB')
    const view = Buffer.from(bomb)
    for (let at = view.indexOf('PK\x01\x02'); at >= 0; at = view.indexOf('PK\x01\x02', at + 4))
      view.writeUInt32LE(10, at + 24)
    await expect(check(sealed(some), bomb)).rejects.toThrow(RecordFault)
  })
})

describe('events', () => {
  const all: RoundEvent[] = [
    {
      what: 'posted',
      at: 0,
      details: { letters: 58, paper: 1, chasers: 2, accepted: [], read: 3, leftOut: [], byRule: 4 },
    },
    { what: 'toppedUp', at: 0, details: { letters: 1, paper: 0, accepted: [], read: 0 } },
    { what: 'sentToNew', at: 0, details: { person: 'Ada', address: 'ada@quay.example' } },
    { what: 'onceMore', at: 0, details: { people: ['Ada', 'Bo'], more: 3 } },
    { what: 'held', at: 0, details: {} },
    { what: 'heldItself', at: 0, details: { why: '5 of 50 came back.' } },
    { what: 'carriedOn', at: 0, details: {} },
    { what: 'amending', at: 0, details: {} },
    { what: 'amended', at: 0, details: { version: 2, letters: 1, paper: 0, accepted: [], read: 1 } },
    { what: 'gaveUp', at: 0, details: {} },
    { what: 'withdrawn', at: 0, details: { letters: 12, paper: 1 } },
    { what: 'settled', at: 0, details: { went: false, letters: 2, found: 1 } },
    { what: 'paper', at: 0, details: { letters: 4, to: 'printed' } },
    { what: 'record', at: 0, details: { end: null } },
  ]
  test('read as sentences', () => {
    expect(all.map(eventWords)).toEqual([
      'Posted: 58 letters, 1 letter on paper and 2 chasers.',
      'Posted to those who came late to the list: 1 letter.',
      'Posted once more to Ada, whose letter was refused or came back: now to ada@quay.example.',
      'The same letter posted once more to Ada, Bo and 3 more.',
      'Held by the writer.',
      'Held by Hand Post: 5 of 50 came back.',
      'Carried on by the writer.',
      'Opened to be amended; what waits is held.',
      'Amended: 1 letter that waited is of version 2.',
      'The amendment was given up: nothing was changed.',
      'Withdrawn by the writer: 12 letters and 1 letter on paper.',
      '2 letters of which it was not known whether they went: the writer said that they did not; 1 more was found in Sent.',
      '4 letters on paper: printed.',
      'A posting record was made; the round was not finished.',
    ])
  })
})
