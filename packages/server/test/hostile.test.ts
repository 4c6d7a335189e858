import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type CallInput, call, ProblemError, type Route, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { type PracticeMailbox, startPractice } from '../../practice/src/index.ts'
import { answers, letters, lyingZip, models, tables, workbookOf } from './hostile.ts'
import { bare } from './http.ts'
import { endProgram, type Program, programEnv, startProgram, watch } from './program.ts'
import { wholeBoard } from './wholeBoard.ts'
import { office } from './world.ts'

// The whole program, in a process of its own, while each of the hostile inputs is given to it: it goes on answering whether it is there
// (how quickly: bench/hostile.ts), and all its threads together stay under 1.5 GB. The inputs are made before the watch begins.

let folder: string
let practice: PracticeMailbox
let program: Program
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'hand-post-hostile-'))
  // Nobody behind it is put off or away: only what is asked here happens.
  const everybody = [1, 2, 3, 4, 5, 6].flatMap((attempt) =>
    [...answers.map((_, i) => `person${i}`), 'last', 'flo'].map((name) => [`${name}.${attempt}@village.example`, {}]),
  )
  practice = await startPractice({
    folder: join(folder, 'practice'),
    accounts: { [office]: 'practice' },
    manners: Object.fromEntries(everybody),
    lookEvery: 0,
  })
  program = await startProgram(programEnv(folder, practice))
  // Settled before it is watched: threads that are starting take their time.
  await ask(routes.readFile, {
    query: { name: 'first.csv' },
    file: Buffer.from('Name,Email\nAda,ada@village.example\n'),
  })
})
afterAll(async () => {
  await endProgram(program, 'SIGTERM')
  await practice.close()
  await rm(folder, { recursive: true, force: true })
})

/** A test that is tried again writes to other people: the first ones have had their letter, or are known to have bounced. */
let attempt = 0
let lastAsked = 0
const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => {
  lastAsked = performance.now()
  return call(program.address, route, input)
}
const round = async (title: string) => ({ round: (await ask(routes.startRound, { body: { title } })).id })
/** What is said of something that is refused; '' when it is taken. */
const said = (work: Promise<unknown>) =>
  work.then(
    () => '',
    (error) => {
      expect(error).toBeInstanceOf(ProblemError)
      const { status, detail } = (error as ProblemError).problem
      expect(status, detail).toBeGreaterThanOrEqual(400)
      expect(status, detail).toBeLessThan(500)
      return detail
    },
  )

/** Runs work while the program is watched from outside. */
async function watched(work: () => Promise<void>): Promise<void> {
  // Making the inputs may have taken as long as a host keeps a line open that is not used, five seconds: that it was closed is heard
  // before it would be used again.
  const idle = performance.now() - lastAsked
  await new Promise((heard) => setTimeout(heard, idle > 3000 ? Math.max(100, 6500 - idle) : 100))
  const stop = watch(program)
  try {
    await work()
  } finally {
    const { memory, asked, failed } = await stop()
    expect(failed).toBe('')
    expect(asked).toBeGreaterThan(0)
    expect(memory, 'octets of memory').toBeLessThan(1_500_000_000)
  }
  expect(program.child.exitCode).toBeNull()
}

test('tables', async () => {
  const made = tables.map(([name, file, says]) => [name, file(), says] as const)
  await watched(async () => {
    for (const [name, file, says] of made) {
      const words = await said(ask(routes.readFile, { query: { name }, file }))
      if (says === null) expect(words, name).toBe('')
      else expect(words, name).toMatch(says)
    }
  })
})

test('letters', async () => {
  const params = await round('Letters')
  const made = letters.map(([name, file, says]) => [name, file(), says] as const)
  await watched(async () => {
    for (const [name, file, says] of made) {
      const words = await said(ask(routes.bringInLetter, { params, query: { name }, file }))
      if (says === null) expect(words, name).toBe('')
      else expect(words, name).toMatch(says)
    }
    const html = '<'.repeat(2_400_000)
    expect(await said(ask(routes.changeRound, { params, body: { letterHtml: { subject: 'S', html } } }))).toBe('')
  })
})

test('models', async () => {
  const params = await round('Models')
  const made = models.map(([name, file, says]) => [name, file(), says] as const)
  await watched(async () => {
    for (const [name, file, says] of made)
      expect(await said(ask(routes.addModel, { params, query: { name }, file })), name).toMatch(says)
  })
})

test('enclosures: each is examined, and the ones that cannot be are said', async () => {
  const params = await round('Enclosures')
  const made = [...tables, ...letters, ...models].map(([name, file], i) => [`${i}-${name}`, file()] as const)
  await watched(async () => {
    for (const [name, file] of made) await ask(routes.addFile, { params, query: { name, role: 'own' }, file })
    await ask(routes.proof, { params, query: { wait: 'yes' } })
    const { unread, faults } = await ask(routes.enclosures, { params })
    expect(unread).toBe(0)
    expect(faults.map((f) => f.fault)).toEqual(expect.arrayContaining(['broken']))
    // A zip that holds a file whose size lies: that one is left out, and said.
    const { added, leftOut } = await ask(routes.addPacked, {
      params,
      query: { name: 'files.zip', role: 'own' },
      file: lyingZip('permit.txt', Buffer.alloc(5_000_000, 'a'), 1000),
    })
    expect([added, leftOut]).toEqual([0, [{ name: 'permit.txt', why: 'it is damaged' }]])
  })
})

test('ten million brackets, and what is no JSON', async () => {
  const post = (body: string) =>
    bare(program.address, '/api/rounds', { 'content-type': 'application/json' }, 'POST', body)
  await watched(async () => {
    for (const body of [
      '['.repeat(10_000_000),
      `{"a":${'{"a":'.repeat(1_000_000)}`,
      `{"title":"${'\\'.repeat(5_000_001)}`,
    ])
      expect((await post(body)).status).toBe(400)
  })
})

test('answers: each by itself, and what cannot be read is noted', async () => {
  attempt++
  const address = (name: string) => `${name}.${attempt}@village.example`
  const params = await round('Answers')
  const csv = `Name,Email\n${answers.map((_, i) => `Person ${i},${address(`person${i}`)}`).join('\n')}\nLast,${address('last')}\n`
  const { id } = await ask(routes.readFile, { query: { name: 'p.csv' }, file: Buffer.from(csv) })
  const list = await ask(routes.makeList, { body: { reading: id } })
  const body = {
    listId: list.id,
    letterHtml: { subject: 'S', html: '<p>Dear {{Name}}</p>' },
    dispatch: { perMinute: 10_000 },
  }
  await ask(routes.changeRound, { params, body })
  const [mailbox] = await ask(routes.mailboxes)
  await ask(routes.readNow, { params: { mailbox: mailbox.id } })
  await ask(routes.seenUnreadMail, { params: { mailbox: mailbox.id } })
  await ask(routes.post, { params, body: { messages: answers.length + 1 } })
  const sent = async () => (await ask(routes.messages, { params })).filter((m) => m.state === 'sent')
  while ((await sent()).length <= answers.length) await new Promise((done) => setTimeout(done, 500))
  const idOf = async (address: string) => {
    const [mail] = (await practice.store.box(address, 'INBOX')).messages
    return (await simpleParser(await practice.store.read(mail))).messageId!
  }
  const arrive = (raw: Buffer) => practice.store.add(office, 'INBOX', raw, new Date())
  for (const [i, [, mail]] of answers.entries()) await arrive(mail(await idOf(address(`person${i}`))))
  await arrive(Buffer.from(`From: ${address('last')}\r\nIn-Reply-To: ${await idOf(address('last'))}\r\n\r\nYes.`))
  await watched(async () => {
    await ask(routes.readNow, { params: { mailbox: mailbox.id } })
  })
  const { people } = await wholeBoard(ask, params.round)
  for (const [i, [name, , read]] of answers.entries())
    expect(people.find((p) => p.address === address(`person${i}`))!.responses.length > 0, name).toBe(read)
  expect(people.find((p) => p.address === address('last'))!.outcome).toBe('replied')
  const subject = people.flatMap((p) => p.responses).find((r) => r.subject.includes('spy'))!.subject
  expect(subject).toBe('one Bcc: spy@evil.example')
  const [{ unreadMail, readingFault }] = await ask(routes.mailboxes)
  expect(readingFault).toBeNull()
  expect(unreadMail.newest.map((m) => m.sender)).toEqual(
    Array(answers.filter(([, , read]) => !read).length).fill('Ada Penrose <ada@village.example>'),
  )
  // In words for people: nothing of the inside.
  for (const { why } of unreadMail.newest) expect(why).toMatch(/^The message cannot be read: its (parts|headers) /)
  await ask(routes.seenUnreadMail, { params: { mailbox: mailbox.id } })
  expect((await ask(routes.mailboxes))[0].unreadMail.count).toBe(0)
})

test('a flood of one picture, and of a link, by one client: answered, counted, and the board stays short', async () => {
  attempt++
  const flo = `flo.${attempt}@village.example`
  const params = await round('Flood')
  const { id } = await ask(routes.readFile, {
    query: { name: 'p.csv' },
    file: Buffer.from(`Name,Email\nFlo,${flo}\n`),
  })
  const list = await ask(routes.makeList, { body: { reading: id } })
  const html = '<p>Dear {{Name}}, see <a href="https://quay.example/rules">the rules</a></p>'
  await ask(routes.changeRound, {
    params,
    body: { listId: list.id, letterHtml: { subject: 'S', html }, tracking: { opens: true, clicks: true } },
  })
  await ask(routes.post, { params, body: { messages: 1 } })
  let box = await practice.store.box(flo, 'INBOX')
  while (box.messages.length === 0) {
    await new Promise((done) => setTimeout(done, 300))
    box = await practice.store.box(flo, 'INBOX')
  }
  const mail = (await simpleParser(await practice.store.read(box.messages[0]))).html as string
  const picture = /\/p\/[\w.-]+/.exec(mail)![0]
  const link = /\/l\/[\w.-]+/.exec(mail)![0]
  await watched(async () => {
    const before = Date.now()
    for (let i = 0; i < 636; i++) await Promise.all(Array.from({ length: 25 }, () => bare(program.publicUrl, picture)))
    expect((await bare(program.publicUrl, link)).headers.location).toBe('https://quay.example/rules')
    // A head alone is nobody looking.
    for (let i = 0; i < 20; i++) await bare(program.publicUrl, link, {}, 'HEAD')
    const board = await wholeBoard(ask, params.round)
    const { responses } = board.people[0]
    expect(responses.length).toBeLessThan(20)
    const minutes = Math.ceil((Date.now() - before) / 60_000) + 1
    const times = Number(
      /^([\d,]+) times in all/.exec(responses.find((r) => r.kind === 'open')!.words)![1].replace(',', ''),
    )
    // One client is counted for one picture sixty times a minute; it was answered each time.
    expect(times).toBeGreaterThanOrEqual(60)
    expect(times).toBeLessThanOrEqual(60 * minutes)
    expect(responses.filter((r) => r.kind === 'click')).toHaveLength(1)
  })
})

test('it is started anew, and nothing of what was given keeps it from that', async () => {
  const params = await round('Once more')
  await ask(routes.addFile, {
    params,
    query: { name: 'rows.xlsx', role: 'own' },
    file: workbookOf('<sheetData><row r="1999999999"/></sheetData>'),
  })
  await endProgram(program)
  program = await startProgram(programEnv(folder, practice))
  await ask(routes.proof, { params, query: { wait: 'yes' } })
  expect((await ask(routes.enclosures, { params })).unread).toBe(0)
})
