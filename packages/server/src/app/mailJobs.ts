import { receivedJobs } from '../rehearsal/mailJobs.ts'
import { incomingJobs } from '../responses/mailJobs.ts'

/** The jobs by which mail is read. */
export const jobs = { ...incomingJobs, ...receivedJobs }
