import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync } from 'node:fs'
import { mkdtemp, readdir, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type CallInput, call, type Route, routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { moveCommand } from '../src/app/moveCommand.ts'
import type { Database } from '../src/db/database.ts'
import { move, stay } from '../src/db/move.ts'
import { type OpenDatabase, openDatabase, openOnServer } from '../src/db/open.ts'
import { type HandPost, startHandPost } from '../src/index.ts'
import { csv } from './lived.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { giveDatabase } from './template.ts'
import { minute, office, settingsFor, World } from './world.ts'

// Everything in an embedded database moved to a PostgreSQL server as Debian has it, and back.

/** Gives the command. Gives what it says, and its exit code. */
const command = (how: string, env: Record<string, string>): Promise<{ code: number; said: string }> =>
  moveCommand(how, env, () => {}).then(
    (said) => ({ code: 0, said }),
    (error: Error) => ({ code: 1, said: error.message }),
  )

/** Every row of every table, but of those that are each database's own: as this test reads them, and not as what moves them does. */
async function everything(db: Database): Promise<Record<string, string[]>> {
  const tables = await db.query<{ name: string }>(
    `SELECT tablename AS name FROM pg_tables WHERE schemaname = 'public' ORDER BY 1`,
  )
  const all: Record<string, string[]> = {}
  for (const { name } of tables)
    if (!['migrations', 'processes', 'leases', 'aside', 'moved', 'shared_folder', 'works'].includes(name))
      all[name] = (await db.query<{ row: string }>(`SELECT to_jsonb(x)::text AS row FROM ${name} x`))
        .map(({ row }) => row)
        .sort()
  return all
}

describe.skipIf(withoutServer !== null)(`moving${withoutServer === null ? '' : `: ${withoutServer}`}`, () => {
  let server: PostgresServer
  beforeAll(async () => {
    server = await PostgresServer.start()
  }, 60_000)
  afterAll(() => server.close())

  test('a whole office to a server and back: every row is there, what waits leaves once, numbers go on, and no one of the two goes on beside', async () => {
    const people = 30
    const world = await World.open({
      embedded: true,
      manners: Object.fromEntries(Array.from({ length: people }, (_, i) => [`person${i}@village.example`, {}])),
      limits: { perDay: 10_000, perMinute: 10_000 },
    })
    const data = join(world.folder, 'data')
    const url = await serverDatabase(server.url())
    const env = { HAND_POST_DATA: data, DATABASE_URL: url }
    let running: HandPost | null = null
    try {
      const round = await world.round(
        csv(people),
        { subject: 'To {{Name}}', html: '<p>Dear {{Name}} – “ünï\u2028” 🚢</p>' },
        { dispatch: { perMinute: 1 } },
      )
      await world.call(routes.addFile, {
        params: { round: round.id },
        query: { name: 'plan.txt', role: 'common' },
        file: Buffer.from('The plan'),
      })
      await world.call(routes.proof, { params: { round: round.id }, query: { wait: 'yes' } })
      await world.call(routes.post, { params: { round: round.id }, body: { messages: people } })
      await world.pass(5 * minute, 5)
      const messageId = /^Message-ID: (\S+)/im.exec((await world.inboxOf('person1@village.example'))[0].toString())![1]
      await world.arrive({
        from: 'person1@village.example',
        to: office,
        subject: 'Re',
        inReplyTo: messageId,
        text: 'Yes.',
      })
      const list = round.list!
      const [row] = await world.rows(list.id)
      await world.edit(list.id, { do: 'cells', cells: [[row.id, list.columns[0].id, 'Näme']] })
      const inUse = await command('to-server', env)
      expect(inUse).toMatchObject({ code: 1, said: expect.stringMatching(/in use by another Hand Post/) })
      const states = (await world.board(round.id)).counts
      await world.handPost.close()

      const embedded = await openDatabase(join(data, 'database'))
      const before = await everything(embedded)
      await embedded.close()
      const { code, said } = await command('to-server', env)
      expect([code, said]).toEqual([0, expect.stringMatching(/Moved to the PostgreSQL server .* compared row by row/)])
      expect(said).toMatch(/: \d+ rows of \d+ tables, and/)
      const there = await openOnServer(url)
      expect(await everything(there)).toEqual(before)
      await there.close()

      const begin = (databaseUrl: string | undefined) =>
        startHandPost({
          settings: settingsFor(world.folder, world.practice, databaseUrl),
          clock: world.clock,
          lanes: world.lanes,
          log: pino({ level: 'silent' }),
        })
      // The one that it came from does not go on.
      await expect(begin(undefined)).rejects.toThrow(
        /was moved to the PostgreSQL server at .* would leave twice otherwise/,
      )
      const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(running!.address, route, input)
      const lettersOf = async () => (await ask(routes.round, { params: { round: round.id } })).states
      const pass = async (ms: number, steps: number) => {
        for (let i = 0; i < steps; i++) {
          world.clock.move(ms / steps)
          await running!.parts.dispatcher.wakeAll()
          await running!.parts.dispatcher.settled()
        }
      }
      running = await begin(url)
      expect((await ask(routes.board, { params: { round: round.id } })).counts).toEqual(states)
      await pass(10 * minute, 10)
      const half = await lettersOf()
      expect(half.sent).toBeGreaterThan(5)
      expect(half.waiting).toBeGreaterThan(0)
      // What is made new has numbers of its own.
      const second = await ask(routes.startRound, { body: { title: 'Later' } })
      expect(second.id).toBeGreaterThan(round.id)
      await running.close()
      running = null

      const back = await command('to-folder', env)
      expect([back.code, back.said]).toEqual([0, expect.stringMatching(/Start Hand Post without DATABASE_URL/)])
      expect((await readdir(data)).filter((name) => name.startsWith('database.moved-'))).toHaveLength(1)
      await expect(begin(url)).rejects.toThrow(/was moved to the data folder/)
      running = await begin(undefined)
      expect((await lettersOf()).sent).toBe(half.sent)
      await pass(60 * minute, 60)
      expect(await lettersOf()).toMatchObject({ sent: people, waiting: 0, inDoubt: 0 })
      for (let i = 0; i < people; i++) expect(await world.inboxOf(`person${i}@village.example`)).toHaveLength(1)
      // A server's database that was moved away takes nothing that it has already.
      await running.close()
      running = null
      expect(await command('to-server', env)).toMatchObject({
        code: 1,
        said: expect.stringMatching(/There is something in/),
      })
      running = await begin(undefined)
    } finally {
      await running?.close()
      await world.practice.close()
      await rm(world.folder, { recursive: true, force: true })
    }
  }, 240_000)

  describe('what goes wrong', () => {
    let folder: string
    let from: OpenDatabase
    let to: OpenDatabase
    let url: string
    beforeEach(async () => {
      folder = await mkdtemp(join(tmpdir(), 'hand-post-move-'))
      giveDatabase(folder)
      from = await openDatabase(join(folder, 'database'))
      url = await serverDatabase(server.url())
      to = await openOnServer(url)
      await from.query(
        `INSERT INTO do_not_write (address, reason, at) SELECT 'gull' || n || '@harbour.example', 'asked to', n FROM generate_series(1, 5000) n`,
      )
    })
    afterEach(async () => {
      await from.close()
      await to.close()
      await rm(folder, { recursive: true, force: true })
    })
    const untouched = async () => {
      expect(await to.query('SELECT 1 FROM do_not_write')).toEqual([])
      expect(await to.query('SELECT 1 FROM pg_constraint WHERE conname = $1', ['messages_round_id_fkey'])).toHaveLength(
        1,
      )
      expect(await from.query('SELECT 1 FROM moved')).toEqual([])
    }

    test('a row that does not arrive as it was is named, and nothing was moved', async () => {
      // Whatever it is that changes one: a rule of that server.
      await to.query(
        `CREATE FUNCTION change() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN IF NEW.address = ''gull77@harbour.example'' THEN NEW.reason := ''else''; END IF; RETURN NEW; END'`,
      )
      await to.query('CREATE TRIGGER change BEFORE INSERT ON do_not_write FOR EACH ROW EXECUTE FUNCTION change()')
      await to.query('ALTER TABLE do_not_write ENABLE ALWAYS TRIGGER change')
      // What belongs to us is set aside meanwhile, so it is one that is not.
      await to.query('CREATE RULE other AS ON INSERT TO do_not_write WHERE NEW.at = 78 DO INSTEAD NOTHING')
      await expect(move(from, to, 'there', 1)).rejects.toThrow(
        /Not every row of do_not_write has arrived as it was: 5000 there, 4999 here; the first that differs is .*gull78/,
      )
      await untouched()
    })

    test('a database that holds something, or is laid out otherwise, is refused; so is one that somebody works with', async () => {
      await to.query(`INSERT INTO do_not_write (address, reason, at) VALUES ('a@b.example', '', 1)`)
      await expect(move(from, to, 'the server there', 1)).rejects.toThrow(
        /^There is something in the server there already/,
      )
      await to.query('DELETE FROM do_not_write')
      await from.query(`INSERT INTO processes (id, name, roles) VALUES ('x', 'quay 12', '[]')`)
      await expect(move(from, to, 'there', 1)).rejects.toThrow('in use by quay 12. Stop Hand Post there first')
      await from.query('DELETE FROM processes')
      await to.query('ALTER TABLE do_not_write ADD COLUMN more int')
      await expect(move(from, to, 'there', 1)).rejects.toThrow('laid out differently')
      await to.query('ALTER TABLE do_not_write DROP COLUMN more')
      await untouched()
      expect((await move(from, to, 'there', 1)).find(({ table }) => table === 'do_not_write')).toEqual({
        table: 'do_not_write',
        rows: 5000,
      })
    })

    test('broken off in the middle, neither goes on before it is said which is to', async () => {
      // As a power cut leaves it: said to be moving, and nothing there.
      await from.query(`INSERT INTO moved (at, target, state) VALUES (1, 'the server there', 'leaving')`)
      await from.close()
      await expect(openDatabase(join(folder, 'database'))).rejects.toThrow(
        /was being moved to the server there, and that was broken off\. Everything is still here/,
      )
      expect(await command('stay', { HAND_POST_DATA: folder, DATABASE_URL: '' })).toEqual({
        code: 0,
        said: 'It is worked with here, as before.',
      })
      from = await openDatabase(join(folder, 'database'))
      await from.query(`INSERT INTO moved (at, target, state) VALUES (1, 'the server there', 'leaving')`)
      await move(from, to, 'there', 2)
      await expect(openDatabase(join(folder, 'database'))).rejects.toThrow(/was moved to there/)
      await from.close()
      expect((await command('stay', { HAND_POST_DATA: folder, DATABASE_URL: '' })).said).toMatch(
        /may have gone on there/,
      )
      from = await openDatabase(join(folder, 'database'), { evenMoved: true })
      await stay(from)
      expect(await to.query('SELECT count(*)::int AS n FROM do_not_write')).toEqual([{ n: 5000 }])
    })

    test('broken off between the last row and the word that it is left, neither goes on, and the command given again ends it', async () => {
      const other = await serverDatabase(server.url())
      // The database goes away as soon as all rows are there: the one cannot say any more that it is left.
      const dies = new Proxy(from, {
        get: (db, name) =>
          name === 'query'
            ? (sql: string, values?: unknown[]) =>
                sql.includes(`'left'`) ? Promise.reject(new Error('gone')) : db.query(sql, values)
            : db[name as keyof OpenDatabase],
      })
      await expect(move(dies, to, 'there', 1)).rejects.toThrow('gone')
      await from.close()
      await to.close()
      await expect(openDatabase(join(folder, 'database'))).rejects.toThrow(
        /was being moved to there, and that was broken off/,
      )
      await expect(openOnServer(url)).rejects.toThrow(/was being filled from another database, and that was broken off/)
      expect((await command('stay', { HAND_POST_DATA: folder, DATABASE_URL: url })).said).toMatch(
        /may be worked with where it came from/,
      )
      expect((await command('to-server', { HAND_POST_DATA: folder, DATABASE_URL: url })).code).toBe(0)
      await expect(openDatabase(join(folder, 'database'))).rejects.toThrow(/was moved to/)
      to = await openOnServer(url)
      expect(await to.query('SELECT count(*)::int AS n FROM do_not_write')).toEqual([{ n: 5000 }])
      // What was left is not moved a second time, to yet another.
      expect((await command('to-server', { HAND_POST_DATA: folder, DATABASE_URL: other })).said).toMatch(
        /was moved away before/,
      )
      from = await openDatabase(join(folder, 'database'), { evenMoved: true })
      // And where Hand Post stayed after all, what half arrived is not taken for it.
      await stay(from)
      await to.query(`INSERT INTO moved (at, target, state) VALUES (1, 'there', 'arriving')`)
      await expect(move(from, to, 'the server there', 2)).rejects.toThrow(
        /^The server there holds what was moved there by half/,
      )
    })

    test('into a folder: refused, nothing new is left in its place; when it is done, what was there before stands beside it', async () => {
      const env = { HAND_POST_DATA: folder, DATABASE_URL: url }
      await from.close()
      await to.close()
      expect((await command('to-server', env)).code).toBe(0)
      const asked = new URL(url).pathname.slice(1)
      await server.ask(`INSERT INTO processes (id, name, roles) VALUES ('x', 'quay 12', '[]')`, asked)
      expect((await command('to-folder', env)).said).toMatch(/in use by quay 12/)
      // The one that was left stands where it stood, and says so still.
      expect(readdirSync(folder).filter((name) => name.startsWith('database'))).toEqual(['database'])
      await expect(openDatabase(join(folder, 'database'))).rejects.toThrow(/was moved to/)
      await server.ask('DELETE FROM processes', asked)
      expect((await command('to-folder', env)).code).toBe(0)
      from = await openDatabase(join(folder, 'database'))
      expect(await from.query('SELECT count(*)::int AS n FROM do_not_write')).toEqual([{ n: 5000 }])
      to = await openOnServer(url, { evenMoved: true })
    })

    test('the command says what it wants', async () => {
      const none = { HAND_POST_DATA: join(folder, 'none'), DATABASE_URL: '' }
      expect((await command('sideways', none)).said).toMatch(/to-server, to-folder, or stay/)
      expect(() =>
        execFileSync('npm', ['run', '--silent', 'move', '--', 'to-server'], {
          cwd: join(import.meta.dirname, '../../..'),
          env: { ...process.env, ...none },
          stdio: 'pipe',
        }),
      ).toThrow(/Set DATABASE_URL/)
      expect((await command('to-server', none)).said).toMatch(/Set DATABASE_URL/)
      expect((await command('to-server', { ...none, DATABASE_URL: url })).said).toMatch(/There is no database in/)
      expect(existsSync(join(folder, 'none', 'database'))).toBe(false)
      await from.close()
      expect((await command('to-folder', { HAND_POST_DATA: folder, DATABASE_URL: url })).said).toMatch(
        /There is a database in .* already/,
      )
      from = await openDatabase(join(folder, 'database'))
    })
  })
})
