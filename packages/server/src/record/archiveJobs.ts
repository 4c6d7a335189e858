import { csvText, keptNames, mboxEntry, mboxSeparator, safeName } from '@hand-post/core'
import type { FileStore } from '../files/fileStore.ts'
import { Packed, writeParts } from '../files/pack.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { contentsOfCopies } from '../mailboxes/contents.ts'
import { Refusal } from '../problem.ts'
import type { JobContext } from '../threads/job.ts'
import { lettersAtOnce, postedRound, sha256 } from './collect.ts'
import * as store from './store.ts'

/** An answer that goes into an archive: as it lies in the mailbox, or what was kept of it. */
export interface AnswerForArchive {
  person: string
  at: number
  from: string
  subject: string
  /** Where the whole message lies, or null where it is not in the mailbox any more. */
  path: string | null
  text: string
}

/** A message as it was sent. `why`: what keeps it from being that, in words. */
interface Made {
  message: store.SentMessage
  /** To whom copies went; null for the letter to the person. */
  copyTo: string[] | null
  raw: Buffer | null
  hash: string | null
  why: string
}

/** The messages of a round that have gone, and of what belongs to it, each made anew and held to the hash with which it left. */
async function* sentOf({ db, files, progress }: JobContext, roundId: number): AsyncGenerator<Made> {
  const ids = await store.idsOfFamily(db, roundId, true)
  if (ids.length === 0)
    throw new Refusal(409, 'No letter of this round has gone, so there is nothing to be archived.', 'Nothing sent')
  let n = 0
  for (let at = 0; at < ids.length; at += lettersAtOnce)
    for (const message of await store.sentMessages(db, ids.slice(at, at + lettersAtOnce))) {
      yield { message, copyTo: null, ...(await madeAnew(message, message.hash, files)) }
      if (message.copies !== null) {
        const contents = contentsOfCopies(message.contents)
        const made = await madeAnew({ ...message, contents }, message.copies.hash, files)
        // Most copies are the very message that the person got.
        if (made.hash !== message.hash || message.hash === null)
          yield { message, copyTo: message.copies.addresses, ...made }
      }
      if (++n % 20 === 0 || n === ids.length) progress(n, ids.length, 'Writing messages')
    }
}

async function madeAnew(
  message: store.SentMessage,
  asSent: string | null,
  files: FileStore,
): Promise<Pick<Made, 'raw' | 'hash' | 'why'>> {
  if (message.forgotten)
    return { raw: null, hash: null, why: 'Its words were forgotten. What was sent lies in Sent of the mailbox.' }
  try {
    const raw = await composeRaw(message, message.sentAt, files)
    const hash = sha256(raw)
    const why =
      asSent !== null && asSent !== hash
        ? 'It could be made anew only with other bytes than those that were sent; what was sent lies in Sent of the mailbox.'
        : ''
    return { raw, hash, why }
  } catch (error) {
    const what = error instanceof Error ? error.message : String(error)
    return {
      raw: null,
      hash: null,
      why: `It cannot be made any more: ${what} What was sent lies in Sent of the mailbox.`,
    }
  }
}

/** Archives of what was sent. Each gives what the file is called. */
export const archiveJobs = {
  /** One .mbox file (RFC 4155). */
  async archiveMbox({ roundId, path }: { roundId: number; path: string }, context: JobContext): Promise<string> {
    const { title } = await postedRound(context.db, roundId)
    async function* entries() {
      for await (const { message, raw, why } of sentOf(context, roundId)) {
        if (raw === null || why !== '')
          throw new Refusal(
            409,
            `The letter to ${message.person} cannot be put into an .mbox file as it was sent. ${why} Take the zip instead: its list says of each what became of it.`,
            'Not as it was sent',
          )
        yield mboxEntry(mboxSeparator(message.contents.from.address, message.sentAt), raw)
      }
    }
    await writeParts(path, entries())
    return safeName(`${title}.mbox`)
  },

  /** A zip: the messages, all files once, the answers that are given, the latest sealed record, and a list of the messages. */
  async archiveZip(
    { roundId, path, answers }: { roundId: number; path: string; answers: AnswerForArchive[] },
    context: JobContext,
  ): Promise<string> {
    const { db, files } = context
    const { title } = await postedRound(db, roundId)
    const packed = new Packed(path)
    const lines: string[][] = [
      [
        'File',
        'Person',
        'Address',
        'Copy to',
        'Round',
        'Subject',
        'Sent',
        'Message-ID',
        'SHA-256',
        'Enclosures',
        'To be known',
      ],
    ]
    /** Says of a file that should be in the archive that it is not, and why. */
    const isNotThere = (hash: string, name: string, why: string) =>
      lines.push(['', '', '', '', '', '', '', '', hash, name, why])
    const enclosed = new Map<string, string>()
    let n = 0
    for await (const { message, copyTo, raw, hash, why } of sentOf(context, roundId)) {
      if (copyTo === null) n++
      const name = safeName(`${String(n).padStart(5, '0')} ${message.person}${copyTo === null ? '' : ', copy'}.eml`)
      if (raw !== null) await packed.add(`messages/${name}`, raw, message.sentAt)
      for (const file of message.contents.files) if (!enclosed.has(file.hash)) enclosed.set(file.hash, file.name)
      lines.push([
        raw === null ? '' : `messages/${name}`,
        message.person,
        message.contents.to.address,
        copyTo?.join(', ') ?? '',
        message.title,
        message.contents.subject,
        new Date(message.sentAt).toISOString(),
        message.messageId,
        hash ?? '',
        message.contents.files.map((file) => file.name).join(', '),
        why,
      ])
    }
    const names = keptNames([...enclosed.values()].map((name) => ({ written: null, name })))
    for (const [i, [hash, name]] of [...enclosed].entries()) {
      try {
        await packed.add(`files/${names[i]}`, await files.read(hash))
      } catch {
        isNotThere(hash, name, 'This file is not on the disk any more as it was sent.')
      }
    }
    const came: string[][] = [['File', 'Person', 'From', 'Subject', 'Received', 'To be known']]
    for (const [i, { person, at, from, subject, path: lies, text }] of answers.entries()) {
      const whole = lies !== null
      const name = `answers/${safeName(`${String(i + 1).padStart(5, '0')} ${person}${whole ? '.eml' : '.txt'}`)}`
      if (whole) await packed.addFile(name, lies, { at })
      else await packed.add(name, Buffer.from(text), at)
      came.push([
        name,
        person,
        from,
        subject,
        new Date(at).toISOString(),
        whole ? '' : 'It does not lie in the mailbox any more: these are the words that Hand Post has kept of it.',
      ])
    }
    if (answers.length > 0) await packed.add('answers.csv', Buffer.from(csvText(came)))
    const [sealed] = (await store.recordsOf(db, roundId)).filter(({ end }) => end !== null)
    const record = sealed && (await store.recordById(db, sealed.id))
    for (const [name, hash] of record?.seal
      ? [
          ['record.pdf', record.pdf],
          ['record.json', record.seal],
        ]
      : []) {
      try {
        await packed.add(name, await files.read(hash))
      } catch {
        isNotThere(hash, name, 'The posting record is not on the disk any more as it was made.')
      }
    }
    await packed.add('list.csv', Buffer.from(csvText(lines)))
    await packed.end()
    return safeName(`${title}, archive.zip`)
  },
}
