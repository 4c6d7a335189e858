import { randomBytes } from 'node:crypto'
import type { SavedAnswer } from '@hand-post/contract'
import {
  addressFault,
  answerSubject,
  answerText,
  answerTo,
  compileTyped,
  momentWords,
  quotedText,
  threadOf,
} from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { imapWords, pathForDraft, usingImap } from '../mailboxes/imap.ts'
import { type MailboxRecord, mailboxById } from '../mailboxes/store.ts'
import { listById, rowById } from '../people/store.ts'
import { notFound, Refusal } from '../problem.ts'
import { senderOf } from '../rounds/loadRound.ts'
import { roundById } from '../rounds/store.ts'
import { savedAnswers, type ToAnswer, toAnswer } from './answerStore.ts'

export interface AnsweringParts {
  db: Database
  clock: Clock
  files: FileStore
  keys: MailboxKeys
}

/** An entry that can be answered. Throws a refusal when it cannot be. */
async function entryToAnswer(db: Database, responseId: number): Promise<ToAnswer> {
  const entry = await toAnswer(db, responseId)
  if (!entry) throw notFound('answer')
  return entry
}

/** From whom an answer to an entry goes, to whom, under which subject, and what it quotes. */
async function headOf(db: Database, entry: ToAnswer, { settings }: MailboxRecord) {
  return {
    from: senderOf(await roundById(db, entry.roundId), settings),
    to: answerTo(entry.from, entry.address),
    subject: answerSubject(entry.subject),
    quoted: quotedText({ from: entry.from, at: momentWords(entry.at, settings.timeZone), text: entry.text }),
  }
}

/** What an answer to an entry begins with. */
export async function beginAnswer(db: Database, responseId: number) {
  const entry = await entryToAnswer(db, responseId)
  const mailbox = await mailboxById(db, entry.mailboxId)
  const { from, ...head } = await headOf(db, entry, mailbox)
  return {
    ...head,
    from: from.name === '' ? from.address : `${from.name} <${from.address}>`,
    signature: mailbox.settings.signature,
    saved: await savedFor(db, entry),
  }
}

/** The saved answers as they read for the row that an entry answers. */
async function savedFor(db: Database, { listId, rowId }: ToAnswer): Promise<SavedAnswer[]> {
  const columns = listId === null ? [] : (await listById(db, listId)).columns
  const row = listId === null ? null : await rowById(db, listId, rowId)
  return (await savedAnswers(db)).map((saved) => {
    const { of, unknown } = compileTyped(saved.text, columns)
    const { text, blank } = of(row ?? { id: rowId, position: '', cells: {} })
    return { ...saved, filled: text, blank, unknown: [...new Set(unknown)] }
  })
}

/**
 * Puts an answer as a draft into the mailbox (IMAP APPEND with \\Draft, RFC 9051), in the thread of the letter and of what it answers.
 * @returns the folder that it lies in.
 */
export async function draftAnswer(
  { db, clock, files, keys }: AnsweringParts,
  responseId: number,
  { words, quote }: { words: string; quote: boolean },
): Promise<string> {
  const entry = await entryToAnswer(db, responseId)
  const mailbox = await mailboxById(db, entry.mailboxId)
  const { settings } = mailbox
  if (!settings.imap)
    throw new Refusal(
      409,
      'This mailbox has no IMAP host, where drafts would lie. Answer in the mail program. No draft was made.',
      'No IMAP host',
    )
  const { from, to, subject, quoted } = await headOf(db, entry, mailbox)
  const fault = addressFault(to)
  if (fault !== null)
    throw new Refusal(
      422,
      `“${to.slice(0, 100)}” is no address that an answer can go to (${fault}). No draft was made.`,
      'No address',
    )
  const key = randomBytes(16).toString('base64url')
  const { inReplyTo, references } = threadOf(entry.letterId, entry.mailId)
  const contents = {
    from,
    to: { name: '', address: to },
    cc: [],
    bcc: [],
    subject,
    html: '',
    text: answerText(words, settings.signature, quote ? quoted : ''),
    files: [],
    pictures: [],
    links: [],
    receipt: false,
  }
  const messageId = `<${key}@${from.address.slice(from.address.lastIndexOf('@') + 1)}>`
  const raw = await composeRaw({ key, messageId, contents }, clock.now(), files, {
    'In-Reply-To': inReplyTo,
    References: references.join(' '),
  })
  try {
    return await usingImap(keys.accessOf(mailbox), async (client) => {
      const path = await pathForDraft(client)
      await client.append(path, raw, ['\\Draft', '\\Seen'], new Date(clock.now()))
      return path
    })
  } catch (error) {
    if (error instanceof Refusal) throw error
    throw new Refusal(
      502,
      `The draft was not taken (${imapWords(error, keys.accessOf(mailbox))}). Look into the folder of drafts before you try again: it may lie there.`,
      'Draft not taken',
    )
  }
}
