import type { Database } from '../db/database.ts'
import { noteEvent } from '../rounds/events.ts'

/** Notes that a copy of everything was made. */
export async function noteBackup(db: Database, madeAt: number, size: number, withKey: boolean): Promise<void> {
  await db.query('INSERT INTO backups (made_at, size, with_key) VALUES ($1, $2, $3)', [madeAt, size, withKey])
}

/** The copy of everything that was made last, and the one that was put back last. */
export async function lastBackups(db: Database) {
  const [last] = await db.query<{ madeAt: number; size: number; withKey: boolean }>(
    'SELECT made_at AS "madeAt", size::float8 AS size, with_key AS "withKey" FROM backups ORDER BY id DESC LIMIT 1',
  )
  const [restored] = await db.query<{ madeAt: number; restoredAt: number; letters: number; copies: number }>(
    'SELECT made_at AS "madeAt", restored_at AS "restoredAt", letters, copies FROM restores ORDER BY restored_at DESC LIMIT 1',
  )
  return { last: last ?? null, restored: restored ?? null }
}

/**
 * Settles what waited in a copy that was put back: the first, which it is a copy of, may have sent it since, so it is in doubt. It is looked
 * for in Sent; what is not there is put to the writer, and its round is held until they carry on. Done once for each copy.
 * @param heldWhy what a round says that is held, in words.
 * @returns how many letters and copies that was; null where it was done before.
 */
export function settleRestored(
  db: Database,
  { id, madeAt, now }: { id: string; madeAt: number; now: number },
  { heldWhy, reason }: { heldWhy: string; reason: string },
): Promise<{ letters: number; copies: number } | null> {
  return db.transaction(async (tx) => {
    const begun = await tx.query(
      'INSERT INTO restores (id, made_at, restored_at, letters, copies) VALUES ($1, $2, $3, 0, 0) ON CONFLICT (id) DO NOTHING RETURNING id',
      [id, madeAt, now],
    )
    if (begun.length === 0) return null
    // As if each had been in hand when the copy was made: nothing else is certain of them.
    const letters = await tx.query<{ roundId: number }>(
      `UPDATE messages SET state = 'inDoubt', claimed_at = coalesce(claimed_at, $1), handed_at = coalesce(handed_at, $1), planned_at = NULL, looked_at = NULL, judged_at = NULL, reason = $2
       WHERE state IN ('waiting', 'retrying', 'sending') RETURNING round_id AS "roundId"`,
      [madeAt, reason],
    )
    const copies = await tx.query<{ roundId: number }>(
      `UPDATE copies c SET state = 'inDoubt', claimed_at = coalesce(c.claimed_at, $1), planned_at = NULL, reason = $2 FROM messages m
       WHERE m.id = c.message_id AND c.state IN ('waiting', 'retrying', 'sending') RETURNING m.round_id AS "roundId"`,
      [madeAt, reason],
    )
    const rounds = new Set([...letters, ...copies].map(({ roundId }) => roundId))
    for (const round of rounds) {
      // Answers from the in-tray have no stage at which they could be carried on: the writer's word on each is enough.
      const held = await tx.query(
        'UPDATE rounds SET held = true, held_why = $2 WHERE id = $1 AND answers_of IS NULL RETURNING id',
        [round, heldWhy],
      )
      if (held.length > 0) await noteEvent(tx, round, now, 'heldItself', { why: heldWhy })
    }
    // What would have told the writer has told them there.
    await tx.query(`UPDATE notices SET state = 'failed', reason = $1 WHERE state IN ('waiting', 'sending')`, [reason])
    await tx.query('UPDATE restores SET letters = $2, copies = $3 WHERE id = $1', [id, letters.length, copies.length])
    return { letters: letters.length, copies: copies.length }
  })
}

/** Ends all sessions and invitations. */
export async function endSignedIn(db: Database): Promise<void> {
  await db.query('DELETE FROM sessions')
  await db.query('DELETE FROM invitations')
}
