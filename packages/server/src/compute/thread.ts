import { type MessagePort, parentPort, workerData } from 'node:worker_threads'
import { databaseOver } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import { type Jobs, jobs } from './jobs.ts'

// The thread in which everything over a whole list or file is computed, one job after another.
const db = databaseOver((workerData as { database: MessagePort }).database)
let queue: Promise<unknown> = Promise.resolve()

parentPort!.on(
  'message',
  ({ id, name, input, cancelled }: { id: number; name: keyof Jobs; input: never; cancelled: Int32Array }) => {
    queue = queue.then(async () => {
      try {
        const goOn = () => {
          if (Atomics.load(cancelled, 0) === 1)
            throw new Refusal(499, 'It was cancelled. Nothing was stored or changed.', 'Cancelled')
        }
        const progress = (done: number, of: number, words: string) => {
          goOn()
          parentPort!.postMessage({ id, progress: { done, of, words } })
        }
        goOn()
        parentPort!.postMessage({ id, result: await jobs[name](input, { db, progress }) })
      } catch (error) {
        const e = error as Error
        parentPort!.postMessage({
          id,
          fault:
            error instanceof Refusal
              ? { status: error.status, title: error.title, message: error.message }
              : { status: 0, title: '', message: e.stack ?? e.message },
        })
      }
    })
  },
)
