import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import fc from 'fast-check'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { PracticeMailbox } from '../../practice/src/index.ts'
import { type OpenDatabase, openOnServer } from '../src/db/open.ts'
import * as letters from '../src/dispatch/store.ts'
import { Leases, shareOf } from '../src/processes/leases.ts'
import { type Guard, leaseOver } from '../src/processes/store.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { endProgram, type Program, programEnv, startProgram } from './program.ts'
import { askAt, fastMailbox, hadBy, person, postRound, slowPractice, untilHad } from './programRound.ts'
import { composed, office } from './world.ts'

// Several processes of Hand Post on one database of a PostgreSQL server: each on a folder and clock of its own.

/** For how many seconds a process has a mailbox to itself. */
const lease = 3
const others = ['harbour@brindlequay.example', 'moorings@brindlequay.example', 'pilots@brindlequay.example']

describe.skipIf(withoutServer !== null)(
  `several processes${withoutServer === null ? '' : `: ${withoutServer}`}`,
  () => {
    let server: PostgresServer
    let databaseUrl = ''
    let folder = ''
    let practice: PracticeMailbox
    const programs: Program[] = []
    beforeAll(async () => {
      server = await PostgresServer.start()
    }, 60_000)
    beforeEach(async () => {
      databaseUrl = await serverDatabase(server.url())
      folder = await mkdtemp(join(tmpdir(), 'hand-post-many-'))
    })
    afterEach(async () => {
      for (const program of programs.splice(0)) {
        // One that stands still ends by this alone.
        program.child.kill('SIGKILL')
        await endProgram(program)
      }
      await practice?.close()
      await rm(folder, { recursive: true, force: true })
    })
    afterAll(() => server.close())

    /** Starts a process in a place of its own. */
    const start = async (name: string, more: Record<string, string> = {}): Promise<Program> => {
      const program = await startProgram({
        ...programEnv(folder, practice),
        DATABASE_URL: databaseUrl,
        HAND_POST_DATA: join(folder, name),
        HAND_POST_SHARED: join(folder, 'shared'),
        HAND_POST_LEASE: String(lease),
        HAND_POST_LOG: process.env.TEST_LOG ?? 'silent',
        ...more,
      })
      programs.push(program)
      return program
    }
    const asker = (program: Program) => askAt(() => program.address)
    const database = () => new URL(databaseUrl).pathname.slice(1)
    const ask = <T>(sql: string) => server.ask<T>(sql, database())
    /** How many mailboxes each process works. */
    const worked = async () =>
      (
        await ask<{ n: number }>(
          `SELECT count(*)::int AS n FROM leases WHERE what LIKE 'mailbox %' AND until > clock_timestamp() GROUP BY owner ORDER BY 1`,
        )
      ).map(({ n }) => n)
    const until = async (true_: () => Promise<boolean>, words: string) => {
      for (let i = 0; i < 1200; i++) {
        if (await true_()) return
        await sleep(100)
      }
      const left = await ask(
        `SELECT m.mailbox_id, m.state, m.reason, m.planned_at, l.until - clock_timestamp() AS lease, b.paused_until, b.pause_reason, count(*)
       FROM messages m JOIN mailboxes b ON b.id = m.mailbox_id LEFT JOIN leases l ON l.what = 'mailbox ' || m.mailbox_id
       WHERE m.state <> 'sent' GROUP BY 1, 2, 3, 4, 5, 6, 7`,
      )
      throw new Error(`Two minutes were not enough: ${words}. ${JSON.stringify(left)}`)
    }
    /** The first mailbox and three more, each with limits that hold nothing up. */
    const fourMailboxes = async (program: Program): Promise<number[]> => {
      const first = await fastMailbox(asker(program))
      const [mailbox] = await asker(program)(routes.mailboxes)
      const settings = { ...mailboxSettingsSchema.parse(mailbox), perDay: 100_000, perMinute: 100_000 }
      const added = [first]
      for (const address of others) {
        const body = { ...settings, name: address, address, user: address, password: 'practice' }
        added.push((await asker(program)(routes.addMailbox, { body })).id)
      }
      return added
    }

    test('mailboxes are shared out; what one process does, all desks see; what one is asked, whoever works the mailbox does', async () => {
      practice = await slowPractice(join(folder, 'practice'), 120, 60, undefined, [office, ...others])
      const [one, two] = [await start('one'), await start('two')]
      await fourMailboxes(one)
      await until(async () => JSON.stringify(await worked()) === '[2,2]', 'two mailboxes each')
      // Begun at one desk, seen at the other's, held there, and carried on here.
      const heard: string[] = []
      const stream = new AbortController()
      const listening = fetch(`${two.address}/api/events`, { signal: stream.signal }).then(async (answer) => {
        for await (const piece of answer.body!) heard.push(Buffer.from(piece).toString())
      })
      const mailboxes = (await asker(one)(routes.mailboxes)).map(({ id }) => id)
      for (const [i, mailboxId] of mailboxes.entries()) {
        const before = heard.length
        const params = { round: await postRound(asker(one), i * 30, i * 30 + 30, mailboxId) }
        await until(async () => (await asker(two)(routes.round, { params })).states.sent > 3, 'letters leave')
        await asker(two)(routes.hold, { params })
        const held = await asker(one)(routes.round, { params })
        expect(held.held).toBe(true)
        await sleep(300)
        const stands = (await asker(two)(routes.round, { params })).states
        expect(stands.waiting).toBeGreaterThan(0)
        await sleep(500)
        expect((await asker(one)(routes.round, { params })).states).toEqual(stands)
        await asker(two)(routes.carryOn, { params })
        await until(async () => (await asker(one)(routes.round, { params })).states.sent === 30, 'all have left')
        expect(heard.slice(before).join('')).toContain(`"topic":"messages","id":${params.round}`)
      }
      stream.abort()
      await listening.catch(() => {})
      expect(await hadBy(practice, 120)).toEqual(Array.from({ length: 120 }, () => 1))
      // An answer that has come is read by whoever works the mailbox, whichever desk asks for it.
      const [first] = (await practice.store.box(person(1), 'INBOX')).messages
      const messageId = /^Message-ID: (\S+)/im.exec((await practice.store.read(first)).toString())![1]
      const mail = { from: person(1), to: office, subject: 'Re: x', inReplyTo: messageId, text: 'Yes.' }
      await practice.store.add(office, 'INBOX', await composed(mail), new Date())
      for (const desk of [one, two]) await asker(desk)(routes.readNow, { params: { mailbox: mailboxes[0] } })
      for (const desk of [one, two]) expect((await asker(desk)(routes.inTray)).counts.open).toBe(1)
      // One ends: the other works all of them, at once.
      await endProgram(one, 'SIGTERM')
      await until(async () => JSON.stringify(await worked()) === '[4]', 'four for the one that is left')
      // And gives two of them to the next that comes.
      await start('one')
      await until(async () => JSON.stringify(await worked()) === '[2,2]', 'two each again')
    }, 300_000)

    test('killed, stopped and woken, cut off, the server restarted, with clocks that are wrong: nobody has two, nothing is lost', async () => {
      const people = 240
      practice = await slowPractice(join(folder, 'practice'), people, 900, undefined, [office, ...others])
      const shifted = (minutes: number) => ({
        NODE_OPTIONS: `--import=${new URL('./shiftedClock.mjs', import.meta.url).href}`,
        SHIFT_CLOCK: String(minutes * 60_000),
      })
      const [one, two, three] = [
        await start('one'),
        await start('two', shifted(10)),
        await start('three', shifted(-10)),
      ]
      expect(two.said()).toMatch(/clock is 10 minutes ahead of that of the database/)
      expect(three.said()).toMatch(/clock is 10 minutes behind that of the database/)
      const mailboxes = await fourMailboxes(one)
      await until(async () => (await worked()).length === 3, 'each works some')
      const rounds: number[] = []
      for (const [i, mailboxId] of mailboxes.entries())
        rounds.push(await postRound(asker(one), (i * people) / 4, ((i + 1) * people) / 4, mailboxId))
      await untilHad(practice, people, people * 0.1)
      two.child.kill('SIGSTOP')
      await untilHad(practice, people, people * 0.3)
      await endProgram(three)
      await untilHad(practice, people, people * 0.45)
      await ask(
        `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '${database()}' AND pid <> pg_backend_pid()`,
      )
      await untilHad(practice, people, people * 0.55)
      // It was away for longer than its leases; what it had in hand is in doubt by now, and it sends nothing more of it.
      two.child.kill('SIGCONT')
      await untilHad(practice, people, people * 0.65)
      await server.kill()
      await sleep(500)
      await server.again()
      const again = await start('three')
      const states = async () => {
        const all = []
        for (const round of rounds) all.push((await asker(again)(routes.round, { params: { round } })).states)
        return all
      }
      await until(
        async () => (await states()).every((s) => s.waiting + s.sending + s.retrying === 0),
        'nothing waits any more',
      )
      await sleep(1000)
      const had = await hadBy(practice, people)
      expect(had.filter((n) => n > 1)).toEqual([])
      let sent = 0
      for (const round of rounds)
        for (const { address, state } of await asker(again)(routes.messages, { params: { round } })) {
          const n = had[Number(/\d+/.exec(address)![0])]
          // Sent, or in doubt: what is called sent has arrived, and what has not arrived is in doubt.
          expect([address, n, state]).toEqual([
            address,
            n,
            expect.stringMatching(n === 1 ? /^(sent|inDoubt)$/ : /^inDoubt$/),
          ])
          if (state === 'sent') sent++
        }
      // What is counted against the allowance is what has left.
      const [{ n }] = await ask<{ n: number }>('SELECT sum(recipients)::int AS n FROM ledger')
      expect(n).toBe(sent)
      // Two have the server's time, whatever their own machines say: no letter bears a time that is not the right one.
      const [{ wrong }] = await ask<{ wrong: number }>(
        `SELECT count(*)::int AS wrong FROM messages WHERE abs(coalesce(sent_at, claimed_at) - extract(epoch FROM clock_timestamp()) * 1000) > 300000`,
      )
      expect(wrong).toBe(0)
      expect(sent).toBeGreaterThan(people / 2)
    }, 400_000)

    describe('a lease', () => {
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
      beforeEach(async () => {
        practice = await slowPractice(join(folder, 'practice'), 1, 0)
        const program = await start('one')
        const ask = asker(program)
        mailbox = await fastMailbox(ask)
        const params = { round: await postRound(ask, 0, 1) }
        await until(async () => (await ask(routes.round, { params })).states.sent === 1, 'it has left')
        await endProgram(program, 'SIGTERM')
        db = await openOnServer(databaseUrl)
        other = await openOnServer(databaseUrl)
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
        await letters.writeProgress(
          db,
          [{ accepted: { id: letter, at: 7, answer: 'taken', copiesAt: null } }],
          7,
          guard,
        )
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
  },
)
