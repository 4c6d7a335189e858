import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { MessageChannel, Worker } from 'node:worker_threads'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { startPractice } from '../../practice/src/index.ts'
import { threads } from '../src/app/threads.ts'
import { type Database, databaseEnded, databaseOver, fitText, json } from '../src/db/database.ts'
import { type OpenDatabase, openDatabase } from '../src/db/open.ts'
import { Lane, type LaneLimits, Lost } from '../src/threads/lane.ts'
import { endProgram, programEnv, startProgram } from './program.ts'
import { giveDatabase } from './template.ts'
import { office, World } from './world.ts'

let folder: string
let db: OpenDatabase
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'hand-post-threads-'))
  giveDatabase(folder)
  db = await openDatabase(join(folder, 'database'))
})
afterAll(async () => {
  await db.close()
  rmSync(folder, { recursive: true })
})

test('what the embedded database does, and what waits for it, is known', async () => {
  const lines = { busy: 1, resting: 0, waiting: 0 }
  let other: Promise<unknown> = Promise.resolve()
  await db.transaction(async (tx) => {
    await tx.query('SELECT 1')
    expect(await db.lines()).toEqual(lines)
    // Until the transaction has ended, nobody else is served; what is asked within it waits for nobody.
    other = db.query('SELECT 1')
    const within = tx.query('SELECT 1')
    expect(await db.lines()).toEqual({ ...lines, waiting: 1 })
    await within
  })
  await other
  expect(await db.lines()).toEqual({ busy: 0, resting: 1, waiting: 0 })
})

describe('a computing thread', () => {
  // Jobs of the tests: they wait, count, take memory, never end, or hold the database.
  const limits = (more: Partial<LaneLimits> = {}): LaneLimits => ({
    memory: 64,
    young: 16,
    patience: 1500,
    forgets: true,
    restsFor: null,
    reads: true,
    jobs: new URL('./badJobs.ts', import.meta.url).href,
    ...more,
  })
  const lanes: Lane[] = []
  const lane = (more: Partial<LaneLimits> = {}) => {
    const made = new Lane(db, folder, '', threads.entry, limits(more))
    lanes.push(made)
    return made
  }
  afterAll(() => Promise.all(lanes.map((one) => one.close())))
  const run = (on: Lane, name: string, input: object = {}, options = {}): Promise<unknown> =>
    on.run(name, input, options)

  test('that needs too much memory takes its job with it, in words, and no other', async () => {
    const one = lane({ patience: 60_000 })
    const before = process.memoryUsage().rss
    let most = 0
    const watch = setInterval(() => {
      most = Math.max(most, process.memoryUsage().rss - before)
    }, 20)
    const [greedy, next] = [run(one, 'takeMemory'), run(one, 'add', { a: 1, b: 2 })]
    await expect(greedy).rejects.toMatchObject({
      status: 422,
      message: expect.stringMatching(/needs more memory than it may take.*save it anew/),
    })
    await expect(greedy).rejects.toBeInstanceOf(Lost)
    expect(await next).toBe(3)
    clearInterval(watch)
    // Its own 64 MB, with what a thread takes besides; without a limit it would be the gigabytes of a whole process.
    expect(most).toBeLessThan(600_000_000)
  })
  test('that does not get on is given up, also when it computes without a pause; one that gets on is not', async () => {
    const one = lane()
    const began = Date.now()
    const [stuck, next] = [run(one, 'forEver'), run(one, 'add', { a: 2, b: 2 })]
    await expect(stuck).rejects.toMatchObject({
      status: 422,
      message: expect.stringMatching(/did not get on for 2 seconds/),
    })
    expect(Date.now() - began).toBeLessThan(30_000)
    expect(await next).toBe(4)
    let heard = 0
    expect(await run(one, 'slowly', { steps: 8, each: 400 }, { onProgress: () => heard++ })).toBe(8)
    expect(heard).toBe(8)
  })
  test('that a fault of its own ends is said by the desk’s words where nothing was read', async () => {
    const one = lane({ reads: false })
    await expect(run(one, 'forEver')).rejects.toMatchObject({
      status: 503,
      message: expect.stringMatching(/letters already posted are not touched/),
    })
    await expect(run(one, 'throwLater')).rejects.toThrow(/thrown later/)
    expect(await run(one, 'add', { a: 1, b: 1 })).toBe(2)
  })
  test('stops within two seconds when it is cancelled, whether it looks or not; what waits is cancelled at once', async () => {
    const one = lane({ patience: 60_000 })
    const [now, later] = [new AbortController(), new AbortController()]
    let begun = () => {}
    const isBegun = new Promise<void>((done) => {
      begun = done
    })
    const stubborn = run(one, 'forEver', {}, { signal: now.signal, onProgress: () => begun() })
    const waits = run(one, 'add', { a: 1, b: 1 }, { signal: later.signal })
    const last = run(one, 'add', { a: 5, b: 5 })
    later.abort()
    await expect(waits).rejects.toMatchObject({ status: 499 })
    // One that is cancelled before it has begun would stop by itself.
    await isBegun
    const began = Date.now()
    now.abort()
    await expect(stubborn).rejects.toMatchObject({ status: 499 })
    expect(Date.now() - began).toBeLessThan(4000)
    expect(await last).toBe(10)
    await expect(run(one, 'add', {}, { signal: AbortSignal.abort() })).rejects.toMatchObject({ status: 499 })
  })
  test('has the time that it takes when it is to stop gently: only the job says where', async () => {
    const one = lane({ patience: 60_000 })
    const stop = new AbortController()
    const onProgress = () => stop.abort()
    const before = await run(one, 'thread')
    // It looks once more when 3 seconds have passed, a second after another would have been ended with its thread.
    const gentle = run(one, 'slowly', { steps: 3, each: 3000 }, { signal: stop.signal, gently: true, onProgress })
    const next = run(one, 'thread')
    await expect(gentle).rejects.toMatchObject({ status: 499 })
    expect(await next).toBe(before)
    // What does not look any more is done.
    const whole = new AbortController()
    const last = run(
      one,
      'slowly',
      { steps: 1, each: 10 },
      { signal: whole.signal, gently: true, onProgress: () => whole.abort() },
    )
    expect(await last).toBe(1)
    expect(await run(one, 'thread')).toBe(before)
  })
  test('that dies within a transaction leaves nothing of it, and nobody waits for it', async () => {
    await db.query('CREATE TABLE kept (n int)')
    const one = lane()
    await expect(run(one, 'writeForEver')).rejects.toBeInstanceOf(Lost)
    expect(await db.query('SELECT * FROM kept')).toEqual([])
    // One that had begun to wait for its turn when it died does not get it.
    const [first, second] = [lane(), lane()]
    await Promise.allSettled([run(first, 'writeForEver'), run(second, 'writeForEver')])
    await db.transaction(async (tx) => void (await tx.query('INSERT INTO kept VALUES (1)')))
    expect(await db.query('SELECT * FROM kept')).toEqual([{ n: 1 }])
  })
  test('ends when it rests, and is begun anew when there is a job', async () => {
    const one = lane({ restsFor: 300 })
    const first = await run(one, 'thread')
    expect(await run(one, 'thread')).toBe(first)
    await new Promise((done) => setTimeout(done, 1500))
    expect(await run(one, 'thread')).not.toBe(first)
  })
  test('whose desk ends says so to all that wait', async () => {
    const one = lane()
    const waiting = [run(one, 'forEver'), run(one, 'add', { a: 1, b: 1 })]
    const settled = Promise.allSettled(waiting)
    await one.close()
    for (const end of await settled) expect(end).toMatchObject({ status: 'rejected', reason: { status: 503 } })
  })
})

describe('the database', () => {
  test('holds any text: what it cannot hold is made fit where it enters, plain or within JSON', async () => {
    await db.query('CREATE TABLE texts (plain text, tree jsonb)')
    const odd = 'a\0b\ud83dc\udea4d🚤'
    const fit = 'a\ufffdb\ufffdc\ufffdd🚤'
    expect(fitText(odd)).toBe(fit)
    await db.query('INSERT INTO texts VALUES ($1, $2)', [
      odd,
      json({ [odd]: [odd, { deep: odd }], whole: '\\u0000 typed', n: 1 }),
    ])
    expect(await db.query('SELECT * FROM texts')).toEqual([
      { plain: fit, tree: { [fit]: [fit, { deep: fit }], whole: '\\u0000 typed', n: 1 } },
    ])
  })
  test('a COMMIT that fails is told as what it is, and nothing is written', async () => {
    await db.query('CREATE TABLE one_day (n int UNIQUE DEFERRABLE INITIALLY DEFERRED)')
    const twice = db.transaction(async (tx) => {
      await tx.query('INSERT INTO one_day VALUES (1)')
      await tx.query('INSERT INTO one_day VALUES (1)')
    })
    await expect(twice).rejects.toMatchObject({ code: '23505', message: expect.stringMatching(/duplicate key/) })
    expect(await db.query('SELECT * FROM one_day')).toEqual([])
  })
  test('what fails within a transaction is told, not that it cannot be rolled back', async () => {
    await expect(
      db.transaction(async (tx) => {
        await tx.query('SELECT nonsense')
      }),
    ).rejects.toMatchObject({ code: '42703' })
    let kept: Database | undefined
    await db.transaction(async (tx) => {
      kept = tx
    })
    await expect(kept!.query('SELECT 1')).rejects.toMatchObject({ code: '25P01' })
  })
  test('whose thread has died rejects what waits and all that comes after, at every port, and can still be closed', async () => {
    const other = await openDatabase(null)
    const port = databaseOver(other.port())
    await port.query('SELECT 1')
    const waiting = [other.query('SELECT pg_sleep(20)'), port.query('SELECT 1'), port.transaction(async () => {})]
    const settled = Promise.allSettled(waiting)
    await other.thread.terminate()
    for (const end of await settled) expect(end).toMatchObject({ status: 'rejected', reason: { code: databaseEnded } })
    expect(await other.ended).toMatch(/its thread ended with/)
    await expect(port.query('SELECT 1')).rejects.toMatchObject({ code: databaseEnded })
    await expect(other.query('SELECT 1')).rejects.toMatchObject({ code: databaseEnded })
    await other.close()
  })
  test('calls over a port whose other end goes are rejected, not waited for', async () => {
    const { port1, port2 } = new MessageChannel()
    const over = databaseOver(port1)
    const waiting = over.query('SELECT 1')
    port2.close()
    await expect(waiting).rejects.toMatchObject({ code: databaseEnded })
    await expect(over.transaction(async () => {})).rejects.toMatchObject({ code: databaseEnded })
  })
})

test('when the thread of the database dies, the program says so and ends with 1; it starts again on the same folder', async () => {
  const practice = await startPractice({
    folder: join(folder, 'practice'),
    accounts: { [office]: 'practice' },
    lookEvery: 0,
  })
  const env = programEnv(join(folder, 'program'), practice)
  // The program with one thing more: it ends the thread when it is told to.
  const program = await startProgram(env, 'breaking.ts')
  const ended = new Promise<number | null>((done) => program.child.once('exit', done))
  program.child.send({ breakDatabase: true })
  expect(await ended).toBe(1)
  expect(program.said()).toMatch(/Hand Post ends: its database has stopped .* go on at the next start/)
  const again = await startProgram(env)
  expect((await fetch(`${again.address}/api/health`)).status).toBe(200)
  expect(await endProgram(again, 'SIGTERM')).toBe(0)
  await practice.close()
})

test('the practice mailbox ending does not end the desk, nor the reverse', async () => {
  const world = await World.open({ allThreads: true })
  await world.practice.close()
  expect((await fetch(`${world.handPost.address}/api/health`)).status).toBe(200)
  await world.handPost.parts.inbox.readAll()
  expect((await fetch(`${world.handPost.address}/api/mailboxes`)).status).toBe(200)
  await world.handPost.close()
  rmSync(world.folder, { recursive: true })
})

test('a worker that is ended ends no other', async () => {
  // What the lanes rely on (Node.js, worker.terminate): the port of an ended thread closes at its other end.
  const { port1, port2 } = new MessageChannel()
  const worker = new Worker('setInterval(() => {}, 1000)', { eval: true, workerData: { port2 }, transferList: [port2] })
  const closed = new Promise((done) => port1.once('close', done))
  await worker.terminate()
  await closed
})
