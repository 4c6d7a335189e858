import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import { join } from 'node:path'
import { parentPort, workerData } from 'node:worker_threads'
import { migrate } from './migrate.ts'
import { type HeldTransaction, serve } from './serve.ts'
import { nextUpkeep } from './upkeep.ts'

// The thread that holds PGlite. PGlite computes where it is called, so it must not be on the server's main thread.
const { folder, evenMoved } = workerData as { folder: string | null; evenMoved: boolean }
// PGlite gives each of its files a mode of its own, open to everybody, whatever the process allows. In this thread, in which nothing
// else changes modes, others are left nothing of it.
for (const name of ['chmodSync', 'fchmodSync'] as const) {
  const own = fs[name] as (file: unknown, mode: number) => void
  Object.assign(fs, { [name]: (file: unknown, mode: fs.Mode) => own(file, Number(mode) & 0o700) })
}
syncBuiltinESMExports()
const { PGlite, protocol } = await import('@electric-sql/pglite')

// 16 MB of page cache instead of 128: the lists in use are kept by the computing threads, not here.
const startParams = [...PGlite.defaultStartParams, '-c', 'shared_buffers=16MB']
const pg = await PGlite.create(folder ?? undefined, { startParams })

const refused = await migrate(pg, join(import.meta.dirname, 'migrations'), undefined, evenMoved)
if (refused !== null) parentPort!.postMessage({ refused })

/** Opens a transaction that stays open until it is ended. PGlite makes all others wait meanwhile. */
function begin(): Promise<HeldTransaction> {
  return new Promise((resolve, reject) => {
    let end!: (how: 'commit' | 'rollback') => void
    const ended = new Promise<'commit' | 'rollback'>((done) => {
      end = done
    })
    const whole = pg.transaction(async (tx) => {
      resolve({
        query: async (sql, values) => (await tx.query(sql, values)).rows,
        // PGlite reads what it copies from the file that it calls /dev/blob.
        copyIn: async (into, lines) => {
          await tx.query(`COPY ${into} FROM '/dev/blob'`, [], { blob: new Blob([lines]) })
        },
        commit: async () => {
          end('commit')
          await whole
        },
        rollback: async () => {
          end('rollback')
          await whole.catch(() => {})
        },
      })
      if ((await ended) === 'rollback') await tx.rollback()
    })
    whole.catch(reject)
  })
}

/** Statements that are run often, by their text: each is read and planned once (PostgreSQL's documentation, 54.2.3, extended query). */
const prepared = new Map<string, { name: string; types: number[] }>()
let lastPrepared = 0

/** Runs a statement that gives nothing back, and keeps it ready for the next time. */
function runOften(sql: string, values: unknown[]): Promise<void> {
  const { parse, describe, bind, execute, sync } = protocol.serialize
  const say = (message: Uint8Array) => pg.execProtocolStream(message, { syncToFs: false })
  // Not while a transaction is open: it would be part of that, and be rolled back with it.
  const alone = (work: () => Promise<void>) => pg._runExclusiveTransaction(() => pg.runExclusive(work))
  return alone(async () => {
    try {
      let known = prepared.get(sql)
      if (!known) {
        const name = `often_${++lastPrepared}`
        await say(parse({ name, text: sql }))
        const told = await say(describe({ type: 'S', name }))
        const types = told.flatMap((one) => ('dataTypeIDs' in one ? (one.dataTypeIDs as number[]) : []))
        known = { name, types }
        prepared.set(sql, known)
      }
      const { name, types } = known
      const texts = values.map((value, i) =>
        value === null || value === undefined ? null : (pg.serializers[types[i]]?.(value) ?? String(value)),
      )
      await say(bind({ statement: name, values: texts }))
      await say(execute({}))
    } finally {
      await say(sync())
    }
    await pg.syncToFs()
  })
}

async function copyTo(to: string): Promise<void> {
  if (folder === null) throw new Error('A database in memory has no files that could be copied.')
  await pg.exec('CHECKPOINT')
  // Nobody writes meanwhile, so that the copy is as a power cut would have left it here; opened, it finds its way back from that.
  await pg._runExclusiveTransaction(() =>
    pg.runExclusive(async () => fs.cpSync(folder, to, { recursive: true, errorOnExist: true, force: false })),
  )
}

/** How often (ms) it is looked whether a table wants upkeep, and how long nobody must have asked for anything before that, and before what may take longer. */
const upkeepEvery = 5000
const restsFor = 1000
const quietFor = 60_000
let keepingUp = false

/** Does what upkeep the tables want, one after another, until somebody asks for something. */
async function keepUp(resting: () => number): Promise<void> {
  const done = new Set<string>()
  while (resting() > restsFor) {
    const next = await nextUpkeep(pg, resting() > quietFor)
    // What changed nothing would change nothing the second time.
    if (next === null || done.has(next)) return
    await pg.exec(next)
    done.add(next)
  }
}

if (refused === null) {
  const { resting } = serve({
    query: async (sql, values) => (await pg.query(sql, values)).rows,
    often: runOften,
    begin,
    copyTo,
    // Its folder is held by one process, so there is nobody else to hear it.
    notify: async () => {},
    close: async () => {
      clearInterval(upkeep)
      await pg.close()
    },
  })
  // What upkeep needs room for may not be there: that is met, and said, by whoever writes next.
  const upkeep = setInterval(() => {
    if (keepingUp) return
    keepingUp = true
    void keepUp(resting)
      .catch(() => {})
      .finally(() => {
        keepingUp = false
      })
  }, upkeepEvery)
  upkeep.unref()
}
