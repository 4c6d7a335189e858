import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import { join } from 'node:path'
import { type MessagePort, parentPort, workerData } from 'node:worker_threads'
import type { Transaction } from '@electric-sql/pglite'
import type { DatabaseAnswer, DatabaseRequest } from './database.ts'
import { migrate } from './migrate.ts'
import { nextUpkeep } from './upkeep.ts'

// The thread that holds PGlite. PGlite computes where it is called, so it must not be on the server's main thread.
const { folder } = workerData as { folder: string | null }
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

const refused = await migrate(pg, join(import.meta.dirname, 'migrations'))
if (refused !== null) parentPort!.postMessage({ refused })

interface OpenTransaction {
  tx: Transaction
  port: MessagePort
  end: (how: 'commit' | 'rollback') => Promise<void>
}
let lastTransaction = 0
const transactions = new Map<number, OpenTransaction>()
/** Ports whose other end has gone: what they asked for and have not got yet is for nobody. */
const gone = new WeakSet<MessagePort>()

/** Opens a transaction that stays open until a later request ends it. PGlite makes all others wait meanwhile. */
function begin(port: MessagePort): Promise<number> {
  return new Promise((resolve, reject) => {
    const id = ++lastTransaction
    let end!: (how: 'commit' | 'rollback') => void
    const ended = new Promise<'commit' | 'rollback'>((done) => {
      end = done
    })
    const whole = pg.transaction(async (tx) => {
      // Whoever asked for it may have gone while it waited for its turn.
      if (gone.has(port)) return tx.rollback()
      transactions.set(id, {
        tx,
        port,
        end: async (how) => {
          end(how)
          await whole.catch((error) => {
            if (how === 'commit') throw error
          })
        },
      })
      resolve(id)
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

const noSuch = () =>
  Object.assign(new Error('The transaction has ended already; nothing of it was written.'), { code: '25P01' })

async function answer(request: DatabaseRequest, port: MessagePort): Promise<Omit<DatabaseAnswer, 'id'>> {
  if (request.do === 'begin') return { tx: await begin(port) }
  if (request.do === 'query') {
    const within = request.tx === null ? null : transactions.get(request.tx)
    if (within === undefined) throw noSuch()
    return { rows: (await (within?.tx ?? pg).query(request.sql, request.values)).rows }
  }
  if (request.do === 'often') {
    await runOften(request.sql, request.values)
    return {}
  }
  if (request.do === 'copy') {
    if (folder === null) throw new Error('A database in memory has no files that could be copied.')
    await pg.exec('CHECKPOINT')
    // Nobody writes meanwhile, so that the copy is as a power cut would have left it here; opened, it finds its way back from that.
    await pg._runExclusiveTransaction(() =>
      pg.runExclusive(async () => fs.cpSync(folder, request.to, { recursive: true, errorOnExist: true, force: false })),
    )
    return {}
  }
  const transaction = transactions.get(request.tx)
  if (!transaction) throw noSuch()
  transactions.delete(request.tx)
  await transaction.end(request.do)
  return {}
}

/** Takes back what a thread had begun that has gone: nobody will end it any more, and all others would wait for it. */
function leave(port: MessagePort): void {
  gone.add(port)
  for (const [id, transaction] of transactions)
    if (transaction.port === port) {
      transactions.delete(id)
      void transaction.end('rollback')
    }
}

/** How often (ms) it is looked whether a table wants upkeep, and how long nobody must have asked for anything before that, and before what may take longer. */
const upkeepEvery = 5000
const restsFor = 1000
const quietFor = 60_000
let underWay = 0
let lastAsked = performance.now()
let keepingUp = false

/** Does what upkeep the tables want, one after another, until somebody asks for something. */
async function keepUp(): Promise<void> {
  const resting = () => performance.now() - lastAsked
  const done = new Set<string>()
  while (underWay === 0 && transactions.size === 0 && resting() > restsFor) {
    const next = await nextUpkeep(pg, resting() > quietFor)
    // What changed nothing would change nothing the second time.
    if (next === null || done.has(next)) return
    await pg.exec(next)
    done.add(next)
  }
}

/** What upkeep needs room for may not be there: that is met, and said, by whoever writes next. */
const upkeep = setInterval(() => {
  if (keepingUp) return
  keepingUp = true
  void keepUp()
    .catch(() => {})
    .finally(() => {
      keepingUp = false
    })
}, upkeepEvery)
upkeep.unref()

function serve(port: MessagePort): void {
  port.on('close', () => leave(port))
  port.on('message', (request: DatabaseRequest | { connect: MessagePort } | { close: true }) => {
    if ('connect' in request) return serve(request.connect)
    if ('close' in request) {
      clearInterval(upkeep)
      return void pg.close().then(() => parentPort!.postMessage({ closed: true }))
    }
    underWay++
    answer(request, port)
      .then(
        (found) => port.postMessage({ id: request.id, ...found }),
        (error: Error & { code?: string }) =>
          port.postMessage({ id: request.id, fault: { message: error.message, code: error.code } }),
      )
      .finally(() => {
        underWay--
        lastAsked = performance.now()
      })
  })
}

if (refused === null) {
  serve(parentPort!)
  parentPort!.postMessage({ ready: true })
}
