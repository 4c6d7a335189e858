import { plan } from '@hand-post/core'
import type { JobContext } from '../threads/job.ts'
import { writeFollowTimes } from './chasers.ts'
import { mailboxGiven } from './planRound.ts'
import { timesPlanned, writePlan } from './store.ts'

/** Plans everything that waits in a mailbox from now, by the computation that draws the timetable. */
async function planAll({ mailboxId, now }: { mailboxId: number; now: number }, { db }: JobContext): Promise<void> {
  await writeFollowTimes(db, mailboxId, now)
  // A chaser's time depends on that of the letter that it follows: where those were planned anew, once more.
  for (let once = true; ; ) {
    const before = await timesPlanned(db, mailboxId)
    const { limits, history, lanes, ...given } = await mailboxGiven(db, mailboxId, now)
    const planned = plan(given.now, { lanes, evenly: given.evenly }, limits, history, given.paused)
    if (!(await writePlan(db, mailboxId, before, lanes, planned))) continue
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
