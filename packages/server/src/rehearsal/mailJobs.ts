import { type ReceivedMessage, readReceived } from '@hand-post/core'
import { readMail } from '../mailboxes/readMail.ts'

/** Reading what a rehearsal delivered. */
export const receivedJobs = {
  /** Reads a message as it arrived. */
  readReceived: ({ raw }: { raw: Uint8Array }): Promise<ReceivedMessage> => readMail(readReceived(raw)),
}
export type ReceivedJobs = typeof receivedJobs
