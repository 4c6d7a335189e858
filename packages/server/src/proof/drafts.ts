import { choiceSets, headerLine } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Clock } from '../clock.ts'
import { type Database, json } from '../db/database.ts'
import type { Examiner } from '../enclosures/examiner.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { draftsPath, imapWords, pathForDraft, sentPath, usingImap } from '../mailboxes/imap.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { draftsOf } from '../rounds/draftStore.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import { draftById, roundById } from '../rounds/store.ts'
import { type Computes, cancelled } from '../threads/job.ts'
import type { WorkOptions } from '../threads/works.ts'
import type { ProofJobs } from './jobs.ts'

/** The header field by which a draft is known again when it was sent from there, whatever Message-ID it has then. */
const draftField = 'X-Hand-Post-Draft'

/** What putting drafts into a mailbox needs. */
export interface DraftParts {
  db: Database
  clock: Clock
  compute: Computes<ProofJobs>
  files: FileStore
  keys: MailboxKeys
  examiner: Examiner
  publicAddress: PublicAddress
  publish: Publish
}

/** What the proof finds of drafts that lie there already, or were sent: it is in the way of posting, and not of putting those that lack. */
const ofDrafts = new Set(['draftLies', 'draftSent'])

/**
 * Puts the messages of a round as drafts into its mailbox (IMAP APPEND with \\Draft, RFC 9051), to be sent by hand from there.
 * Who has one already gets no second. What the proof has to settle must be settled first, as for posting.
 * @returns how many were put there.
 */
export async function putDrafts(
  { db, compute, clock, files, keys, examiner, publicAddress, publish }: DraftParts,
  roundId: number,
  { signal, onProgress }: WorkOptions,
): Promise<number> {
  const round = await draftById(db, roundId)
  if (round.chases !== null)
    throw new Refusal(
      409,
      'A chaser goes only to those who have not answered, and of drafts nobody could see to that. Post it. No draft was made.',
      'Chasers need posting',
    )
  if (round.tracking.optOut)
    throw new Refusal(
      409,
      'The letter offers to opt out, which only what Hand Post sends itself can. Switch that off at the letter, or post the round. No draft was made.',
      'Opting out needs posting',
    )
  if (choiceSets(round.letter).length > 0)
    throw new Refusal(
      409,
      'The letter has choices, and only of what Hand Post sends itself is it known who chose which. Take them out of the letter, or post the round. No draft was made.',
      'Choices need posting',
    )
  await examiner.soon(roundId)
  const mailbox = await mailboxById(db, round.mailboxId)
  const proof = await compute.run('proof', { roundId, now: clock.now(), publicAddress }, { signal })
  const open = proof.findings.filter(
    ({ check, grade, accepted }) =>
      !ofDrafts.has(check) && (grade === 'stop' || (grade === 'ask' && accepted === null)),
  )
  if (proof.unread > 0 || open.length > 0)
    throw new Refusal(409, 'The proof has something to settle. No draft was made; look at Proof first.', 'Not settled')
  const had = new Set((await draftsOf(db, roundId)).map((d) => d.rowId))
  const made = await compute.run('untracked', { roundId, now: clock.now(), publicAddress }, { signal })
  const wanted = made.filter((m) => !had.has(m.rowId))
  let put = 0
  try {
    await usingImap(keys.accessOf(mailbox), async (client) => {
      const path = await pathForDraft(client)
      for (const message of wanted) {
        if (signal.aborted)
          throw new Refusal(
            cancelled,
            `${put} of ${wanted.length} drafts lie there now; try again for the rest.`,
            'Cancelled',
          )
        const { key, messageId, rowId, contents } = message
        const raw = await composeRaw(message, clock.now(), files, { [draftField]: key })
        // What is sent from a draft goes to whom its headers name: Bcc too, which the program takes out when it sends.
        const bcc = contents.bcc.length > 0 ? Buffer.from(`Bcc: ${contents.bcc.join(',\r\n ')}\r\n`) : Buffer.alloc(0)
        // Noted first: a draft that is there twice may be sent twice, one that is noted and lacks is seen to lack.
        await db.query('INSERT INTO drafts VALUES ($1, $2, $3, $4, $5)', [roundId, rowId, key, messageId, clock.now()])
        try {
          await client.append(path, Buffer.concat([bcc, raw]), ['\\Draft', '\\Seen'], new Date(clock.now()))
        } catch (error) {
          await db.query('DELETE FROM drafts WHERE key = $1', [key])
          throw new Refusal(
            502,
            `The mailbox did not take a draft (${imapWords(error, keys.accessOf(mailbox))}). ${put} of ${wanted.length} lie there now; try again for the rest.`,
            'Draft not taken',
          )
        }
        put++
        onProgress({ done: put, of: wanted.length, words: 'Putting drafts' })
      }
    })
  } catch (error) {
    if (error instanceof Refusal) throw error
    throw new Refusal(
      502,
      `${(error as Error).message} ${put === 0 ? 'No draft was made.' : `${put} of ${wanted.length} drafts lie there now; try again for the rest.`}`,
      'Mailbox not reached',
    )
  } finally {
    publish({ topic: 'round', id: roundId })
  }
  return put
}

/**
 * Takes a round's drafts out of its mailbox again. Those that were sent from there are looked for first: whoever was sent the letter
 * by hand stays known. Only messages that bear the mark of this round's drafts are deleted. What is noted and not there any more may
 * have been sent by a program that keeps no mark and no copy: it stays noted, and the proof goes on asking about it.
 */
export async function takeDraftsAway(
  { db, clock, keys, publish }: DraftParts,
  roundId: number,
): Promise<{ taken: number; sent: number; missing: number }> {
  const round = await roundById(db, roundId)
  const mailbox = await mailboxById(db, round.mailboxId)
  try {
    return await usingImap(keys.accessOf(mailbox), async (client) => {
      await findSentDrafts(db, client, round.mailboxId, clock.now())
      const all = await draftsOf(db, roundId)
      const open = all.filter((d) => d.sentAt === null)
      const lying = new Map<number, string>()
      const path = open.length === 0 ? null : await draftsPath(client)
      if (open.length > 0 && path === null)
        throw new Refusal(
          502,
          'The mailbox has no folder for drafts any more, so none was taken away. Look for them in your mail program.',
          'No folder for drafts',
        )
      if (path !== null) {
        const keys = new Set(open.map((d) => d.key))
        const lock = await client.getMailboxLock(path)
        try {
          const uids = (await client.search({ header: { [draftField]: true } }, { uid: true })) || []
          if (uids.length > 0)
            for await (const m of client.fetch(
              uids.join(','),
              { uid: true, headers: [draftField.toLowerCase()] },
              { uid: true },
            )) {
              const key = headerLine(m.headers?.toString('utf8') ?? '', draftField)
              if (keys.has(key)) lying.set(m.uid, key)
            }
          if (lying.size > 0 && !(await client.messageDelete([...lying.keys()].join(','), { uid: true })))
            throw new Refusal(
              502,
              'The mailbox did not delete the drafts. They lie there as before; try again, or delete them in your mail program.',
              'Drafts not deleted',
            )
        } finally {
          lock.release()
        }
      }
      const taken = [...new Set(lying.values())]
      await db.query('DELETE FROM drafts WHERE key IN (SELECT jsonb_array_elements_text($1::jsonb))', [json(taken)])
      return { taken: taken.length, sent: all.length - open.length, missing: open.length - taken.length }
    })
  } catch (error) {
    if (error instanceof Refusal) throw error
    throw new Refusal(
      502,
      `${(error as Error).message} The drafts lie there as before; try again.`,
      'Mailbox not reached',
    )
  } finally {
    publish({ topic: 'round', id: roundId })
  }
}

/**
 * Looks in the mailbox's folder of sent mail for drafts that were sent from there: by the field they bear, or their Message-ID.
 * @returns the rounds in which some were found.
 */
export async function findSentDrafts(
  db: Database,
  client: ImapFlow,
  mailboxId: number,
  now: number,
): Promise<number[]> {
  const open = await db.query<{ roundId: number; key: string; messageId: string; putAt: number }>(
    `SELECT d.round_id AS "roundId", d.key, d.message_id AS "messageId", d.put_at AS "putAt" FROM drafts d JOIN rounds r ON r.id = d.round_id
     WHERE r.mailbox_id = $1 AND d.sent_at IS NULL`,
    [mailboxId],
  )
  const path = open.length === 0 ? null : await sentPath(client)
  if (path === null) return []
  const byKey = new Map(open.flatMap((d) => [[d.key, d] as const, [d.messageId, d] as const]))
  const found = new Map<string, { roundId: number; at: number }>()
  const lock = await client.getMailboxLock(path, { readOnly: true })
  try {
    // The day before the first was put there: IMAP searches by whole days, in the host's own time zone.
    const since = new Date(Math.min(...open.map((d) => d.putAt)) - 24 * 3600 * 1000)
    const uids = (await client.search({ since }, { uid: true })) || []
    if (uids.length > 0)
      for await (const m of client.fetch(
        uids.join(','),
        { uid: true, internalDate: true, headers: [draftField.toLowerCase(), 'message-id'] },
        { uid: true },
      )) {
        const head = m.headers?.toString('utf8') ?? ''
        const named = headerLine(head, draftField)
        const id = headerLine(head, 'message-id')
        const draft = byKey.get(named) ?? byKey.get(id)
        if (draft)
          found.set(draft.key, {
            roundId: draft.roundId,
            at: m.internalDate instanceof Date ? m.internalDate.getTime() : now,
          })
      }
  } finally {
    lock.release()
  }
  for (const [key, { at }] of found) await db.query('UPDATE drafts SET sent_at = $2 WHERE key = $1', [key, at])
  return [...new Set([...found.values()].map((f) => f.roundId))]
}

/** Looks now for drafts of a round that were sent from the mailbox. */
export async function lookForSentDrafts(
  { db, clock, keys, publish }: Pick<DraftParts, 'db' | 'clock' | 'keys' | 'publish'>,
  roundId: number,
): Promise<void> {
  const round = await roundById(db, roundId)
  const mailbox = await mailboxById(db, round.mailboxId)
  const found = await usingImap(keys.accessOf(mailbox), (client) =>
    findSentDrafts(db, client, round.mailboxId, clock.now()),
  ).catch((error: Error) => {
    throw new Refusal(502, error.message, 'Mailbox not reached')
  })
  for (const id of found) publish({ topic: 'round', id })
}
