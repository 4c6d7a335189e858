import { createHash } from 'node:crypto'
import {
  compileLetter,
  dayOf,
  eventWords,
  type Letter,
  type RecordEntry,
  type RecordHead,
  type Row,
  times,
  verb,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { contentsOfCopies } from '../mailboxes/contents.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { loadList } from '../people/loadList.ts'
import { Refusal } from '../problem.ts'
import { eventsOf } from '../rounds/events.ts'
import { type RoundRecord, roundById } from '../rounds/store.ts'
import type { JobContext } from '../threads/job.ts'
import * as store from './store.ts'

/** SHA-256 as the seal has it. */
export const sha256 = (data: string | Uint8Array): string => createHash('sha256').update(data).digest('hex')

/** How many letters are read at a time. */
export const lettersAtOnce = 500

const iso = (at: number | null) => (at === null ? null : new Date(at).toISOString())
const nobody: Row = { id: 0, position: '', cells: {} }

/** A round that is posted, by number: of a chaser, or of answers, the round that they belong to. */
export async function postedRound(db: Database, roundId: number): Promise<RoundRecord> {
  const round = await roundById(db, roundId)
  if (round.postedAt === null)
    throw new Refusal(409, `“${round.title}” is not posted yet, so there is nothing to be recorded.`, 'Not posted')
  if (round.chases !== null)
    throw new Refusal(
      409,
      `“${round.title}” is a chaser: it stands in the record and the archive of the round that it follows. Make them there.`,
      'A chaser',
    )
  return round
}

/** What keeps a round from being finished, in words; nothing where it is. */
export async function unfinishedWords(db: Database, roundId: number): Promise<string[]> {
  const { open, inDoubt, copies, paper } = await store.standOf(db, roundId)
  const are = (n: number) => verb(n, 'is', 'are')
  return [
    ...(open > 0 ? [`${times(open, 'letter')} ${are(open)} still to leave.`] : []),
    ...(inDoubt > 0
      ? [
          `${times(inDoubt, 'letter')} ${are(inDoubt)} in doubt: say at Dispatch whether ${verb(inDoubt, 'it', 'they')} went.`,
        ]
      : []),
    ...(copies > 0 ? [`${times(copies, 'copy', 'copies')} ${are(copies)} still to leave, or in doubt.`] : []),
    ...(paper > 0 ? [`${times(paper, 'letter')} on paper ${are(paper)} still to be printed.`] : []),
  ]
}

/** Everything that a posting record of a round tells of, but for the chain and its own page layout. */
export interface Collected {
  round: RoundRecord
  zone: string
  head: Omit<RecordHead, 'entries'>
  entries: RecordEntry[]
  /** How many were left out by the rules; null where that was not written down when the round was posted. */
  byRule: number | null
  /** What was accepted at each posting, and how many letters were read before it. */
  proofs: { at: number; title: string; read: number; accepted: { title: string; message: string; reason: string }[] }[]
}

/** Reads what a posting record of a round tells of. */
export async function collect({ db, files, progress }: JobContext, roundId: number, now: number): Promise<Collected> {
  const round = await postedRound(db, roundId)
  const { settings } = await mailboxById(db, round.mailboxId)
  const zone = settings.timeZone
  const loaded = round.listId === null ? null : await loadList(db, round.listId, dayOf(now, zone))
  const columns = loaded?.list.columns ?? []
  const written = (letter: Letter) => {
    const { subject, text } = compileLetter(letter, columns, { asWritten: true }).merge(nobody)
    return { subject, words: text }
  }
  const family = await store.familyOf(db, roundId)
  const titles = new Map(family.map(({ id, title }) => [id, title]))
  const entries: RecordEntry[] = []
  for (const one of family) {
    if (one.isAnswers) continue
    for (const { number, at, letter, files } of await store.versionsOf(db, one))
      entries.push({
        kind: 'version',
        round: one.title,
        number,
        at: iso(at),
        ...written(letter),
        files: files.map(({ name, hash, size }) => ({ name, size, sha256: hash })),
      })
  }

  const proofs: Collected['proofs'] = []
  let byRule: number | null = null
  const leftOut: RecordEntry[] = []
  for (const event of await eventsOf(db, roundId)) {
    const details: Record<string, unknown> = { ...event.details }
    if (event.what === 'posted' || event.what === 'toppedUp' || event.what === 'amended') {
      const { read, accepted } = event.details
      proofs.push({ at: event.at, title: event.title, read, accepted })
    }
    if (event.what === 'posted') {
      // Each of them is an entry of its own.
      delete details.leftOut
      if (event.roundId === roundId) {
        byRule = event.details.byRule
        for (const one of event.details.leftOut) leftOut.push({ kind: 'leftOut', ...one })
      }
    }
    entries.push({
      kind: 'event',
      round: event.title,
      at: iso(event.at),
      what: event.what,
      words: eventWords(event),
      details: details as Extract<RecordEntry, { kind: 'event' }>['details'],
      ...(event.by ? { by: event.by } : {}),
    })
  }
  entries.push(...leftOut)

  const ids = await store.idsOfFamily(db, roundId, false)
  for (let at = 0; at < ids.length; at += lettersAtOnce) {
    const some = ids.slice(at, at + lettersAtOnce)
    const copies = byLetter(await store.copiesOfLetters(db, some))
    const came = byLetter(await store.cameForLetters(db, some))
    const unknown = await hashesMade(db, files, some)
    for (const letter of await store.lettersOf(db, roundId, some))
      entries.push({
        kind: 'message',
        round: titles.get(letter.roundId) ?? '',
        row: letter.row,
        person: letter.person,
        to: letter.address,
        from: letter.from,
        subject: letter.subject,
        messageId: letter.messageId,
        version: letter.version,
        state: letter.state,
        at: iso(letter.sentAt),
        answer: letter.answer,
        sha256: letter.hash ?? unknown.get(letter.id)?.letter ?? null,
        files: letter.files.map(({ name, hash, size }) => ({ name, size, sha256: hash })),
        copies: (copies.get(letter.id) ?? []).map(({ address, role, state, sentAt, answer, hash }) => ({
          address,
          role,
          state,
          at: iso(sentAt),
          answer,
          sha256: hash ?? (state === 'sent' ? (unknown.get(letter.id)?.copies ?? null) : null),
        })),
        came: (came.get(letter.id) ?? []).map(({ kind, at, words }) => ({ what: kind, at: iso(at), words })),
      })
    progress(Math.min(ids.length, at + lettersAtOnce), ids.length, 'Reading what was sent')
  }
  for (const one of await store.paperOfRound(db, roundId))
    entries.push({
      kind: 'paper',
      row: one.row,
      person: one.person,
      state: one.state,
      printedAt: iso(one.printedAt),
      version: one.version,
    })
  return {
    round,
    zone,
    head: {
      format: 'hand-post-record',
      version: 1,
      round: round.title,
      number: round.id,
      mailbox: { name: settings.senderName, address: settings.address },
      list: loaded?.list.name ?? null,
      postedAt: iso(round.postedAt),
      madeAt: iso(now),
      zone,
    },
    entries,
    byRule,
    proofs,
  }
}

function byLetter<T extends { messageId: number }>(all: readonly T[]): Map<number, T[]> {
  const found = new Map<number, T[]>()
  for (const one of all) {
    const same = found.get(one.messageId)
    if (same) same.push(one)
    else found.set(one.messageId, [one])
  }
  return found
}

/**
 * The hashes of letters, and of their copies, that were sent by a version of before, which did not write them down: the same bytes are
 * made of what was frozen. What cannot be made any more has none.
 */
async function hashesMade(
  db: Database,
  files: FileStore,
  ids: readonly number[],
): Promise<Map<number, { letter: string | null; copies: string | null }>> {
  const made = new Map<number, { letter: string | null; copies: string | null }>()
  const without = await store.withoutHash(db, ids)
  for (const one of await store.sentMessages(db, without)) {
    const hash = async (contents: typeof one.contents) => {
      if (one.forgotten) return null
      try {
        return sha256(await composeRaw({ ...one, contents }, one.sentAt, files))
      } catch {
        return null
      }
    }
    made.set(one.id, {
      letter: one.hash ?? (await hash(one.contents)),
      copies: one.copies === null ? null : (one.copies.hash ?? (await hash(contentsOfCopies(one.contents)))),
    })
  }
  return made
}
