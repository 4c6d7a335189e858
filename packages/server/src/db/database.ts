import type { MessagePort, Worker } from 'node:worker_threads'

/** The database as the stores see it. The same SQL runs on PGlite, which is behind it now, and on a PostgreSQL server. */
export interface Database {
  /** Runs one statement with its values as parameters ($1, $2, …). */
  query<T = Record<string, unknown>>(sql: string, values?: unknown[]): Promise<T[]>
  /** Runs statements as one transaction: all of them, or, when `work` throws, none. */
  transaction<T>(work: (tx: Database) => Promise<T>): Promise<T>
}

/** What is said to the thread that holds the database, and its answers. */
export type DatabaseRequest =
  | { id: number; do: 'query'; sql: string; values: unknown[]; tx: number | null }
  | { id: number; do: 'begin' }
  | { id: number; do: 'commit' | 'rollback'; tx: number }
export type DatabaseAnswer = { id: number; rows?: unknown[]; tx?: number; fault?: { message: string; code?: string } }

/** A fault of the database, with PostgreSQL's five-letter code where there is one. */
export class DatabaseFault extends Error {
  constructor(
    message: string,
    readonly code?: string,
  ) {
    super(message)
  }
}

/** A database on the other side of a port: the thread that holds PGlite, or a further port to it. */
export function databaseOver(port: MessagePort | Worker): Database {
  let last = 0
  const open = new Map<number, { resolve: (answer: DatabaseAnswer) => void; reject: (fault: Error) => void }>()
  port.on('message', (answer: DatabaseAnswer) => {
    const call = open.get(answer.id)
    if (!call) return
    open.delete(answer.id)
    if (answer.fault) call.reject(new DatabaseFault(answer.fault.message, answer.fault.code))
    else call.resolve(answer)
  })
  type Asked<R> = R extends unknown ? Omit<R, 'id'> : never
  const ask = (request: Asked<DatabaseRequest>) =>
    new Promise<DatabaseAnswer>((resolve, reject) => {
      const id = ++last
      open.set(id, { resolve, reject })
      port.postMessage({ id, ...request })
    })
  const within = (tx: number | null): Database => ({
    async query<T>(sql: string, values: unknown[] = []) {
      return (await ask({ do: 'query', sql, values, tx })).rows as T[]
    },
    async transaction(work) {
      if (tx !== null) return work(within(tx))
      const begun = (await ask({ do: 'begin' })).tx!
      try {
        const result = await work(within(begun))
        await ask({ do: 'commit', tx: begun })
        return result
      } catch (error) {
        await ask({ do: 'rollback', tx: begun })
        throw error
      }
    },
  })
  return within(null)
}
