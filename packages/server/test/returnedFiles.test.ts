import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { routes, addressOf as urlOf } from '@hand-post/contract'
import { unzipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { largestFetched } from '../src/responses/fetchReturned.ts'
import { tinyPdf } from './tinyPdf.ts'
import { composed, hour, minute, office, World } from './world.ts'

// Files that came back with answers, from messages put together by a library that is not ours (nodemailer), over a real port.

const names = ['Ada', 'Bram', 'Cy', 'Dot', 'Eve', 'Fay', 'Gus']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
const rules = tinyPdf('Rules of the harbour')
const form = tinyPdf('A signed form')
const png = (octets: number) =>
  Buffer.concat([Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex'), Buffer.alloc(octets)])
let world: World
let round: number
const letters = new Map<string, string>()
beforeAll(async () => {
  world = await World.open({
    manners: Object.fromEntries(names.map((name) => [addressOf(name), {}])),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  const csv = [
    'Name,Email,Berth',
    ...names.map((name, i) => `${name},${addressOf(name)},${name === 'Eve' ? '' : `B${i}`}`),
  ]
  const letter = { subject: 'Your form, {{Name}}', html: '<p>Dear {{Name}}, please send the form back.</p>' }
  round = (await world.round(csv.join('\n'), letter, { dispatch: { perMinute: 60, brake: null } })).id
  const params = { round }
  await world.call(routes.addFile, { params, query: { name: 'rules.pdf', role: 'common' }, file: rules })
  const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  if (asks.length > 0) await world.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: names.length } })
  await world.pass(minute, 10)
  for (const name of names)
    letters.set(name, (await simpleParser((await world.inboxOf(addressOf(name))).at(-1)!)).messageId!)
}, 60_000)
afterAll(() => world.close())

const answer = (name: string, more: object = {}) => ({
  from: addressOf(name),
  to: office,
  subject: `Re: Your form, ${name}`,
  text: 'Here it is.',
  inReplyTo: letters.get(name),
  ...more,
})
const lineOf = async (name: string) =>
  (await world.call(routes.inTray)).lines.find((line) => line.person === name && line.roundId === round)!
const entryOf = async (name: string) => world.call(routes.trayEntry, { params: { response: (await lineOf(name)).id } })
const kept = (pattern = '') => world.call(routes.returnedFiles, { params: { round }, query: { pattern } })
const zip = async (pattern = '') => {
  const answer = await fetch(
    `${world.handPost.address}${urlOf(routes.returnedZip, { params: { round }, query: { pattern } })}`,
  )
  return { answer, files: answer.ok ? unzipSync(new Uint8Array(await answer.arrayBuffer())) : {} }
}

test('before anything came back there is nothing to keep, and this is said', async () => {
  expect(await kept()).toMatchObject({ files: [], count: 0, toFetch: 0 })
  const { answer } = await zip()
  expect(answer.status).toBe(409)
  expect(await answer.json()).toMatchObject({ detail: 'No files came back yet that could be kept.' })
})
test('what somebody sends back is kept, examined and shown; a logo is none, and our own file is told apart', async () => {
  await world.arrive(
    answer('Ada', {
      html: '<p>Here it is.<img src="cid:logo"></p>',
      attachments: [
        { filename: 'scan 01.pdf', content: form },
        { filename: 'photo.png', content: png(50_000) },
        { filename: 'rules.pdf', content: rules },
        { filename: 'logo.png', content: png(900), cid: 'logo' },
      ],
    }),
  )
  expect((await lineOf('Ada')).files).toBe(3)
  const entry = await entryOf('Ada')
  expect(entry.fetching).toBe(false)
  expect(entry.returned.map((f) => [f.name, f.type, f.size, f.ours, f.examined, f.fault?.fault ?? null])).toEqual([
    ['scan 01.pdf', 'application/pdf', form.length, false, true, null],
    ['photo.png', 'image/png', 50_016, false, true, null],
    ['rules.pdf', 'application/pdf', rules.length, true, true, null],
  ])
  const [first] = entry.returned
  const content = await fetch(`${world.handPost.address}${urlOf(routes.returnedFile, { params: { file: first.id } })}`)
  expect(Buffer.from(await content.arrayBuffer())).toEqual(form)
  // Whatever it is, nothing in it runs.
  expect(content.headers.get('content-security-policy')).toBe("sandbox; default-src 'none'")
})
test('a program and a document with macros are named as such; the program is kept out of the zip', async () => {
  const exe = Buffer.concat([Buffer.from('MZ'), Buffer.alloc(200), Buffer.from('PE\0\0'), Buffer.alloc(200)])
  await world.arrive(
    answer('Bram', {
      attachments: [
        { filename: 'form.pdf.exe', content: exe },
        { filename: 'letter.docm', content: Buffer.from('not really one') },
        { filename: 'page.html', content: '<script>alert(1)</script>' },
      ],
    }),
  )
  const { returned } = await entryOf('Bram')
  expect(returned.map((f) => f.fault?.fault ?? null)).toEqual(['executable', 'macros', null])
  const page = await fetch(
    `${world.handPost.address}${urlOf(routes.returnedFile, { params: { file: returned[2].id } })}`,
  )
  expect(page.headers.get('content-type')).toBe('application/octet-stream')
  expect(page.headers.get('content-disposition')).toMatch(/^attachment/)
  const { files } = await zip()
  expect(Object.keys(files).sort()).toEqual(['letter.docm', 'page.html', 'photo.png', 'scan 01.pdf'])
})
test('kept together by a pattern of the list’s fields; whoever has a blank there keeps the name it came with', async () => {
  await world.arrive(answer('Eve', { attachments: [{ filename: 'eve.pdf', content: form }] }))
  const { files, unknown } = await kept('{{Berth}} {{Name}}')
  expect(unknown).toEqual([])
  expect(files.map((f) => [f.person, f.name, f.keptAs])).toEqual([
    ['Ada', 'scan 01.pdf', 'B0 Ada.pdf'],
    ['Ada', 'photo.png', 'B0 Ada.png'],
    ['Ada', 'rules.pdf', null],
    ['Bram', 'form.pdf.exe', null],
    ['Bram', 'letter.docm', 'B1 Bram.docm'],
    ['Bram', 'page.html', 'B1 Bram.html'],
    ['Eve', 'eve.pdf', 'eve.pdf'],
  ])
  const packed = (await zip('{{Berth}} {{Name}}')).files
  expect(Object.keys(packed).sort()).toEqual(files.flatMap((f) => f.keptAs ?? []).sort())
  expect(Buffer.from(packed['B0 Ada.pdf'])).toEqual(form)
  expect((await kept('{{Quay}}')).unknown).toEqual(['Quay'])
})
test('the board knows who has sent a file, and who has not; the person’s letters have them', async () => {
  const board = await world.board(round)
  expect(board.counts.files).toBe(3)
  const who = async (pick: 'files' | 'noFiles') =>
    (await world.call(routes.boardLines, { params: { round }, query: { pick } })).lines.map((l) => l.person)
  expect(await who('files')).toEqual(['Ada', 'Bram', 'Eve'])
  expect(await who('noFiles')).toEqual(['Cy', 'Dot', 'Fay', 'Gus'])
  const ada = board.people.find((p) => p.person === 'Ada')!
  expect(ada.returned.map((f) => f.name)).toEqual(['scan 01.pdf', 'photo.png', 'rules.pdf'])
  const { rounds } = await world.call(routes.person, { query: { address: addressOf('Ada') } })
  expect(rounds[0].returned.map((f) => f.name)).toEqual(['scan 01.pdf', 'photo.png', 'rules.pdf'])
})
test('forty megabytes are fetched whole; more than is fetched is said with what to do; the answers themselves are there', async () => {
  const large = Buffer.alloc(29_000_000, 'quay ')
  await world.arrive(answer('Cy', { attachments: [{ filename: 'plans.txt', content: large }] }))
  const { returned, newText } = await entryOf('Cy')
  expect([newText, returned.map((f) => [f.name, f.size, f.why])]).toEqual([
    'Here it is.',
    [['plans.txt', large.length, null]],
  ])
  const bytes = await composed(
    answer('Dot', { attachments: [{ filename: 'more.txt', content: Buffer.alloc(largestFetched) }] }),
  )
  await world.arrive(bytes)
  const dot = await entryOf('Dot')
  expect(dot.newText).toBe('Here it is.')
  expect(dot.returned).toHaveLength(1)
  expect(dot.returned[0]).toMatchObject({
    hash: null,
    why: expect.stringMatching(/^The answer is 68\.4 MB large; .* Save them/),
  })
  // Who has sent one that could not be kept has not sent one, as far as is known.
  expect((await world.board(round)).counts.files).toBe(4)
  // Nothing of the messages themselves is left lying.
  const left = (await readdir(join(world.folder, 'data', 'files'))).filter((name) => name.startsWith('incoming'))
  expect(left).toEqual([])
}, 60_000)
test('a message that is broken off gives what it has, and one without an end too', async () => {
  const whole = await composed(
    answer('Fay', { attachments: [{ filename: 'form.pdf', content: Buffer.alloc(5000, 'x') }] }),
  )
  await world.arrive(whole.subarray(0, whole.length - 3000))
  const { returned } = await entryOf('Fay')
  expect(returned.map((f) => f.name)).toEqual(['form.pdf'])
  expect(returned[0].size).toBeGreaterThan(1000)
  expect(returned[0].size).toBeLessThan(5000)
})

describe('what cannot be fetched now', () => {
  let gus = 0
  const wanted = async (changes: string) => {
    const { db } = world.handPost.parts
    const id = gus
    await db.query('DELETE FROM returned_files WHERE response_id = $1', [id])
    await db.query(
      `INSERT INTO files_to_fetch (response_id, mailbox_id, path, uid_validity, uid, size)
       SELECT $1, m.mailbox_id, 'INBOX', (SELECT uid_validity FROM read_folders WHERE path = 'INBOX'), 1, 100 FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = $1`,
      [id],
    )
    await db.query(`UPDATE files_to_fetch SET ${changes} WHERE response_id = $1`, [id])
    await world.handPost.parts.inbox.readAll()
    return (await entryOf('Gus')).returned
  }
  test('is fetched at the next start: nothing is lost when the program ends between the answer and its files', async () => {
    // As if it had ended there: the answer is written down, its files are not.
    const { inbox, db } = world.handPost.parts
    const fetchFiles = inbox.fetchFiles
    inbox.fetchFiles = () => Promise.resolve()
    await world.arrive(answer('Gus', { attachments: [{ filename: 'late.pdf', content: form }] }))
    expect(await entryOf('Gus')).toMatchObject({ returned: [], fetching: true })
    expect((await kept()).toFetch).toBe(1)
    inbox.fetchFiles = fetchFiles
    expect(await db.query('SELECT tries FROM files_to_fetch')).toEqual([{ tries: 0 }])
    await world.restart()
    await world.handPost.parts.inbox.readAll()
    const entry = await entryOf('Gus')
    expect(entry.returned.map((f) => [f.name, f.examined])).toEqual([['late.pdf', true]])
    // As if it had ended before they were examined.
    const { hash } = entry.returned[0]
    await world.handPost.parts.db.query('DELETE FROM file_facts WHERE hash = $1', [hash])
    expect((await entryOf('Gus')).returned[0].examined).toBe(false)
    await world.handPost.parts.inbox.readAll()
    expect((await entryOf('Gus')).returned[0].examined).toBe(true)
    gus = entry.id
  })
  test('and lies elsewhere by then, is said', async () => {
    const gone = [
      { hash: null, why: expect.stringContaining('does not lie in the mailbox any more where it was found') },
    ]
    expect(await wanted('uid = 99999')).toMatchObject(gone)
    expect(await wanted('uid_validity = 1')).toMatchObject(gone)
    expect((await kept()).toFetch).toBe(0)
  })
  test('because the folder is gone: it is tried again, and after that it is said', async () => {
    expect(await wanted(`path = 'Nowhere'`)).toEqual([])
    expect((await entryOf('Gus')).fetching).toBe(true)
    await world.handPost.parts.inbox.readAll()
    await world.handPost.parts.inbox.readAll()
    const { returned, fetching } = await entryOf('Gus')
    expect(fetching).toBe(false)
    expect(returned).toMatchObject([{ hash: null, why: expect.stringContaining('They could not be fetched:') }])
  })
})
test('of mail that is no answer, by the writer’s word, its files are forgotten with its words', async () => {
  await world.arrive({
    from: 'stranger@far.example',
    to: office,
    subject: 'Re: Your form, Ada',
    text: 'See the attached.',
    attachments: [{ filename: 'offer.pdf', content: form }],
  })
  const line = (await world.call(routes.inTray)).lines.find((one) => one.from.includes('stranger'))!
  expect([line.of, line.files]).toEqual(['perhaps', 1])
  // It counts for nobody, and is not kept with theirs.
  expect((await kept()).files.map((f) => f.name)).not.toContain('offer.pdf')
  await world.call(routes.whose, { params: { response: line.id }, body: { of: 'no' } })
  world.clock.move(25 * hour)
  await world.handPost.parts.inbox.forget()
  const { db } = world.handPost.parts
  expect(await db.query(`SELECT 1 FROM returned_files WHERE name = 'offer.pdf'`)).toEqual([])
})
