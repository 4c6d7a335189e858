import { type Database, json } from '../db/database.ts'
import { whoActs } from '../who.ts'

/** Each reads for themselves; 0 is where nobody signs in. */
const reader = () => whoActs()?.id ?? 0

/** Which messages of a round whoever acts has read, as what they were then, by row id. */
export async function readOf(db: Database, roundId: number): Promise<Map<number, string>> {
  const rows = await db.query<{ row: number; print: string }>(
    'SELECT row_id AS row, print FROM messages_read WHERE round_id = $1 AND account = $2',
    [roundId, reader()],
  )
  return new Map(rows.map(({ row, print }) => [row, print]))
}

export async function noteRead(db: Database, roundId: number, rowId: number, print: string): Promise<void> {
  await db.query(
    'INSERT INTO messages_read (round_id, row_id, print, account) VALUES ($1, $2, $3, $4) ON CONFLICT (round_id, row_id, account) DO UPDATE SET print = $3',
    [roundId, rowId, print, reader()],
  )
}

export async function forgetRead(db: Database, roundId: number, rowId: number): Promise<void> {
  await db.query('DELETE FROM messages_read WHERE round_id = $1 AND row_id = $2 AND account = $3', [
    roundId,
    rowId,
    reader(),
  ])
}

/** The reasons with which findings were accepted, by key. */
export async function acceptedOf(db: Database, roundId: number): Promise<Map<string, string>> {
  const rows = await db.query<{ key: string; reason: string }>('SELECT key, reason FROM accepted WHERE round_id = $1', [
    roundId,
  ])
  return new Map(rows.map((r) => [r.key, r.reason]))
}

export async function accept(
  db: Database,
  roundId: number,
  keys: string[],
  reason: string,
  now: number,
): Promise<void> {
  await db.query(
    `INSERT INTO accepted SELECT DISTINCT $1::int, key, $3, $4::bigint FROM jsonb_array_elements_text($2::jsonb) AS x (key)
     ON CONFLICT (round_id, key) DO UPDATE SET reason = $3, at = $4`,
    [roundId, json(keys), reason, now],
  )
}

export async function unaccept(db: Database, roundId: number, keys: string[]): Promise<void> {
  await db.query('DELETE FROM accepted WHERE round_id = $1 AND key IN (SELECT jsonb_array_elements_text($2::jsonb))', [
    roundId,
    json(keys),
  ])
}
