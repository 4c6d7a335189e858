import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { emptyLetter, type Letter } from '@hand-post/core'
import { simpleParser } from 'mailparser'
import pg from 'pg'
import pino from 'pino'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import { type PublicAlone, startPublicAlone } from '../src/app/publicAlone.ts'
import { readSettings } from '../src/index.ts'
import { servesPublicAlone } from '../src/settings.ts'
import { bare } from './http.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { minute, World } from './world.ts'

// The public address alone, near the internet, as a user of the database who may do nothing there but what it does.

const names = ['Ada', 'Bram', 'Cy']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
const letter: Letter = {
  ...emptyLetter,
  subject: 'Harbour day, {{Name}}',
  body: {
    type: 'doc',
    content: [
      { type: 'paragraph', content: [{ type: 'text', text: 'Where it is: https://quay.example/map' }] },
      {
        type: 'paragraph',
        content: [
          {
            type: 'text',
            text: 'the map',
            marks: [{ type: 'link', attrs: { href: 'https://quay.example/map' } }],
          },
        ],
      },
      { type: 'choices', attrs: { choices: ['I shall come', 'I cannot'] } },
    ],
  } as Letter['body'],
}

describe.skipIf(withoutServer !== null)(
  `the public address alone${withoutServer === null ? '' : `: ${withoutServer}`}`,
  () => {
    let server: PostgresServer
    let world: World
    let alone: PublicAlone
    let round: number
    let folder: string
    /** The database as the user of the public address has it. */
    let asPublic: string
    let client: pg.Client
    const settings = (more: Record<string, string> = {}) => {
      const read = readSettings({
        DATABASE_URL: asPublic,
        HAND_POST_DATA: join(folder, 'public'),
        HAND_POST_PORT: '0',
        HAND_POST_PUBLIC_PORT: '0',
        HAND_POST_ROLES: 'public',
        HAND_POST_SIGNING_KEY:
          world.handPost.parts.publicAddress.signingKey instanceof Uint8Array
            ? Buffer.from(world.handPost.parts.publicAddress.signingKey).toString('base64')
            : '',
        ...more,
      })
      if (!servesPublicAlone(read)) throw new Error('not alone')
      return read
    }
    beforeAll(async () => {
      server = await PostgresServer.start()
      folder = await mkdtemp(join(tmpdir(), 'hand-post-public-'))
      const databaseUrl = await serverDatabase(server.url())
      world = await World.open({
        databaseUrl,
        publicUrl: 'https://post.brindlequay.example',
        manners: Object.fromEntries(names.map((name) => [addressOf(name), {}])),
        limits: { perDay: 10_000, perMinute: 10_000 },
      })
      await server.ask(`CREATE ROLE web LOGIN IN ROLE hand_post_public`)
      const url = new URL(databaseUrl)
      url.username = 'web'
      asPublic = url.href
      alone = await startPublicAlone(settings(), pino({ level: 'silent' }))
      client = new pg.Client({ connectionString: asPublic })
      await client.connect()
      const csv = ['Name,Email', ...names.map((name) => `${name},${addressOf(name)}`)].join('\n')
      round = (await world.round(csv, { subject: 'x', html: '<p>x</p>' }, { dispatch: { perMinute: 60 } })).id
      const params = { round }
      const tracking = { opens: true, clicks: true, optOut: true }
      await world.call(routes.changeRound, { params, body: { letter, tracking } })
      const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
      const asks = findings.filter((f) => f.grade === 'ask').map((f) => f.key)
      if (asks.length > 0) await world.call(routes.accept, { params, body: { keys: asks, reason: 'made up' } })
      await world.call(routes.post, { params, body: { messages: names.length } })
      await world.pass(minute, 5)
    }, 120_000)
    afterAll(async () => {
      await client?.end()
      await alone?.close()
      await world?.close()
      await server?.close()
      await rm(folder, { recursive: true, force: true })
    })
    /** The addresses of a letter that lead to the public address, as they are here. */
    const linksOf = async (name: string) => {
      const { html } = await simpleParser((await world.inboxOf(addressOf(name))).at(-1)!)
      return [...String(html).matchAll(/https:\/\/post\.brindlequay\.example(\/[^"\s<]*)/g)].map(([, path]) =>
        path.replaceAll('&amp;', '&'),
      )
    }
    const of = async (name: string, kind: string) => (await linksOf(name)).find((path) => path.startsWith(`/${kind}/`))!

    test('opens, followed links, choices and opting out come in through it, and the desk hears of them', async () => {
      const heard: string[] = []
      const end = world.handPost.parts.subscribe(({ topic, id }) => void heard.push(`${topic} ${id}`))
      expect((await bare(alone.publicUrl, await of('Ada', 'p'))).status).toBe(200)
      expect((await bare(alone.publicUrl, await of('Ada', 'l'))).headers.location).toBe('https://quay.example/map')
      const path = await of('Bram', 'c')
      const { body } = await bare(alone.publicUrl, path)
      const nonce = /name="nonce" value="([^"]+)"/.exec(body)![1]
      const choose = () =>
        fetch(alone.publicUrl + path, {
          method: 'POST',
          body: new URLSearchParams({
            choice: /value="(\d+)" required checked/.exec(body)![1],
            words: 'Gladly.',
            nonce,
          }),
        })
      expect([(await choose()).status, (await choose()).status]).toEqual([200, 200])
      expect((await fetch(alone.publicUrl + (await of('Cy', 'o')), { method: 'POST' })).status).toBe(200)
      await vi.waitFor(async () => {
        const { people } = await world.board(round)
        const [ada, bram, cy] = names.map((name) => people.find(({ person }) => person === name)!)
        expect(ada.responses.map(({ kind }) => kind).sort()).toEqual(['click', 'open'])
        expect(bram.choice).toBe('I shall come')
        expect(cy.outcome).toBe('optedOut')
      }, 20_000)
      await vi.waitFor(() => expect(heard).toContain(`responses ${round}`), 10_000)
      const { lines } = await world.call(routes.inTray)
      expect(lines.filter(({ person }) => person === 'Bram')).toHaveLength(1)
      expect((await world.call(routes.doNotWrite)).map(({ address }) => address)).toEqual(['cy@village.example'])
      end()
    })

    test('it says how it is, and serves no desk', async () => {
      expect(await (await fetch(`${alone.address}/api/ready`)).json()).toMatchObject({ ready: true })
      expect(await (await fetch(`${alone.address}/api/health`)).json()).toMatchObject({ accounts: false })
      for (const path of ['/', '/api/rounds', '/api/metrics', '/api/openapi.json'])
        expect((await fetch(alone.address + path)).status, path).toBe(404)
    })

    test('its user touches no table, in no way, and makes nothing', async () => {
      const tables = await server.ask<{ name: string }>(
        `SELECT c.relname AS name FROM pg_class c WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'v', 'm', 'S')`,
        new URL(asPublic).pathname.slice(1),
      )
      expect(tables.length).toBeGreaterThan(50)
      const refused = (sql: string) =>
        client.query(sql).then(
          () => 'was done',
          (error: pg.DatabaseError) => error.code,
        )
      for (const { name } of tables) {
        const table = `"${name}"`
        // 42501: insufficient privilege; 42809 and 55000: a sequence is no table (PostgreSQL, appendix A).
        for (const sql of [
          `SELECT * FROM ${table}`,
          `DELETE FROM ${table}`,
          `TRUNCATE ${table}`,
          `INSERT INTO ${table} DEFAULT VALUES`,
        ])
          expect(['42501', '42809', '55000'], `${sql}: ${await refused(sql)}`).toContain(await refused(sql))
      }
      for (const sql of [
        'CREATE TABLE mine (n int)',
        'CREATE FUNCTION mine() RETURNS int LANGUAGE sql AS $$ SELECT 1 $$',
        'CREATE SCHEMA mine',
        'ALTER TABLE messages ADD COLUMN n int',
        'SET ROLE hand',
        'SELECT let_public_in()',
        'CREATE ROLE other',
        `COPY (SELECT 1) TO PROGRAM 'true'`,
        `SELECT pg_read_file('/etc/passwd')`,
      ])
        expect(await refused(sql), sql).not.toBe('was done')
    })

    test('of all functions with more rights than their caller’s it may call those that are named, and no others', async () => {
      const mine = `SELECT p.proname AS name FROM pg_proc p WHERE p.pronamespace = 'public'::regnamespace AND p.prosecdef`
      const all = (await client.query(`${mine} ORDER BY 1`)).rows.map(({ name }) => name)
      expect(all).toEqual([
        'public_add_fetched',
        'public_choose',
        'public_fetched',
        'public_forget_journals',
        'public_journals',
        'public_message',
        'public_opt_out',
        'public_state',
      ])
      // Nobody else may, who has not been let in; and each looks for what it uses in one schema only (CVE-2018-1058).
      await server.ask('CREATE ROLE stranger LOGIN')
      const rights = await server.ask<{ name: string; web: boolean; stranger: boolean; config: string[] }>(
        `SELECT p.proname AS name, has_function_privilege('web', p.oid, 'EXECUTE') AS web, has_function_privilege('stranger', p.oid, 'EXECUTE') AS stranger,
           p.proconfig AS config FROM pg_proc p WHERE p.pronamespace = 'public'::regnamespace AND p.prosecdef`,
        new URL(asPublic).pathname.slice(1),
      )
      for (const one of rights)
        expect(one).toEqual({ name: one.name, web: true, stranger: false, config: ['search_path=public, pg_temp'] })
    })

    test('what no page can have said is not taken, and without a key nothing is given', async () => {
      const key = /^\/c\/([\w-]{22})\./.exec(await of('Ada', 'c'))![1]
      const given = {
        from: 'a',
        subject: 's',
        words: 'w',
        text: 'w',
        sorted: { pile: 'answer', why: 'made up' },
        choice: { n: 1, choice: 'x' },
      }
      const choose = (pile: string, details: unknown, answer = 'once') =>
        client.query('SELECT public_choose($1, $2, 1, $3, $4)', [key, answer, pile, JSON.stringify(details)]).then(
          () => 'taken',
          (error: pg.DatabaseError) => error.code,
        )
      expect(await choose('answer', given)).toBe('taken')
      for (const [pile, details] of [
        ['returned', given],
        ['answer', { ...given, from: 5 }],
        ['answer', { ...given, junk: true }],
        ['answer', { ...given, choice: 'x' }],
        ['answer', { ...given, sorted: { pile: 'answer' } }],
        ['choice', given],
        ['answer', { ...given, text: undefined }],
        ['answer', []],
        ['answer', { ...given, words: 'w'.repeat(200_000) }],
      ] as const)
        expect(await choose(pile, details, 'other'), JSON.stringify(details).slice(0, 80)).toBe('22023')
      expect((await client.query(`SELECT public_message('nobody''s') AS found`)).rows).toEqual([{ found: null }])
      // The desk reads on: what was added so is an answer like any other.
      await world.call(routes.inTray)
      await world.board(round)
    })

    test('it does not start with a database that is not laid out, of another version, moved, or as a user who was not let in', async () => {
      const start = (more: Record<string, string>) =>
        startPublicAlone(settings({ HAND_POST_DATA: join(folder, 'other'), ...more }), pino({ level: 'silent' })).then(
          async (started) => {
            await started.close()
            return 'started'
          },
          (error: Error) => error.message,
        )
      expect(await start({ DATABASE_URL: await serverDatabase(server.url()) })).toMatch(
        /was not laid out by this version/,
      )
      const stranger = new URL(asPublic)
      stranger.username = 'stranger'
      expect(await start({ DATABASE_URL: stranger.href })).toMatch(/Make it a member of the role hand_post_public/)
      const name = new URL(asPublic).pathname.slice(1)
      await server.ask(`INSERT INTO migrations (name) VALUES ('999_later.sql')`, name)
      expect(await start({})).toMatch(/laid out by another version of Hand Post \(it has 999_later.sql last\)/)
      await server.ask(`DELETE FROM migrations WHERE name = '999_later.sql'`, name)
      expect(await start({})).toBe('started')
      expect(() => settings({ HAND_POST_ROLES: 'public,mail' })).toThrow(
        /is for a process that serves the public address and nothing else/,
      )
      expect(() => settings({ HAND_POST_SIGNING_KEY: 'AAAA' })).toThrow(/as “npm run signing-key” prints it/)
    })
  },
)
