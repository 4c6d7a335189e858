import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, rmSync, statfsSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type CallInput, call, mailboxSettingsSchema, ProblemError, type Route, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterEach, expect, test } from 'vitest'
import { startPractice } from '../../practice/src/index.ts'
import { bare } from './http.ts'
import { endProgram, type Program, programEnv, startProgram } from './program.ts'
import { giveDatabase } from './template.ts'
import { hour, minute, office, peopleCsv, World } from './world.ts'

const plain = (n: number) =>
  peopleCsv(n)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
/** People who take what comes, and do nothing else. */
const takers = (n: number) => ({
  manners: Object.fromEntries(Array.from({ length: n }, (_, i) => [`person${i}@village.example`, {}])),
})
const letter = { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' }

const ends: (() => Promise<unknown>)[] = []
afterEach(async () => {
  for (const end of ends.splice(0).reverse()) await end()
})
async function openWorld(...given: Parameters<typeof World.open>): Promise<World> {
  const world = await World.open({ allThreads: true, ...given[0] }, given[1])
  ends.push(() => world.close())
  return world
}
/** How many messages each of n people has. */
const arrived = (world: World, n: number) =>
  Promise.all(Array.from({ length: n }, async (_, i) => (await world.inboxOf(`person${i}@village.example`)).length))

test('a clock that is put back doubles nothing, gives no allowance twice, and holds nothing up for ever', async () => {
  const world = await openWorld({ ...takers(30), limits: { perDay: 1000, perMinute: 1000 } })
  const [mailbox] = await world.call(routes.mailboxes)
  await world.call(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), perDay: 20, perMinute: 100 },
  })
  const round = await world.round(plain(30), letter, { dispatch: { perMinute: 100 } })
  await world.call(routes.post, { params: { round: round.id }, body: { messages: 30 } })
  await world.pass(5 * minute, 5)
  const sum = async () => (await arrived(world, 30)).reduce((a, b) => a + b, 0)
  expect(await sum()).toBe(20)
  // Whoever puts the clock right, by a day: what left is then in the future, and still has left.
  world.clock.move(-24 * hour)
  await world.pass(3 * hour, 6)
  expect(await sum()).toBe(20)
  expect((await world.call(routes.mailboxes))[0].allowance).toBe(0)
  // The same after a restart.
  await world.restart()
  await world.pass(3 * hour, 6)
  expect(await sum()).toBe(20)
  // A day after they left, by the clock as it is now, the rest goes.
  await world.pass(44 * hour, 60)
  expect(await arrived(world, 30)).toEqual(Array(30).fill(1))
  expect((await world.call(routes.messages, { params: { round: round.id } })).map((m) => m.state)).toEqual(
    Array(30).fill('sent'),
  )
})

test('a clock that is put back while letters wait for their hour: they leave at it, once', async () => {
  const world = await openWorld(takers(3))
  const startAt = world.clock.now() + 2 * hour
  const round = await world.round(plain(3), letter, { dispatch: { startAt, perMinute: 60 } })
  await world.call(routes.post, { params: { round: round.id }, body: { messages: 3 } })
  await world.pass(hour, 2)
  world.clock.move(-30 * minute)
  await world.pass(hour, 4)
  expect(await arrived(world, 3)).toEqual([0, 0, 0])
  await world.pass(40 * minute, 8)
  expect(await arrived(world, 3)).toEqual([1, 1, 1])
  world.clock.move(-3 * hour)
  await world.pass(6 * hour, 12)
  expect(await arrived(world, 3)).toEqual([1, 1, 1])
})

test('who opts out, and what is edited, while a round is posted and leaves: each letter is whole, and nobody gets one afterwards', async () => {
  const world = await openWorld({ ...takers(12), limits: { perDay: 1000, perMinute: 1000 } })
  // An earlier round gives everybody a link by which they can opt out.
  const earlier = await world.round(plain(12), letter, { dispatch: { perMinute: 1000 }, tracking: { optOut: true } })
  await world.call(routes.post, { params: { round: earlier.id }, body: { messages: 12 } })
  await world.pass(2 * minute, 2)
  const optOut = async (i: number) => {
    const [mail] = await world.inboxOf(`person${i}@village.example`)
    const list = (await simpleParser(mail)).headers.get('list') as { unsubscribe: { url: string } }
    const { origin, pathname } = new URL(list.unsubscribe.url)
    return bare(
      origin,
      pathname,
      { 'content-type': 'application/x-www-form-urlencoded' },
      'POST',
      'List-Unsubscribe=One-Click',
    )
  }
  const round = await world.round(
    plain(12),
    { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}, of {{Berth}}, goodbye {{Name}}.</p>' },
    { dispatch: { perMinute: 1000 }, title: 'Second' },
  )
  const params = { round: round.id }
  const listId = round.list!.id
  const column = (name: string) => round.list!.columns.find((c) => c.name === name)!.id
  const rows = await world.rows(listId)
  // That they were written to lately is as it should be.
  const { findings } = await world.call(routes.proof, { params })
  const keys = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
  await world.call(routes.accept, { params, body: { keys, reason: 'the second letter' } })
  // All at once: posting, edits of the list, and half of the people opting out.
  const [posted] = await Promise.all([
    world.call(routes.post, { params, body: { messages: 12 } }).then(
      () => 'posted',
      (error: ProblemError) => error.problem.title,
    ),
    ...[0, 2, 4].map(async (i) => expect((await optOut(i)).status).toBe(200)),
    ...rows.map((row, i) =>
      world.edit(listId, { do: 'cells', cells: [[row.id, column('Name'), `Changed ${i}`]] }).catch(() => null),
    ),
  ])
  // Changed meanwhile, it is refused in words and nothing has left; asked again, it goes.
  if (posted !== 'posted') {
    expect(posted).toBe('Changed meanwhile')
    expect(await world.call(routes.messages, { params })).toEqual([])
    const { chosen } = await world.call(routes.people, { params })
    await world.call(routes.post, { params, body: { messages: chosen.length } })
  }
  // And while they leave.
  const leaving = world.pass(3 * minute, 3)
  await optOut(6)
  await leaving
  const out = new Set([0, 2, 4])
  const messages = await world.call(routes.messages, { params })
  for (let i = 0; i < 12; i++) {
    const mails = await Promise.all((await world.inboxOf(`person${i}@village.example`)).map((raw) => simpleParser(raw)))
    const second = mails.filter((mail) => mail.text?.includes('goodbye'))
    if (out.has(i)) expect(second, `person ${i} opted out before`).toEqual([])
    else if (i !== 6) expect(second, `person ${i}`).toHaveLength(1)
    else expect(second.length).toBeLessThanOrEqual(1)
    // Whichever name: the same at the beginning and at the end.
    for (const mail of second) expect(mail.text).toMatch(/Dear (Person|Changed) (\d+), of B0\d\d, goodbye \1 \2\./)
    const message = messages.find((m) => m.address === `person${i}@village.example`)
    if (message) expect([message.address, message.state === 'sent']).toEqual([message.address, second.length === 1])
  }
  const refused = (await world.call(routes.doNotWrite)).map((one) => one.address).sort()
  expect(refused).toEqual([0, 2, 4, 6].map((i) => `person${i}@village.example`))
})

/** A small file system of its own stands for a full disk; where none may be mounted there is nothing to try. */
function smallDisk(megabytes: number): string | null {
  const folder = mkdtempSync(join(tmpdir(), 'hand-post-disk-'))
  ends.push(async () => {
    try {
      execFileSync('umount', ['--lazy', folder], { stdio: 'ignore' })
    } catch {
      // It was never mounted.
    }
    rmSync(folder, { recursive: true, force: true })
  })
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${megabytes}m`, 'tmpfs', folder], { stdio: 'ignore' })
    return folder
  } catch {
    return null
  }
}

/** A program of its own in a folder, with a practice mailbox elsewhere, and a draft of n letters. */
async function programWithDraft(data: string, n: number) {
  const folder = mkdtempSync(join(tmpdir(), 'hand-post-program-'))
  const practice = await startPractice({
    folder: join(folder, 'practice'),
    accounts: { [office]: 'practice' },
    limits: { perDay: 10_000, perMinute: 100_000 },
    ...takers(n),
    lookEvery: 0,
  })
  ends.push(async () => {
    await practice.close()
    rmSync(folder, { recursive: true, force: true })
  })
  giveDatabase(join(data, 'data'))
  const env = programEnv(data, practice)
  const running: { program: Program } = { program: await startProgram(env) }
  ends.push(() => endProgram(running.program))
  const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(running.program.address, route, input)
  const restart = async () => {
    running.program = await startProgram(env)
  }
  const [mailbox] = await ask(routes.mailboxes)
  await ask(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), perDay: 10_000, perMinute: 100_000 },
  })
  const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file: Buffer.from(plain(n)) })
  const list = await ask(routes.makeList, { body: { reading: reading.id } })
  const { id } = await ask(routes.startRound, { body: { title: 'Round' } })
  await ask(routes.changeRound, {
    params: { round: id },
    body: { listId: list.id, letterHtml: letter, dispatch: { perMinute: 100_000 } },
  })
  const received = async () => {
    const counts: number[] = []
    for (let i = 0; i < n; i++)
      counts.push((await practice.store.box(`person${i}@village.example`, 'INBOX')).messages.length)
    return counts
  }
  return { running, ask, restart, params: { round: id }, list, practice, received }
}

test('a disk that is full while a round is posted and while it leaves: all or nothing is posted, nobody gets two, and it goes on', async (context) => {
  const disk = smallDisk(300)
  if (disk === null) return context.skip('no file system may be mounted here')
  const n = 400
  const { running, ask, restart, params, received } = await programWithDraft(disk, n)
  const filler = join(disk, 'filler')
  /** Leaves so many octets free. */
  const fill = (free: number) => {
    const { bavail, bsize } = statfsSync(disk)
    try {
      writeFileSync(filler, Buffer.alloc(Math.max(0, bavail * bsize - free)))
    } catch (error) {
      // The program has taken some of it meanwhile: the disk is as full as was wanted.
      if ((error as NodeJS.ErrnoException).code !== 'ENOSPC') throw error
    }
  }
  /** What a call came to; the program may have ended over it, and is started again when there is room. */
  const tried = async (work: () => Promise<unknown>) => {
    try {
      await work()
      return 200
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error
      return error.problem.status
    }
  }
  fill(300_000)
  const posted = await tried(() => ask(routes.post, { params, body: { messages: n } }))
  rmSync(filler)
  await sleep(500)
  if (running.program.child.exitCode !== null) {
    // Where the database itself could not write, the program ends in words rather than going on without it.
    expect(running.program.child.exitCode).toBe(1)
    expect(running.program.said()).toMatch(/disk|room|database/i)
    await restart()
  }
  const { states } = (await ask(routes.rounds)).find((r) => r.id === params.round)!
  const all = Object.values(states).reduce((a, b) => a + b, 0)
  // All of it or nothing.
  expect([0, n]).toContain(all)
  if (posted === 200) expect(all).toBe(n)
  if (all === 0) await ask(routes.post, { params, body: { messages: n } })

  // While letters leave.
  const sent = async () => (await ask(routes.rounds)).find((r) => r.id === params.round)!.states
  while ((await sent()).sent < 20) await sleep(20)
  fill(0)
  await sleep(4000)
  rmSync(filler)
  await sleep(500)
  if (running.program.child.exitCode !== null) await restart()
  for (;;) {
    const { waiting, sending, retrying, inDoubt } = await sent()
    if (waiting + sending + retrying + inDoubt === 0) break
    for (const m of await ask(routes.messages, { params }))
      if (m.asksWriter) {
        // The writer asks the person, who looks into their inbox.
        const i = Number(/person(\d+)@/.exec(m.address)![1])
        await ask(routes.settleDoubt, { params: { message: m.id }, body: { went: (await received())[i] > 0 } })
      }
    await sleep(200)
  }
  expect(await received()).toEqual(Array(n).fill(1))
})

test('told to end in the middle of long work, the program ends soon and cleanly, and what was under way is as if never asked', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'hand-post-ending-'))
  ends.push(async () => rmSync(folder, { recursive: true, force: true }))
  const { running, ask, restart, params, list } = await programWithDraft(folder, 5)
  const many = plain(60_000)
  const reading = await ask(routes.readFile, { query: { name: 'many.csv' }, file: Buffer.from(many) })
  const before = await ask(routes.lists)
  // Bringing in, a proof, and PDF files, each cut short.
  const works = [
    () => ask(routes.makeList, { body: { reading: reading.id } }),
    () => ask(routes.proof, { params }),
  ].map((work) =>
    work().then(
      () => 'done',
      () => 'cut short',
    ),
  )
  await sleep(150)
  const began = Date.now()
  expect(await endProgram(running.program, 'SIGTERM')).toBe(0)
  expect(Date.now() - began, 'ms until it ended').toBeLessThan(20_000)
  const [brought] = await Promise.all(works)
  expect(existsSync(join(folder, 'data/in-use.json'))).toBe(false)
  await restart()
  const after = await ask(routes.lists)
  expect(after.map((l) => l.name)).toEqual(
    brought === 'done' ? expect.arrayContaining(['many']) : before.map((l) => l.name),
  )
  for (const one of after) {
    const rows = await ask(routes.rows, { params: { list: one.id }, query: { from: one.rowCount - 1, count: 10 } })
    expect(rows.rows, `“${one.name}” has all its rows`).toHaveLength(1)
  }
  expect((await ask(routes.list, { params: { list: list.id } })).rowCount).toBe(5)
  expect((await ask(routes.proof, { params })).mayPost).toBe(true)
})
