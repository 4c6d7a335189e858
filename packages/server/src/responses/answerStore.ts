import { type RoundDispatch, type SentAnswer, usualDispatch } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { insertMessages, type NewMessage } from '../rounds/messages.ts'

/** What an answer to an entry of the in-tray is made of. */
export interface ToAnswer {
  mailboxId: number
  roundId: number
  listId: number | null
  rowId: number
  person: string
  /** The sender as the mail says it, and the address of the letter's person. */
  from: string
  address: string
  subject: string
  text: string
  at: number
  /** The Message-ID of the mail, where it has one, and of the letter. */
  mailId: string | null
  letterId: string
}

/** An entry of the in-tray that can be answered; null when there is none of that number, or a machine wrote it. */
export async function toAnswer(db: Database, responseId: number): Promise<ToAnswer | null> {
  const [found] = await db.query<ToAnswer>(
    `SELECT m.mailbox_id AS "mailboxId", r.family AS "roundId", r.list_id AS "listId", m.row_id AS "rowId", m.person, coalesce(q.details->>'from', '') AS from, m.address,
       coalesce(nullif(q.details->>'subject', ''), m.subject) AS subject, coalesce(nullif(q.details->>'text', ''), q.details->>'words', '') AS text, q.at,
       q.mail_id AS "mailId", m.message_id AS "letterId"
     FROM responses q JOIN messages m ON m.id = q.message_id JOIN rounds r ON r.id = m.round_id WHERE q.id = $1 AND q.kind IN ('reply', 'automatic') AND q.pile IS NOT NULL`,
    [responseId],
  )
  return found ?? null
}

/** How answers leave: at once, as from a mail program, whatever the hours are; within all limits, before letters that wait. */
const answersDispatch: RoundDispatch = {
  ...usualDispatch,
  perMinute: 100_000,
  brake: null,
  goSlower: false,
  hours: { week: readyWeeks.anyTime.map((spans) => [...spans]), off: [], instead: true },
}
/** Their place in the order in which rounds take turns: before all that are dragged into one. */
const answersTurn = -1

/** The round by which answers to a round leave, made where there is none. */
async function answersRound(db: Database, roundId: number, now: number): Promise<number> {
  await db.query(
    `INSERT INTO rounds (title, mailbox_id, list_id, letter, dispatch, posted_at, created_at, changed_at, turn, answers_of)
     SELECT title, mailbox_id, list_id, jsonb_build_object('subject', '', 'body', jsonb_build_object('type', 'doc', 'content', '[]'::jsonb)), $2::jsonb, $3, $3, $3, $4, id FROM rounds WHERE id = $1
     ON CONFLICT (answers_of) DO NOTHING`,
    [roundId, json(answersDispatch), now, answersTurn],
  )
  const [{ id }] = await db.query<{ id: number }>('SELECT id FROM rounds WHERE answers_of = $1 FOR NO KEY UPDATE', [
    roundId,
  ])
  return id
}

/** An answer that is about to be written as waiting. */
export interface NewAnswer {
  responseId: number
  askedAs: string
  words: string
  /** The earliest time (ms since 1970) at which it leaves. */
  notBefore: number
  message: Omit<NewMessage, 'position' | 'turn' | 'notBefore'>
}

/**
 * Writes an answer as waiting, and its entry as done; one that was asked for under the same name before is not written again.
 * @returns its message, and whether it was written now.
 */
export function insertAnswer(
  db: Database,
  { mailboxId, roundId }: ToAnswer,
  { responseId, askedAs, words, notBefore, message }: NewAnswer,
  now: number,
): Promise<{ id: number; isNew: boolean }> {
  return db.transaction(async (tx) => {
    const round = await answersRound(tx, roundId, now)
    // Answers of one round are written one after another: what was asked for twice is found by the second.
    const before = await askedBefore(tx, askedAs)
    if (before !== null) return { id: before, isNew: false }
    const [{ again }] = await tx.query<{ again: number }>(
      'SELECT coalesce(max(again) + 1, 0) AS again FROM messages WHERE round_id = $1 AND row_id = $2',
      [round, message.rowId],
    )
    const whole: NewMessage = { ...message, position: 0, turn: 0, notBefore }
    await insertMessages(tx, { id: round, mailboxId, notBefore, again }, 1, [whole])
    const [{ id }] = await tx.query<{ id: number }>(
      `INSERT INTO sent_answers (message_id, response_id, asked_as, at, words) SELECT id, $2, $3, $4, $5 FROM messages WHERE key = $1 RETURNING message_id AS id`,
      [message.key, responseId, askedAs, now, words],
    )
    await tx.query(
      `INSERT INTO tray (response_id, done_at, answered_at) VALUES ($1, $2, $2)
       ON CONFLICT (response_id) DO UPDATE SET done_at = coalesce(tray.done_at, excluded.done_at), answered_at = coalesce(tray.answered_at, excluded.answered_at)`,
      [responseId, now],
    )
    return { id, isNew: true }
  })
}

/** The message of the answer that was asked for under a name; null when none was. */
export async function askedBefore(db: Database, askedAs: string): Promise<number | null> {
  const [found] = await db.query<{ id: number }>('SELECT message_id AS id FROM sent_answers WHERE asked_as = $1', [
    askedAs,
  ])
  return found?.id ?? null
}

/** What was answered to an entry from here, the oldest first. */
export const answersTo = (db: Database, responseId: number): Promise<SentAnswer[]> =>
  db.query<SentAnswer>(
    `SELECT m.id, m.state, m.planned_at AS "plannedAt", m.sent_at AS "sentAt", m.reason, m.subject, (m.state = 'inDoubt' AND m.looked_at IS NOT NULL) AS "asksWriter", a.at, a.words,
       (SELECT coalesce(jsonb_agg(jsonb_build_object('name', f->>'name', 'size', (f->>'size')::float8, 'hash', f->>'hash')), '[]') FROM jsonb_array_elements(c.contents->'files') f) AS files
     FROM sent_answers a JOIN messages m ON m.id = a.message_id JOIN message_contents c ON c.message_id = m.id WHERE a.response_id = $1 ORDER BY a.at, m.id`,
    [responseId],
  )

/** A saved answer as it was written. */
export interface Saved {
  id: number
  name: string
  text: string
}

/** The saved answers, by name. */
export const savedAnswers = (db: Database): Promise<Saved[]> =>
  db.query<Saved>('SELECT id, name, text FROM saved_answers ORDER BY lower(name), id')

/** Saves an answer under a name, in the place of one of that name. Returns its id. */
export function saveAnswer(db: Database, name: string, text: string, now: number): Promise<number> {
  return db.transaction(async (tx) => {
    const [before] = await tx.query<{ id: number }>(
      'UPDATE saved_answers SET text = $2, name = $1 WHERE lower(name) = lower($1) RETURNING id',
      [name, text],
    )
    if (before) return before.id
    const [{ id }] = await tx.query<{ id: number }>(
      'INSERT INTO saved_answers (name, text, made_at) VALUES ($1, $2, $3) RETURNING id',
      [name, text, now],
    )
    return id
  })
}

/** Forgets a saved answer. Returns whether it was there. */
export const forgetAnswer = async (db: Database, id: number): Promise<boolean> =>
  (await db.query('DELETE FROM saved_answers WHERE id = $1 RETURNING 1', [id])).length > 0
