import { setTimeout as sleep } from 'node:timers/promises'
import { plan } from '@hand-post/core'
import type { JobContext } from '../threads/job.ts'
import { writeFollowTimes } from './chasers.ts'
import { mailboxGiven } from './planRound.ts'
import { timesPlanned, writePlan } from './store.ts'

/** How long (ms) whoever was overtaken rests before planning once more. */
const firstRest = 500

/** Plans everything that waits in a mailbox from now, by the computation that draws the timetable. `atOnce`: how many times are written at once. */
async function planAll(
  { mailboxId, now, atOnce }: { mailboxId: number; now: number; atOnce?: number },
  { db, progress }: Pick<JobContext, 'db' | 'progress'>,
): Promise<void> {
  await writeFollowTimes(db, mailboxId, now)
  // A chaser's time depends on that of the letter that it follows: where those were planned anew, once more.
  for (let once = true, rest = firstRest; ; ) {
    progress(0, 1, 'Planning')
    const before = await timesPlanned(db, mailboxId)
    const { limits, history, lanes, ...given } = await mailboxGiven(db, mailboxId, now)
    const planned = plan(given.now, { lanes, evenly: given.evenly }, limits, history, given.paused)
    const written = await writePlan(db, mailboxId, before, lanes, planned, atOnce)
    if (written === 'overtaken') {
      // Of two that overtake each other again and again neither would come to its end: each time this one gives the other longer.
      await sleep(rest)
      rest *= 2
    }
    if (written !== 'whole') continue
    if (!once || !(await writeFollowTimes(db, mailboxId, now))) return
    once = false
  }
}

/** Planning a mailbox: one computation, which runs where it can be waited for. */
export const planJobs = {
  /** Of few letters, which takes a blink. */
  planFew: planAll,
  /** Of any number. */
  planMany: planAll,
}
export type PlanJobs = typeof planJobs
