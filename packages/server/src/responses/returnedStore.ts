import type { ReturnedFile, ReturnedOf } from '@hand-post/contract'
import { type ContentFault, type FileFacts, faultOf } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { noteUnwanted } from '../files/store.ts'

/** Where an answer lies that brings files. */
export interface LiesAt {
  path: string
  validity: number
  uid: number
  size: number
}

/** Notes that answers bring files which are to be fetched: of those that were added, by the mail's own Message-ID. */
export async function noteToFetch(
  db: Database,
  mailboxId: number,
  answers: ({ messageId: number; mailId: string } & LiesAt)[],
): Promise<void> {
  if (answers.length === 0) return
  await db.query(
    `INSERT INTO files_to_fetch (response_id, mailbox_id, path, uid_validity, uid, size)
     SELECT q.id, $1, x.path, x.validity, x.uid, x.size
     FROM jsonb_to_recordset($2::jsonb) AS x ("messageId" int, "mailId" text, path text, validity bigint, uid bigint, size bigint)
     JOIN responses q ON q.message_id = x."messageId" AND q.mail_id = x."mailId" AND q.kind = 'reply'
     ON CONFLICT (response_id) DO NOTHING`,
    [mailboxId, json(answers)],
  )
}

/** An answer whose files are to be fetched. */
export interface ToFetch extends LiesAt {
  responseId: number
  roundId: number
  tries: number
  /** The contents (SHA-256) of what went with its letter. */
  own: string[]
}

/** The next answers of a mailbox whose files are to be fetched, the earliest first. */
export function toFetch(db: Database, mailboxId: number, most: number): Promise<ToFetch[]> {
  return db.query<ToFetch>(
    `SELECT f.response_id AS "responseId", m.round_id AS "roundId", f.path, f.uid_validity AS validity, f.uid, f.size, f.tries,
       coalesce((SELECT jsonb_agg(file->>'hash') FROM jsonb_array_elements(c.contents->'files') file), '[]') AS own
     FROM files_to_fetch f JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id JOIN message_contents c ON c.message_id = m.id
     WHERE f.mailbox_id = $1 ORDER BY f.tries, f.response_id LIMIT $2`,
    [mailboxId, most],
  )
}

/** Notes that an answer's files were tried in vain. */
export const noteTried = (db: Database, responseId: number): Promise<unknown> =>
  db.query('UPDATE files_to_fetch SET tries = tries + 1 WHERE response_id = $1', [responseId])

/** A file as it came back, or why it was not kept. */
export interface CameBack {
  name: string
  size: number
  type: string
  hash: string | null
  why: string | null
  ours: boolean
}

/** Writes down the files of an answer: it is not fetched any more. */
export function addReturned(db: Database, responseId: number, files: CameBack[]): Promise<void> {
  return db.transaction(async (tx) => {
    const [{ forgotten }] = await tx.query<{ forgotten: boolean }>(
      'SELECT coalesce((SELECT is_forgotten(m.round_id) FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = $1), true) AS forgotten',
      [responseId],
    )
    // It was being fetched when its round was forgotten.
    if (forgotten)
      return noteUnwanted(
        tx,
        files.flatMap(({ hash }) => hash ?? []),
      )
    await tx.query(
      `INSERT INTO returned_files (response_id, position, name, size, type, hash, why, ours)
       SELECT $1, (x.n - 1)::int, x.file->>'name', (x.file->>'size')::bigint, x.file->>'type', x.file->>'hash', x.file->>'why', (x.file->>'ours')::boolean
       FROM jsonb_array_elements($2::jsonb) WITH ORDINALITY AS x (file, n) ON CONFLICT (response_id, position) DO NOTHING`,
      [responseId, json(files)],
    )
    await tx.query('DELETE FROM files_to_fetch WHERE response_id = $1', [responseId])
  })
}

/** Contents that came back to a mailbox and were not examined: the program ended before. */
export async function notExaminedReturned(db: Database, mailboxId: number): Promise<string[]> {
  const rows = await db.query<{ hash: string }>(
    `SELECT DISTINCT f.hash FROM returned_files f JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id
     WHERE m.mailbox_id = $1 AND f.hash IS NOT NULL AND NOT EXISTS (SELECT 1 FROM file_facts x WHERE x.hash = f.hash)`,
    [mailboxId],
  )
  return rows.map(({ hash }) => hash)
}

type Stored = Omit<ReturnedFile, 'fault' | 'examined'> & {
  kind: string | null
  contentFault: ContentFault | null
  detail: string | null
}
const columns = `f.id, f.response_id AS "responseId", f.name, f.size::float8 AS size, f.type, f.hash, f.why, f.ours, x.kind, x.fault AS "contentFault", x.detail`
const withFacts = 'FROM returned_files f LEFT JOIN file_facts x ON x.hash = f.hash'

/** A file with what is wrong with it, as with an enclosure. */
function asReturned<T extends Stored>({
  kind,
  contentFault,
  detail,
  ...file
}: T): Omit<T, keyof Stored> & ReturnedFile {
  const facts: FileFacts | undefined = detail === null ? undefined : { kind, fault: contentFault, detail, text: null }
  return { ...file, fault: file.hash === null ? null : faultOf(file, facts), examined: facts !== undefined } as never
}

/** The files of some answers, in their order. */
export async function filesOfResponses(db: Database, responseIds: number[]): Promise<Map<number, ReturnedFile[]>> {
  if (responseIds.length === 0) return new Map()
  const files = await db.query<Stored>(
    `SELECT ${columns} ${withFacts} WHERE f.response_id IN (SELECT jsonb_array_elements_text($1::jsonb)::int) ORDER BY f.response_id, f.position`,
    [json(responseIds)],
  )
  const byResponse = new Map<number, ReturnedFile[]>()
  for (const file of files)
    byResponse.set(file.responseId, [...(byResponse.get(file.responseId) ?? []), asReturned(file)])
  return byResponse
}

/** Whether files of an answer are still to be fetched. */
export async function isToFetch(db: Database, responseId: number): Promise<boolean> {
  const [{ there }] = await db.query<{ there: boolean }>(
    'SELECT EXISTS (SELECT 1 FROM files_to_fetch WHERE response_id = $1) AS there',
    [responseId],
  )
  return there
}

/** Letters of a round, and of its chasers: what comes with an answer to either belongs to the round. */
const withChasers = 'm.round_id IN (SELECT x.id FROM rounds x WHERE x.id = $1 OR x.chases = $1)'

/** All files that came back in a round from the people it was written to, in the order of the list; how many answers are still to be fetched. */
export async function filesOfRound(db: Database, roundId: number): Promise<{ files: ReturnedOf[]; toFetch: number }> {
  const files = await db.query<Stored & { rowId: number; person: string; at: number }>(
    `SELECT ${columns}, m.row_id AS "rowId", m.person, q.at ${withFacts} JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id
     WHERE ${withChasers} AND q.of = 'person' ORDER BY m.position, m.again, q.at, f.position`,
    [roundId],
  )
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM files_to_fetch f JOIN responses q ON q.id = f.response_id JOIN messages m ON m.id = q.message_id WHERE ${withChasers}`,
    [roundId],
  )
  return { files: files.map(asReturned), toFetch: n }
}

/** A returned file; null when there is none of that number, or it was not kept. */
export async function returnedFile(
  db: Database,
  id: number,
): Promise<{ name: string; type: string; hash: string; size: number } | null> {
  const [found] = await db.query<{ name: string; type: string; hash: string; size: number }>(
    'SELECT name, type, hash, size::float8 AS size FROM returned_files WHERE id = $1 AND hash IS NOT NULL',
    [id],
  )
  return found ?? null
}

/** When a file of the person's own first came back with each of some letters. */
export async function firstFiles(db: Database, messageIds: number[]): Promise<Map<number, number>> {
  const rows = await db.query<{ messageId: number; at: number }>(
    `WITH l AS (
       SELECT id, id AS of FROM messages WHERE id IN (SELECT jsonb_array_elements_text($1::jsonb)::int)
       UNION ALL SELECT id, follows FROM messages WHERE follows IN (SELECT jsonb_array_elements_text($1::jsonb)::int)
     )
     SELECT l.of AS "messageId", min(q.at) AS at FROM l JOIN responses q ON q.message_id = l.id JOIN returned_files f ON f.response_id = q.id
     WHERE q.of = 'person' AND f.hash IS NOT NULL AND NOT f.ours GROUP BY 1`,
    [json(messageIds)],
  )
  return new Map(rows.map(({ messageId, at }) => [messageId, at]))
}
