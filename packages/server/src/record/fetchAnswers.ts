import type { ImapFlow } from 'imapflow'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { foldersOf, usingImap } from '../mailboxes/imap.ts'
import { mailboxById } from '../mailboxes/store.ts'
import type { AnswerForArchive } from './archiveJobs.ts'
import * as store from './store.ts'

/** Octets of an answer that is put into an archive whole. */
const largestAnswer = 60_000_000

/**
 * Fetches the answers to a round whole, from wherever they lie in the mailbox, for as long as they are wanted. What does not lie there any
 * more is given with the words that were kept of it.
 * @throws an error in words when the mailbox cannot be read.
 */
export async function fetchAnswers(
  { db, files, keys }: { db: Database; files: FileStore; keys: MailboxKeys },
  round: { id: number; mailboxId: number },
  onProgress: (done: number, of: number) => void,
  gone: AbortSignal,
): Promise<{ answers: AnswerForArchive[]; forget: () => Promise<void> }> {
  const came = await store.answersOf(db, round.id)
  const held: { forget: () => Promise<void> }[] = []
  const forget = async () => {
    for (const one of held) await one.forget()
  }
  const paths = new Map<number, string>()
  try {
    const mailbox = await mailboxById(db, round.mailboxId)
    if (came.length > 0 && mailbox.settings.imap)
      await usingImap(keys.accessOf(mailbox), async (client) => {
        for (const path of await inOrder(client, mailbox.settings.folders)) {
          const missing = came.filter(({ id, mailId }) => mailId !== null && !paths.has(id))
          if (missing.length === 0) return
          const lock = await client.getMailboxLock(path, { readOnly: true })
          try {
            for (const one of missing) {
              gone.throwIfAborted()
              const raw = await fetchOne(client, one.mailId!, files)
              if (raw === null) continue
              held.push(raw)
              paths.set(one.id, raw.path)
              onProgress(paths.size, came.length)
            }
          } finally {
            lock.release()
          }
        }
      })
  } catch (error) {
    await forget()
    throw error
  }
  return { answers: came.map(({ id, mailId: _, ...one }) => ({ ...one, path: paths.get(id) ?? null })), forget }
}

/** The folders of a mailbox in the order in which answers are looked for: inbox, those that are read, and all others. */
async function inOrder(client: ImapFlow, chosen: readonly string[]): Promise<string[]> {
  const all = (await foldersOf(client)).map(({ path }) => path)
  const first = ['INBOX', ...chosen].filter((path) => all.includes(path))
  return [...first, ...all.filter((path) => !first.includes(path))]
}

async function fetchOne(client: ImapFlow, mailId: string, files: FileStore) {
  const found = await client.search({ header: { 'message-id': mailId } }, { uid: true })
  if (!found || found.length === 0) return null
  const got = await client.download(String(found[0]), undefined, { uid: true, maxBytes: largestAnswer + 1 })
  return got?.content ? files.hold(got.content, largestAnswer) : null
}
