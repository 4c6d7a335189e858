import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import type { PracticeMailbox } from '../../practice/src/index.ts'
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
      practice = await slowPractice(join(folder, 'practice'), 120, 150, undefined, [office, ...others])
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
        // What was in hand goes still.
        const states = async () => (await asker(two)(routes.round, { params })).states
        await until(async () => (await states()).sending === 0, 'nothing is in hand')
        const stands = await states()
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
  },
)
