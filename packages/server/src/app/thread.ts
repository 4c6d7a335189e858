import { getHeapStatistics, setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { parentPort, workerData } from 'node:worker_threads'
import { forgetRows } from '../people/loadList.ts'
import { forgetFacts } from '../rounds/knownFacts.ts'
import { serveJobs, type ThreadData } from '../threads/serveJobs.ts'

// The thread in which everything over a whole list or file is computed, one job after another.
const { forgets, jobs: file, ...data } = workerData as ThreadData & { forgets: boolean; jobs: string }
const { jobs } = await import(file)
// A reader of files that leaves a promise of its own unheard must not take the thread: what is waited for here tells what is wrong.
process.on('unhandledRejection', (reason) => process.emitWarning(`Left unheard in a computing thread: ${reason}`))

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
  if (forgets) {
    forgetRows()
    forgetFacts()
  }
  if (getHeapStatistics().total_heap_size < after + worthIt) return
  collect()
  after = getHeapStatistics().total_heap_size
}

serveJobs(
  parentPort!,
  data,
  jobs,
  () => {
    clearTimeout(rest)
    rest = setTimeout(tidyUp, restFor)
  },
  () => clearTimeout(rest),
)
