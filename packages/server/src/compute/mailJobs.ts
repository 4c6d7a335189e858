import { type Incoming, type ReceivedMessage, readIncoming, readReceived } from '@hand-post/core'
import { Refusal } from '../problem.ts'
import type { JobContext } from './jobs.ts'

/** What the reader of mail says of a message that goes beyond its limits, and what is said of it here. */
const beyond: [says: RegExp, words: string][] = [
  [/nesting depth/i, 'its parts stand deeper within one another than a mail program writes them'],
  [/header size/i, 'its headers are larger than a mail program writes them'],
]

/** Reads a message; what goes beyond the limits is refused in words. */
async function read<T>(reading: Promise<T>): Promise<T> {
  try {
    return await reading
  } catch (error) {
    const words = beyond.find(([says]) => says.test((error as Error).message))?.[1]
    throw words ? new Refusal(422, `The message cannot be read: ${words}.`, 'Not read') : error
  }
}

/** Reading mail. A module of its own, so that its thread holds nothing else. */
export const mailJobs = {
  /** Reads one piece of incoming mail. */
  readIncoming: ({ raw }: { raw: Uint8Array }, _: JobContext): Promise<Incoming> => read(readIncoming(raw)),

  /** Reads a message that arrived at a rehearsal. */
  readReceived: ({ raw }: { raw: Uint8Array }, _: JobContext): Promise<ReceivedMessage> => read(readReceived(raw)),
}

export const jobs = mailJobs
