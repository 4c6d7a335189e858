import { join } from 'node:path'
import { finished } from 'node:stream/promises'
import { setTimeout as sleep } from 'node:timers/promises'
import { parentPort, workerData } from 'node:worker_threads'
import pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { type Migrated, migrate, newestMigration, toDo } from './migrate.ts'
import { type HeldTransaction, serve } from './serve.ts'
import { serverWords } from './serverWords.ts'

// The thread that holds the connections to a PostgreSQL server: a pool of them for what is asked, and one of its own, by which this
// process is known to the server and hears the others.
const { url, lines, evenMoved, asPublic } = workerData as {
  url: string
  lines: number
  evenMoved: boolean
  /** Whether it is only what the public address does that is done, or may be done, with it. */
  asPublic?: boolean
}
const words = serverWords(url)

/** The oldest PostgreSQL that is tested. */
const oldest = 15
/** The number by which Hand Post takes locks on a server (PostgreSQL's documentation, 9.27.10, advisory locks), and which of them. */
const ours = 47_104_710
const locks = {
  /** One process after another looks whether the database is up to date, and brings it there. */
  starting: 1,
  /** Held by all that work with it, together; alone by whoever lays it out anew. */
  inUse: 2,
  /** One transaction after another, in all processes: what one has read in it, no other changes before it has ended. */
  transaction: 3,
}
/** How long (ms) the server may take to answer when it is called, and how long others are waited for. */
const patience = 10_000
/** How long (ms) a transaction may say nothing before the server ends it: whoever began it stands still, and all others wait for it. */
const silence = 30_000
/** How often (ms) it is looked whether the server still hears us, and how long after it was gone it is called again. */
const lookEvery = 5000
const callAgain = 500
/** The channel on which processes hear each other. */
const channel = 'hand_post'

const { types } = pg
// Numbers as PGlite gives them; none of ours goes beyond what a number holds exactly.
types.setTypeParser(types.builtins.INT8, Number)
types.setTypeParser(1016 as Parameters<typeof types.setTypeParser>[0], (text) =>
  (text as string).slice(1, -1).split(',').filter(Boolean).map(Number),
)

const config = {
  connectionString: url,
  connectionTimeoutMillis: patience,
  keepAlive: true,
  application_name: 'Hand Post',
}
const pool = new pg.Pool({
  ...config,
  max: lines,
  // Said when it is there, for poolers do not take it with the call; whoever is given the connection waits for it.
  onConnect: async (client) => {
    await client.query(`SET idle_in_transaction_session_timeout = ${silence}`)
    // What letters contain is compressed many times as fast by it; a server that was built without it does so as it does.
    await client.query(`SET default_toast_compression = 'lz4'`).catch(() => {})
  },
})
// What ends a connection that rests is met by nobody: the next who asks is given another.
pool.on('error', () => {})
let closing = false

/** Takes a lock for this connection's session, waiting a while for whoever has it. */
async function lockWithin(on: pg.Client, kind: 'pg_try_advisory_lock' | 'pg_try_advisory_lock_shared', which: number) {
  for (const until = performance.now() + patience; ; ) {
    const { rows } = await on.query(`SELECT ${kind}(${ours}, ${which}) AS held`)
    if (rows[0].held || performance.now() > until) return rows[0].held as boolean
    await sleep(200)
  }
}

/** A fault in words; `final`: it will not pass by itself. */
const said = (text: string, final = false) => Object.assign(new Error(text), { said: true, final })

/** Whether a pooler gives our sessions' statements to connections of its own choice: nothing of a session would hold there. */
async function changesUnderUs(on: pg.Client): Promise<boolean> {
  const pid = async (one: pg.ClientBase) => (await one.query('SELECT pg_backend_pid() AS pid')).rows[0].pid as number
  const before = await pid(on)
  const other = new pg.Client(config)
  other.on('error', () => {})
  try {
    await other.connect()
    // It holds whichever connection is free, and so ours would get another.
    await other.query('BEGIN')
    await pid(other)
    return (await pid(on)) !== before
  } finally {
    await other.end().catch(() => {})
  }
}

/** Says in words why the server cannot be worked with; null where it can. */
async function faultOf(on: pg.Client): Promise<string | null> {
  const { rows } = await on.query(
    `SELECT current_setting('server_version_num')::int / 10000 AS version, current_setting('server_encoding') AS encoding,
       pg_is_in_recovery() OR current_setting('default_transaction_read_only') = 'on' AS "readOnly"`,
  )
  const [{ version, encoding, readOnly }] = rows
  if (version < oldest) return words.tooOld(version, oldest)
  if (encoding !== 'UTF8') return words.encoding(encoding)
  if (readOnly) return words.readOnly
  return (await changesUnderUs(on)) ? words.pooled : null
}

const migrations = join(import.meta.dirname, 'migrations')

/** Brings the database up to date, where it is not, and takes it into use. Throws, in words, where that cannot be. */
async function takeIntoUse(on: pg.Client): Promise<void> {
  const migrated: Migrated = {
    exec: (sql) => on.query(sql),
    query: async (sql, values) => ({ rows: (await on.query(sql, values)).rows as never[] }),
    async transaction(work) {
      await on.query('BEGIN')
      try {
        await work(this)
        await on.query('COMMIT')
      } catch (error) {
        await on.query('ROLLBACK')
        throw error
      }
    },
  }
  if (!(await lockWithin(on, 'pg_try_advisory_lock', locks.starting))) throw said(words.others)
  try {
    if ((await toDo(migrated, migrations)) > 0 && !(await lockWithin(on, 'pg_try_advisory_lock', locks.inUse)))
      throw said(words.older)
    const refused = await migrate(migrated, migrations, words.place, evenMoved)
    if (refused !== null) throw said(refused, true)
    await on.query(`SELECT pg_advisory_lock_shared(${ours}, ${locks.inUse})`)
    // Where it was held alone, it is now held with others; where it was not, there is nothing to give back but a warning.
    await on.query(
      `SELECT pg_advisory_unlock(${ours}, ${locks.inUse}) FROM pg_locks
       WHERE locktype = 'advisory' AND pid = pg_backend_pid() AND mode = 'ExclusiveLock' AND classid = ${ours} AND objid = ${locks.inUse}`,
    )
  } finally {
    await on.query(`SELECT pg_advisory_unlock(${ours}, ${locks.starting})`)
  }
}

/** Takes a database into use that is laid out already, for what the public address does. Throws, in words, where that cannot be. */
async function takeIntoUseAsPublic(on: pg.Client): Promise<void> {
  await on.query(`SELECT pg_advisory_lock_shared(${ours}, ${locks.inUse})`)
  const { rows } = await on.query('SELECT public_state() AS state').catch((error: pg.DatabaseError) => {
    // Undefined function, and insufficient privilege (PostgreSQL, appendix A).
    if (error.code === '42883') throw said(words.notLaidOut)
    if (error.code === '42501') throw said(words.mayNot, true)
    throw error
  })
  const { last, moved } = rows[0].state as { last: string; moved: boolean }
  if (moved) throw said(words.movedAway, true)
  if (last !== newestMigration(migrations)) throw said(words.otherVersion(last), true)
}

/** The connection by which this process is known to the server. */
let known: pg.Client | null = null

/** Calls the server, and listens there. Throws, in words, where it cannot be worked with. */
async function call(): Promise<pg.Client> {
  const called = new pg.Client(config)
  const gone = () => {
    if (known !== called) return
    known = null
    if (!closing) setTimeout(callBack, callAgain).unref()
  }
  called.on('error', gone)
  called.on('end', gone)
  called.on('notification', ({ payload }) => parentPort!.postMessage({ heard: payload ?? '' }))
  try {
    await called.connect()
    const fault = await faultOf(called)
    if (fault !== null) throw said(fault)
    await (asPublic ? takeIntoUseAsPublic(called) : takeIntoUse(called))
    await called.query(`LISTEN ${channel}`)
    return called
  } catch (error) {
    await called.end().catch(() => {})
    throw (error as { said?: boolean }).said ? error : new Error(words.cannot(error))
  }
}

/** Calls a server that was gone, until it answers. What was said meanwhile was not heard, and that is told. */
async function callBack(): Promise<void> {
  if (closing || known) return
  try {
    known = await call()
    parentPort!.postMessage({ heard: null })
  } catch (error) {
    // One that has been laid out anew by a newer program meanwhile is not ours any more; all else may pass.
    if ((error as { final?: boolean }).final) throw error
    setTimeout(callBack, callAgain).unref()
  }
}

/** A server that has gone without a word says nothing at all: it is asked, and what it does not answer is broken off. */
async function lookAtIt(): Promise<void> {
  const asked = known
  if (!asked || closing) return
  const late = setTimeout(() => {
    const { stream } = (asked as unknown as { connection: { stream: { destroy(): void } } }).connection
    stream.destroy()
    for (const client of (pool as unknown as { _clients: { connection: { stream: { destroy(): void } } }[] })._clients)
      client.connection.stream.destroy()
  }, patience)
  await asked.query('SELECT 1').catch(() => {})
  clearTimeout(late)
}

/** What went wrong, in words where it is that the server cannot be had at all. */
const inWords = (error: unknown): Error => {
  if (error instanceof pg.DatabaseError && !/^(57P|53300|28|3D)/.test(error.code ?? '')) return error
  return Object.assign(new Error(words.cannot(error)), { code: (error as { code?: string }).code })
}

async function query(sql: string, values: unknown[]): Promise<unknown[]> {
  if (closing) throw new Error(words.closed)
  try {
    return (await pool.query(sql, values)).rows ?? []
  } catch (error) {
    throw inWords(error)
  }
}

/** One transaction of this process after another: while one waits for other processes, it takes one connection and not all. */
let turn: Promise<unknown> = Promise.resolve()

/** Transactions that go on beside others. */
const besides = new Set<Promise<void>>()

function begin(beside: boolean): Promise<HeldTransaction> {
  return new Promise((resolve, reject) => {
    const run = () => transact(resolve, beside).catch((error) => reject(inWords(error)))
    if (!beside) turn = turn.then(run)
    else {
      const ended = run().finally(() => besides.delete(ended))
      besides.add(ended)
    }
  })
}

const takeLock = `SELECT pg_advisory_xact_lock(${ours}, ${locks.transaction})`

/** Opens a transaction, and is fulfilled when it has ended. */
async function transact(opened: (tx: HeldTransaction) => void, beside: boolean): Promise<void> {
  if (closing) throw new Error(words.closed)
  const client = await pool.connect()
  // Met by whoever asks for something next.
  client.on('error', () => {})
  let broken: Error | undefined
  try {
    await client.query(beside ? 'BEGIN' : `BEGIN; ${takeLock}`)
    await new Promise<void>((ended) => {
      const ending = async (sql: 'COMMIT' | 'ROLLBACK') => {
        try {
          return (await client.query(sql)).command
        } catch (error) {
          // With the connection goes what was not committed.
          broken = error as Error
          if (sql === 'ROLLBACK') return sql
          throw inWords(error)
        } finally {
          ended()
        }
      }
      opened({
        query: async (sql, values) => (await client.query(sql, values)).rows ?? [],
        copyIn: async (into, lines) => {
          const stream = client.query(copyFrom(`COPY ${into} FROM STDIN`))
          stream.end(lines)
          await finished(stream)
        },
        // It waits at the server, and not for this process's turn: one that waits here says nothing, and would be ended for that.
        takeTurn: async () => {
          await client.query(takeLock)
        },
        commit: async () => {
          // A transaction in which something failed is rolled back, whatever is asked for.
          if ((await ending('COMMIT')) !== 'COMMIT') throw Object.assign(new Error(words.rolledBack), { code: '25P02' })
        },
        rollback: async () => {
          await ending('ROLLBACK')
        },
      })
    })
  } catch (error) {
    broken = error as Error
    throw error
  } finally {
    client.removeAllListeners('error')
    client.on('error', () => {})
    client.release(broken)
  }
}

/** Names for statements that are run often: the server reads and plans each once for a connection. */
const names = new Map<string, string>()
const nameOf = (sql: string) => {
  const name = names.get(sql) ?? `often_${names.size}`
  names.set(sql, name)
  return name
}

let refused: string | null = null
try {
  known = await call()
} catch (error) {
  refused = (error as Error).message
}
if (refused !== null) {
  parentPort!.postMessage({ refused })
  await pool.end()
} else {
  setInterval(lookAtIt, lookEvery).unref()
  serve({
    query,
    async often(sql, values) {
      if (closing) throw new Error(words.closed)
      try {
        await pool.query({ name: nameOf(sql), text: sql, values })
      } catch (error) {
        throw inWords(error)
      }
    },
    begin,
    copyTo: () => Promise.reject(new Error(words.noCopy)),
    notify: async (text) => {
      await query('SELECT pg_notify($1, $2)', [channel, text])
    },
    lines: () => ({
      busy: pool.totalCount - pool.idleCount,
      resting: pool.idleCount,
      waiting: pool.waitingCount,
    }),
    close: async () => {
      await Promise.all([turn, ...besides])
      closing = true
      await Promise.allSettled([known?.end(), pool.end()])
    },
  })
}
