import type { Forgetting } from '@hand-post/contract'
import type { Database } from '../db/database.ts'
import { noteUnwanted } from '../files/store.ts'
import { inTray } from '../rounds/openInTray.ts'

/** What belongs to a round, its chasers, and the answers that were written to people of it. */
const theirs = 'SELECT m.id FROM messages m JOIN rounds o ON o.id = m.round_id WHERE o.family = $1'
const answeredHere = 'SELECT m.id FROM messages m JOIN rounds o ON o.id = m.round_id WHERE o.answers_of = $1'
/** When what a round `r` keeps of people is to be forgotten (ms since 1970), as SQL: null where it is kept, or nothing has left. */
const dueAt = `(SELECT extract(epoch FROM to_timestamp(max(m.sent_at) / 1000.0) AT TIME ZONE 'UTC' + make_interval(months => r.forget_after)) * 1000
   FROM messages m JOIN rounds o ON o.id = m.round_id WHERE o.family = r.id)::bigint`
const headOfFamily = 'r.posted_at IS NOT NULL AND r.chases IS NULL AND r.answers_of IS NULL'

/** How a round stands with what it keeps of people, and how many entries of it lie in the in-tray, to be done or put by. */
export async function keptOf(db: Database, roundId: number): Promise<Omit<Forgetting, 'waits'> & { undone: number }> {
  const [kept] = await db.query<Omit<Forgetting, 'waits'> & { undone: number }>(
    `SELECT r.forget_after AS months, CASE WHEN r.forgotten_at IS NULL THEN ${dueAt} END AS at, r.forgotten_at AS "forgottenAt",
       (SELECT count(*) FROM heard h WHERE h.message_id IN (${theirs}) AND (h.opened_at IS NOT NULL OR h.clicked_at IS NOT NULL OR h.receipt_at IS NOT NULL))::int AS opened,
       (SELECT count(*) FROM responses q WHERE q.message_id IN (${theirs}) AND q.kind IN ('reply', 'automatic') AND q.details <> '{}' AND NOT q.details ? 'forgotten')::int AS answers,
       (SELECT count(*) FROM returned_files f JOIN responses q ON q.id = f.response_id WHERE q.message_id IN (${theirs}))::int AS files,
       (SELECT count(*) FROM responses q LEFT JOIN tray t ON t.response_id = q.id WHERE q.message_id IN (${theirs}) AND ${inTray} AND t.done_at IS NULL)::int AS undone
     FROM rounds r WHERE r.id = $1`,
    [roundId],
  )
  return kept
}

/** Sets after how many months it is forgotten; null: never. */
export const setForgetAfter = (db: Database, roundId: number, months: number | null, now: number): Promise<unknown> =>
  db.query('UPDATE rounds SET forget_after = $2, changed_at = $3 WHERE id = $1', [roundId, months, now])

/** The rounds whose time has come. */
export async function roundsToForget(db: Database, now: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT r.id FROM rounds r WHERE r.forget_after IS NOT NULL AND r.forgotten_at IS NULL AND ${headOfFamily} AND ${dueAt} <= $1 ORDER BY r.id`,
    [now],
  )
  return rows.map(({ id }) => id)
}

/** The rounds of a family that have a board of their own: the round itself and its chasers. */
export async function boardsOfFamily(db: Database, roundId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT id FROM rounds WHERE family = $1 AND answers_of IS NULL AND posted_at IS NOT NULL ORDER BY id',
    [roundId],
  )
  return rows.map(({ id }) => id)
}

/** Whether something of a family is not yet taken together. */
export async function isFamilyToHear(db: Database, roundId: number): Promise<boolean> {
  const [{ there }] = await db.query<{ there: boolean }>(
    `SELECT EXISTS (SELECT 1 FROM to_hear t JOIN messages m ON m.id = t.message_id JOIN rounds o ON o.id = m.round_id WHERE o.family = $1 AND o.answers_of IS NULL AND m.sent_at IS NOT NULL) AS there`,
    [roundId],
  )
  return there
}

/** Marks a round as forgotten, and so as ended: from then on nothing is added to what is kept of it. Returns whether it was not before. */
export async function markForgotten(db: Database, roundId: number, now: number): Promise<boolean> {
  const marked = await db.query(
    'UPDATE rounds SET forgotten_at = $2, ended_at = coalesce(ended_at, $2), changed_at = $2 WHERE id = $1 AND forgotten_at IS NULL RETURNING id',
    [roundId, now],
  )
  return marked.length > 0
}

/**
 * Takes away what a round keeps of people: who opened its letters and followed links, when and with what; read receipts; the words of
 * answers, of automatic replies and of what was written to them from here; files that came back. That somebody answered, and when, their
 * choice, that a file came back, the writer's outcome words, and returned mail stay. Within the transaction in which it was marked.
 */
export async function takeAway(db: Database, roundId: number): Promise<void> {
  const run = (sql: string) => db.query(sql, [roundId])
  const files = await db.query<{ hash: string | null }>(
    `DELETE FROM returned_files WHERE response_id IN (SELECT id FROM responses WHERE message_id IN (${theirs})) RETURNING hash`,
    [roundId],
  )
  await run(
    `DELETE FROM files_to_fetch WHERE response_id IN (SELECT id FROM responses WHERE message_id IN (${theirs}))`,
  )
  await run(`DELETE FROM fetched WHERE message_id IN (${theirs})`)
  const looks = `SELECT id FROM responses WHERE message_id IN (${theirs}) AND kind IN ('open', 'click', 'receipt')`
  await run(`DELETE FROM tray WHERE response_id IN (${looks})`)
  await run(`DELETE FROM responses WHERE id IN (${looks})`)
  await run(
    `UPDATE responses SET pile = NULL, address = NULL, mail_id = NULL, details = '{"forgotten": true}'::jsonb
       || CASE WHEN details->'choice' IS NULL THEN '{}' ELSE jsonb_build_object('choice', details->'choice') END
     WHERE message_id IN (${theirs}) AND kind IN ('reply', 'automatic')`,
  )
  await run(`UPDATE responses SET details = '{}' WHERE message_id IN (${theirs}) AND kind = 'optOut'`)
  await run(`UPDATE responses SET pile = NULL WHERE message_id IN (${theirs}) AND pile IS NOT NULL`)
  // What was decided by an open, a link or a receipt is decided by what is left, as `heardOf` of core would.
  const left = (kind: string) =>
    `WHEN EXISTS (SELECT 1 FROM responses q WHERE q.message_id = heard.message_id AND q.kind = '${kind}' AND q.of = 'person') THEN '${kind}'`
  await run(
    `UPDATE heard SET opened_at = NULL, clicked_at = NULL, receipt_at = NULL, by_machine = false, machine_why = NULL, program = NULL, device = NULL,
       through_proxy = NULL, country = NULL, followed = '{}', words = CASE WHEN outcome = 'bounced' THEN words ELSE '' END,
       outcome = CASE WHEN outcome IN ('opened', 'clicked', 'receipt') THEN CASE ${['automatic', 'delivered', 'delayed'].map(left).join(' ')} END ELSE outcome END,
       last_at = greatest(replied_at, automatic_at, opted_out_at, bounced_at, files_at)
     WHERE message_id IN (${theirs})`,
  )
  await run(`UPDATE sent_answers SET words = '' WHERE message_id IN (${answeredHere})`)
  await run(
    `UPDATE message_contents SET contents = contents - 'thread' || '{"html": "", "text": ""}' WHERE message_id IN (${answeredHere})`,
  )
  // They cannot be made as they were sent any more, and no record shall wait for them.
  await run(`UPDATE messages SET sent_hash = NULL WHERE id IN (${answeredHere})`)
  await run(`UPDATE copies SET sent_hash = NULL WHERE message_id IN (${answeredHere})`)
  await run(`DELETE FROM to_hear WHERE message_id IN (${theirs})`)
  await noteUnwanted(db, [...new Set(files.flatMap(({ hash }) => hash ?? []))])
}
