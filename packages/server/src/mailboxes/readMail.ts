import { Refusal } from '../problem.ts'

/** What the reader of mail says of a message that goes beyond its limits, and what is said of it here. */
const beyond: [says: RegExp, words: string][] = [
  [/nesting depth/i, 'its parts stand deeper within one another than a mail program writes them'],
  [/header size/i, 'its headers are larger than a mail program writes them'],
]

/** Waits until a message was read; what goes beyond the reader's limits is refused in words. */
export async function readMail<T>(reading: Promise<T>): Promise<T> {
  try {
    return await reading
  } catch (error) {
    const words = beyond.find(([says]) => says.test((error as Error).message))?.[1]
    throw words ? new Refusal(422, `The message cannot be read: ${words}.`, 'Not read') : error
  }
}
