import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { MessageChannel, type MessagePort, Worker } from 'node:worker_threads'
import { type Database, databaseOver } from './database.ts'

/** An open database. */
export interface OpenDatabase extends Database {
  /** A further port to the same database, for another thread. */
  port(): MessagePort
  close(): Promise<void>
}

/** When a process was started, as the system counts it; '' where the system does not tell. Tells a process from a later one of the same number. */
function startOf(pid: number): string {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? ''
  } catch {
    return ''
  }
}

/** Takes a data folder for this process. Throws, in words, when another one holds it. */
export function takeFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true })
  const file = join(folder, 'in-use.json')
  const mine = { pid: process.pid, start: startOf(process.pid) }
  try {
    writeFileSync(file, JSON.stringify(mine), { flag: 'wx' })
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
    let holder = { pid: 0, start: '' }
    try {
      holder = JSON.parse(readFileSync(file, 'utf8'))
    } catch {
      // A note that cannot be read was being written when its process was killed.
    }
    // Where the system does not tell when a process was started, this process's own number is that of a process long gone.
    const numbersOnly = holder.pid === process.pid && holder.start === ''
    if (isRunning(holder.pid) && startOf(holder.pid) === holder.start && !numbersOnly)
      throw new Error(
        `The data folder ${folder} is in use by another Hand Post (process ${holder.pid}). Use that one, or stop it first. Nothing was changed.`,
      )
    writeFileSync(file, JSON.stringify(mine))
  }
  return () => rmSync(file, { force: true })
}

function isRunning(pid: number): boolean {
  if (!pid) return false
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}

/** Starts a worker thread from one of our TypeScript files. `data` reaches it as `workerData`. */
export function startThread(file: URL, data: object, transfer: MessagePort[] = []): Worker {
  return new Worker(new URL('./thread.mjs', import.meta.url), {
    workerData: { ...data, file: file.href },
    transferList: transfer,
  })
}

/**
 * Opens the database in a folder, making it and bringing it up to date when needed.
 * @param folder null for a database in memory.
 */
export async function openDatabase(folder: string | null): Promise<OpenDatabase> {
  // Making a database takes memory that its thread never gives back, so the thread that makes it is not the one that stays.
  if (folder !== null && !existsSync(join(folder, 'PG_VERSION'))) await (await hold(folder)).close()
  return hold(folder)
}

function hold(folder: string | null): Promise<OpenDatabase> {
  return new Promise((resolve, reject) => {
    const worker = startThread(new URL('./holder.ts', import.meta.url), { folder })
    worker.once('error', reject)
    worker.once('message', () => {
      const database = databaseOver(worker)
      resolve({
        ...database,
        port() {
          const { port1, port2 } = new MessageChannel()
          worker.postMessage({ connect: port1 }, [port1])
          return port2
        },
        close: () =>
          new Promise((done) => {
            worker.on('message', (message: { closed?: boolean }) => {
              if (message.closed) void worker.terminate().then(() => done())
            })
            worker.postMessage({ close: true })
          }),
      })
    })
  })
}
