import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { type MessagePort, parentPort, workerData } from 'node:worker_threads'
import { databaseOver } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import { type Jobs, jobs } from './jobs.ts'
import { forgetRows } from './loadList.ts'

// The thread in which everything over a whole list or file is computed, one job after another.
const { database, tidy } = workerData as { database: MessagePort; tidy: boolean }
const db = databaseOver(database)
let queue: Promise<unknown> = Promise.resolve()
let waiting = 0

// The engine collects what a proof of 100,000 people leaves behind only when more is asked for. The thread of the long
// jobs asks for it itself once it is idle, and forgets its rows: reading them again is a small part of any long job.
setFlagsFromString('--expose-gc')
const collect = runInNewContext('gc') as () => void
let rest: NodeJS.Timeout | undefined
function tidyUp(): void {
  clearTimeout(rest)
  rest = setTimeout(() => {
    if (waiting > 0) return
    forgetRows()
    collect()
  }, 1000)
}

parentPort!.on(
  'message',
  ({ id, name, input, cancelled }: { id: number; name: keyof Jobs; input: never; cancelled: Int32Array }) => {
    waiting++
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
      waiting--
      if (tidy) tidyUp()
    })
  },
)
