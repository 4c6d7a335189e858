import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { parentPort, workerData } from 'node:worker_threads'
import pg from 'pg'
import { type Migrated, migrate } from './migrate.ts'
import { type HeldTransaction, serve } from './serve.ts'
import { serverWords } from './serverWords.ts'

// The thread that holds the line to a PostgreSQL server. There is one line, and one thing is done on it after another, as PGlite does it:
// so everything means the same on both.
const { url } = workerData as { url: string }
const words = serverWords(url)

/** The oldest PostgreSQL that is tested. */
const oldest = 15
/** The number by which Hand Post holds its database on the server (PostgreSQL's documentation, 9.27.10, advisory locks). */
const ours = 47_104_710
/** How long (ms) the server may take to answer when it is called, and how long it is called again after it went away. */
const patience = 10_000

const { types } = pg
// Numbers as PGlite gives them; none of ours goes beyond what a number holds exactly.
types.setTypeParser(types.builtins.INT8, Number)
types.setTypeParser(1016 as Parameters<typeof types.setTypeParser>[0], (text) =>
  (text as string).slice(1, -1).split(',').filter(Boolean).map(Number),
)

let client: pg.Client | null = null
let closing = false

/** Holds the database for this line. The server may take a moment to see that the line before has gone. */
async function hold(on: pg.Client): Promise<boolean> {
  for (const until = performance.now() + patience; ; ) {
    const { rows } = await on.query(`SELECT pg_try_advisory_lock(${ours}) AS held`)
    if (rows[0].held || performance.now() > until) return rows[0].held
    await sleep(200)
  }
}

/** Calls the server. Throws, in words, where it cannot be worked with. */
async function call(): Promise<pg.Client> {
  const called = new pg.Client({
    connectionString: url,
    connectionTimeoutMillis: patience,
    keepAlive: true,
    application_name: 'Hand Post',
  })
  // What ends the line is met by whoever asks for something next.
  called.on('error', () => {
    if (client === called) client = null
  })
  called.on('end', () => {
    if (client === called) client = null
  })
  try {
    await called.connect()
    const { rows } = await called.query(
      `SELECT current_setting('server_version_num')::int / 10000 AS version, current_setting('server_encoding') AS encoding,
         pg_is_in_recovery() OR current_setting('default_transaction_read_only') = 'on' AS "readOnly"`,
    )
    const [{ version, encoding, readOnly }] = rows
    const held = await hold(called)
    const fault =
      version < oldest
        ? words.tooOld(version, oldest)
        : encoding !== 'UTF8'
          ? words.encoding(encoding)
          : readOnly
            ? words.readOnly
            : held
              ? null
              : words.inUse
    if (fault !== null) throw Object.assign(new Error(fault), { said: true })
    return called
  } catch (error) {
    await called.end().catch(() => {})
    throw (error as { said?: boolean }).said ? error : new Error(words.cannot(error))
  }
}

/** One after another: what was asked for last waits for all before it. */
let turn: Promise<unknown> = Promise.resolve()
function inTurn<T>(work: () => Promise<T>): Promise<T> {
  const done = turn.then(work).catch((error) => {
    // What the server itself has to say leaves the line as it is; all else may have ended it, and the next calls anew.
    if (!(error instanceof pg.DatabaseError)) leaveLine()
    throw error
  })
  turn = done.catch(() => {})
  return done
}
function leaveLine(): void {
  const left = client
  client = null
  void left?.end().catch(() => {})
}
const line = async (): Promise<pg.Client> => {
  if (closing) throw new Error(words.closed)
  client ??= await call()
  return client
}
const run = async (on: pg.Client, sql: string, values: unknown[]): Promise<unknown[]> =>
  (await on.query(sql, values)).rows ?? []

function begin(): Promise<HeldTransaction> {
  return new Promise((resolve, reject) => {
    inTurn(async () => {
      const on = await line()
      await on.query('BEGIN')
      await new Promise<void>((ended) => {
        resolve({
          query: (sql, values) => run(on, sql, values),
          commit: () =>
            on
              .query('COMMIT')
              .then(({ command }) => {
                // A transaction in which something failed is rolled back, whatever is asked for.
                if (command !== 'COMMIT') throw Object.assign(new Error(words.rolledBack), { code: '25P02' })
              })
              .finally(ended),
          rollback: () =>
            on
              .query('ROLLBACK')
              .then(
                () => {},
                // With the line goes what was not committed.
                leaveLine,
              )
              .finally(ended),
        })
      })
    }).catch(reject)
  })
}

/** Names for statements that are run often: the server reads and plans each once for a line. */
const names = new Map<string, string>()
const nameOf = (sql: string) => {
  const name = names.get(sql) ?? `often_${names.size}`
  names.set(sql, name)
  return name
}

const migrated: Migrated = {
  exec: async (sql) => (await line()).query(sql),
  query: async (sql, values) => ({ rows: (await run(await line(), sql, values ?? [])) as never[] }),
  async transaction(work) {
    await this.exec('BEGIN')
    try {
      await work(this)
      await this.exec('COMMIT')
    } catch (error) {
      await this.exec('ROLLBACK')
      throw error
    }
  },
}

let refused: string | null
try {
  refused = await migrate(migrated, join(import.meta.dirname, 'migrations'))
} catch (error) {
  refused = (error as Error).message
}
if (refused !== null) {
  parentPort!.postMessage({ refused })
  await (client as pg.Client | null)?.end()
} else
  serve({
    query: (sql, values) => inTurn(async () => run(await line(), sql, values)),
    often: (sql, values) =>
      inTurn(async () => {
        await (await line()).query({ name: nameOf(sql), text: sql, values })
      }),
    begin,
    copyTo: () => Promise.reject(new Error(words.noCopy)),
    close: () =>
      inTurn(async () => {
        closing = true
        await client?.end()
      }),
  })
