import type { MessagePort } from 'node:worker_threads'
import { databaseOver } from '../db/database.ts'
import { FileStore } from '../files/fileStore.ts'
import { asRefusal } from '../problem.ts'
import { actAs, type Who } from '../who.ts'
import { type JobContext, wasCancelled } from './job.ts'

/** What a thread of jobs is begun with. */
export interface ThreadData {
  database: MessagePort
  filesFolder: string
  place: string
}

/** What a thread is told: to run a job. */
interface Asked {
  id: number
  name: string
  input: never
  /** 1 as soon as it is cancelled. */
  cancelled: Int32Array
  who: Who
}

/**
 * Runs the jobs that come over a port, one after another, and answers each.
 * @param rests called whenever a job has ended and none waits; `works` before the next one.
 */
export function serveJobs(
  port: Pick<MessagePort, 'postMessage' | 'on'>,
  { database, filesFolder, place }: ThreadData,
  jobs: Record<string, (input: never, context: JobContext) => unknown>,
  rests: () => void = () => {},
  works: () => void = () => {},
): void {
  const files = new FileStore(filesFolder)
  const db = databaseOver(database)
  let queue: Promise<unknown> = Promise.resolve()
  let waiting = 0

  async function run({ id, name, input, cancelled, who }: Asked): Promise<void> {
    try {
      const goOn = () => {
        if (Atomics.load(cancelled, 0) === 1) throw wasCancelled()
      }
      const progress = (done: number, of: number, words: string) => {
        goOn()
        port.postMessage({ id, progress: { done, of, words } })
      }
      goOn()
      port.postMessage({ id, result: await actAs(who, () => jobs[name](input, { db, files, place, progress })) })
    } catch (error) {
      const e = error as Error
      const refusal = asRefusal(error)
      port.postMessage({
        id,
        fault: refusal
          ? { status: refusal.status, title: refusal.title, message: refusal.message }
          : { status: 0, title: '', message: e.message, stack: e.stack },
      })
    }
  }
  port.on('message', (asked: Asked) => {
    waiting++
    queue = queue.then(async () => {
      works()
      await run(asked)
      waiting--
      if (waiting === 0) rests()
    })
  })
  port.postMessage({ ready: true })
}
