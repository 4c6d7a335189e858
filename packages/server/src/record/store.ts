import type { PostingRecord } from '@hand-post/contract'
import type { Letter, MessageState, PaperState, ResponseKind } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { Contents, Frozen } from '../mailboxes/contents.ts'
import { noteEvent } from '../rounds/events.ts'

/** How a round and what belongs to it stand: what is not finished, by number. */
export async function standOf(
  db: Database,
  roundId: number,
): Promise<{ open: number; inDoubt: number; copies: number; paper: number; sent: number; answers: number }> {
  const [stand] = await db.query<{
    open: number
    inDoubt: number
    copies: number
    paper: number
    sent: number
    answers: number
  }>(
    `SELECT count(*) FILTER (WHERE m.state IN ('waiting', 'sending', 'retrying'))::int AS open,
       count(*) FILTER (WHERE m.state = 'inDoubt')::int AS "inDoubt", count(*) FILTER (WHERE m.state = 'sent')::int AS sent,
       (SELECT count(*) FROM copies c JOIN messages l ON l.id = c.message_id JOIN rounds o ON o.id = l.round_id
        WHERE o.family = $1 AND c.state IN ('waiting', 'sending', 'retrying', 'inDoubt'))::int AS copies,
       (SELECT count(*) FROM paper_letters p WHERE p.round_id = $1 AND p.state = 'toPrint')::int AS paper,
       (SELECT count(*) FROM responses q JOIN messages l ON l.id = q.message_id JOIN rounds o ON o.id = l.round_id
        WHERE o.family = $1 AND q.kind = 'reply' AND q.of IN ('person', 'copy', 'other') AND NOT q.details ? 'forgotten')::int AS answers
     FROM messages m JOIN rounds r ON r.id = m.round_id WHERE r.family = $1`,
    [roundId],
  )
  return stand
}

/** A round of a family, for its record. */
export interface RoundOfFamily {
  id: number
  title: string
  chases: number | null
  isAnswers: boolean
  postedAt: number | null
  letter: Letter
}

/** A round, its chasers, and the answers that were written to people of it; the round itself first. */
export function familyOf(db: Database, roundId: number): Promise<RoundOfFamily[]> {
  return db.query(
    `SELECT id, title, chases, answers_of IS NOT NULL AS "isAnswers", posted_at AS "postedAt", letter FROM rounds
     WHERE family = $1 AND (posted_at IS NOT NULL OR id = $1) ORDER BY id <> $1, answers_of IS NOT NULL, id`,
    [roundId],
  )
}

/** A version of a round as it was posted. */
export interface VersionOfRound {
  number: number
  at: number | null
  letter: Letter
  files: { name: string; hash: string; size: number }[]
}

/** The versions of a round, the first first, with the files that everybody got; one where it was never amended. */
export async function versionsOf(db: Database, round: RoundOfFamily): Promise<VersionOfRound[]> {
  const kept = await db.query<VersionOfRound>(
    `SELECT v.number, v.at, v.kept->'letter' AS letter,
       (SELECT coalesce(jsonb_agg(jsonb_build_object('name', f->>'name', 'hash', f->>'hash', 'size', k.size) ORDER BY f->>'name'), '[]')
        FROM jsonb_array_elements(v.kept->'round_files') f JOIN files k ON k.hash = f->>'hash' WHERE f->>'role' = 'common') AS files
     FROM posted_versions v WHERE v.round_id = $1 ORDER BY v.number`,
    [round.id],
  )
  if (kept.length > 0) return kept
  const files = await db.query<VersionOfRound['files'][number]>(
    `SELECT f.name, f.hash, k.size::float8 AS size FROM round_files f JOIN files k ON k.hash = f.hash WHERE f.round_id = $1 AND f.role = 'common' ORDER BY f.name`,
    [round.id],
  )
  return [{ number: 1, at: round.postedAt, letter: round.letter, files }]
}

/** A letter of a family, with what became of it. */
export interface LetterOfFamily {
  id: number
  roundId: number
  /** The number of its row in the list as it was when it was posted. */
  row: number
  person: string
  address: string
  from: { name: string; address: string }
  subject: string
  messageId: string
  version: number
  state: MessageState
  sentAt: number | null
  answer: string | null
  hash: string | null
  files: Contents['files']
}

/**
 * The letters of a round and of what belongs to it, by number: each person's together, in the order of the round.
 * @param gone only those that have gone.
 */
export async function idsOfFamily(db: Database, roundId: number, gone: boolean): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT m.id FROM messages m JOIN rounds r ON r.id = m.round_id
     LEFT JOIN LATERAL (SELECT f.position FROM messages f WHERE f.round_id = $1 AND f.row_id = m.row_id ORDER BY f.again LIMIT 1) first ON true
     WHERE r.family = $1 AND (NOT $2 OR m.state = 'sent') ORDER BY coalesce(first.position, m.position), m.row_id, m.id`,
    [roundId, gone],
  )
  return rows.map(({ id }) => id)
}

/** Letters of a round and of what belongs to it, by number, in the order in which they are asked for. */
export function lettersOf(db: Database, roundId: number, ids: readonly number[]): Promise<LetterOfFamily[]> {
  return db.query(
    `SELECT m.id, m.round_id AS "roundId", coalesce((SELECT f.position FROM messages f WHERE f.round_id = $2 AND f.row_id = m.row_id ORDER BY f.again LIMIT 1), m.position) AS row, m.person, m.address, c.contents->'from' AS from, m.subject, m.message_id AS "messageId",
       m.version, m.state, m.sent_at AS "sentAt", m.reason AS answer, m.sent_hash AS hash, c.contents->'files' AS files
     FROM unnest($1::int[]) WITH ORDINALITY AS x (id, n) JOIN messages m ON m.id = x.id JOIN message_contents c ON c.message_id = m.id ORDER BY x.n`,
    [ids, roundId],
  )
}

/** What went to a Cc or Bcc. */
export interface CopyOfLetter {
  messageId: number
  address: string
  role: 'cc' | 'bcc'
  state: MessageState
  sentAt: number | null
  answer: string | null
  hash: string | null
}

export function copiesOfLetters(db: Database, ids: readonly number[]): Promise<CopyOfLetter[]> {
  return db.query(
    `SELECT message_id AS "messageId", address, role, state, sent_at AS "sentAt", reason AS answer, sent_hash AS hash FROM copies
     WHERE message_id = ANY ($1::int[]) ORDER BY message_id, id`,
    [ids],
  )
}

/** What came back for letters from their people, without what was fetched. */
export function cameForLetters(
  db: Database,
  ids: readonly number[],
): Promise<{ messageId: number; kind: ResponseKind; at: number; words: string }[]> {
  return db.query(
    `SELECT message_id AS "messageId", kind, at,
       coalesce(CASE WHEN kind IN ('bounce', 'delayed') THEN left(details->>'words', 500) WHEN kind = 'reply' THEN details->'choice'->>'choice' END, '') AS words
     FROM responses WHERE message_id = ANY ($1::int[]) AND of = 'person' AND kind NOT IN ('open', 'click') ORDER BY message_id, at, id`,
    [ids],
  )
}

/** The letters on paper of a round. */
export function paperOfRound(
  db: Database,
  roundId: number,
): Promise<{ row: number; person: string; state: PaperState; printedAt: number | null; version: number }[]> {
  return db.query(
    `SELECT position AS row, person, state, printed_at AS "printedAt", version FROM paper_letters WHERE round_id = $1 ORDER BY position, row_id`,
    [roundId],
  )
}

/** A message that has gone, as it is made anew for an archive. */
export interface SentMessage extends Frozen {
  id: number
  person: string
  title: string
  sentAt: number
  hash: string | null
  rowId: number
  /** It is an answer that was written here, and its words were forgotten. */
  forgotten: boolean
  /** To whom copies of it went, and with which hash; null where none did. */
  copies: { hash: string | null; addresses: string[] } | null
}

/** Messages that have gone, by number, in the order in which they are asked for. */
export function sentMessages(db: Database, ids: readonly number[]): Promise<SentMessage[]> {
  return db.query(
    `SELECT m.id, m.row_id AS "rowId", m.person, r.title, m.key, m.message_id AS "messageId", c.contents, m.sent_at AS "sentAt", m.sent_hash AS hash, r.answers_of IS NOT NULL AND is_forgotten(r.id) AS forgotten,
       (SELECT jsonb_build_object('hash', min(k.sent_hash), 'addresses', jsonb_agg(k.address ORDER BY k.id)) FROM copies k WHERE k.message_id = m.id AND k.state = 'sent' HAVING count(*) > 0) AS copies
     FROM unnest($1::int[]) WITH ORDINALITY AS x (id, n) JOIN messages m ON m.id = x.id JOIN rounds r ON r.id = m.round_id
     JOIN message_contents c ON c.message_id = m.id ORDER BY x.n`,
    [ids],
  )
}

const recordSelect = `SELECT id, round_id AS "roundId", made_at AS "madeAt", chain_end AS end, letters, entries, pdf, seal FROM posting_records`
type RecordRow = PostingRecord & { roundId: number; pdf: string; seal: string | null }

/** The posting records of a round, the newest first. */
export async function recordsOf(db: Database, roundId: number): Promise<PostingRecord[]> {
  const rows = await db.query<RecordRow>(`${recordSelect} WHERE round_id = $1 ORDER BY id DESC`, [roundId])
  return rows.map(({ id, madeAt, end, letters, entries }) => ({ id, madeAt, end, letters, entries }))
}

/** A posting record with where its files lie, or null. */
export async function recordById(db: Database, id: number): Promise<RecordRow | null> {
  const [found] = await db.query<RecordRow>(`${recordSelect} WHERE id = $1`, [id])
  return found ?? null
}

/** Keeps a posting record that was made. */
export async function insertRecord(db: Database, record: Omit<RecordRow, 'id'>): Promise<PostingRecord> {
  const { roundId, madeAt, end, letters, entries, pdf, seal } = record
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO posting_records (round_id, made_at, chain_end, letters, entries, pdf, seal) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id',
    [roundId, madeAt, end, letters, entries, pdf, seal],
  )
  return { id, madeAt, end, letters, entries }
}

/** Those of some letters that have gone, or whose copies have, and whose hash was not written down then. */
export async function withoutHash(db: Database, ids: readonly number[]): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT m.id FROM messages m WHERE m.id = ANY ($1::int[]) AND m.state = 'sent'
       AND (m.sent_hash IS NULL OR EXISTS (SELECT 1 FROM copies k WHERE k.message_id = m.id AND k.state = 'sent' AND k.sent_hash IS NULL))`,
    [ids],
  )
  return rows.map(({ id }) => id)
}

/** The answers to a round and to what belongs to it, in the order in which they came, with the words that were kept of each. */
export function answersOf(
  db: Database,
  roundId: number,
): Promise<
  { id: number; person: string; at: number; from: string; subject: string; mailId: string | null; text: string }[]
> {
  return db.query(
    `SELECT q.id, m.person, q.at, coalesce(q.details->>'from', q.address, m.address) AS from, coalesce(q.details->>'subject', '') AS subject,
       CASE WHEN q.mail_id LIKE '<%>' THEN q.mail_id END AS "mailId",
       coalesce(nullif(q.details->>'text', ''), q.details->>'words', q.details->'choice'->>'choice', '') AS text
     FROM responses q JOIN messages m ON m.id = q.message_id JOIN rounds r ON r.id = m.round_id
     WHERE r.family = $1 AND q.kind = 'reply' AND q.of IN ('person', 'copy', 'other') AND NOT q.details ? 'forgotten' ORDER BY q.at, q.id`,
    [roundId],
  )
}

/** Ends a round, or opens it again. What it is already, it stays, and nothing is noted. */
export function setEnded(db: Database, roundId: number, ended: boolean, now: number): Promise<void> {
  return db.transaction(async (tx) => {
    const changed = await tx.query(
      'UPDATE rounds SET ended_at = CASE WHEN $2 THEN $3::bigint END, changed_at = $3 WHERE id = $1 AND (ended_at IS NULL) = $2 RETURNING id',
      [roundId, ended, now],
    )
    if (changed.length > 0) await noteEvent(tx, roundId, now, ended ? 'ended' : 'reopened', {})
  })
}
