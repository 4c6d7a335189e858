import type { ChaserLine } from '@hand-post/contract'
import { answerSubject, type ChasedFacts, type Chaser, nothingCame } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'
import { stateCountColumns } from './store.ts'

/** So few rows are asked for by their numbers; of more, all are read. */
export const fewRows = 5000

/** The chasers of a round, in the order in which they leave. */
export function chasersOf(db: Database, roundId: number): Promise<ChaserLine[]> {
  return db.query<ChaserLine>(
    `SELECT c.id, c.title, c.chaser, c.posted_at AS "postedAt", c.held, c.held_why AS "heldWhy", c.amending_since AS "amendingSince",
       (SELECT to_jsonb(s) FROM (SELECT ${stateCountColumns} FROM messages m WHERE m.round_id = c.id) s) AS states,
       (SELECT count(*)::int FROM messages m WHERE m.round_id = c.id AND m.state IN ('waiting', 'retrying') AND m.unfit IS NOT NULL AND m.judged_at IS NOT NULL) AS unfit,
       (SELECT count(*)::int FROM messages m WHERE m.round_id = c.id AND m.state IN ('waiting', 'retrying') AND m.unfit IS NOT NULL AND m.judged_at IS NULL) AS "wantsWord",
       (SELECT min(coalesce(m.sent_at, m.planned_at)) FROM messages m WHERE m.round_id = c.id) AS "from",
       (SELECT max(coalesce(m.sent_at, m.planned_at)) FROM messages m WHERE m.round_id = c.id) AS until
     FROM rounds c WHERE c.chases = $1
     ORDER BY c.posted_at IS NULL, (c.chaser->'after'->>'n')::int * CASE c.chaser->'after'->>'of' WHEN 'workingDays' THEN 7 ELSE 5 END NULLS FIRST, c.id`,
    [roundId],
  )
}

/** Begins a chaser of a round, with what it has of that one. Returns its id. */
export async function insertChaser(
  db: Database,
  of: { id: number; title: string; now: number },
  letter: unknown,
  dispatch: unknown,
  chaser: Chaser,
): Promise<number> {
  const [made] = await db.query<{ id: number }>(
    `INSERT INTO rounds (title, mailbox_id, list_id, letter, dispatch, address_column, name_columns, same_address, sender, paper, chases, chaser, created_at, changed_at)
     SELECT $2, mailbox_id, list_id, $3::jsonb, $4::jsonb, address_column, name_columns, same_address, sender, paper || '{"who": "byHand"}', id, $5::jsonb, $6, $6 FROM rounds WHERE id = $1 RETURNING id`,
    [of.id, of.title, json(letter), json(dispatch), json(chaser), of.now],
  )
  // It was deleted meanwhile.
  if (!made) throw notFound('round')
  return made.id
}

/** Changes what makes a chaser one. It counts as a change of its round, and of the round that it follows. */
export async function writeChaser(db: Database, id: number, chaser: Chaser, now: number): Promise<void> {
  await db.query(
    `UPDATE rounds SET chaser = $2, changed_at = $3, version = version + 1 WHERE id = $1 AND posted_at IS NULL`,
    [id, json(chaser), now],
  )
}

/** The subject that a chaser has in the thread of a letter with this one: fields stay as they are typed. */
export const chaserSubject = (subject: string): string => answerSubject(subject)

/**
 * Has the chasers of a round that are not posted yet follow it: its mailbox, its list, which columns are written to, and the subject of
 * those in its thread.
 */
export async function chasersFollow(db: Database, roundId: number): Promise<void> {
  const [{ subject }] = await db.query<{ subject: string }>(
    `SELECT coalesce(letter->>'subject', '') AS subject FROM rounds WHERE id = $1`,
    [roundId],
  )
  await db.query(
    `UPDATE rounds c SET mailbox_id = r.mailbox_id, list_id = r.list_id, address_column = r.address_column, name_columns = r.name_columns, same_address = r.same_address,
       sender = CASE WHEN c.mailbox_id = r.mailbox_id THEN c.sender ELSE r.sender END,
       letter = CASE WHEN (c.chaser->>'thread')::boolean THEN c.letter || jsonb_build_object('subject', $2::text) ELSE c.letter END,
       version = c.version + 1
     FROM rounds r WHERE r.id = $1 AND c.chases = r.id AND c.posted_at IS NULL
       AND ((c.mailbox_id, c.list_id, c.address_column, c.name_columns, c.same_address) IS DISTINCT FROM (r.mailbox_id, r.list_id, r.address_column, r.name_columns, r.same_address)
         OR ((c.chaser->>'thread')::boolean AND c.letter->>'subject' IS DISTINCT FROM $2::text))`,
    [roundId, chaserSubject(subject)],
  )
}

/** The chasers of a round that are not posted yet. */
export async function openChasers(db: Database, roundId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT id FROM rounds WHERE chases = $1 AND posted_at IS NULL ORDER BY id',
    [roundId],
  )
  return rows.map(({ id }) => id)
}

/** Those of a round that are posted, and that follow every letter of it: whoever comes late to the round gets them too. */
export async function chasersOfAll(db: Database, roundId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT id FROM rounds WHERE chases = $1 AND posted_at IS NOT NULL AND chaser->'after' <> 'null' AND chaser->'rows' = 'null' ORDER BY id`,
    [roundId],
  )
  return rows.map(({ id }) => id)
}

/** The rows that have a letter of a chaser, whatever has become of it. */
export async function rowsChased(db: Database, chaserId: number): Promise<number[]> {
  const rows = await db.query<{ row: number }>('SELECT DISTINCT row_id AS row FROM messages WHERE round_id = $1', [
    chaserId,
  ])
  return rows.map(({ row }) => row)
}

/** A letter that a chaser follows. */
export interface FirstLetter {
  rowId: number
  messageId: string
  subject: string
  from: { name: string; address: string }
  text: string
  /** The same as copies have it. */
  textOfCopies: string
  /** When it left; null while it has not. */
  sentAt: number | null
}

/** The letters of a round that chasers follow: of each row the latest that went, or is to go. */
export function firstLetters(db: Database, roundId: number, rows: readonly number[] | null): Promise<FirstLetter[]> {
  return db.query<FirstLetter>(
    `SELECT DISTINCT ON (m.row_id) m.row_id AS "rowId", m.message_id AS "messageId", m.subject, c.contents->'from' AS from, m.sent_at AS "sentAt",
       coalesce(c.contents->>'text', '') AS text, coalesce(c.contents->'ofCopies'->>'text', c.contents->>'text', '') AS "textOfCopies"
     FROM messages m JOIN message_contents c ON c.message_id = m.id
     WHERE m.round_id = $1 AND m.state NOT IN ('withdrawn', 'setAside') AND ($2::jsonb IS NULL OR m.row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int))
     ORDER BY m.row_id, m.again DESC`,
    [roundId, rows && json(rows)],
  )
}

/** Writes which letter each chaser of a round follows: of its row the latest. */
export async function linkChasers(
  db: Database,
  chaserId: number,
  rows: readonly number[] | null = null,
): Promise<void> {
  await db.query(
    `UPDATE messages c SET follows = p.id, judged_at = NULL FROM (
       SELECT DISTINCT ON (m.row_id) m.row_id, m.id FROM messages m JOIN rounds r ON r.chases = m.round_id
       WHERE r.id = $1 AND m.state NOT IN ('withdrawn', 'setAside') ORDER BY m.row_id, m.again DESC) p
     WHERE c.round_id = $1 AND c.row_id = p.row_id AND c.state IN ('waiting', 'retrying') AND ($2::jsonb IS NULL OR c.row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int))`,
    [chaserId, rows && json(rows)],
  )
}

/**
 * What has come of the people of a round, by its letters and by those that chased them, up to now.
 * @param rows of these only; null is everybody that anything has come of.
 * @returns by row; who is lacking, of them nothing has come.
 */
export async function cameOfChased(
  db: Database,
  roundId: number,
  rows: readonly number[] | null,
): Promise<Map<number, ChasedFacts>> {
  const wanted = rows && json(rows)
  const some = (column: string) =>
    `($2::jsonb IS NULL OR ${column} IN (SELECT jsonb_array_elements_text($2::jsonb)::int))`
  const came = await db.query<Omit<ChasedFacts, 'word' | 'wordAt'> & { row: number }>(
    `WITH l AS MATERIALIZED (
       SELECT m.id, m.row_id, m.round_id, m.again FROM rounds r JOIN messages m ON m.round_id = r.id
       WHERE r.family = $1 AND r.answers_of IS NULL AND ${some('m.row_id')}
     ), newest AS (SELECT DISTINCT ON (row_id) id FROM l WHERE round_id = $1 ORDER BY row_id, again DESC),
     q AS (
       SELECT l.row_id, q.id, q.kind, q.at, q.of, q.details, l.round_id <> $1 OR l.id IN (SELECT id FROM newest) AS counts,
         EXISTS (SELECT 1 FROM returned_files f WHERE f.response_id = q.id AND NOT f.ours) AS brought,
         EXISTS (SELECT 1 FROM tray t WHERE t.response_id = q.id AND t.done_at IS NOT NULL) AS done
       FROM responses q JOIN l ON l.id = q.message_id WHERE q.kind IN ('reply', 'bounce', 'optOut')
     )
     SELECT row_id AS row,
       max(at) FILTER (WHERE kind = 'reply' AND of = 'person') AS replied,
       max(id) FILTER (WHERE kind <> 'bounce' AND of = 'person') AS "lastResponse",
       coalesce(bool_or(kind = 'reply' AND (of = 'perhaps' OR (of = 'other' AND NOT done))), false) AS proposed,
       max(at) FILTER (WHERE kind = 'optOut' AND of = 'person') AS "optedOut",
       (array_agg(jsonb_build_object('at', at, 'hard', coalesce(details->>'status', '') NOT LIKE '4%') ORDER BY at DESC) FILTER (WHERE kind = 'bounce' AND of = 'person' AND counts))[1] AS bounced,
       max(at) FILTER (WHERE kind = 'reply' AND of = 'person' AND details->'choice'->>'choice' IS NOT NULL) AS chose,
       coalesce(bool_or(brought AND of = 'person'), false) AS "sentFile"
     FROM q GROUP BY row_id`,
    [roundId, wanted],
  )
  const found = new Map<number, ChasedFacts>(came.map(({ row, ...facts }) => [row, { ...nothingCame, ...facts }]))
  const words = await db.query<{ row: number; word: string; at: number }>(
    `SELECT row_id AS row, word, at FROM given_words WHERE round_id = $1 AND ${some('row_id')}`,
    [roundId, wanted],
  )
  for (const { row, word, at } of words) found.set(row, { ...(found.get(row) ?? nothingCame), word, wordAt: at })
  return found
}

/** The number of the last response that there is: what comes later is news. */
export async function lastResponse(db: Database): Promise<number> {
  const [{ last }] = await db.query<{ last: number }>('SELECT coalesce(max(id), 0)::int AS last FROM responses')
  return last
}
