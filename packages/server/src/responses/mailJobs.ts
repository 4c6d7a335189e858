import { type Incoming, readIncoming } from '@hand-post/core'
import { readMail } from '../mailboxes/readMail.ts'

/** Reading what came in. */
export const incomingJobs = {
  /** Reads one piece of incoming mail. */
  readIncoming: ({ raw }: { raw: Uint8Array }): Promise<Incoming> => readMail(readIncoming(raw)),
}
export type IncomingJobs = typeof incomingJobs
