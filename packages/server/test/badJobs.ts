import { threadId } from 'node:worker_threads'
import type { JobContext } from '../src/threads/job.ts'

// Jobs that do what no job should, for the tests of the threads.

const busy = (ms: number) => {
  for (const end = Date.now() + ms; Date.now() < end; );
}

export const jobs = {
  add: ({ a, b }: { a: number; b: number }) => a + b,
  thread: () => threadId,
  forEver(_: unknown, { progress }: JobContext) {
    progress(0, 1, 'begun')
    for (;;) busy(1000)
  },
  takeMemory() {
    const all: object[] = []
    for (;;) all.push(Array.from({ length: 1000 }, (_, i) => ({ i, words: `${i}` })))
  },
  async slowly({ steps, each }: { steps: number; each: number }, { progress }: JobContext) {
    for (let i = 1; i <= steps; i++) {
      busy(each)
      progress(i, steps, 'Slowly')
    }
    return steps
  },
  async throwLater() {
    setTimeout(() => {
      throw new Error('thrown later')
    }, 10)
    await new Promise(() => {})
  },
  async writeForEver(_: object, { db }: JobContext) {
    await db.transaction(async (tx) => {
      await tx.query('INSERT INTO kept VALUES (7)')
      busy(3_600_000)
    })
  },
}
