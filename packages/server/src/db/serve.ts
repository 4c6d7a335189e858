import { type MessagePort, parentPort } from 'node:worker_threads'
import type { DatabaseAnswer, DatabaseRequest, Lines } from './database.ts'

/** A transaction that is open: until it is committed or rolled back, no other that wants its turn is served. */
export interface HeldTransaction {
  query(sql: string, values: unknown[]): Promise<unknown[]>
  /** Copies rows into a table with its columns, in the text format of COPY. */
  copyIn(into: string, lines: Uint8Array<ArrayBuffer>): Promise<void>
  /** Waits for the turn of one that was begun beside others; left out where there is none. */
  takeTurn?(): Promise<void>
  commit(): Promise<void>
  rollback(): Promise<void>
}

/** A database as the thread that holds it sees it: one statement, or one transaction, after another. */
export interface Held {
  query(sql: string, values: unknown[]): Promise<unknown[]>
  /** Runs a statement that gives nothing back, and keeps it ready for the next time. */
  often(sql: string, values: unknown[]): Promise<void>
  /** @param beside whether others go on until it takes its turn, where that can be. */
  begin(beside: boolean): Promise<HeldTransaction>
  /** Copies it as it lies on the disk. */
  copyTo(folder: string): Promise<void>
  /** Says something to all processes that work with it. */
  notify(text: string): Promise<void>
  /** How its connections are used; left out where there is one, which does one thing after another. */
  lines?(): Lines
  close(): Promise<void>
}

/** Serves a database to the thread that began this one, and to every port that is given for another. */
export function serve(held: Held): {
  /** For how long (ms) nobody has asked for anything; 0 while something is being done. */
  resting(): number
} {
  let lastTransaction = 0
  const transactions = new Map<number, { tx: HeldTransaction; port: MessagePort }>()
  /** Ports whose other end has gone: what they asked for and have not got yet is for nobody. */
  const gone = new WeakSet<MessagePort>()
  let underWay = 0
  /** What was asked for outside of a transaction that is open, and has not been answered. */
  let apart = 0
  let lastAsked = performance.now()

  const noSuch = () =>
    Object.assign(new Error('The transaction has ended already; nothing of it was written.'), { code: '25P01' })

  async function answer(request: DatabaseRequest, port: MessagePort): Promise<Omit<DatabaseAnswer, 'id'>> {
    if (request.do === 'begin') {
      const tx = await held.begin(request.beside)
      // Whoever asked for it may have gone while it waited for its turn.
      if (gone.has(port)) {
        await tx.rollback()
        return {}
      }
      transactions.set(++lastTransaction, { tx, port })
      return { tx: lastTransaction }
    }
    if (request.do === 'query') {
      const within = request.tx === null ? null : transactions.get(request.tx)
      if (within === undefined) throw noSuch()
      return { rows: await (within?.tx ?? held).query(request.sql, request.values) }
    }
    if (request.do === 'copyIn') {
      const within = transactions.get(request.tx)
      if (!within) throw noSuch()
      await within.tx.copyIn(request.into, request.lines)
      return {}
    }
    if (request.do === 'takeTurn') {
      const within = transactions.get(request.tx)
      if (!within) throw noSuch()
      await within.tx.takeTurn?.()
      return {}
    }
    if (request.do === 'often') {
      await held.often(request.sql, request.values)
      return {}
    }
    if (request.do === 'copy') {
      await held.copyTo(request.to)
      return {}
    }
    if (request.do === 'notify') {
      await held.notify(request.text)
      return {}
    }
    if (request.do === 'lines') {
      const all = apart + transactions.size
      const busy = Math.min(all, 1)
      return { rows: [held.lines?.() ?? { busy, resting: 1 - busy, waiting: all - busy }] }
    }
    const open = transactions.get(request.tx)
    if (!open) throw noSuch()
    transactions.delete(request.tx)
    await open.tx[request.do]()
    return {}
  }

  /** Takes back what a thread had begun that has gone: nobody will end it any more, and all others would wait for it. */
  function leave(port: MessagePort): void {
    gone.add(port)
    for (const [id, open] of transactions)
      if (open.port === port) {
        transactions.delete(id)
        void open.tx.rollback().catch(() => {})
      }
  }

  function listen(port: MessagePort): void {
    port.on('close', () => leave(port))
    port.on('message', (request: DatabaseRequest | { connect: MessagePort } | { close: true }) => {
      if ('connect' in request) return listen(request.connect)
      if ('close' in request) return void held.close().then(() => parentPort!.postMessage({ closed: true }))
      const isApart = request.do !== 'lines' && !('tx' in request && request.tx !== null)
      underWay++
      if (isApart) apart++
      answer(request, port)
        .then(
          (found) => port.postMessage({ id: request.id, ...found }),
          (error: Error & { code?: string }) =>
            port.postMessage({ id: request.id, fault: { message: error.message, code: error.code } }),
        )
        .finally(() => {
          underWay--
          if (isApart) apart--
          lastAsked = performance.now()
        })
    })
  }

  listen(parentPort!)
  parentPort!.postMessage({ ready: true })
  return { resting: () => (underWay > 0 || transactions.size > 0 ? 0 : performance.now() - lastAsked) }
}
