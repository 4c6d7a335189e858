import { MessageChannel } from 'node:worker_threads'
import { startThread } from '../src/db/open.ts'
import { forgetRows } from '../src/people/loadList.ts'
import { forgetProofs } from '../src/proof/whole.ts'
import { forgetTold } from '../src/responses/cameOf.ts'
import { forgetFacts } from '../src/rounds/knownFacts.ts'
import type { BeginThread, Thread } from '../src/threads/lane.ts'
import { serveJobs, type ThreadData } from '../src/threads/serveJobs.ts'

let underWay = 0

/**
 * Begins what works like a computing thread in this process. It cannot be broken off, and what such a thread keeps of its database is kept
 * by the process: there is one at a time, and whoever begins another meanwhile gets a thread.
 */
export const beginInProcess: BeginThread = (module, data, options) => {
  if (underWay > 0) return startThread(module, data, options)
  underWay++
  for (const forget of [forgetRows, forgetFacts, forgetProofs, forgetTold]) forget()
  const { port1: ours, port2: its } = new MessageChannel()
  const { database, ...more } = data as unknown as ThreadData
  let ended = false
  void import(data.jobs!).then(({ jobs }) => {
    if (!ended) serveJobs(its, { database, ...more }, jobs)
  })
  return {
    postMessage: (asked: unknown) => ours.postMessage(asked),
    // It neither fails nor exits by itself.
    on: (event: string, hear: (answer: never) => void) =>
      event === 'message' && ours.on('message', hear as (answer: unknown) => void),
    async terminate() {
      if (ended) return
      ended = true
      underWay--
      ours.close()
      its.close()
      database.close()
    },
  } as unknown as Thread
}
