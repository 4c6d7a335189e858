import type { MessageLine } from '@hand-post/contract'
import { type MessageState, mayBecome } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'
import type { Contents, Frozen } from './contents.ts'

const from = (to: MessageState) =>
  mayBecome(to)
    .map((s) => `'${s}'`)
    .join(', ')
const day = 24 * 60 * 60 * 1000

/** A message claimed for sending. */
export interface Claimed extends Frozen {
  id: number
  roundId: number
  recipients: number
  attempts: number
  copiesGone: boolean
}

const lineColumns = `m.id, m.round_id AS "roundId", m.row_id AS "rowId", m.person, m.address, m.subject, m.state,
  m.planned_at AS "plannedAt", m.sent_at AS "sentAt", m.filed_at AS "filedAt", m.attempts, m.reason,
  (m.state = 'inDoubt' AND m.looked_at IS NOT NULL) AS "asksWriter"`

/** Writes the frozen messages of a round as waiting. */
export async function insertMessages(
  db: Database,
  round: { id: number; mailboxId: number; notBefore: number; gap: number },
  messages: {
    rowId: number
    position: number
    key: string
    messageId: string
    person: string
    address: string
    recipients: number
    contents: Contents
  }[],
): Promise<void> {
  for (let at = 0; at < messages.length; at += 200)
    await db.query(
      `WITH given AS (
         SELECT * FROM jsonb_to_recordset($5::jsonb) AS x ("rowId" int, position int, key text, "messageId" text, person text, address text, recipients int, contents jsonb)
       ), made AS (
         INSERT INTO messages (round_id, mailbox_id, not_before, gap, state, row_id, position, key, message_id, person, address, recipients, subject)
         SELECT $1, $2, $3, $4, 'waiting', "rowId", position, key, "messageId", person, address, recipients, contents->>'subject' FROM given
         RETURNING id, key
       )
       INSERT INTO message_contents SELECT made.id, given.contents FROM made JOIN given ON given.key = made.key`,
      [round.id, round.mailboxId, round.notBefore, round.gap, json(messages.slice(at, at + 200))],
    )
}

/** The rows that have a message of a round, in whatever state it is. */
export async function rowsWithMessage(db: Database, roundId: number): Promise<Set<number>> {
  const rows = await db.query<{ id: number }>('SELECT DISTINCT row_id AS id FROM messages WHERE round_id = $1', [
    roundId,
  ])
  return new Set(rows.map((r) => r.id))
}

/**
 * Writes the very message that people have had as waiting once more, under a key and Message-ID of its own.
 * @param people how often the caller says each has had it: with another number, nothing is written.
 * @returns how many were written; fewer than asked when one of the numbers was not right.
 */
export async function insertOnceMore(
  db: Database,
  roundId: number,
  people: { row: number; hadTimes: number; key: string; messageId: string; contents: Contents }[],
  now: number,
): Promise<number> {
  const made = await db.query(
    `WITH given AS (
       SELECT * FROM jsonb_to_recordset($2::jsonb) AS x (row int, "hadTimes" int, key text, "messageId" text, contents jsonb)
     ), had AS (
       SELECT m.*, row_number() OVER (PARTITION BY m.row_id ORDER BY m.again DESC) AS newest, count(*) FILTER (WHERE m.state = 'sent') OVER (PARTITION BY m.row_id) AS times,
         count(*) FILTER (WHERE m.state IN ('waiting', 'sending', 'retrying', 'inDoubt')) OVER (PARTITION BY m.row_id) AS open
       FROM messages m WHERE m.round_id = $1
     ), made AS (
       INSERT INTO messages (round_id, mailbox_id, not_before, gap, state, row_id, position, key, message_id, person, address, recipients, subject, again)
       SELECT h.round_id, h.mailbox_id, $3, h.gap, 'waiting', h.row_id, h.position, g.key, g."messageId", h.person, h.address, h.recipients, h.subject, h.again + 1
       FROM had h JOIN given g ON g.row = h.row_id AND h.newest = 1 AND h.times = g."hadTimes" AND h.open = 0
       RETURNING id, key
     )
     INSERT INTO message_contents SELECT made.id, given.contents FROM made JOIN given ON given.key = made.key RETURNING message_id`,
    [roundId, json(people), now],
  )
  return made.length
}

/** The messages of a round, in the list's order. */
export function messagesOf(db: Database, roundId: number): Promise<MessageLine[]> {
  return db.query<MessageLine>(`SELECT ${lineColumns} FROM messages m WHERE m.round_id = $1 ORDER BY m.position`, [
    roundId,
  ])
}

/** One message's line. Throws a refusal when it is not there. */
export async function messageLine(db: Database, id: number): Promise<MessageLine> {
  const [found] = await db.query<MessageLine>(`SELECT ${lineColumns} FROM messages m WHERE m.id = $1`, [id])
  if (!found) throw notFound('message')
  return found
}

/** What is waiting over all rounds, in the order of leaving, and what is in doubt. */
export function outTray(db: Database, most: number): Promise<(MessageLine & { round: string; held: boolean })[]> {
  return db.query(
    `SELECT ${lineColumns}, r.title AS round, r.held FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.state IN ('waiting', 'sending', 'retrying', 'inDoubt') ORDER BY (m.state = 'inDoubt') DESC, m.planned_at, m.id LIMIT $1`,
    [most],
  )
}

export async function outTrayCount(db: Database): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM messages WHERE state IN ('waiting', 'sending', 'retrying', 'inDoubt')`,
  )
  return n
}

/** The frozen contents of a message, by id. */
export async function frozenById(
  db: Database,
  id: number,
): Promise<Frozen & { sentAt: number | null; plannedAt: number | null }> {
  const [found] = await db.query<Frozen & { sentAt: number | null; plannedAt: number | null }>(
    `SELECT m.key, m.message_id AS "messageId", c.contents, m.sent_at AS "sentAt", m.planned_at AS "plannedAt"
     FROM messages m JOIN message_contents c ON c.message_id = m.id WHERE m.id = $1`,
    [id],
  )
  if (!found) throw notFound('message')
  return found
}

/** The frozen contents of a person's message in a round, or null when the round has none for them. */
export async function frozenOfRow(
  db: Database,
  roundId: number,
  rowId: number,
): Promise<(Frozen & { id: number }) | null> {
  const [found] = await db.query<Frozen & { id: number }>(
    `SELECT m.id, m.key, m.message_id AS "messageId", c.contents
     FROM messages m JOIN message_contents c ON c.message_id = m.id WHERE m.round_id = $1 AND m.row_id = $2 ORDER BY m.again DESC LIMIT 1`,
    [roundId, rowId],
  )
  return found ?? null
}

/** A message that is planned: its id, its recipients and its wishes. */
export interface PlannedMessage {
  id: number
  recipients: number
  notBefore: number
  gap: number
}

/** What waits in a mailbox and is not held, in the order of leaving: what a new plan is made for. */
export function unplanned(db: Database, mailboxId: number): Promise<PlannedMessage[]> {
  return db.query<PlannedMessage>(
    `SELECT m.id, m.recipients, m.not_before AS "notBefore", m.gap FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND NOT r.held
     ORDER BY m.not_before, r.posted_at, m.position`,
    [mailboxId],
  )
}

/** Writes planned times; held messages lose theirs. */
export async function writePlan(
  db: Database,
  mailboxId: number,
  times: { id: number; at: number | null }[],
): Promise<void> {
  await db.transaction(async (tx) => {
    await tx.query(
      `UPDATE messages m SET planned_at = NULL FROM rounds r WHERE r.id = m.round_id AND r.held AND m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying')`,
      [mailboxId],
    )
    for (let i = 0; i < times.length; i += 2000)
      await tx.query(
        `UPDATE messages m SET planned_at = x.at FROM unnest($1::int[], $2::bigint[]) AS x (id, at) WHERE m.id = x.id AND m.state IN ('waiting', 'retrying')`,
        [times.slice(i, i + 2000).map((t) => t.id), times.slice(i, i + 2000).map((t) => t.at)],
      )
  })
}

/**
 * Claims up to `most` due messages of a mailbox, in order, as far as the allowance covers them: the one statement after
 * which a message may be handed to the host. Rows that another dispatcher is claiming are passed over.
 */
export function claimDue(
  db: Database,
  mailboxId: number,
  now: number,
  perDay: number,
  most: number,
): Promise<Claimed[]> {
  return db.query<Claimed>(
    `WITH candidates AS (
       SELECT m.id, m.recipients, m.planned_at FROM messages m JOIN rounds r ON r.id = m.round_id
       WHERE m.mailbox_id = $1 AND m.state IN (${from('sending')}) AND m.planned_at <= $2 AND NOT r.held
       ORDER BY m.planned_at, m.id LIMIT $4 FOR UPDATE OF m SKIP LOCKED
     ), used AS (
       SELECT coalesce((SELECT sum(recipients) FROM ledger WHERE mailbox_id = $1 AND at > $2 - ${day}), 0)
            + coalesce((SELECT sum(recipients) FROM copies_sent WHERE mailbox_id = $1 AND at > $2 - ${day}), 0)
            + coalesce((SELECT sum(recipients) FROM messages WHERE mailbox_id = $1 AND state IN ('sending', 'inDoubt') AND claimed_at > $2 - ${day}), 0) AS n
     ), covered AS (
       SELECT id FROM (SELECT id, sum(recipients) OVER (ORDER BY planned_at, id) AS running FROM candidates) c, used WHERE c.running + used.n <= $3
     )
     UPDATE messages m SET state = 'sending', claimed_at = $2, handed_at = NULL, attempts = attempts + 1, reason = NULL
     FROM covered JOIN message_contents c ON c.message_id = covered.id WHERE m.id = covered.id
     RETURNING m.id, m.round_id AS "roundId", m.key, m.message_id AS "messageId", c.contents, m.recipients, m.attempts, m.copies_gone AS "copiesGone"`,
    [mailboxId, now, perDay, most],
  )
}

/** When the next message of a mailbox is due, or null. */
export async function nextDue(db: Database, mailboxId: number): Promise<number | null> {
  const [{ at }] = await db.query<{ at: number | null }>(
    `SELECT min(m.planned_at) AS at FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND NOT r.held`,
    [mailboxId],
  )
  return at
}

/** A message that the host took: when it was made, and what the host said. */
export interface Accepted {
  id: number
  at: number
  answer: string
}

/** What one line says between two messages: that the host took the last, and that the next is in hand from now on. */
export interface Progress {
  accepted?: Accepted
  handing?: number
}

/**
 * Writes the progress of several lines in one statement: acceptances with their ledger entries, and which messages are
 * being handed over from now on. Should the process end, those are in doubt.
 */
export async function writeProgress(db: Database, progress: Progress[], now: number): Promise<void> {
  const accepted = progress.flatMap((p) => p.accepted ?? [])
  const handing = progress.flatMap((p) => p.handing ?? [])
  await db.query(
    `WITH said AS (SELECT * FROM unnest($1::int[], $2::bigint[], $3::text[]) AS x (id, at, answer)),
     done AS (
       UPDATE messages m SET state = 'sent', sent_at = said.at, reason = said.answer, looked_at = NULL FROM said
       WHERE m.id = said.id AND m.state IN (${from('sent')}) RETURNING m.id, m.mailbox_id, m.sent_at, m.recipients
     ), written AS (
       INSERT INTO ledger (message_id, mailbox_id, at, recipients) SELECT id, mailbox_id, sent_at, recipients FROM done
     )
     UPDATE messages SET handed_at = $5 WHERE state = 'sending' AND id = ANY ($4::int[])`,
    [accepted.map((a) => a.id), accepted.map((a) => a.at), accepted.map((a) => a.answer), handing, now],
  )
}

/** Writes acceptances alone. */
export function markSent(db: Database, accepted: Accepted[]): Promise<void> {
  return writeProgress(
    db,
    accepted.map((a) => ({ accepted: a })),
    0,
  )
}

/** Puts a claimed message off to a later time. */
export async function markRetrying(db: Database, id: number, notBefore: number, reason: string): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'retrying', not_before = $2, planned_at = $2, reason = $3 WHERE id = $1 AND state IN (${from('retrying')})`,
    [id, notBefore, reason],
  )
}

/** Notes that the Cc and Bcc of a message have had it, though the person has not. */
export async function noteCopiesGone(db: Database, id: number): Promise<void> {
  await db.query('UPDATE messages SET copies_gone = true WHERE id = $1', [id])
}

/** Puts a claimed message back as it was: nothing of it was handed over. */
export async function putBack(db: Database, id: number, reason: string): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'waiting', attempts = attempts - 1, reason = $2 WHERE id = $1 AND state = 'sending'`,
    [id, reason],
  )
}

export async function markRefused(db: Database, id: number, reason: string): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'refused', planned_at = NULL, reason = $2 WHERE id = $1 AND state IN (${from('refused')})`,
    [id, reason],
  )
}

export async function markInDoubt(db: Database, id: number, reason: string): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'inDoubt', planned_at = NULL, looked_at = NULL, reason = $2 WHERE id = $1 AND state IN (${from('inDoubt')})`,
    [id, reason],
  )
}

/** Settles what a run that was cut off left behind: what was being handed over is in doubt, what was only claimed waits again. */
export async function settleCutOff(db: Database, mailboxId: number): Promise<void> {
  await db.query(
    `UPDATE messages SET
       state = CASE WHEN handed_at IS NULL THEN 'waiting' ELSE 'inDoubt' END,
       attempts = CASE WHEN handed_at IS NULL THEN attempts - 1 ELSE attempts END,
       planned_at = CASE WHEN handed_at IS NULL THEN planned_at END,
       reason = CASE WHEN handed_at IS NOT NULL THEN 'Hand Post was ended while this message was being handed over.' END
     WHERE mailbox_id = $1 AND state = 'sending'`,
    [mailboxId],
  )
}

/** The messages in doubt of a mailbox that were not looked for in vain yet. */
export function doubtful(
  db: Database,
  mailboxId: number,
): Promise<{ id: number; messageId: string; claimedAt: number }[]> {
  return db.query(
    `SELECT id, message_id AS "messageId", claimed_at AS "claimedAt" FROM messages WHERE mailbox_id = $1 AND state = 'inDoubt' AND looked_at IS NULL ORDER BY id`,
    [mailboxId],
  )
}

/** Notes that a message in doubt is not in Sent: now it asks the writer. */
export async function noteLooked(db: Database, id: number, at: number): Promise<void> {
  await db.query(
    `UPDATE messages SET looked_at = $2, reason = 'It is not known whether this message went: it was being handed over when the connection or Hand Post ended, and it is not in Sent. Ask the person, then say here whether it went.'
     WHERE id = $1 AND state = 'inDoubt'`,
    [id, at],
  )
}

/** By the writer's word a message in doubt is to be sent. */
export async function sendAgain(db: Database, id: number, now: number): Promise<boolean> {
  const rows = await db.query(
    `UPDATE messages SET state = 'waiting', not_before = $2, planned_at = NULL, looked_at = NULL, reason = NULL WHERE id = $1 AND state = 'inDoubt' AND looked_at IS NOT NULL RETURNING id`,
    [id, now],
  )
  return rows.length > 0
}

/** Withdraws what has not left of a round; what is being handed over goes on. */
export async function withdraw(db: Database, roundId: number): Promise<number> {
  const rows = await db.query(
    `UPDATE messages SET state = 'withdrawn', planned_at = NULL, reason = 'Withdrawn by the writer.' WHERE round_id = $1 AND (state IN ('waiting', 'retrying') OR (state = 'inDoubt' AND looked_at IS NOT NULL)) RETURNING id`,
    [roundId],
  )
  return rows.length
}

export async function setHeld(db: Database, roundId: number, held: boolean): Promise<void> {
  await db.query('UPDATE rounds SET held = $2 WHERE id = $1', [roundId, held])
}

/** Sent messages of a mailbox whose copy is not in Sent yet. */
export function unfiled(
  db: Database,
  mailboxId: number,
  most: number,
): Promise<(Frozen & { id: number; sentAt: number })[]> {
  return db.query(
    `SELECT m.id, m.key, m.message_id AS "messageId", c.contents, m.sent_at AS "sentAt" FROM messages m JOIN message_contents c ON c.message_id = m.id
     WHERE m.mailbox_id = $1 AND m.state = 'sent' AND m.filed_at IS NULL ORDER BY m.sent_at LIMIT $2`,
    [mailboxId, most],
  )
}

export async function markFiled(db: Database, ids: number[], at: number): Promise<void> {
  await db.query('UPDATE messages SET filed_at = $2 WHERE id = ANY ($1::int[])', [ids, at])
}

/** The departures of a round, in the order of leaving: gone ones at their time, others as planned. */
export function departuresOfRound(
  db: Database,
  roundId: number,
): Promise<{ at: number; recipients: number; rowId: number; gone: boolean }[]> {
  return db.query(
    `SELECT coalesce(sent_at, planned_at) AS at, recipients, row_id AS "rowId", sent_at IS NOT NULL AS gone FROM messages
     WHERE round_id = $1 AND coalesce(sent_at, planned_at) IS NOT NULL ORDER BY 1, id`,
    [roundId],
  )
}

/** What other rounds than this one have sent since a time (ms since 1970), the latest last. */
export function sentSince(
  db: Database,
  roundId: number,
  since: number,
): Promise<{ address: string; subject: string; at: number; title: string }[]> {
  return db.query(
    `SELECT m.address, m.subject, m.sent_at AS at, r.title FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.state = 'sent' AND m.sent_at > $2 AND m.round_id <> $1 ORDER BY m.sent_at`,
    [roundId, since],
  )
}

/** All messages of a posted round as they were frozen, in the order of the list. */
export function frozenOfRound(db: Database, roundId: number): Promise<(Frozen & { sentAt: number | null })[]> {
  return db.query(
    `SELECT m.key, m.message_id AS "messageId", m.sent_at AS "sentAt", c.contents FROM messages m JOIN message_contents c ON c.message_id = m.id
     WHERE m.round_id = $1 ORDER BY m.position, m.again`,
    [roundId],
  )
}
