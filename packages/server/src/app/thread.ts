import { getHeapStatistics, setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { type MessagePort, parentPort, workerData } from 'node:worker_threads'
import { databaseOver } from '../db/database.ts'
import { FileStore } from '../files/fileStore.ts'
import { forgetRows } from '../people/loadList.ts'
import { asRefusal, Refusal } from '../problem.ts'
import { forgetFacts } from '../rounds/knownFacts.ts'
import type { JobContext } from '../threads/job.ts'
import { actAs, type Who } from '../who.ts'

// The thread in which everything over a whole list or file is computed, one job after another.
const {
  database,
  filesFolder,
  place,
  forgets,
  jobs: file,
} = workerData as {
  database: MessagePort
  filesFolder: string
  place: string
  forgets: boolean
  jobs: string
}
const { jobs } = (await import(file)) as { jobs: Record<string, (input: never, context: JobContext) => unknown> }
// A reader of files that leaves a promise of its own unheard must not take the thread: what is waited for here tells what is wrong.
process.on('unhandledRejection', (reason) => process.emitWarning(`Left unheard in a computing thread: ${reason}`))
const files = new FileStore(filesFolder)
const db = databaseOver(database)
let queue: Promise<unknown> = Promise.resolve()
let waiting = 0

// The engine collects what a proof of 100,000 people leaves behind only when more is asked for. Both threads ask for it
// themselves when they rest. That of the long jobs forgets its rows too: reading them again is a small part of any long job.
setFlagsFromString('--expose-gc')
const collect = runInNewContext('gc') as () => void
/** How long (ms) a thread has rested when it tidies up, and how much (octets) must have come since it did, to be worth it. */
const restFor = forgets ? 1000 : 4000
const worthIt = 50_000_000
let rest: NodeJS.Timeout | undefined
let after = 0
function tidyUp(): void {
  clearTimeout(rest)
  rest = setTimeout(() => {
    if (waiting > 0) return
    if (forgets) {
      forgetRows()
      forgetFacts()
    }
    if (getHeapStatistics().total_heap_size < after + worthIt) return
    collect()
    after = getHeapStatistics().total_heap_size
  }, restFor)
}

parentPort!.on(
  'message',
  ({
    id,
    name,
    input,
    cancelled,
    who,
  }: {
    id: number
    name: string
    input: never
    cancelled: Int32Array
    who: Who
  }) => {
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
        parentPort!.postMessage({
          id,
          result: await actAs(who, () => jobs[name](input, { db, files, place, progress })),
        })
      } catch (error) {
        const e = error as Error
        const refusal = asRefusal(error)
        parentPort!.postMessage({
          id,
          fault: refusal
            ? { status: refusal.status, title: refusal.title, message: refusal.message }
            : { status: 0, title: '', message: e.message, stack: e.stack },
        })
      }
      waiting--
      tidyUp()
    })
  },
)
parentPort!.postMessage({ ready: true })
