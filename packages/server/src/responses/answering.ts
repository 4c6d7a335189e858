import { randomBytes } from 'node:crypto'
import type { Readable } from 'node:stream'
import type { SavedAnswer, SentAnswer } from '@hand-post/contract'
import {
  addressFault,
  answerSubject,
  answerText,
  answerTo,
  compileTyped,
  fileWarning,
  momentWords,
  quotedText,
  safeName,
  sizeWords,
  threadOf,
} from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Dispatcher } from '../dispatch/dispatcher.ts'
import type { EnclosureJobs } from '../enclosures/jobs.ts'
import type { FileStore } from '../files/fileStore.ts'
import { typeOf } from '../files/mediaType.ts'
import { fileFacts, noteFile } from '../files/store.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw, exactSize } from '../mailboxes/compose.ts'
import type { Frozen } from '../mailboxes/contents.ts'
import { imapWords, pathForDraft, usingImap } from '../mailboxes/imap.ts'
import { type MailboxRecord, mailboxById } from '../mailboxes/store.ts'
import { refusedFor } from '../people/bookStore.ts'
import { notFound, Refusal } from '../problem.ts'
import { fileFactsOf } from '../rounds/files.ts'
import { senderOf } from '../rounds/loadRound.ts'
import { endedAlready, roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import { answersTo, askedBefore, insertAnswer, savedAnswers, type ToAnswer, toAnswer } from './answerStore.ts'
import { type RowParts, rowAsItIs } from './rowAsItIs.ts'

export interface AnsweringParts {
  db: Database
  clock: Clock
  compute: Computes<EnclosureJobs>
  files: FileStore
  keys: MailboxKeys
  dispatcher: Pick<Dispatcher, 'planAnew'>
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
export async function beginAnswer(parts: RowParts, responseId: number, now: number) {
  const { db } = parts
  const entry = await entryToAnswer(db, responseId)
  const mailbox = await mailboxById(db, entry.mailboxId)
  const { from, ...head } = await headOf(db, entry, mailbox)
  return {
    ...head,
    from: from.name === '' ? from.address : `${from.name} <${from.address}>`,
    signature: mailbox.settings.signature,
    refused: await whyRefused(db, head.to),
    saved: await savedFor(parts, entry, now),
  }
}

/** Why nothing is sent to an address from here, in words; null when nothing speaks against it. */
async function whyRefused(db: Database, to: string): Promise<string | null> {
  const fault = addressFault(to)
  if (fault !== null) return `“${to.slice(0, 100)}” is no address that an answer can go to (${fault}).`
  const listed = await refusedFor(db, to)
  return (
    listed &&
    `${to} is on the do-not-write list (${listed.reason}). To answer from here all the same, take it off that list first; a draft can be put into the mailbox as it is.`
  )
}

/** The saved answers as they read for the row that an entry answers. */
async function savedFor(parts: RowParts, { listId, rowId }: ToAnswer, now: number): Promise<SavedAnswer[]> {
  const { columns, row } = await rowAsItIs(parts, listId, rowId, now)
  return (await savedAnswers(parts.db)).map((saved) => {
    const { of, unknown } = compileTyped(saved.text, columns)
    const { text, blank } = of(row ?? { id: rowId, position: '', cells: {} })
    return { ...saved, filled: text, blank, unknown: [...new Set(unknown)] }
  })
}

/** What an answer is made of, as it was written in its sheet. */
export interface WrittenAnswer {
  words: string
  quote: boolean
  files: { hash: string; name: string }[]
}

/** Octets of one file that goes with an answer. */
const largestFile = 100_000_000

/** Keeps a file that is to go with an answer, and examines it. */
export async function keepAnswerFile(
  { db, compute, files }: AnsweringParts,
  responseId: number,
  given: string,
  content: Readable,
): Promise<{ hash: string; name: string; size: number; warning: ReturnType<typeof fileWarning> }> {
  await entryToAnswer(db, responseId)
  const name = safeName(given)
  const { hash, size } = await files.keep(content, largestFile)
  await noteFile(db, { hash, size, type: typeOf(name) })
  await compute.run('examineContents', { hashes: [hash] })
  const facts = await fileFactsOf(db, [hash])
  return { hash, name, size, warning: fileWarning({ name, size }, facts.get(hash)) }
}

/** An answer as it is given to the composer: from the letter's sender, in the thread of the letter and of what it answers. */
async function composed(
  { db }: AnsweringParts,
  entry: ToAnswer,
  mailbox: MailboxRecord,
  { words, quote, files }: WrittenAnswer,
): Promise<Frozen> {
  const { from, to, subject, quoted } = await headOf(db, entry, mailbox)
  const key = randomBytes(16).toString('base64url')
  return {
    key,
    messageId: `<${key}@${from.address.slice(from.address.lastIndexOf('@') + 1)}>`,
    contents: {
      from,
      to: { name: '', address: to },
      cc: [],
      bcc: [],
      subject,
      html: '',
      text: answerText(words, mailbox.settings.signature, quote ? quoted : ''),
      files: await Promise.all(files.map((file) => enclosed(db, file))),
      pictures: [],
      links: [],
      receipt: false,
      thread: threadOf(entry.letterId, entry.mailId),
    },
  }
}

/** A file that goes with an answer. Throws a refusal when it is not here, or may not go as it is. */
async function enclosed(db: Database, given: { hash: string; name: string }) {
  const name = safeName(given.name)
  const stored = await fileFacts(db, given.hash)
  if (!stored)
    throw new Refusal(422, `“${name}” is not here (any more). Add it once more. Nothing was sent.`, 'File missing')
  const warning = fileWarning({ name, size: stored.size }, (await fileFactsOf(db, [given.hash])).get(given.hash))
  if (warning?.stops) throw new Refusal(422, `${warning.words} Nothing was sent.`, 'File cannot go')
  return { name, hash: given.hash, size: stored.size, type: typeOf(name) }
}

/** How long (ms) an answer rests before it leaves, so that it can be withdrawn. */
export const answerRests = 10_000

/**
 * Sends an answer, as letters are sent: written as waiting, it leaves by the mailbox's plan a few seconds later, before letters that wait.
 * Asked for twice under one name it goes once.
 */
export async function sendAnswer(
  parts: AnsweringParts,
  responseId: number,
  { askedAs, ...written }: WrittenAnswer & { askedAs: string },
): Promise<SentAnswer> {
  const { db, clock, files, dispatcher } = parts
  const entry = await entryToAnswer(db, responseId)
  // Looked for before anything speaks against it: what went already is not said not to have gone.
  const before = await askedBefore(db, askedAs)
  if (before !== null) return sentTo(db, responseId, before)
  // What comes of an answer to an ended round would not be seen.
  const round = await roundById(db, entry.roundId)
  if (round.endedAt !== null) throw endedAlready(round)
  const mailbox = await mailboxById(db, entry.mailboxId)
  const frozen = await composed(parts, entry, mailbox, written)
  const to = frozen.contents.to.address
  const refused = await whyRefused(db, to)
  if (refused !== null) throw new Refusal(422, `${refused} Nothing was sent.`, 'Not to this address')
  const size = await exactSize(frozen, files)
  if (size > mailbox.settings.largestMessage)
    throw new Refusal(
      422,
      `With its files the answer comes to ${sizeWords(size)}; the mailbox takes up to ${sizeWords(mailbox.settings.largestMessage)}. Take a file out. Nothing was sent.`,
      'Too large',
    )
  const now = clock.now()
  const { id, isNew } = await insertAnswer(
    db,
    entry,
    {
      responseId,
      askedAs,
      words: written.words,
      notBefore: now + answerRests,
      message: { ...frozen, rowId: entry.rowId, person: entry.person, address: to, recipients: 1 },
    },
    now,
  )
  if (isNew) await dispatcher.planAnew(mailbox.id)
  return sentTo(db, responseId, id)
}

/** An answer to an entry, by its message. Throws a refusal when it answers another. */
async function sentTo(db: Database, responseId: number, id: number): Promise<SentAnswer> {
  const found = (await answersTo(db, responseId)).find((one) => one.id === id)
  if (!found)
    throw new Refusal(
      409,
      'An answer to somebody else was asked for under this name. Nothing was sent for this one.',
      'Name taken',
    )
  return found
}

/**
 * Puts an answer as a draft into the mailbox (IMAP APPEND with \\Draft, RFC 9051), in its thread.
 * @returns the folder that it lies in.
 */
export async function draftAnswer(parts: AnsweringParts, responseId: number, written: WrittenAnswer): Promise<string> {
  const { db, clock, files, keys } = parts
  const entry = await entryToAnswer(db, responseId)
  const mailbox = await mailboxById(db, entry.mailboxId)
  if (!mailbox.settings.imap)
    throw new Refusal(
      409,
      'This mailbox has no IMAP host, where drafts would lie. Answer in the mail program. No draft was made.',
      'No IMAP host',
    )
  const frozen = await composed(parts, entry, mailbox, written)
  const to = frozen.contents.to.address
  const fault = addressFault(to)
  if (fault !== null)
    throw new Refusal(
      422,
      `“${to.slice(0, 100)}” is no address that an answer can go to (${fault}). No draft was made.`,
      'No address',
    )
  const raw = await composeRaw(frozen, clock.now(), files)
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
