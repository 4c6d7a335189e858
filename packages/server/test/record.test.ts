import { createHash } from 'node:crypto'
import { readdir, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { addressOf, type CallInput, type Route, routes } from '@hand-post/contract'
import { checkRecord, type RecordEntry, readSeal, type Seal } from '@hand-post/core'
import { archiveParts } from '@hand-post/core/archive'
import { unzipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import { mboxReader } from 'mbox-reader'
import Papa from 'papaparse'
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs'
import { afterEach, expect, test } from 'vitest'
import { closeWorld, csv, minute, moveTo, open, openWorld, refusal, settings, states, world } from './lived.ts'
import { office } from './world.ts'

// Archives are read by readers that are not ours: mbox-reader, mailparser, fflate, papaparse; the PDF by pdf.js.

afterEach(closeWorld)
const sha256 = (data: string | Uint8Array) => createHash('sha256').update(data).digest('hex')
const source = (all: Uint8Array) => ({
  size: all.length,
  read: async (from: number, to: number) => all.subarray(from, to),
})

async function bytesOf<R extends Route>(route: R, input: CallInput<R>): Promise<Buffer> {
  const answer = await fetch(`${world.handPost.address}${addressOf(route, input)}`)
  const bytes = Buffer.from(await answer.arrayBuffer())
  if (!answer.ok) throw new Error(`${answer.status} ${bytes}`)
  return bytes
}
const makeArchive = (round: number, as: 'mbox' | 'zip', answers = false) =>
  world.call(routes.makeArchive, { params: { round }, body: { as, answers } })
const archiveOf = async (round: number, as: 'mbox' | 'zip', answers = false) => {
  const { archive, size } = await makeArchive(round, as, answers)
  const bytes = await bytesOf(routes.archive, { params: { archive } })
  expect(bytes.length).toBe(size)
  return bytes
}
const recordOf = (round: number) => world.call(routes.makePostingRecord, { params: { round } })
const sealOf = async (record: number): Promise<Seal> =>
  readSeal((await bytesOf(routes.postingRecordSeal, { params: { record } })).toString())
const check = (seal: Seal, archive: Uint8Array, pdf: Uint8Array | null = null) =>
  checkRecord(seal, archiveParts(source(archive)), { sha256, pdf })
const entries = <K extends RecordEntry['kind']>(seal: Seal, kind: K) =>
  seal.entries.flatMap(({ entry }) => (entry.kind === kind ? [entry as Extract<RecordEntry, { kind: K }>] : []))
/** The words of a PDF, as pdf.js reads them. */
async function wordsOf(pdf: Uint8Array): Promise<string> {
  const document = await getDocument({ data: new Uint8Array(pdf), verbosity: 0 }).promise
  const pages = []
  for (let n = 1; n <= document.numPages; n++) {
    const { items } = await (await document.getPage(n)).getTextContent()
    pages.push(items.map((item) => ('str' in item ? item.str : '')).join(' '))
  }
  return pages.join(' ').replace(/\s+/g, ' ')
}
const post = async (round: number) => {
  const word = await world.call(routes.lastWord, { params: { round } })
  await world.call(routes.post, {
    params: { round },
    body: { messages: word.letters, paper: word.paper.letters, print: word.print },
  })
}
const letter = { subject: 'Your berth, {{Name}}', html: '<p>Dear {{Name}}</p><p>From here on it is yours.</p>' }
const addFile = (round: number, name: string, role: 'common' | 'own', words: string) =>
  world.call(routes.addFile, { params: { round }, query: { name, role }, file: new TextEncoder().encode(words) })

test('a finished round has a sealed record of everything, which its archives bear out', async () => {
  await open(5, '2026-11-12T09:00:00Z')
  const round = await world.round(
    csv(5),
    { ...letter, html: '<p>Dear {{Name}}</p><p>From here on , it is yours.</p>' },
    {
      // Nothing leaves before it is held.
      dispatch: { perMinute: 1000, startAt: world.clock.now() + minute },
      cc: ['chair@village.example'],
      tracking: { opens: true, clicks: false, receipts: false, optOut: false },
    },
  )
  await world.call(routes.setAside, { params: { round: round.id, row: 5 }, body: { reason: 'Moved away' } })
  await addFile(round.id, 'map.txt', 'common', 'Where the berths are.')
  const { findings } = await world.call(routes.proof, { params: { round: round.id } })
  const asks = findings.filter(({ grade }) => grade === 'ask')
  await world.call(routes.accept, {
    params: { round: round.id },
    body: { keys: asks.map(({ key }) => key), reason: 'As agreed with the harbour master' },
  })
  await post(round.id)
  await world.call(routes.hold, { params: { round: round.id } })

  // Nothing of it is sealed before it is done.
  const early = await recordOf(round.id)
  expect(early).toMatchObject({ end: null, letters: 4 })
  expect(await refusal(world.call(routes.postingRecordSeal, { params: { record: early.id } }))).toMatch(/no seal/)
  expect(await wordsOf(await bytesOf(routes.postingRecordPdf, { params: { record: early.id } }))).toContain(
    'This round is not finished, so this record is not sealed. 4 letters are still to leave.',
  )

  await world.call(routes.carryOn, { params: { round: round.id } })
  for (let i = 0; i < 4; i++) await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: 4 })
  const [theirs] = await world.inboxOf('person0@village.example')
  const { messageId } = await simpleParser(theirs)
  await world.arrive({
    from: 'person0@village.example',
    subject: 'Re: Your berth',
    inReplyTo: messageId,
    references: [messageId!],
    text: 'Thank you, I come.',
  })
  const about = await world.call(routes.postingRecords, { params: { round: round.id } })
  expect(about).toMatchObject({ unfinished: [], sent: 4, answers: 1, records: [{ id: early.id, end: null }] })
  const record = await recordOf(round.id)
  expect(record.end).toMatch(/^[0-9a-f]{64}$/)
  const seal = await sealOf(record.id)
  const pdf = await bytesOf(routes.postingRecordPdf, { params: { record: record.id } })

  // What it tells of: who, when, what, with which bytes, which were those that arrived.
  const messages = entries(seal, 'message')
  expect(messages).toHaveLength(4)
  expect(messages[0]).toMatchObject({
    person: 'Person 0',
    row: 2,
    to: 'person0@village.example',
    from: { address: office },
    subject: 'Your berth, Person 0',
    messageId,
    state: 'sent',
    files: [{ name: 'map.txt', sha256: sha256('Where the berths are.') }],
    copies: [{ address: 'chair@village.example', role: 'cc', state: 'sent' }],
    came: [{ what: 'reply' }],
  })
  const filed = await world.sent()
  for (const one of messages) {
    const own = (await Promise.all(filed.map((raw) => simpleParser(raw)))).findIndex(
      (m) => m.messageId === one.messageId,
    )
    expect(sha256(filed[own])).toBe(one.sha256)
    expect(Date.parse(one.at!) / 1000).toBeCloseTo((await simpleParser(filed[own])).date!.getTime() / 1000, -1)
  }
  expect(entries(seal, 'event').map(({ what }) => what)).toEqual(['posted', 'held', 'record', 'carriedOn'])
  expect(entries(seal, 'leftOut')).toEqual([
    {
      kind: 'leftOut',
      row: 6,
      person: 'Person 4',
      address: 'person4@village.example',
      why: 'Set aside by the writer: Moved away',
    },
  ])
  expect(entries(seal, 'version')).toMatchObject([
    {
      number: 1,
      subject: 'Your berth, {{Name}}',
      files: [{ name: 'map.txt', sha256: sha256('Where the berths are.') }],
    },
  ])
  expect(entries(seal, 'version')[0].words).toContain('Dear {{Name}}')
  const words = await wordsOf(pdf)
  for (const told of [
    'Posting record',
    'Times are of Europe/ London',
    '4 letters of 4',
    'Posted: 4 letters.',
    'Held by the writer.',
    'Doubled space or stray character:',
    'Reason: As agreed with the harbour master',
    'Row 6: Person 4 <person4@village.example>. Set aside by the writer: Moved away',
    '1. Person 0 <person0@village.example>, row 2',
    `The whole message, SHA-256 ${messages[0].sha256}`,
    `map.txt, 21 bytes, SHA-256 ${sha256('Where the berths are.')}`,
    'Enclosed: map.txt, as above',
    'Cc to chair@village.example: sent',
    ': answered',
    record.end!,
  ])
    expect(words).toContain(told)
  expect(words).not.toContain('Thank you, I come')

  // Its archives bear it out, as other programs read them.
  const mbox = await archiveOf(round.id, 'mbox')
  const read = []
  for await (const one of mboxReader(Readable.from([mbox]))) read.push(one)
  // Each letter, and its copy, which has no picture in it.
  expect(read).toHaveLength(8)
  expect(read[0]).toMatchObject({ returnPath: office })
  expect((await simpleParser(read[0].content)).subject).toBe('Your berth, Person 0')
  expect(await check(seal, mbox, pdf)).toMatchObject({
    letters: { sent: 4, found: 4 },
    copies: { sent: 4, found: 4 },
    pdf: 'same',
    faults: [],
    holds: true,
  })

  const zip = await archiveOf(round.id, 'zip', true)
  const parts = unzipSync(zip)
  const answer = await simpleParser(Buffer.from(parts['answers/00001 Person 0.eml']))
  expect(answer.text).toContain('Thank you, I come.')
  expect(Buffer.from(parts['files/map.txt']).toString()).toBe('Where the berths are.')
  expect(sha256(parts['messages/00001 Person 0.eml'])).toBe(messages[0].sha256)
  expect(readSeal(Buffer.from(parts['record.json']).toString()).end).toBe(record.end)
  const list = Papa.parse<Record<string, string>>(Buffer.from(parts['list.csv']).toString(), {
    header: true,
    skipEmptyLines: true,
  }).data
  expect(list.filter(({ File }) => File)).toHaveLength(8)
  for (const line of list.filter(({ File }) => File)) expect(sha256(parts[line.File])).toBe(line['SHA-256'])
  expect(await check(seal, zip)).toMatchObject({ letters: { sent: 4, found: 4 }, files: 1, answers: 1, holds: true })

  // One octet changed, and it does not hold any more.
  const at = mbox.indexOf('it is yours')
  const changed = Buffer.from(mbox)
  changed[at] ^= 1
  expect((await check(seal, changed)).faults).toEqual([
    'The letter to Person 0 is not the one that was sent: its bytes were changed (message 1 of the .mbox file).',
    'The letter to Person 0 at person0@village.example is not in the archive.',
  ])
})

test('chasers, amended letters, withdrawn ones and answers from here stand in the record of their round', async () => {
  await open(4, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(4), letter, { dispatch: { perMinute: 1 } })
  await world.call(routes.addChaser, { params: { round: round.id } })
  await post(round.id)
  await moveTo(world.clock.now() + 1000)
  expect((await states(round.id)).sent).toBe(1)
  await world.call(routes.beginAmending, { params: { round: round.id } })
  await world.call(routes.changeRound, {
    params: { round: round.id },
    body: { letterHtml: { subject: 'Your berth, {{Name}}: corrected', html: letter.html } },
  })
  const amendment = await world.call(routes.amendment, { params: { round: round.id } })
  await world.call(routes.postAmendment, {
    params: { round: round.id },
    body: { letters: amendment.letters, print: amendment.print },
  })
  const waiting = await world.call(routes.messages, { params: { round: round.id } })
  await world.call(routes.withdrawSome, {
    params: { round: round.id },
    body: { letters: [waiting.findLast(({ state }) => state === 'waiting')!.id] },
  })
  for (let i = 0; i < 4; i++) await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: 3, withdrawn: 1 })
  expect((await world.call(routes.postingRecords, { params: { round: round.id } })).unfinished).toEqual([
    expect.stringMatching(/letters? (is|are) still to leave/),
  ])
  for (let i = 0; i < 12; i++) await moveTo(world.clock.now() + 24 * 60 * minute)
  for (let i = 0; i < 30; i++) await moveTo(world.clock.now() + 10_000)
  expect((await world.call(routes.postingRecords, { params: { round: round.id } })).unfinished).toEqual([])
  const seal = await sealOf((await recordOf(round.id)).id)
  expect(entries(seal, 'version').map(({ round: title, number }) => [title, number])).toEqual([
    ['A round', 1],
    ['A round', 2],
    ['A round: chaser', 1],
  ])
  expect(entries(seal, 'version')[1].subject).toBe('Your berth, {{Name}}: corrected')
  expect(entries(seal, 'event').map(({ words }) => words)).toEqual([
    'Posted: 4 letters.',
    'Posted: 4 letters and 1 chaser.',
    'Opened to be amended; what waits is held.',
    'Amended: 3 letters that waited are of version 2.',
    'Withdrawn by the writer: 1 letter.',
  ])
  // Each person's letters stand together; what was withdrawn has no bytes.
  const messages = entries(seal, 'message')
  expect(messages.map(({ row, round: title, version, state }) => [row, title === 'A round', version, state])).toEqual([
    [2, true, 1, 'sent'],
    [2, false, 1, 'sent'],
    [3, true, 2, 'sent'],
    [3, false, 1, 'sent'],
    [4, true, 2, 'sent'],
    [4, false, 1, 'sent'],
    [5, true, 2, 'withdrawn'],
    [5, false, 1, 'setAside'],
  ])
  expect(messages.map(({ sha256: hash }) => hash !== null)).toEqual([true, true, true, true, true, true, false, false])
  const mbox = await archiveOf(round.id, 'mbox')
  expect(await check(seal, mbox)).toMatchObject({ letters: { sent: 6, found: 6 }, holds: true })
  const [chaser] = (await world.call(routes.round, { params: { round: round.id } })).chasers
  expect(await refusal(recordOf(chaser.id))).toMatch(/is a chaser: it stands in the record/)
})

test('letters of before the hash was written down are made anew for it', async () => {
  await open(2, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(2), letter, { dispatch: { perMinute: 1000 } })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  const { db } = world.handPost.parts
  const kept = await db.query<{ hash: string }>('SELECT sent_hash AS hash FROM messages ORDER BY id')
  await db.query('UPDATE messages SET sent_hash = NULL')
  const seal = await sealOf((await recordOf(round.id)).id)
  expect(entries(seal, 'message').map((one) => one.sha256)).toEqual(kept.map(({ hash }) => hash))
})

test('what cannot be archived as it was sent is said, and nothing is made up', async () => {
  await open(2, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(2), letter, { dispatch: { perMinute: 1000 } })
  expect(await refusal(recordOf(round.id))).toMatch(/is not posted yet/)
  expect(await refusal(makeArchive(round.id, 'zip'))).toMatch(/is not posted yet/)
  await addFile(round.id, 'map.txt', 'common', 'Where the berths are.')
  await post(round.id)
  expect(await refusal(makeArchive(round.id, 'zip'))).toMatch(/No letter of this round has gone/)
  await moveTo(world.clock.now() + minute)
  expect(await states(round.id)).toMatchObject({ sent: 2 })
  const record = await recordOf(round.id)

  const { files } = world.handPost.parts
  const lies = files.path(sha256('Where the berths are.'))
  await writeFile(lies, 'Where the berths were')
  expect(await refusal(makeArchive(round.id, 'mbox'))).toMatch(
    /The letter to Person 0 cannot be put into an \.mbox file as it was sent\. It cannot be made any more: .* Take the zip instead/,
  )
  const parts = unzipSync(await archiveOf(round.id, 'zip'))
  const list = Papa.parse<Record<string, string>>(Buffer.from(parts['list.csv']).toString(), {
    header: true,
    skipEmptyLines: true,
  }).data
  expect(list.map((line) => line['To be known'])).toEqual([
    expect.stringMatching(/^It cannot be made any more: /),
    expect.stringMatching(/^It cannot be made any more: /),
    'This file is not on the disk any more as it was sent.',
  ])
  expect(Object.keys(parts).sort()).toEqual(['list.csv', 'record.json', 'record.pdf'])
  await writeFile(lies, 'Where the berths are.')

  // A letter that could be made anew only with other bytes is not passed off as the one that was sent.
  await world.handPost.parts.db.query(`UPDATE messages SET sent_hash = repeat('0', 64) WHERE person = 'Person 1'`)
  const after = unzipSync(await archiveOf(round.id, 'zip'))
  const lines = Papa.parse<Record<string, string>>(Buffer.from(after['list.csv']).toString(), {
    header: true,
    skipEmptyLines: true,
  }).data
  expect(lines.map((line) => line['To be known'])).toEqual(['', expect.stringMatching(/only with other bytes/)])

  await rm(files.path((await world.handPost.parts.db.query<{ pdf: string }>('SELECT pdf FROM posting_records'))[0].pdf))
  expect(await refusal(world.call(routes.postingRecordPdf, { params: { record: record.id } }))).toMatch(
    /not on the disk any more/,
  )
  // Nothing of what was being made is left behind.
  const left = await readdir(join(world.folder, 'data', 'readings'))
  expect(left.filter((name) => name.startsWith('archive-'))).toHaveLength(2)
  // Of several the latest are kept, and one that is not is said not to be.
  const first = await makeArchive(round.id, 'zip')
  for (let i = 0; i < 3; i++) await makeArchive(round.id, 'zip')
  expect(await refusal(world.call(routes.archive, { params: { archive: first.archive } }))).toMatch(/not kept any more/)
})

test('answers that do not lie in the mailbox any more are archived as the words that were kept', async () => {
  await open(1, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(1), letter, { dispatch: { perMinute: 1000 } })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  const { messageId } = await simpleParser((await world.inboxOf('person0@village.example'))[0])
  await world.arrive({
    from: 'person0@village.example',
    subject: 'Re: Berth',
    inReplyTo: messageId,
    text: 'I come, thank you.',
  })
  const box = await world.practice.store.box(office, 'INBOX')
  for (const one of [...box.messages]) box.messages.splice(box.messages.indexOf(one), 1)
  const parts = unzipSync(await archiveOf(round.id, 'zip', true))
  expect(Buffer.from(parts['answers/00001 Person 0.txt']).toString()).toContain('I come, thank you.')
  expect(Buffer.from(parts['answers.csv']).toString()).toContain('It does not lie in the mailbox any more')
  const [mailbox] = await world.call(routes.mailboxes)
  await settings({ password: 'practice', imap: { ...mailbox.imap!, port: 9 } })
  expect(await refusal(makeArchive(round.id, 'zip', true))).toMatch(
    /The answers could not be fetched from the mailbox: .* Try again, or make the archive without them\./,
  )
})

test('what was noted of a round is not changed', async () => {
  await open(1, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(1), letter, { dispatch: { perMinute: 1000 } })
  await post(round.id)
  await expect(
    world.handPost.parts.db.query('UPDATE round_events SET at = 0 WHERE round_id = $1', [round.id]),
  ).rejects.toThrow('is not changed')
})

test('an ended round counts and reads nothing more, heeds whoever opts out, and can be opened again', async () => {
  await open(3, '2026-11-12T09:00:00Z')
  const round = await world.round(csv(3), letter, {
    dispatch: { perMinute: 1000 },
    tracking: { opens: true, clicks: false, receipts: false, optOut: true },
  })
  await world.call(routes.addChaser, { params: { round: round.id } })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  const end = (ended: boolean) => world.call(routes.endRound, { params: { round: round.id }, body: { ended } })
  expect(await refusal(end(true))).toMatch(/is not finished\. 3 letters are still to leave\. .* Nothing was ended\./)
  const [{ id: chaser }] = (await world.call(routes.round, { params: { round: round.id } })).chasers
  await world.call(routes.withdraw, { params: { round: chaser } })
  await end(true)
  await end(true)
  expect((await world.call(routes.round, { params: { round: round.id } })).endedAt).toBe(world.clock.now())

  const mails = await Promise.all(
    [0, 1, 2].map(async (i) =>
      simpleParser((await world.inboxOf(`person${i}@village.example`))[0], { skipImageLinks: true }),
    ),
  )
  const answer = (i: number, text: string) =>
    world.arrive({ from: `person${i}@village.example`, subject: 'Re: x', inReplyTo: mails[i].messageId, text })
  const fetched = async (i: number) => {
    const picture = /<img[^>]+src="(http[^"]+\/p\/[^"]+)"/.exec(mails[i].html as string)![1]
    expect((await fetch(picture)).status).toBe(200)
    await world.handPost.parts.fetches.flush()
  }
  world.clock.move(60 * minute)
  await answer(0, 'I come.')
  await fetched(0)
  expect((await world.board(round.id)).counts).toMatchObject({ replied: 0, opened: 0 })
  expect((await world.call(routes.inTray)).counts.open).toBe(0)
  const optOut = /https?:[^\s<>"]+\/o\/[^\s<>"]+/.exec(mails[2].text!)![0]
  expect((await fetch(optOut, { method: 'POST' })).status).toBe(200)
  expect((await world.call(routes.doNotWrite)).map(({ address }) => address)).toEqual(['person2@village.example'])
  expect(await refusal(world.call(routes.addChaser, { params: { round: round.id } }))).toMatch(
    /is ended: .* Open it again/,
  )
  expect(
    await refusal(
      world.call(routes.sendOnceMore, { params: { round: round.id }, body: { rows: [{ row: 1, hadTimes: 1 }] } }),
    ),
  ).toMatch(/is ended/)

  await end(false)
  await answer(1, 'I come, too.')
  // What is in the in-tray is not answered into an ended round, either.
  await end(true)
  const [entry] = (await world.call(routes.inTray)).lines
  expect(
    await refusal(
      world.call(routes.sendAnswer, {
        params: { response: entry.id },
        body: {
          askedAs: 'a'.repeat(22),
          words: 'Thank you.',
          quote: false,
          files: [],
        },
      }),
    ),
  ).toMatch(/is ended/)
  await end(false)
  await fetched(1)
  expect((await world.board(round.id)).counts).toMatchObject({ replied: 1, opened: 1, optedOut: 1 })
  const seal = await sealOf((await recordOf(round.id)).id)
  expect(entries(seal, 'event').map(({ what }) => what)).toEqual([
    'posted',
    'posted',
    'withdrawn',
    'ended',
    'reopened',
    'ended',
    'reopened',
  ])
})

test('a round like another: its letter with other days, list, rules and common files, and nothing of its people', async () => {
  await open(3, '2026-11-12T09:00:00Z')
  const round = await world.round(
    csv(3),
    { subject: 'Berths of 2027, {{Name}}', html: '<p>Dear {{Name}}</p><p>Please pay by 31 January 2027.</p>' },
    { dispatch: { perMinute: 7, startAt: world.clock.now() + minute }, title: 'Berths 2027' },
  )
  await addFile(round.id, 'map.txt', 'common', 'Where the berths are.')
  await addFile(round.id, 'person0.txt', 'own', 'For person 0')
  await world.call(routes.setAside, { params: { round: round.id, row: 3 }, body: { reason: 'Away' } })
  const offered = await world.call(routes.nextTime, { params: { round: round.id } })
  expect(offered).toEqual({
    title: 'Berths 2028',
    list: 'people',
    days: [
      { words: '2027', day: null, next: '2028' },
      { words: '31 January 2027', day: '2027-01-31', next: '31 January 2028' },
    ],
    people: null,
  })
  const { round: id } = await world.call(routes.beginNextTime, {
    params: { round: round.id },
    body: { title: offered.title, days: offered.days.map(({ words, next }) => ({ words, to: next })) },
  })
  const next = await world.call(routes.round, { params: { round: id } })
  expect(next).toMatchObject({
    title: 'Berths 2028',
    letter: { subject: 'Berths of 2028, {{Name}}' },
    list: { id: round.list!.id },
    dispatch: { perMinute: 7, startAt: null },
    files: [{ name: 'map.txt', role: 'common' }],
    setAside: [],
    postedAt: null,
    counts: { round: 3 },
  })
  expect(JSON.stringify(next.letter)).toContain('31 January 2028')
  expect(JSON.stringify((await world.call(routes.round, { params: { round: round.id } })).letter)).toContain(
    '31 January 2027',
  )
})

test('the next time is for people by what came of this one: by columns that the list then has, each once', async () => {
  await openWorld({
    manners: Object.fromEntries(
      [0, 1, 2, 3, 4, 5].map((i) => [`person${i}@village.example`, i === 5 ? { refused: true } : {}]),
    ),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  await settings({ timeZone: 'Europe/London' })
  const round = await world.round(csv(6), letter, { dispatch: { perMinute: 1000, brake: null }, title: 'Berths 2027' })
  await world.call(routes.setOutcomeWords, { params: { round: round.id }, body: { words: ['coming'] } })
  // One of them was not written to.
  await world.call(routes.setAside, { params: { round: round.id, row: 5 }, body: { reason: 'Away' } })
  await post(round.id)
  await moveTo(world.clock.now() + minute)
  for (const i of [0, 1]) {
    const { messageId } = await simpleParser((await world.inboxOf(`person${i}@village.example`))[0])
    await world.arrive({ from: `person${i}@village.example`, subject: 'Re: x', inReplyTo: messageId, text: 'Yes.' })
  }
  await world.call(routes.giveWords, { params: { round: round.id }, body: { given: [{ row: 2, word: 'coming' }] } })
  const { people } = await world.call(routes.nextTime, { params: { round: round.id } })
  expect(people).toEqual({
    answered: 2,
    notAnswered: 3,
    notReached: 1,
    words: [{ word: 'coming', people: 1 }],
    choices: [],
  })
  /** Begins the next round for some, posts it, and gives who has a letter in it. */
  const begun = async (people: NonNullable<CallInput<typeof routes.beginNextTime>['body']>['people']) => {
    const { round: id } = await world.call(routes.beginNextTime, {
      params: { round: round.id },
      body: { title: 'Next', days: [], people },
    })
    const { findings } = await world.call(routes.proof, { params: { round: id }, query: { wait: 'yes' } })
    const keys = findings.flatMap(({ grade, key }) => (grade === 'ask' ? key : []))
    if (keys.length > 0)
      await world.call(routes.accept, { params: { round: id }, body: { keys, reason: 'As it shall be' } })
    await post(id)
    const { lines } = await world.call(routes.messageLines, { params: { round: id }, query: {} })
    return lines.map(({ person }) => person)
  }
  const names = (...some: number[]) => some.map((i) => `Person ${i}`)
  expect(await begun({ who: 'everybody', reached: false })).toEqual(names(0, 1, 2, 3, 4, 5))
  expect((await world.call(routes.list, { params: { list: round.list!.id } })).columns).toHaveLength(2)
  expect(await begun({ who: 'answered', reached: false })).toEqual(names(0, 1))
  expect(await begun({ who: 'notAnswered', reached: false })).toEqual(names(2, 3, 5))
  expect(await begun({ who: 'notAnswered', reached: true })).toEqual(names(2, 3))
  expect(await begun({ who: 'everybody', reached: true })).toEqual(names(0, 1, 2, 3, 4))
  expect(await begun({ who: 'word', word: 'coming', reached: false })).toEqual(names(1))
  const { columns } = await world.call(routes.list, { params: { list: round.list!.id } })
  expect(columns.slice(2).map(({ name }) => name)).toEqual([
    'Berths 2027: answered',
    'Berths 2027: outcome',
    'Berths 2027: word',
  ])
  expect(
    await refusal(
      world.call(routes.beginNextTime, {
        params: { round: round.id },
        body: { title: 'Next', days: [], people: { who: 'word', reached: false } },
      }),
    ),
  ).toMatch(/Say which/)
})
