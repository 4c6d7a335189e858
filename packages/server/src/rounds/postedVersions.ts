import type { PostedVersion } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { Refusal } from '../problem.ts'
import { noteEvent } from './events.ts'
import { roundById } from './store.ts'

/** The columns of a round that an amendment may change, and giving it up brings back. */
const columns = ['letter', 'sender', 'cc', 'bcc', 'tracking', 'files_column', 'file_pattern', 'sent_as', 'made']
/** The tables that hold the rest of it. Matches and made files point to files, so these come first. */
const tables = ['round_files', 'file_matches', 'made_files', 'notes']

/** Keeps a round as it stands as one of its posted versions, in the place of what was kept under that number. */
async function keepAs(db: Database, roundId: number, number: number, at: number): Promise<void> {
  const parts = [
    ...columns.map((column) => `'${column}', r.${column}`),
    ...tables.map(
      (table) => `'${table}', (SELECT coalesce(jsonb_agg(to_jsonb(x)), '[]') FROM ${table} x WHERE x.round_id = r.id)`,
    ),
  ]
  await db.query(
    `INSERT INTO posted_versions (round_id, number, at, kept) SELECT r.id, $2, $3, jsonb_build_object(${parts.join(', ')}) FROM rounds r WHERE r.id = $1
     ON CONFLICT (round_id, number) DO UPDATE SET kept = excluded.kept`,
    [roundId, number, at],
  )
}

/** The number of the version that a round's letters are posted as just now. */
export async function postedVersion(db: Database, roundId: number): Promise<number> {
  const [{ number }] = await db.query<{ number: number }>(
    'SELECT coalesce(max(number), 1)::int AS number FROM posted_versions WHERE round_id = $1',
    [roundId],
  )
  return number
}

/** The versions of a round that was amended, the first first, with how many letters are of each and have gone; none where it never was. */
export function postedVersions(db: Database, roundId: number): Promise<PostedVersion[]> {
  return db.query(
    `SELECT v.number, v.at, v.kept->'letter'->>'subject' AS subject, count(m.id)::int AS letters, count(m.sent_at)::int AS sent, min(m.row_id) AS "rowId"
     FROM posted_versions v LEFT JOIN messages m ON m.round_id = v.round_id AND m.version = v.number
     WHERE v.round_id = $1 AND (SELECT max(o.number) FROM posted_versions o WHERE o.round_id = $1) > 1
     GROUP BY v.number, v.at, v.kept->'letter'->>'subject' ORDER BY v.number`,
    [roundId],
  )
}

/** Opens what waits of a posted round for changes, and holds the round meanwhile. Returns its letter as it was posted. */
export function beginAmending(db: Database, roundId: number, now: number): Promise<Letter> {
  return db.transaction(async (tx) => {
    const taken = await tx.query(
      'UPDATE rounds SET amending_since = $2, held = true, changed_at = $2, version = version + 1 WHERE id = $1 AND posted_at IS NOT NULL AND amending_since IS NULL RETURNING id',
      [roundId, now],
    )
    const round = await roundById(tx, roundId)
    if (taken.length === 0)
      throw new Refusal(409, `“${round.title}” is being amended already, here or in another window.`, 'Amended already')
    await keepAs(tx, roundId, await postedVersion(tx, roundId), round.postedAt ?? now)
    await noteEvent(tx, roundId, now, 'amending', {})
    return round.letter
  })
}

/** Closes an amendment by which a new version was posted; the round goes on. Returns the number of that version. */
export async function closeAmending(db: Database, roundId: number, now: number): Promise<number> {
  const taken = await db.query(
    'UPDATE rounds SET amending_since = NULL, held = false, held_why = NULL, brake_since = $2, changed_at = $2, version = version + 1 WHERE id = $1 AND amending_since IS NOT NULL RETURNING id',
    [roundId, now],
  )
  if (taken.length === 0) throw notAmending()
  const number = (await postedVersion(db, roundId)) + 1
  await keepAs(db, roundId, number, now)
  return number
}

/** Gives an amendment up: the round is again what was posted of it last, and stays held. */
export function giveUpAmending(db: Database, roundId: number, now: number): Promise<void> {
  return db.transaction(async (tx) => {
    const number = await postedVersion(tx, roundId)
    const back = columns.map((column) => `${column} = was.${column}`).join(', ')
    const taken = await tx.query(
      `UPDATE rounds r SET ${back}, amending_since = NULL, changed_at = $3, version = r.version + 1, files_version = r.files_version + 1
       FROM posted_versions v CROSS JOIN LATERAL jsonb_populate_record(NULL::rounds, v.kept) was
       WHERE r.id = $1 AND r.amending_since IS NOT NULL AND v.round_id = r.id AND v.number = $2 RETURNING r.id`,
      [roundId, number, now],
    )
    if (taken.length === 0) throw notAmending()
    await noteEvent(tx, roundId, now, 'gaveUp', {})
    for (const table of [...tables].reverse()) await tx.query(`DELETE FROM ${table} WHERE round_id = $1`, [roundId])
    for (const table of tables)
      await tx.query(
        `INSERT INTO ${table} SELECT x.* FROM posted_versions v CROSS JOIN LATERAL jsonb_populate_recordset(NULL::${table}, v.kept->'${table}') x
         WHERE v.round_id = $1 AND v.number = $2`,
        [roundId, number],
      )
  })
}

export const notAmending = () =>
  new Refusal(409, 'This round is not being amended (any more). Nothing was changed.', 'Not being amended')
