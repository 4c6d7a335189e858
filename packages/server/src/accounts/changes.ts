import type { Database } from '../db/database.ts'

/** Who changed something last, and when (ms since 1970). */
export interface LastChange {
  id: number
  name: string
  at: number
}

/** Notes who has changed what letters are made of: a round, with its family, or a list. */
export async function noteChange(
  db: Database,
  kind: 'round' | 'list',
  thing: number,
  by: { id: number; name: string },
  now: number,
): Promise<void> {
  await db.query(
    `INSERT INTO last_changed (kind, thing, account, name, at, n)
     VALUES ($1::text, CASE WHEN $1::text = 'round' THEN coalesce((SELECT family FROM rounds WHERE id = $2::int), $2::int) ELSE $2::int END, $3, $4, $5, (SELECT coalesce(max(n), 0) + 1 FROM last_changed))
     ON CONFLICT (kind, thing) DO UPDATE SET account = $3, name = $4, at = $5, n = excluded.n`,
    [kind, thing, by.id, by.name, now],
  )
}

/** Who changed a round last, or the list that it goes to; null where nobody did who had signed in. */
export async function lastChangedBy(db: Database, round: number, list: number | null): Promise<LastChange | null> {
  const [found] = await db.query<LastChange>(
    `SELECT account AS id, name, at FROM last_changed
     WHERE (kind = 'round' AND thing = (SELECT family FROM rounds WHERE id = $1)) OR (kind = 'list' AND thing = $2) ORDER BY n DESC LIMIT 1`,
    [round, list],
  )
  return found ?? null
}
