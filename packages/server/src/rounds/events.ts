import { doneByItself, type EventDetails, type EventKind, type RoundEvent } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { whoActs } from '../who.ts'

/** Notes what was done with a round: in the transaction that does it, where there is one. It is never changed or taken away. */
export async function noteEvent<K extends EventKind>(
  db: Database,
  roundId: number,
  at: number,
  what: K,
  details: EventDetails<K>,
): Promise<void> {
  const by = doneByItself.has(what) ? null : whoActs()
  await db.query(
    'INSERT INTO round_events (round_id, at, what, details, by_account, by_name) VALUES ($1, $2, $3, $4, $5, $6)',
    [roundId, at, what, json(details), by?.id ?? null, by?.name ?? null],
  )
}

/** What was done with a round, with its chasers and answers: each with the round that it was done with, in the order in which it was. */
export function eventsOf(db: Database, roundId: number): Promise<(RoundEvent & { roundId: number; title: string })[]> {
  return db.query(
    `SELECT e.round_id AS "roundId", r.title, e.at, e.what, e.details, e.by_name AS by FROM round_events e JOIN rounds r ON r.id = e.round_id
     WHERE r.family = $1 AND r.answers_of IS NULL ORDER BY e.id`,
    [roundId],
  )
}
