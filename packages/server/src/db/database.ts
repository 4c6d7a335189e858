import type { MessagePort, Worker } from 'node:worker_threads'

/** The database as the stores see it. The same SQL runs on PGlite, which is behind it now, and on a PostgreSQL server. */
export interface Database {
  /** Runs one statement with its values as parameters ($1, $2, …). Texts are made fit for it; see {@link fitText}. */
  query<T = Record<string, unknown>>(sql: string, values?: unknown[]): Promise<T[]>
  /**
   * Runs a statement that is run at every letter and gives nothing back: it is read and planned once, and known again by its text. Within a
   * transaction it is run like any other.
   */
  runOften(sql: string, values: unknown[]): Promise<void>
  /**
   * Copies rows into a table: far quicker than statements that insert them.
   * @param into the table with its columns, as they stand in the statement.
   * @param lines the rows, each as a line of `copiedLine`.
   */
  copyIn(into: string, lines: string): Promise<void>
  /** Runs statements as one transaction: all of them, or, when `work` throws, none. */
  transaction<T>(work: (tx: Database) => Promise<T>): Promise<T>
  /**
   * Runs statements as one transaction that takes long: on a server others go on beside it, and what they write is seen by it, until it takes
   * its turn; from then on it is like any other. What it must not find changed it looks at after that.
   * @param work `takeTurn` waits for that turn, which lasts to the end.
   */
  longTransaction<T>(work: (tx: Database, takeTurn: () => Promise<void>) => Promise<T>): Promise<T>
}

/** A database as its process has it, which can be copied as it lies on the disk, where it lies on this one. */
export interface CopiedDatabase extends Database {
  /** Why it cannot be copied from here, in words; null where it can. */
  noCopy: string | null
  /** How its connections are used just now. */
  lines(): Promise<Lines>
  /** Copies it, as it is between two transactions, into a folder that is not there yet. All others wait meanwhile. */
  copyTo(folder: string): Promise<void>
}

/** The connections of this process to its database: how many do something, and how many rest; and what waits for one. */
export interface Lines {
  busy: number
  resting: number
  waiting: number
}

/** What the other processes on a database say to each other; where there can be none, nothing is heard. */
export interface Notices {
  /** Says something to all of them, this one too. Whoever is not there just now does not hear it. */
  say(text: string): Promise<void>
  /** Has one told of whatever is said from now on; of null where something may have been missed. Gives what ends that. */
  hear(listener: (text: string | null) => void): () => void
}

/** What is said to the thread that holds the database, and its answers. */
export type DatabaseRequest =
  | { id: number; do: 'query'; sql: string; values: unknown[]; tx: number | null }
  | { id: number; do: 'often'; sql: string; values: unknown[] }
  | { id: number; do: 'copyIn'; into: string; lines: Uint8Array<ArrayBuffer>; tx: number }
  | { id: number; do: 'begin'; beside: boolean }
  | { id: number; do: 'takeTurn'; tx: number }
  | { id: number; do: 'copy'; to: string }
  | { id: number; do: 'notify'; text: string }
  | { id: number; do: 'lines' }
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

/** The code of a fault that says that the thread of the database has ended: nothing can be asked of it any more. */
export const databaseEnded = 'ENDED'

/**
 * A text as the database can hold it: PostgreSQL knows no NUL (its documentation, section 8.3), and UTF-8 no half of a character
 * (RFC 3629, section 3). Each becomes U+FFFD, the character for what cannot be shown.
 */
export function fitText(text: string): string {
  const whole = text.isWellFormed() ? text : text.toWellFormed()
  return whole.includes('\0') ? whole.replaceAll('\0', '\ufffd') : whole
}

/** A value as JSON that the database can hold, with every text in it made fit. Stores write all their JSON by this. */
export function json(value: unknown): string {
  const text = JSON.stringify(value)
  // Where no escape of that kind stands in it, there is nothing to look for: most lists are hundreds of thousands of texts.
  if (!/\\u(?:0000|d[89a-f])/i.test(text)) return text
  return JSON.stringify(value, (_, part) => {
    if (typeof part === 'string') return fitText(part)
    if (part === null || typeof part !== 'object' || Array.isArray(part)) return part
    return Object.fromEntries(Object.entries(part).map(([name, one]) => [fitText(name), one]))
  })
}

const fitValues = (values: unknown[]) => values.map((value) => (typeof value === 'string' ? fitText(value) : value))

const encoder = new TextEncoder()

/** A database on the other side of a port: the thread that holds PGlite, or a further port to it. */
export function databaseOver(port: MessagePort | Worker, noCopy: string | null = null): CopiedDatabase & Notices {
  let last = 0
  let ended: DatabaseFault | null = null
  const open = new Map<number, { resolve: (answer: DatabaseAnswer) => void; reject: (fault: Error) => void }>()
  const listeners = new Set<(text: string | null) => void>()
  port.on('message', (answer: DatabaseAnswer | { heard: string | null }) => {
    if ('heard' in answer) {
      for (const listener of listeners) listener(answer.heard)
      return
    }
    const call = open.get(answer.id)
    if (!call) return
    open.delete(answer.id)
    if (answer.fault) call.reject(new DatabaseFault(answer.fault.message, answer.fault.code))
    else call.resolve(answer)
  })
  const end = () => {
    ended ??= new DatabaseFault('The database has ended, so nothing could be read or written.', databaseEnded)
    for (const { reject } of open.values()) reject(ended)
    open.clear()
  }
  // A worker ends with "exit", a port with "close", when its other end has gone.
  port.on('exit', end)
  port.on('close', end)
  type Asked<R> = R extends unknown ? Omit<R, 'id'> : never
  const ask = (request: Asked<DatabaseRequest>, handedOver: ArrayBuffer[] = []) =>
    new Promise<DatabaseAnswer>((resolve, reject) => {
      if (ended) return reject(ended)
      const id = ++last
      open.set(id, { resolve, reject })
      port.postMessage({ id, ...request }, handedOver)
    })
  const within = (tx: number | null): Database => ({
    async query<T>(sql: string, values: unknown[] = []) {
      return (await ask({ do: 'query', sql, values: fitValues(values), tx })).rows as T[]
    },
    async runOften(sql, values) {
      if (tx !== null) await this.query(sql, values)
      else await ask({ do: 'often', sql, values: fitValues(values) })
    },
    async copyIn(into, lines) {
      if (tx === null) await this.transaction((one) => one.copyIn(into, lines))
      else {
        // Its octets are handed over, and not copied.
        const octets = encoder.encode(lines)
        await ask({ do: 'copyIn', into, lines: octets, tx }, [octets.buffer])
      }
    },
    transaction: (work) => (tx !== null ? work(within(tx)) : whole(false, work)),
    longTransaction: (work) => (tx !== null ? work(within(tx), async () => {}) : whole(true, work)),
  })
  async function whole<T>(
    beside: boolean,
    work: (tx: Database, takeTurn: () => Promise<void>) => Promise<T>,
  ): Promise<T> {
    const tx = (await ask({ do: 'begin', beside })).tx!
    let result: T
    try {
      result = await work(within(tx), async () => void (await ask({ do: 'takeTurn', tx })))
    } catch (error) {
      // What failed is what is told; that a transaction cannot be rolled back means that it has ended already.
      await ask({ do: 'rollback', tx }).catch(() => {})
      throw error
    }
    // When this fails nothing was written, and there is nothing left to roll back.
    await ask({ do: 'commit', tx })
    return result
  }
  return {
    ...within(null),
    noCopy,
    async lines() {
      const { rows } = await ask({ do: 'lines' })
      return rows![0] as Lines
    },
    async copyTo(folder) {
      await ask({ do: 'copy', to: folder })
    },
    async say(text) {
      await ask({ do: 'notify', text })
    },
    hear(listener) {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
  }
}
