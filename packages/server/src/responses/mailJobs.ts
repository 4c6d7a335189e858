import { dayOfReturn, type Incoming, type NamedDay, namedDays, readIncoming } from '@hand-post/core'
import { readMail } from '../mailboxes/readMail.ts'

/** Incoming mail, with the days that its new words name and, of an automatic reply, that of return. */
export interface ReadMail {
  mail: Incoming
  days: NamedDay[]
  back: NamedDay | null
}

/** What became of reading one piece of mail: what it says, or why it cannot be read. */
export type ReadOrNot = ReadMail | { refused: string }

/** Reading what came in. */
export const incomingJobs = {
  /** Reads some incoming mail, each as somebody would at the time and in the zone in which it came. */
  readIncoming: ({
    mails,
    timeZone,
  }: {
    mails: { raw: Uint8Array; arrived: number }[]
    timeZone: string
  }): Promise<ReadOrNot[]> =>
    Promise.all(
      mails.map(async ({ raw, arrived }) => {
        try {
          const mail = await readMail(readIncoming(raw))
          const mayName = mail.kind === 'reply' || mail.kind === 'automatic'
          return {
            mail,
            days: mayName ? namedDays(mail.newText, arrived, timeZone) : [],
            back: mail.kind === 'automatic' ? dayOfReturn(mail.newText, arrived, timeZone) : null,
          }
        } catch (error) {
          return { refused: error instanceof Error ? error.message : String(error) }
        }
      }),
    ),
}
export type IncomingJobs = typeof incomingJobs
