import type { EventDetails, EventKind, RoundEvent } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'

/** Notes what was done with a round: in the transaction that does it, where there is one. It is never changed or taken away. */
export async function noteEvent<K extends EventKind>(
  db: Database,
  roundId: number,
  at: number,
  what: K,
  details: EventDetails<K>,
): Promise<void> {
  await db.query('INSERT INTO round_events (round_id, at, what, details) VALUES ($1, $2, $3, $4)', [
    roundId,
    at,
    what,
    json(details),
  ])
}

/** What was done with a round, with its chasers and answers: each with the round that it was done with, in the order in which it was. */
export function eventsOf(db: Database, roundId: number): Promise<(RoundEvent & { roundId: number; title: string })[]> {
  return db.query(
    `SELECT e.round_id AS "roundId", r.title, e.at, e.what, e.details FROM round_events e JOIN rounds r ON r.id = e.round_id
     WHERE r.family = $1 AND r.answers_of IS NULL ORDER BY e.id`,
    [roundId],
  )
}
