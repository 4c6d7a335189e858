import { appendFileSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { Database } from '../src/db/database.ts'
import { Examiner } from '../src/enclosures/examiner.ts'
import { readCountries } from '../src/responses/countries.ts'
import { Fetches } from '../src/responses/fetches.ts'
import { publicApp } from '../src/responses/publicAddress.ts'
import { addFetched, responsesOfMessages } from '../src/responses/store.ts'
import { beginExamining, forgetExamining } from '../src/rounds/files.ts'
import { signToken } from '../src/secrets.ts'
import type { Compute } from '../src/threads/compute.ts'
import { Lost } from '../src/threads/lane.ts'
import { bare } from './http.ts'
import { minute, World } from './world.ts'

const log = pino({ level: 'silent' })
const signingKey = Buffer.alloc(32, 5)
const folder = mkdtempSync(join(tmpdir(), 'hand-post-fetched-'))
afterAll(() => rmSync(folder, { recursive: true }))
const key = 'AbCdEfGhIjKlMnOpQrStUw'

describe('the public address while the database does not answer', () => {
  const pending = () => new Promise<never>(() => {})
  const never: Database = {
    query: pending,
    runOften: pending,
    copyIn: pending,
    transaction: pending,
    longTransaction: pending,
  }
  let server: Server
  let base: string
  let fetches: Fetches
  beforeAll(async () => {
    fetches = new Fetches({ db: never, publish: () => {}, log, countries: null, folder, place: '' })
    const parts = { db: never, clock: { now: () => 5 }, signingKey, fetches, overTls: false, publish: () => {} }
    server = createServer(publicApp(parts))
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => void server.close())
  test('pictures and links are answered at once', async () => {
    const began = performance.now()
    expect((await bare(base, `/p/${signToken(signingKey, { key, what: 'picture' })}`)).headers['content-type']).toBe(
      'image/gif',
    )
    const to = 'https://quay.example/a?b=1&c=2'
    expect((await bare(base, `/l/${signToken(signingKey, { key, what: 3, to })}`)).headers.location).toBe(to)
    expect(performance.now() - began).toBeLessThan(2000)
  })
  test('opting out, and a link of an older letter, ask to come again', async () => {
    for (const path of [
      `/o/${signToken(signingKey, { key, what: 'optOut' })}`,
      `/l/${signToken(signingKey, { key, what: 3 })}`,
    ]) {
      const { status, body } = await bare(base, path)
      expect([status, body]).toEqual([503, expect.stringContaining('Please try again')])
    }
  })
})

describe('counting', () => {
  test('what cannot be written is kept and written the next time, once', async () => {
    let fails = 2
    const db = {
      query: async () => [],
      transaction: async (work: (tx: Database) => Promise<number[]>) => {
        if (fails-- > 0) throw new Error('the disk is full')
        return work({
          query: async (sql: string, values: unknown[]) => {
            if (!sql.includes('public_fetched')) return []
            const some = JSON.parse(values[0] as string) as { key: string; what: number }[]
            return [{ before: some.map((one) => ({ ...one, roundId: 9, known: false })) }]
          },
        } as unknown as Database)
      },
    } as unknown as Database
    const told: unknown[] = []
    const fetches = new Fetches({ db, publish: (event) => told.push(event), log, countries: null, folder, place: '' })
    fetches.note('127.0.0.1', key, 'picture', 1000, 'a')
    await fetches.flush()
    fetches.note('127.0.0.1', key, 'picture', 90_000, 'b')
    await fetches.flush()
    expect(told).toEqual([])
    await fetches.flush()
    expect(told).toEqual([{ topic: 'responses', id: 9 }])
    await fetches.close()
  })
  test('a client is counted so often for one thing, and so often in all; others are not touched by it', async () => {
    const kept: Map<string, { times: number }>[] = []
    const fetches = new Fetches({ db: {} as Database, publish: () => {}, log, countries: null, folder, place: '' })
    for (let i = 0; i < 500; i++) fetches.note('198.51.100.1', key, 'picture', i, 'x')
    for (let i = 0; i < 20_000; i++) fetches.note('198.51.100.2', key, i % 999, i, 'x')
    fetches.note('198.51.100.3', key, 'picture', 600_000, 'y')
    kept.push((fetches as unknown as { kept: Map<string, { times: number }> }).kept)
    const times = [...kept[0].values()].reduce((sum, one) => sum + one.times, 0)
    // The minute may turn while it is counted.
    expect(times).toBeGreaterThanOrEqual(60 + 6000 + 1)
    expect(times).toBeLessThanOrEqual(2 * (60 + 6000) + 1)
    expect(kept[0].get(`${key} -1`)).toMatchObject({ last: 600_000 })
  })
  test('what was kept one by one before is counted the same, and sums go on from there', async () => {
    const world = await World.open()
    const round = await world.round('Name,Email\nAda,ada@village.example\n', { subject: 'S', html: '<p>Hi</p>' })
    await world.call(routes.post, {
      params: { round: round.id },
      body: { messages: 1 },
    })
    await world.pass(minute)
    const { db } = world.handPost.parts
    const [message] = await db.query<{ id: number; key: string }>('SELECT id, key FROM messages')
    const one = {
      key: message.key,
      what: -1,
      first: 10,
      last: 20_000,
      times: 2,
      sample: [
        { at: 10, agent: 'a' },
        { at: 20_000, agent: 'a' },
      ],
    }
    expect(await addFetched(db, [one, { ...one, key: 'nobody’s' }])).toEqual([round.id])
    expect(await addFetched(db, [{ ...one, first: 5, last: 5, times: 40, sample: [{ at: 5, agent: 'b' }] }])).toEqual([
      round.id,
    ])
    const found = (await responsesOfMessages(db, [message.id])).get(message.id)!
    expect(found.map((r) => [r.kind, r.at])).toEqual([
      ['open', 5],
      ['open', 20_000],
    ])
    expect(found[0].details.words).toBe('42 times in all')
    await world.close()
  })
  test('what was answered is counted once, wherever the program was killed: before, while and after it was written', async () => {
    const world = await World.open()
    const round = await world.round('Name,Email\nAda,ada@village.example\n', { subject: 'S', html: '<p>Hi</p>' })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 1 } })
    await world.pass(minute)
    const times = async () => {
      await world.handPost.parts.fetches.flush()
      const { db } = world.handPost.parts
      const [found] = await db.query<{ times: number }>('SELECT times FROM fetched WHERE what = -1')
      return found?.times ?? 0
    }
    const { db } = world.handPost.parts
    const [{ key: own }] = await db.query<{ key: string }>('SELECT key FROM messages')
    const journals = join(world.folder, 'data', 'fetched')
    const fetchPicture = () => {
      world.clock.move(5000)
      world.handPost.parts.fetches.note('127.0.0.1', own, 'picture', world.clock.now(), 'Gullmail/3.1')
    }
    // Before it was written.
    for (let i = 0; i < 5; i++) fetchPicture()
    expect(readdirSync(journals)).toHaveLength(1)
    await world.crash()
    expect(await times()).toBe(5)
    expect(readdirSync(journals)).toEqual([])
    // After it was written, and before its journal was taken away.
    for (let i = 0; i < 3; i++) fetchPicture()
    const [name] = readdirSync(journals)
    const lines = readFileSync(join(journals, name))
    expect(await times()).toBe(8)
    const { place } = world.handPost.parts
    await world.handPost.parts.db.query('INSERT INTO fetched_journals VALUES ($1)', [
      place === '' ? name : `${place}/${name}`,
    ])
    writeFileSync(join(journals, name), lines)
    await world.crash()
    expect(await times()).toBe(8)
    expect(readdirSync(journals)).toEqual([])
    // In the middle of a line; what is no journal stays as it is.
    fetchPicture()
    const [last] = readdirSync(journals)
    appendFileSync(join(journals, last), '["cut off in the mid')
    writeFileSync(join(journals, 'notes.txt'), 'x')
    await world.crash()
    expect(await times()).toBe(9)
    expect(readdirSync(journals)).toEqual(['notes.txt'])
    expect(await world.handPost.parts.db.query('SELECT * FROM fetched_journals')).toEqual([])
    await world.close()
  })
})

describe('examining contents', () => {
  test('one that took its thread with it twice is not begun again, and is said; others are examined all the same', async () => {
    const world = await World.open({ allThreads: true })
    const params = { round: (await world.call(routes.startRound, { body: { title: 'Files' } })).id }
    const add = (name: string, file: string) =>
      world.call(routes.addFile, { params, query: { name, role: 'own' }, file: Buffer.from(file) })
    // As the program left them when it was killed in the middle of them: once, and twice.
    const { db, place } = world.handPost.parts
    const [once, twice] = [await add('once.txt', 'one'), await add('twice.txt', 'two')]
    await world.call(routes.proof, { params, query: { wait: 'yes' } })
    await db.query('DELETE FROM file_facts')
    // A thread that has rested for a second knows no contents any more.
    await new Promise((done) => setTimeout(done, 3000))
    await beginExamining(db, once.hash, place)
    for (let i = 0; i < 2; i++) await beginExamining(db, twice.hash, place)
    await world.handPost.parts.examiner.soon(params.round)
    const { unread, faults } = await world.call(routes.enclosures, { params })
    expect(unread).toBe(0)
    expect(faults.map((f) => f.fileId)).toContain(twice.id)
    expect(faults.find((f) => f.fileId === twice.id)).toMatchObject({
      fault: 'broken',
      detail: expect.stringMatching(/given up twice/),
    })
    expect(faults.filter((f) => f.fileId === once.id)).toEqual([])
    expect(await db.query('SELECT * FROM examining')).toEqual([])
    await beginExamining(db, once.hash, place)
    await forgetExamining(db, place)
    expect(await beginExamining(db, once.hash, place)).toBe(1)
    await world.close()
  })
  test('when a content takes the thread with it, those behind it are examined by the next', async () => {
    const ends: (number | Error)[] = [new Lost(422, 'given up'), new Lost(422, 'given up'), 3]
    const compute = {
      run: async () => {
        const end = ends.shift()
        if (end instanceof Error) throw end
        return end
      },
    } as unknown as Compute
    const told: unknown[] = []
    await new Examiner({ compute, publish: (event) => told.push(event), log }).soon(7)
    expect([ends, told]).toEqual([[], [{ topic: 'round', id: 7 }]])
  })
  test('where countries are looked up, the country is kept and the address nowhere', async () => {
    const countries = await readCountries()
    // RIPE NCC's own network, in the Netherlands by its registry's statistics (from memory); the range of RFC 5737 is nobody's.
    expect(['193.0.6.139', '::ffff:193.0.6.139', '2001:67c:2e8::1'].map((one) => countries.of(one))).toEqual([
      'NL',
      'NL',
      'NL',
    ])
    for (const nobody of ['127.0.0.1', '::1', '192.0.2.7', 'no address', ''])
      expect(countries.of(nobody), nobody).toBeUndefined()
    const fetches = new Fetches({ db: {} as Database, publish: () => {}, log, countries, folder, place: '' })
    fetches.note('193.0.6.139', key, 'picture', 5, 'Gullmail/3.1')
    fetches.note('127.0.0.1', key, 2, 5, 'Gullmail/3.1')
    const kept = [...(fetches as unknown as { kept: Map<string, unknown> }).kept.values()]
    expect(kept).toMatchObject([
      { sample: [{ agent: 'Gullmail/3.1', country: 'NL' }] },
      { sample: [{ agent: 'Gullmail/3.1' }] },
    ])
    expect(JSON.stringify(kept)).not.toContain('193.0')
  })
})
