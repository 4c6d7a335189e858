import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { routes } from '@hand-post/contract'
import fc from 'fast-check'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test, vi } from 'vitest'
import { type OpenDatabase, openOnServer } from '../src/db/open.ts'
import * as letters from '../src/dispatch/store.ts'
import { Leases, shareOf } from '../src/processes/leases.ts'
import { type Guard, leaseOver } from '../src/processes/store.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { endProgram, programEnv, startProgram } from './program.ts'
import { askAt, fastMailbox, postRound, slowPractice } from './programRound.ts'

// Leases of mailboxes in the database, by which one process at a time works each: as short here as a test can wait.

describe.skipIf(withoutServer !== null)(`a lease${withoutServer === null ? '' : `: ${withoutServer}`}`, () => {
  let server: PostgresServer
  /** The database of an office whose one letter has left, which each test has anew. */
  let template = ''
  let db: OpenDatabase
  let other: OpenDatabase
  let mailbox = 0
  let letter = 0
  const all: Leases[] = []
  const leases = (on: OpenDatabase, id: string, ms: number) => {
    const made = new Leases({
      db: on,
      log: pino({ level: 'silent' }),
      self: { id, name: id, roles: ['mail'] },
      shared: true,
      ms,
    })
    all.push(made)
    return made
  }
  const given = (mine: number[]) => ({
    mailboxes: async () => [mailbox],
    begin: async (id: number) => void mine.push(id),
    leave: async (id: number) => void mine.splice(mine.indexOf(id), 1),
  })
  const stateOf = async () =>
    (await db.query<{ state: string }>('SELECT state FROM messages WHERE id = $1', [letter]))[0].state
  beforeAll(async () => {
    server = await PostgresServer.start()
    template = await serverDatabase(server.url())
    const folder = await mkdtemp(join(tmpdir(), 'hand-post-lease-'))
    const practice = await slowPractice(join(folder, 'practice'), 1, 0)
    try {
      const program = await startProgram({
        ...programEnv(folder, practice),
        DATABASE_URL: template,
        HAND_POST_LOG: process.env.TEST_LOG ?? 'silent',
      })
      const ask = askAt(() => program.address)
      mailbox = await fastMailbox(ask)
      const params = { round: await postRound(ask, 0, 1) }
      await vi.waitFor(async () => expect((await ask(routes.round, { params })).states.sent).toBe(1), 120_000)
      await endProgram(program, 'SIGTERM')
    } finally {
      await practice.close()
      await rm(folder, { recursive: true, force: true })
    }
  }, 300_000)
  afterAll(() => server.close())
  beforeEach(async () => {
    const url = await serverDatabase(server.url(), new URL(template).pathname.slice(1))
    db = await openOnServer(url)
    other = await openOnServer(url)
    ;[{ id: letter }] = await db.query<{ id: number }>('SELECT id FROM messages')
  }, 60_000)
  afterEach(async () => {
    for (const one of all.splice(0)) await one.close()
    await db.close()
    await other.close()
  })
  const sending = () =>
    db.query(`UPDATE messages SET state = 'sending', claimed_at = 1, handed_at = NULL, sent_at = NULL`)

  test('once over it is another’s, and whoever had it writes nothing of the letters any more, and sends none', async () => {
    const mine: number[] = []
    const first = leases(db, 'first', 600)
    await first.start(given(mine))
    expect(mine).toEqual([mailbox])
    const guard = first.guardOf(mailbox) as NonNullable<Guard>
    expect(guard).toMatchObject({ what: `mailbox ${mailbox}` })
    expect(first.isFresh(guard)).toBe(true)
    await sending()
    await letters.writeProgress(db, [{ handing: { id: letter, date: 5, hash: 'h' } }], 5, guard)
    expect(await db.query('SELECT handed_at AS at FROM messages')).toEqual([{ at: 5 }])
    // It is stopped: nothing is renewed.
    await first.close()
    await db.query(`UPDATE leases SET until = clock_timestamp() - interval '1 second'`)
    const second = leases(other, 'second', 60_000)
    await second.start(given([]))
    const theirs = second.guardOf(mailbox) as NonNullable<Guard>
    expect(theirs.token).toBeGreaterThan(guard.token)
    await sending()
    const refused: (() => Promise<unknown>)[] = [
      () => letters.writeProgress(db, [{ handing: { id: letter, date: 6, hash: 'h' } }], 6, guard),
      () => letters.settleCutOff(db, mailbox, guard),
      () => letters.putBack(db, letter, { reason: '', rests: 0 }, guard),
      () => letters.markRetrying(db, letter, 9, '', guard),
      () => letters.markRefused(db, letter, '', guard),
      () => letters.markInDoubt(db, letter, '', guard),
    ]
    for (const write of refused) await expect(write()).rejects.toMatchObject({ code: leaseOver })
    expect(await stateOf()).toBe('sending')
    await db.query(`UPDATE messages SET state = 'waiting', planned_at = 1, claimed_at = NULL`)
    const caps = [{ since: 0, most: 1000, by: 'day' as const }]
    await expect(letters.claimDue(db, mailbox, 10, caps, 10, guard)).rejects.toMatchObject({ code: leaseOver })
    expect(await letters.claimDue(other, mailbox, 10, caps, 10, theirs)).toHaveLength(1)
    // What the host has taken is true whoever says it.
    await letters.writeProgress(db, [{ accepted: { id: letter, at: 7, answer: 'taken', copiesAt: null } }], 7, guard)
    expect(await stateOf()).toBe('sent')
    expect(first.isFresh(guard)).toBe(false)
  })

  test('cannot be taken while something is being written under it', async () => {
    const first = leases(db, 'first', 60_000)
    await first.start(given([]))
    const guard = first.guardOf(mailbox) as NonNullable<Guard>
    await sending()
    const order: string[] = []
    const second = leases(other, 'second', 60_000)
    let taking: Promise<void> | null = null
    await db.transaction(async (tx) => {
      await letters.writeProgress(tx, [{ handing: { id: letter, date: 5, hash: 'h' } }], 5, guard)
      // By the clock it is over from now on, its process is not seen any more, and another looks for it.
      taking = other
        .query('DELETE FROM processes')
        .then(() => other.query(`UPDATE leases SET until = clock_timestamp() - interval '1 second'`))
        .then(() => second.start(given([])))
        .then(() => void order.push('taken'))
      await sleep(300)
      order.push('written')
    })
    await taking
    expect(order).toEqual(['written', 'taken'])
    await letters.settleCutOff(other, mailbox, second.guardOf(mailbox)!)
    // It was in hand: whoever takes up the work does not send it a second time.
    expect(await stateOf()).toBe('inDoubt')
  })

  test('is not good any more when this machine’s own clocks say so, though nobody has asked the database', async () => {
    const first = leases(db, 'first', 400)
    await first.start(given([]))
    const guard = first.guardOf(mailbox) as NonNullable<Guard>
    expect(first.isFresh(guard)).toBe(true)
    // As a process is that is stopped: nothing of it runs, and time goes on.
    const stopped = performance.now() + 500
    while (performance.now() < stopped);
    expect(first.isFresh(guard)).toBe(false)
    expect(first.isFresh({ ...guard, token: guard.token + 1 })).toBe(false)
    expect(first.isFresh(null)).toBe(true)
  })

  test('that was lost is not taken again before what was done under it has come to its end', async () => {
    const order: string[] = []
    let ended!: () => void
    const first = leases(db, 'first', 60_000)
    await first.start({
      mailboxes: async () => [mailbox],
      begin: async () => void order.push('begins'),
      leave: () =>
        new Promise<void>((done) => {
          ended = () => {
            order.push('has ended')
            done()
          }
        }),
    })
    await db.query('UPDATE leases SET token = token + 1, until = clock_timestamp()')
    for (let i = 0; i < 3; i++) await first.look()
    expect(order).toEqual(['begins'])
    expect(first.guardOf(mailbox)).toBeUndefined()
    ended()
    await sleep(0)
    await first.look()
    expect(order).toEqual(['begins', 'has ended', 'begins'])
  })

  test('is given to others when they come, and when what is in hand has gone; until then it is renewed', async () => {
    const mine: number[] = []
    let done!: () => void
    const first = leases(db, 'b', 300)
    await first.start({
      ...given(mine),
      leave: () =>
        new Promise<void>((ended) => {
          done = ended
        }),
    })
    // By its name the first of two has the one that there is.
    const second = leases(other, 'a', 300)
    const theirs: number[] = []
    await second.start(given(theirs))
    const giving = first.look()
    await sleep(1000)
    await second.look()
    expect([first.mine(mailbox), theirs]).toEqual([false, []])
    done()
    await giving
    await second.look()
    expect(theirs).toEqual([mailbox])
    expect(second.mine(mailbox)).toBe(true)
  })

  test('shares are even, and together all of them', () => {
    fc.assert(
      fc.property(fc.nat(50), fc.integer({ min: 1, max: 12 }), (mailboxes, processes) => {
        const shares = Array.from({ length: processes }, (_, place) => shareOf(mailboxes, processes, place))
        expect(shares.reduce((a, b) => a + b, 0)).toBe(mailboxes)
        expect(Math.max(...shares) - Math.min(...shares)).toBeLessThanOrEqual(1)
        expect(shareOf(mailboxes, processes, -1)).toBe(0)
      }),
    )
  })

  test('what may be done by one process at a time is done one after another', async () => {
    const order: string[] = []
    const each = (name: string, on: OpenDatabase) =>
      leases(on, name, 60_000).alone('a thing', async () => {
        order.push(`${name} begins`)
        await sleep(50)
        order.push(`${name} ends`)
      })
    await Promise.all([each('first', db), each('second', other)])
    expect(order.filter((_, i) => i % 2 === 0).map((words) => words.replace('begins', 'ends'))).toEqual(
      order.filter((_, i) => i % 2 === 1),
    )
  })
})
