import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { chmod, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { call, routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import { openOnServer } from '../src/db/open.ts'
import { readSettings, startHandPost } from '../src/index.ts'
import { copiesWhatever } from './copied.ts'
import { freePort, PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { endProgram, programEnv, startProgram } from './program.ts'
import { askAt, fastMailbox, hadBy, postRound, slowPractice, untilHad } from './programRound.ts'
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
        // One transaction after another, in all processes: what one reads in it, no other changes before it has ended. What is asked for
        // besides does not wait.
        const other = await openOnServer(url)
        // All four wait for this answer, and so it cannot wait for them.
        const answered = sleep(10).then(() => db.query('SELECT 1 AS one'))
        const adds = (on: typeof db) =>
          on.transaction(async (tx) => {
            const [{ n }] = await tx.query<{ n: number }>('SELECT max(n) AS n FROM tried')
            expect(await answered).toEqual([{ one: 1 }])
            await sleep(20)
            await tx.query('INSERT INTO tried VALUES ($1)', [(n ?? 2) + 1])
          })
        await Promise.all(Array.from({ length: 4 }, (_, i) => adds(i % 2 === 0 ? db : other)))
        expect(await db.query('SELECT n FROM tried ORDER BY n')).toEqual([3, 4, 5, 6].map((n) => ({ n })))
        await other.close()
        // What is asked for on a line of which it was not noticed yet that it was cut is refused in words: waited for here, until none rests.
        const cut = async () => {
          await server.ask(
            `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'Hand Post' AND datname = '${new URL(url).pathname.slice(1)}'`,
          )
          await expect.poll(async () => (await db.lines()).resting).toBe(0)
        }
        await expect(
          db.transaction(async (tx) => {
            await tx.query('INSERT INTO tried VALUES (14)')
            await cut()
            await tx.query('INSERT INTO tried VALUES (15)')
          }),
        ).rejects.toThrow()
        expect(await db.query('SELECT max(n) AS n FROM tried')).toEqual([{ n: 6 }])
        await cut()
        await db.runOften('INSERT INTO tried VALUES ($1)', [7])
        await server.kill()
        await expect(db.query('SELECT 1')).rejects.toThrow(/cannot be used|terminat|closed/i)
        await server.again()
        expect(await db.query('SELECT count(*) AS n, sum(n)::bigint AS sum FROM tried')).toEqual([{ n: 5, sum: 25 }])
      } finally {
        await db.close()
      }
    })

    test('what is copied into a table stands there as it was', async () => {
      const db = await openOnServer(await made())
      try {
        await copiesWhatever(db)
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

    test.skipIf(!existsSync('/usr/sbin/pgbouncer') || process.getuid?.() !== 0)(
      'a pooler that works by sessions will do; one that works by transactions is recognised, and refused',
      async () => {
        const name = new URL(await made()).pathname.slice(1)
        const folder = await mkdtemp(join(tmpdir(), 'hand-post-pooler-'))
        await chmod(folder, 0o777)
        const through = async (mode: 'session' | 'transaction') => {
          const port = await freePort()
          const settings = [
            '[databases]',
            `${name} = host=127.0.0.1 port=${server.port} user=hand`,
            '[pgbouncer]',
            'listen_addr = 127.0.0.1',
            `listen_port = ${port}`,
            'auth_type = any',
            `pool_mode = ${mode}`,
            'unix_socket_dir =',
          ]
          await writeFile(join(folder, `${mode}.ini`), settings.join('\n'))
          const pooler = spawn('/usr/sbin/pgbouncer', ['-u', 'postgres', join(folder, `${mode}.ini`)], {
            stdio: 'ignore',
          })
          try {
            for (let i = 0; i < 100; i++) {
              const said = await refusal(`postgres://hand@127.0.0.1:${port}/${name}`)
              if (!/nothing answers there/.test(said)) return said
              await sleep(100)
            }
            return 'it did not start'
          } finally {
            pooler.kill('SIGINT')
          }
        }
        expect(await through('transaction')).toMatch(
          /through a pooler that changes connections between statements \(transaction mode\)/,
        )
        expect(await through('session')).toBe('was opened')
        await rm(folder, { recursive: true, force: true })
      },
      60_000,
    )

    test('how many connections do something is known, and what waits for one', async () => {
      const db = await openOnServer(await made())
      try {
        await db.query('SELECT 1')
        expect(await db.lines()).toEqual({ busy: 0, resting: 1, waiting: 0 })
        const slow = Array.from({ length: 11 }, () => db.query('SELECT pg_sleep(1)'))
        // As many as there are, and the others wait.
        for (let i = 0; i < 50 && (await db.lines()).waiting < 3; i++) await sleep(10)
        expect(await db.lines()).toEqual({ busy: 8, resting: 0, waiting: 3 })
        await Promise.all(slow)
        expect(await db.lines()).toEqual({ busy: 0, resting: 8, waiting: 0 })
      } finally {
        await db.close()
      }
    })

    test('a second program needs the folder of the first, and a newer one that all others have ended', async () => {
      world = await World.open({ databaseUrl: await made() })
      const elsewhere = await mkdtemp(join(tmpdir(), 'hand-post-'))
      const second = (more: object = {}) =>
        startHandPost({
          settings: { ...settingsFor(elsewhere, world!.practice, world!.databaseUrl), ...more },
          lanes: world!.lanes,
          log: pino({ level: 'silent' }),
        })
      await expect(second()).rejects.toThrow(/does not bear the mark of this database .* Is it mounted\?/)
      const shared = join(world.folder, 'data')
      const beside = await second({ HAND_POST_SHARED: shared })
      expect(await call(beside.address, routes.mailboxes)).toHaveLength(1)
      await beside.close()
      await rm(elsewhere, { recursive: true, force: true })
      // As if this one were newer than the one that works with it.
      const name = new URL(world.databaseUrl!).pathname.slice(1)
      const [last] = await server.ask<{ name: string; checksum: string }>(
        `DELETE FROM migrations WHERE name = (SELECT max(name) FROM migrations) RETURNING name, checksum`,
        name,
      )
      await expect(second({ HAND_POST_SHARED: shared })).rejects.toThrow(/in use by a Hand Post of an older version/)
      await server.ask(`INSERT INTO migrations VALUES ('${last.name}', '${last.checksum}')`, name)
    }, 60_000)

    test('killed while letters leave, the program and the server each, everybody has exactly one', async () => {
      const people = 60
      const folder = await mkdtemp(join(tmpdir(), 'hand-post-kill-'))
      const practice = await slowPractice(join(folder, 'practice'), people, 240)
      const env = { ...programEnv(folder, practice), DATABASE_URL: await made(), HAND_POST_LOG: 'silent' }
      let program = await startProgram(env)
      const ask = askAt(() => program.address)
      try {
        await fastMailbox(ask)
        const params = { round: await postRound(ask, 0, people) }
        await untilHad(practice, people, 10)
        await endProgram(program)
        program = await startProgram(env)
        await untilHad(practice, people, 25)
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
        const had = await hadBy(practice, people)
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
