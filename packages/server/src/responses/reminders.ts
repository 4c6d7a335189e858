import type { Reminder } from '@hand-post/contract'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'

/** How many people of a reminder are named. */
const maxNamed = 100

/** Reminds the writer, at a time, of those of a round who have not answered by then; of all its people where no rows are given. */
export async function addReminder(
  db: Database,
  roundId: number,
  rows: readonly number[] | null,
  at: number,
  now: number,
): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO reminders (round_id, row_ids, due_at, made_at) VALUES ($1, $2, $3, $4) RETURNING id',
    [roundId, rows && json(rows), at, now],
  )
  return id
}

/** A reminder is done with, or is open again. Throws a refusal when there is none. */
export async function endReminder(db: Database, id: number, done: boolean, now: number): Promise<number> {
  const [found] = await db.query<{ roundId: number }>(
    'UPDATE reminders SET done_at = $2 WHERE id = $1 RETURNING round_id AS "roundId"',
    [id, done ? now : null],
  )
  if (!found) throw notFound('reminder')
  return found.roundId
}

/** The people of a reminder whose letter has left, with whether anything decided came back: as SQL, by its alias. */
const peopleOf = (
  reminder: string,
) => `SELECT m.row_id, min(m.person) AS person, min(m.address) AS address, bool_or(EXISTS (
             SELECT 1 FROM responses q WHERE q.message_id = m.id AND q.of = 'person' AND q.kind IN ('reply', 'bounce', 'optOut'))) AS answered
           FROM messages m WHERE m.round_id = ${reminder}.round_id AND m.state = 'sent'
             AND (${reminder}.row_ids IS NULL OR ${reminder}.row_ids @> to_jsonb(m.row_id)) GROUP BY m.row_id`

/** The rows of those of a reminder who have not answered. Throws a refusal when there is no such reminder. */
export async function rowsOfReminder(db: Database, id: number): Promise<{ round: number; rows: number[] }> {
  const [found] = await db.query<{ round: number; rows: number[] }>(
    `SELECT k.round_id AS round, (SELECT coalesce(jsonb_agg(row_id ORDER BY row_id) FILTER (WHERE NOT answered), '[]') FROM (${peopleOf('k')}) each) AS rows
     FROM reminders k WHERE k.id = $1`,
    [id],
  )
  if (!found) throw notFound('reminder')
  return found
}

/**
 * The reminders that are not done with, the earliest first, with who has not answered: whose letter has left and did not come back, and
 * from whom no answer of their own is there.
 * @param due only those whose time has come.
 */
export function openReminders(db: Database, now: number, due: boolean): Promise<Reminder[]> {
  return db.query<Reminder>(
    `SELECT k.id, k.round_id AS "roundId", r.title AS round, k.due_at AS "dueAt", k.due_at <= $1 AS due, p.about, p.unanswered, p.people
     FROM reminders k JOIN rounds r ON r.id = k.round_id
     CROSS JOIN LATERAL (
       SELECT count(*)::int AS about, (count(*) FILTER (WHERE NOT answered))::int AS unanswered,
         coalesce(jsonb_agg(jsonb_build_object('rowId', row_id, 'person', person, 'address', address) ORDER BY n) FILTER (WHERE NOT answered AND n <= ${maxNamed}), '[]') AS people
       FROM (
         SELECT each.*, row_number() OVER (PARTITION BY answered ORDER BY lower(person), row_id) AS n FROM (
           ${peopleOf('k')}
         ) each
       ) numbered
     ) p
     WHERE k.done_at IS NULL AND (k.due_at <= $1 OR NOT $2) ORDER BY k.due_at, k.id`,
    [now, due],
  )
}

/** How many reminders have come due between two times. */
export async function dueBetween(db: Database, after: number, until: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    'SELECT count(*)::int AS n FROM reminders WHERE done_at IS NULL AND due_at > $1 AND due_at <= $2',
    [after, until],
  )
  return n
}
