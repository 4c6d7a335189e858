import { keepBlobsInMemory } from '../mailboxes/memoryBlob.ts'
import { receivedJobs } from '../rehearsal/mailJobs.ts'
import { incomingJobs } from '../responses/mailJobs.ts'

keepBlobsInMemory()

/** The jobs of the thread that reads mail. A module of its own, so that this thread holds nothing else. */
export const jobs = { ...incomingJobs, ...receivedJobs }
