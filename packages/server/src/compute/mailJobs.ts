import { type Incoming, type ReceivedMessage, readIncoming, readReceived } from '@hand-post/core'
import type { JobContext } from './jobs.ts'

/** Reading mail. A module of its own, so that its thread holds nothing else. */
export const mailJobs = {
  /** Reads one piece of incoming mail. */
  readIncoming({ raw }: { raw: Uint8Array }, _: JobContext): Promise<Incoming> {
    return readIncoming(raw)
  },

  /** Reads a message that arrived at a rehearsal. */
  readReceived({ raw }: { raw: Uint8Array }, _: JobContext): Promise<ReceivedMessage> {
    return readReceived(raw)
  },
}

export const jobs = mailJobs
