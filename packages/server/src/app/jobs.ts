import { backupJobs } from '../backup/jobs.ts'
import { dispatchJobs } from '../dispatch/jobs.ts'
import { enclosureJobs } from '../enclosures/jobs.ts'
import { letterJobs } from '../letter/jobs.ts'
import { paperJobs } from '../paper/jobs.ts'
import { cameOfIsToldBy } from '../people/cameOf.ts'
import { peopleJobs } from '../people/jobs.ts'
import { proofJobs } from '../proof/jobs.ts'
import { recordJobs } from '../record/jobs.ts'
import { rehearsalJobs } from '../rehearsal/jobs.ts'
import { tellWhatCame } from '../responses/cameOf.ts'
import { responseJobs } from '../responses/jobs.ts'
import { roundsFollow } from '../rounds/followList.ts'
import { roundJobs } from '../rounds/jobs.ts'
import { jobs as mailJobs } from './mailJobs.ts'

cameOfIsToldBy(tellWhatCame)

/** Everything that is computed over a whole list or file, of every room. Run in threads, one job after another. */
export const jobs = {
  ...peopleJobs({ follow: roundsFollow }),
  ...letterJobs,
  ...roundJobs,
  ...enclosureJobs,
  ...paperJobs,
  ...proofJobs,
  ...dispatchJobs,
  ...rehearsalJobs,
  ...responseJobs,
  ...recordJobs,
  ...backupJobs,
  ...mailJobs,
}

/** The table of all jobs. */
export type Jobs = typeof jobs
