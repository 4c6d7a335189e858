import { sizeWords } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import type { EnclosureJobs } from '../enclosures/jobs.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { Computes } from '../threads/job.ts'
import { Lost } from '../threads/lane.ts'
import type { ResponseJobs } from './jobs.ts'
import { addReturned, type CameBack, noteTried, type ToFetch, toFetch } from './returnedStore.ts'

export interface FetchReturnedParts {
  db: Database
  files: FileStore
  compute: Computes<ResponseJobs & EnclosureJobs>
  publish: Publish
  log: Logger
  ended: () => boolean
}

/** Octets of a message whose files are fetched. */
export const largestFetched = 50_000_000
/** Octets that are asked for at a time. */
const octetsAtOnce = 4_000_000
/** How many answers are fetched before it is looked for others. */
const atOnce = 20
/** How often an answer is tried whose fetching breaks off. */
const maxTries = 3

/** An answer of which no file could be kept, and why. */
const notKept = (name: string, size: number, why: string): CameBack => ({
  name,
  size,
  type: 'application/octet-stream',
  hash: null,
  why,
  ours: false,
})
const theFiles = 'files of this answer'

/**
 * Fetches the files that came back to a mailbox with answers, whole messages one after another, until none is left.
 * @throws when the line breaks; what was not fetched is tried again the next time, so many times.
 */
export async function fetchReturned(parts: FetchReturnedParts, client: ImapFlow, mailboxId: number): Promise<void> {
  const { db, publish, log } = parts
  // Each is settled or tried once in a run: what cannot be fetched now is for the next.
  const met = new Set<number>()
  for (;;) {
    const answers = (await toFetch(db, mailboxId, atOnce + met.size)).filter(({ responseId }) => !met.has(responseId))
    if (answers.length === 0) return
    for (const answer of answers) {
      if (parts.ended()) return
      met.add(answer.responseId)
      // Noted before it is begun: what takes the program with it is not begun without end.
      await noteTried(db, answer.responseId)
      let files: CameBack[]
      try {
        files = await fetchOne(parts, client, answer)
      } catch (error) {
        if (parts.ended()) return
        const lost = error instanceof Lost
        if (!lost && answer.tries + 1 < maxTries) throw error
        const why = error instanceof Error ? error.message : String(error)
        log.warn({ mailboxId, response: answer.responseId, why }, 'files of an answer could not be fetched')
        files = [
          notKept(theFiles, answer.size, `They could not be fetched: ${why} Look at the answer in the mail program.`),
        ]
      }
      await addReturned(db, answer.responseId, files)
      publish({ topic: 'responses', id: answer.roundId })
      await examineReturned(
        parts,
        files.flatMap(({ hash }) => hash ?? []),
      )
      publish({ topic: 'responses', id: answer.roundId })
    }
  }
}

/** How often contents are begun to be examined that take the thread with them. */
const maxExamined = 3
/** Examines contents as enclosures are, each once. What could not be examined counts as such. */
export async function examineReturned(
  { compute, log }: Pick<FetchReturnedParts, 'compute' | 'log'>,
  hashes: string[],
): Promise<void> {
  for (let n = 0; n < maxExamined && hashes.length > 0; n++) {
    try {
      await compute.run('examineContents', { hashes })
      return
    } catch (error) {
      if (!(error instanceof Lost)) throw error
      log.warn({ error: error.message }, 'examining a returned file was given up')
    }
  }
}

async function fetchOne(
  { files, compute }: FetchReturnedParts,
  client: ImapFlow,
  answer: ToFetch,
): Promise<CameBack[]> {
  if (answer.size > largestFetched)
    return [
      notKept(
        theFiles,
        answer.size,
        `The answer is ${sizeWords(answer.size)} large; files are fetched from answers of up to ${sizeWords(largestFetched)}. Save them from the mail program.`,
      ),
    ]
  const gone = 'The answer does not lie in the mailbox any more where it was found, so its files could not be fetched.'
  const lock = await client.getMailboxLock(answer.path, { readOnly: true })
  try {
    const box = client.mailbox
    if (!box || Number(box.uidValidity) !== answer.validity) return [notKept(theFiles, answer.size, gone)]
    const got = await client.download(String(answer.uid), undefined, {
      uid: true,
      maxBytes: largestFetched + 1,
      chunkSize: octetsAtOnce,
    })
    if (!got?.content) return [notKept(theFiles, answer.size, gone)]
    const held = await files.hold(got.content, largestFetched)
    try {
      return await compute.run('keepReturned', { path: held.path, own: answer.own })
    } finally {
      await held.forget()
    }
  } finally {
    lock.release()
  }
}
