import { dayOfReturn, type Incoming, type NamedDay, namedDays, readIncoming } from '@hand-post/core'
import { readMail } from '../mailboxes/readMail.ts'

/** Incoming mail, with the days that its new words name and, of an automatic reply, that of return. */
export interface ReadMail {
  mail: Incoming
  days: NamedDay[]
  back: NamedDay | null
}

/** Reading what came in. */
export const incomingJobs = {
  /** Reads one piece of incoming mail, as somebody would at the time and in the zone in which it came. */
  async readIncoming({
    raw,
    arrived,
    timeZone,
  }: {
    raw: Uint8Array
    arrived: number
    timeZone: string
  }): Promise<ReadMail> {
    const mail = await readMail(readIncoming(raw))
    const mayName = mail.kind === 'reply' || mail.kind === 'automatic'
    return {
      mail,
      days: mayName ? namedDays(mail.newText, arrived, timeZone) : [],
      back: mail.kind === 'automatic' ? dayOfReturn(mail.newText, arrived, timeZone) : null,
    }
  },
}
export type IncomingJobs = typeof incomingJobs
