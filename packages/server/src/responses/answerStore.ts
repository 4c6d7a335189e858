import type { Database } from '../db/database.ts'

/** What an answer to an entry of the in-tray is made of. */
export interface ToAnswer {
  mailboxId: number
  roundId: number
  listId: number | null
  rowId: number
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
    `SELECT m.mailbox_id AS "mailboxId", m.round_id AS "roundId", r.list_id AS "listId", m.row_id AS "rowId", coalesce(q.details->>'from', '') AS from, m.address,
       coalesce(nullif(q.details->>'subject', ''), m.subject) AS subject, coalesce(nullif(q.details->>'text', ''), q.details->>'words', '') AS text, q.at,
       q.mail_id AS "mailId", m.message_id AS "letterId"
     FROM responses q JOIN messages m ON m.id = q.message_id JOIN rounds r ON r.id = m.round_id WHERE q.id = $1 AND q.kind IN ('reply', 'automatic') AND q.pile IS NOT NULL`,
    [responseId],
  )
  return found ?? null
}

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
