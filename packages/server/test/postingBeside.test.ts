import { setTimeout as sleep } from 'node:timers/promises'
import { routes } from '@hand-post/contract'
import pg from 'pg'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { openOnServer } from '../src/db/open.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { minute, peopleCsv, World } from './world.ts'

// While many messages are posted on a server, colleagues go on; and what they change meanwhile is noticed before anything is posted.

/** How long (ms) something must be seen to wait. */
const moment = 300
const csv = (n: number) =>
  peopleCsv(n)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
/** What is refused, by its title; null where it is done. */
const refusal = (asked: Promise<unknown>): Promise<string | null> =>
  asked.then(
    () => null,
    (error) => (error as { problem?: { title: string } }).problem?.title ?? String(error),
  )

describe.skipIf(withoutServer !== null)('posting beside others', () => {
  let server: PostgresServer
  let world: World
  let holding: pg.Client
  beforeAll(async () => {
    server = await PostgresServer.start()
  }, 60_000)
  afterAll(() => server.close())
  beforeEach(async () => {
    world = await World.open({
      databaseUrl: await serverDatabase(server.url()),
      limits: { perDay: 10_000, perMinute: 10_000 },
      // While one thread posts, others do what they do.
      allThreads: true,
    })
    holding = new pg.Client({ connectionString: world.databaseUrl! })
    await holding.connect()
  })
  afterEach(async () => {
    await holding.end()
    await world.close()
  })

  const start = async (people = 700, subject = 'Berth {{Berth}}') =>
    (await world.round(csv(people), { subject, html: '<p>Dear {{Name}}</p>' }, { dispatch: { perMinute: 60 } })).id
  const messagesOf = async (round: number) =>
    (await holding.query('SELECT count(*)::int AS n FROM messages WHERE round_id = $1', [round])).rows[0].n as number

  /**
   * Has work done while messages are being written and cannot be: what they contain is kept from being written, to that work's end.
   * @returns what became of the posting.
   */
  async function whilePosting(posting: () => Promise<unknown>, work: () => Promise<void>): Promise<string | null> {
    await holding.query('BEGIN; LOCK TABLE message_contents IN SHARE MODE')
    const posted = refusal(posting())
    // It stands at that table.
    for (;;) {
      const { rows } = await holding.query(
        `SELECT 1 FROM pg_locks WHERE relation = 'message_contents'::regclass AND NOT granted`,
      )
      if (rows.length > 0) break
      const early = await Promise.race([posted.then((title) => ({ title })), sleep(20)])
      if (early) throw new Error(`It was not written: ${early.title}`)
    }
    try {
      await work()
    } finally {
      await holding.query('COMMIT')
    }
    return posted
  }
  const post = (round: number, messages = 700) => world.call(routes.post, { params: { round }, body: { messages } })

  test('colleagues go on: other rounds are changed, held and posted, and only its own posting and deletion are refused', async () => {
    // What one of these has sent already is asked about in the proof of another, so their subjects differ.
    const [mine, other, small] = [await start(), await start(5), await start(3, 'Mooring {{Berth}}')]
    await post(small, 3)
    const params = { round: mine }
    let again: Promise<string | null> | null = null
    const title = await whilePosting(
      () => post(mine),
      async () => {
        // Whatever takes a turn of its own.
        await world.call(routes.refuseAddress, { body: { address: 'nobody@elsewhere.example', reason: 'moved' } })
        await world.call(routes.allowAddress, { query: { address: 'nobody@elsewhere.example' } })
        await world.call(routes.hold, { params: { round: small } })
        await world.call(routes.carryOn, { params: { round: small } })
        await world.call(routes.changeRound, { params: { round: other }, body: { dispatch: { perMinute: 30 } } })
        await world.call(routes.deleteRound, { params: { round: other } })
        await start(4)
        // Of what is being posted:
        again = refusal(post(mine))
        expect(await refusal(world.call(routes.deleteRound, { params }))).toBe('Being posted')
        // None of it is seen before it is whole.
        expect((await world.call(routes.round, { params })).postedAt).toBeNull()
        expect(await messagesOf(mine)).toBe(0)
      },
    )
    expect(title).toBeNull()
    expect(await messagesOf(mine)).toBe(700)
    expect(await again).toBe('Already posted')
    expect(await refusal(world.call(routes.deleteRound, { params }))).toBe('Posted already')
    await world.pass(minute, 3)
    expect((await world.call(routes.round, { params })).states.sent).toBeGreaterThan(0)
  })

  test('what another process is posting just now is not posted here', async () => {
    const round = await start(5)
    await holding.query('BEGIN')
    // The number of that lock, as rounds/store.ts has it.
    await holding.query('SELECT pg_advisory_xact_lock(47104711, $1)', [round])
    expect(await refusal(post(round, 5))).toBe('Being posted')
    await holding.query('ROLLBACK')
    expect(await refusal(post(round, 5))).toBeNull()
    expect(await messagesOf(round)).toBe(5)
  })

  test.each<[string, (round: number, list: number) => Promise<unknown>]>([
    [
      'the letter',
      (round) =>
        world.call(routes.changeRound, {
          params: { round },
          body: { letterHtml: { subject: 'Other', html: '<p>Other</p>' } },
        }),
    ],
    ['a cell', (_, list) => world.edit(list, { do: 'cells', cells: [[3, 'c1', 'Another']] })],
    [
      'whom it goes to',
      (round) => world.call(routes.setAside, { params: { round, row: 1 }, body: { reason: 'away' } }),
    ],
    [
      'who may be written to',
      () => world.call(routes.refuseAddress, { body: { address: 'person1@village.example', reason: 'asked' } }),
    ],
  ])('where %s is changed meanwhile, nothing is posted, and that is said', async (_, change) => {
    const round = await start()
    const { list } = await world.call(routes.round, { params: { round } })
    expect(
      await whilePosting(
        () => post(round),
        async () => void (await change(round, list!.id)),
      ),
    ).toBe('Changed meanwhile')
    expect(await messagesOf(round)).toBe(0)
    expect((await world.call(routes.round, { params: { round } })).postedAt).toBeNull()
    // Looked at once more, it goes.
    const { counts } = await world.call(routes.people, { params: { round } })
    expect(await refusal(post(round, counts.round))).toBeNull()
    expect(await messagesOf(round)).toBe(counts.round)
  })

  test('while a posting waits for its turn, whoever has it is not kept from looking at the tables', async () => {
    // So many that the database is told of them, which locks the table of messages, and that they have a thread of their own.
    const people = 10_001
    const round = await start(people)
    const other = await start(4)
    await holding.query('BEGIN')
    // The lock by which transactions follow one another, as db/serverHolder.ts has it.
    await holding.query('SELECT pg_advisory_xact_lock(47104710, 3)')
    const posted = refusal(post(round, people))
    // It waits, and not another: whoever posts has the lock of the round.
    const waits = async () =>
      (
        await holding.query(
          `SELECT 1 FROM pg_locks w JOIN pg_locks h USING (pid) WHERE w.locktype = 'advisory' AND NOT w.granted
             AND h.locktype = 'advisory' AND h.classid = 47104711 AND h.objid = ${round} AND h.granted`,
        )
      ).rows.length > 0
    while (!(await waits())) await sleep(50)
    // A colleague's proof waits for neither.
    const { findings } = await world.call(routes.proof, { params: { round: other } })
    expect(findings.filter(({ grade }) => grade === 'stop')).toEqual([])
    await holding.query(`SET LOCAL lock_timeout = '2s'`)
    await holding.query('ANALYZE messages')
    await holding.query('COMMIT')
    expect(await posted).toBeNull()
    expect(await messagesOf(round)).toBe(people)
  })

  test('a long transaction waits for its turn, has it to its end, and writes nothing where it fails', async () => {
    const url = await serverDatabase(server.url())
    const [db, other] = [await openOnServer(url), await openOnServer(url)]
    try {
      await db.query('CREATE TABLE tried (n int PRIMARY KEY)')
      const all = async () => (await other.query<{ n: number }>('SELECT n FROM tried ORDER BY n')).map(({ n }) => n)
      const order: string[] = []
      let goOn!: () => void
      const told = new Promise<void>((done) => {
        goOn = done
      })
      const long = db.longTransaction(async (tx, takeTurn) => {
        await tx.query('INSERT INTO tried VALUES (1)')
        // In this process and in another, others go on; what they have written is seen here.
        for (const [i, on] of [db, other].entries())
          await on.transaction((one) => one.query('INSERT INTO tried VALUES ($1)', [i + 10]))
        expect(await tx.query('SELECT count(*)::int AS n FROM tried')).toEqual([{ n: 3 }])
        expect(await all()).toEqual([10, 11])
        // One that is under way is waited for.
        const before = other.transaction(async (one) => {
          await told
          await one.query('INSERT INTO tried VALUES (12)')
          order.push('the one before')
        })
        await sleep(moment / 3)
        const turn = takeTurn().then(() => order.push('its turn'))
        await sleep(moment)
        expect(order).toEqual([])
        goOn()
        await before
        await turn
        expect(await tx.query('SELECT count(*)::int AS n FROM tried')).toEqual([{ n: 4 }])
        // Others wait for it now, in this process and in another.
        const after = [db, other].map((on) => on.transaction(async () => void order.push('one after')))
        await sleep(moment)
        expect(order).toEqual(['the one before', 'its turn'])
        return after
      })
      await Promise.all(await long)
      expect(order).toEqual(['the one before', 'its turn', 'one after', 'one after'])
      expect(await all()).toEqual([1, 10, 11, 12])
      for (const takes of [false, true])
        await expect(
          db.longTransaction(async (tx, takeTurn) => {
            await tx.query('INSERT INTO tried VALUES (2)')
            if (takes) await takeTurn()
            throw new Error('not after all')
          }),
        ).rejects.toThrow('not after all')
      // Nobody is left waiting for them.
      await other.transaction((one) => one.query('INSERT INTO tried VALUES (13)'))
      expect(await all()).toEqual([1, 10, 11, 12, 13])
      // Within another it is part of that.
      await expect(
        db.transaction(async (tx) => {
          await tx.longTransaction(async (within, takeTurn) => {
            await takeTurn()
            await within.query('INSERT INTO tried VALUES (3)')
          })
          throw new Error('no')
        }),
      ).rejects.toThrow('no')
      expect(await all()).not.toContain(3)
      // What closes waits for one that is open.
      const last = db.longTransaction(async (tx) => {
        await tx.query('INSERT INTO tried VALUES (14)')
        await sleep(moment)
        await tx.query('INSERT INTO tried VALUES (15)')
      })
      await sleep(moment / 3)
      await Promise.all([last, db.close()])
      expect((await all()).slice(-2)).toEqual([14, 15])
    } finally {
      await db.close()
      await other.close()
    }
  })
})
