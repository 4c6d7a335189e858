import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type CallInput, call, mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import { startPractice } from '../../practice/src/index.ts'
import { openOnServer } from '../src/db/open.ts'
import { readSettings, startHandPost } from '../src/index.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { endProgram, programEnv, startProgram } from './program.ts'
import { composed, minute, office, peopleCsv, settingsFor, World } from './world.ts'

// Hand Post on a PostgreSQL server as Debian has it, instead of the embedded one. Any test of the server can be run so: by
// TEST_ON_SERVER with the address of one.

describe.skipIf(withoutServer !== null)(
  `on a PostgreSQL server${withoutServer === null ? '' : `: ${withoutServer}`}`,
  () => {
    let server: PostgresServer
    let world: World | null = null
    beforeAll(async () => {
      server = await PostgresServer.start()
    }, 60_000)
    afterEach(async () => {
      await world?.close()
      world = null
    })
    afterAll(() => server.close())
    const made = () => serverDatabase(server.url())
    /** What is said when a database cannot be opened. */
    const refusal = (url: string) =>
      openOnServer(url).then(
        async (db) => {
          await db.close()
          return 'was opened'
        },
        (error: Error) => error.message,
      )

    test('a round goes out, is answered, and stands there after a restart', async () => {
      world = await World.open({
        databaseUrl: await made(),
        manners: Object.fromEntries(Array.from({ length: 20 }, (_, i) => [`person${i}@village.example`, {}])),
        limits: { perDay: 10_000, perMinute: 10_000 },
      })
      const round = await world.round(
        peopleCsv(20)
          .replace(/,permit-\d+\.pdf/g, '')
          .replace(',Permit', ''),
        { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' },
        { dispatch: { perMinute: 60 } },
      )
      await world.call(routes.post, { params: { round: round.id }, body: { messages: 20 } })
      await world.pass(minute, 10)
      const lines = await world.call(routes.messages, { params: { round: round.id } })
      expect(lines.every(({ state }) => state === 'sent')).toBe(true)
      const messageId = /^Message-ID: (\S+)/im.exec((await world.inboxOf('person3@village.example'))[0].toString())![1]
      await world.arrive(
        await composed({
          from: 'person3@village.example',
          to: office,
          subject: 'Re: x',
          inReplyTo: messageId,
          text: 'Yes.',
        }),
      )
      const counts = async () => (await world!.board(round.id)).counts
      expect(await counts()).toMatchObject({ sent: 20, replied: 1 })
      const before = await counts()
      await world.restart()
      expect(await counts()).toEqual(before)
      expect((await world.call(routes.inTray)).counts.open).toBe(1)
      // It lies on the server, and nothing of it in the folder.
      const [{ n }] = await server.ask<{ n: number }>(
        'SELECT count(*)::int AS n FROM messages',
        new URL(world.databaseUrl!).pathname.slice(1),
      )
      expect(n).toBe(20)
      // Copies of everything are not made from here: the server has tools of its own, and that is said.
      const refused = await world
        .call(routes.makeBackup, { body: { passphrase: null } })
        .catch((error) => (error as { problem: { detail: string } }).problem.detail)
      expect(refused).toMatch(/pg_dump/)
    })

    test('a transaction is whole or not at all, and a line that was cut is taken up again', async () => {
      const url = await made()
      const db = await openOnServer(url)
      try {
        await db.query('CREATE TABLE tried (n int PRIMARY KEY)')
        await expect(
          db.transaction(async (tx) => {
            await tx.query('INSERT INTO tried VALUES (1)')
            throw new Error('not after all')
          }),
        ).rejects.toThrow('not after all')
        await expect(
          db.transaction(async (tx) => {
            await tx.query('INSERT INTO tried VALUES (2)')
            await tx.query('INSERT INTO tried VALUES (2)').catch(() => {})
          }),
        ).rejects.toThrow('nothing of it was written')
        // What is asked for meanwhile waits, as it does with the embedded one.
        const order: string[] = []
        await Promise.all([
          db.transaction(async (tx) => {
            await tx.query('INSERT INTO tried VALUES (3)')
            await sleep(50)
            order.push('transaction')
          }),
          db.query('SELECT 1').then(() => order.push('query')),
        ])
        expect(order).toEqual(['transaction', 'query'])
        const cut = () =>
          server.ask(
            `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'Hand Post' AND datname = '${new URL(url).pathname.slice(1)}'`,
          )
        await expect(
          db.transaction(async (tx) => {
            await tx.query('INSERT INTO tried VALUES (4)')
            await cut()
            await sleep(100)
            await tx.query('INSERT INTO tried VALUES (5)')
          }),
        ).rejects.toThrow()
        expect(await db.query('SELECT n FROM tried ORDER BY n')).toEqual([{ n: 3 }])
        await cut()
        await sleep(100)
        await db.runOften('INSERT INTO tried VALUES ($1)', [6])
        await server.kill()
        await expect(db.query('SELECT 1')).rejects.toThrow(/cannot be used|terminat|closed/i)
        await server.again()
        expect(await db.query('SELECT count(*) AS n, sum(n)::bigint AS sum FROM tried')).toEqual([{ n: 2, sum: 9 }])
      } finally {
        await db.close()
      }
    })

    test('what cannot be worked with is said, with where it is and without its password', async () => {
      const secret = new URL(server.url('nowhere'))
      secret.password = 'gull-on-the-mole'
      const said = await refusal(secret.href)
      expect(said).toMatch(
        /^The PostgreSQL server at 127\.0\.0\.1:\d+ \(database “nowhere”\) cannot be used: it has no database of that name/,
      )
      expect(said).not.toContain('gull')
      expect(await refusal('postgres://hand@127.0.0.1:1/x')).toMatch(
        /nothing answers there, so it may not be running\./,
      )
      await server.ask(`CREATE DATABASE narrow ENCODING 'SQL_ASCII' LOCALE 'C' TEMPLATE template0`)
      expect(await refusal(server.url('narrow'))).toMatch(/keeps text as SQL_ASCII/)
      await server.ask('CREATE DATABASE still')
      await server.ask(`ALTER DATABASE still SET default_transaction_read_only = 'on'`)
      expect(await refusal(server.url('still'))).toMatch(/can only be read/)
      const newer = await made()
      await (await openOnServer(newer)).close()
      await server.ask(`INSERT INTO migrations VALUES ('999_later.sql', NULL)`, new URL(newer).pathname.slice(1))
      expect(await refusal(newer)).toMatch(/by a newer Hand Post \(it knows of 999_later\.sql/)
      expect(() => readSettings({ DATABASE_URL: 'mysql://x' })).toThrow(/DATABASE_URL must be like postgres:/)
    })

    test('a second program on the same database is refused, and may begin when the first has ended', async () => {
      world = await World.open({ databaseUrl: await made() })
      const elsewhere = await mkdtemp(join(tmpdir(), 'hand-post-'))
      const second = () =>
        startHandPost({
          settings: settingsFor(elsewhere, world!.practice, world!.databaseUrl),
          lanes: world!.lanes,
          log: pino({ level: 'silent' }),
        })
      await expect(second()).rejects.toThrow(/is in use by another Hand Post/)
      await rm(elsewhere, { recursive: true, force: true })
      expect(await world.call(routes.mailboxes)).toHaveLength(1)
    })

    test('killed while letters leave, the program and the server each, everybody has exactly one', async () => {
      const people = 60
      const folder = await mkdtemp(join(tmpdir(), 'hand-post-kill-'))
      const practice = await startPractice({
        folder: join(folder, 'practice'),
        accounts: { [office]: 'practice' },
        limits: { perDay: 10_000, perMinute: 100_000 },
        manners: Object.fromEntries(Array.from({ length: people }, (_, i) => [`person${i}@village.example`, {}])),
        lookEvery: 0,
      })
      // A host that is slow both before and after it has taken a message.
      const add = practice.store.add.bind(practice.store)
      practice.store.add = async (...given) => {
        if (given[1] === 'INBOX') await sleep(120)
        const stored = await add(...given)
        if (given[1] === 'INBOX') await sleep(120)
        return stored
      }
      const env = { ...programEnv(folder, practice), DATABASE_URL: await made() }
      let program = await startProgram(env)
      const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(program.address, route, input)
      const arrived = async () => {
        const all = []
        for (let i = 0; i < people; i++)
          all.push((await practice.store.box(`person${i}@village.example`, 'INBOX')).messages.length)
        return all
      }
      const until = async (n: number) => {
        for (let i = 0; i < 600 && (await arrived()).filter((one) => one > 0).length < n; i++) await sleep(50)
      }
      try {
        const [mailbox] = await ask(routes.mailboxes)
        await ask(routes.changeMailbox, {
          params: { mailbox: mailbox.id },
          body: { ...mailboxSettingsSchema.parse(mailbox), perDay: 10_000, perMinute: 100_000 },
        })
        const file = Buffer.from(
          peopleCsv(people)
            .replace(/,permit-\d+\.pdf/g, '')
            .replace(',Permit', ''),
        )
        const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file })
        const list = await ask(routes.makeList, { body: { reading: reading.id } })
        const { id } = await ask(routes.startRound, { body: { title: 'Killed' } })
        const params = { round: id }
        await ask(routes.changeRound, {
          params,
          body: {
            listId: list.id,
            letterHtml: { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' },
            dispatch: { perMinute: 100_000 },
          },
        })
        await ask(routes.post, { params, body: { messages: people } })
        await until(10)
        await endProgram(program)
        program = await startProgram(env)
        await until(25)
        await server.kill()
        await sleep(300)
        // The program goes on by itself when the server is back.
        await server.again()
        for (let i = 0; i < 300; i++) {
          const { states } = await ask(routes.round, { params })
          // What may have gone is looked for in Sent; what is not there is the writer's to say.
          if (states.waiting + states.sending + states.retrying === 0) break
          await sleep(100)
        }
        await sleep(500)
        const had = await arrived()
        expect(had.filter((n) => n > 1)).toEqual([])
        const lines = await ask(routes.messages, { params })
        for (const [i, n] of had.entries()) {
          const { state } = lines.find(({ address }) => address === `person${i}@village.example`)!
          // Sent, or in doubt: what is sent has arrived, and what has not arrived is not called sent.
          expect([n, state]).toEqual(n === 1 ? [1, expect.stringMatching(/^(sent|inDoubt)$/)] : [0, 'inDoubt'])
        }
      } finally {
        await endProgram(program)
        await practice.close()
        await rm(folder, { recursive: true, force: true })
      }
    })
  },
)
