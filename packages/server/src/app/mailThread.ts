import { keepBlobsInMemory } from '../mailboxes/memoryBlob.ts'

// In this thread only: what else is computed may want of a Blob what Node's own can do.
keepBlobsInMemory()

/** The jobs of the thread that reads mail. A module of its own, so that this thread holds nothing else. */
export { jobs } from './mailJobs.ts'
