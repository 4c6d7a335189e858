import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { type MessagePort, parentPort, workerData } from 'node:worker_threads'
import { PGlite, type Transaction } from '@electric-sql/pglite'
import type { DatabaseAnswer, DatabaseRequest } from './database.ts'

// The thread that holds PGlite. PGlite computes where it is called, so it must not be on the server's main thread.
const { folder } = workerData as { folder: string | null }
// 16 MB of page cache instead of 128: the lists in use are kept by the computing threads, not here.
const startParams = [...PGlite.defaultStartParams, '-c', 'shared_buffers=16MB']
const pg = await PGlite.create(folder ?? undefined, { startParams })

const migrations = join(import.meta.dirname, 'migrations')
await pg.exec('CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY)')
const applied = new Set((await pg.query<{ name: string }>('SELECT name FROM migrations')).rows.map((r) => r.name))
for (const name of readdirSync(migrations).sort())
  if (!applied.has(name))
    await pg.transaction(async (tx) => {
      await tx.exec(readFileSync(join(migrations, name), 'utf8'))
      await tx.query('INSERT INTO migrations VALUES ($1)', [name])
    })

let lastTransaction = 0
const transactions = new Map<number, { tx: Transaction; end: (how: 'commit' | 'rollback') => Promise<void> }>()

/** Opens a transaction that stays open until a later request ends it. PGlite makes all others wait meanwhile. */
function begin(): Promise<number> {
  return new Promise((resolve, reject) => {
    const id = ++lastTransaction
    let end!: (how: 'commit' | 'rollback') => void
    const ended = new Promise<'commit' | 'rollback'>((done) => {
      end = done
    })
    const whole = pg.transaction(async (tx) => {
      transactions.set(id, {
        tx,
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

async function answer(request: DatabaseRequest): Promise<Omit<DatabaseAnswer, 'id'>> {
  if (request.do === 'begin') return { tx: await begin() }
  if (request.do === 'query') {
    const runner = request.tx === null ? pg : transactions.get(request.tx)!.tx
    return { rows: (await runner.query(request.sql, request.values)).rows }
  }
  const transaction = transactions.get(request.tx)!
  transactions.delete(request.tx)
  await transaction.end(request.do)
  return {}
}

function serve(port: MessagePort): void {
  port.on('message', (request: DatabaseRequest | { connect: MessagePort } | { close: true }) => {
    if ('connect' in request) return serve(request.connect)
    if ('close' in request) return void pg.close().then(() => parentPort!.postMessage({ closed: true }))
    answer(request).then(
      (found) => port.postMessage({ id: request.id, ...found }),
      (error: Error & { code?: string }) =>
        port.postMessage({ id: request.id, fault: { message: error.message, code: error.code } }),
    )
  })
}

serve(parentPort!)
parentPort!.postMessage({ ready: true })
