import type { RoundFileEntry } from '@hand-post/contract'
import type { FileFacts, KindFacts } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'

/** The files of a round, in the order in which they were added; or one of them only, by its id. */
export async function filesOf(db: Database, roundId: number, only: number | null = null): Promise<RoundFileEntry[]> {
  // As one text: row by row, ten thousand take ten times as long.
  const [{ files }] = await db.query<{ files: string }>(
    `SELECT coalesce(json_agg(x ORDER BY x.id), '[]')::text AS files FROM (
       SELECT rf.id, rf.name, rf.hash, f.size, f.type, rf.role, rf.folder FROM round_files rf JOIN files f ON f.hash = rf.hash
       WHERE rf.round_id = $1 AND ($2::int IS NULL OR rf.id = $2)) x`,
    [roundId, only],
  )
  return JSON.parse(files)
}

const filesChanged = (db: Database, roundId: number) =>
  db.query('UPDATE rounds SET files_version = files_version + 1 WHERE id = $1', [roundId])

/** Adds a file to a round; a file of the same name in the same folder is replaced. */
export async function addRoundFile(
  db: Database,
  roundId: number,
  file: { name: string; folder: string; hash: string; role: string },
): Promise<RoundFileEntry & { replaced: boolean }> {
  const [before] = await db.query<{ hash: string }>(
    'SELECT hash FROM round_files WHERE round_id = $1 AND folder = $2 AND name = $3',
    [roundId, file.folder, file.name],
  )
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO round_files (round_id, name, hash, role, folder) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (round_id, folder, name) DO UPDATE SET hash = $3, role = $4 RETURNING id`,
    [roundId, file.name, file.hash, file.role, file.folder],
  )
  await filesChanged(db, roundId)
  const [added] = await filesOf(db, roundId, id)
  return { ...added, replaced: before !== undefined && before.hash !== file.hash }
}

export async function setFileRole(
  db: Database,
  roundId: number,
  fileId: number,
  role: string,
): Promise<RoundFileEntry> {
  await db.query('UPDATE round_files SET role = $3 WHERE round_id = $1 AND id = $2', [roundId, fileId, role])
  await filesChanged(db, roundId)
  const [file] = await filesOf(db, roundId, fileId)
  if (!file) throw notFound('file')
  return file
}

/** Takes files out of a round; gives how many there were. */
export async function removeRoundFiles(db: Database, roundId: number, fileIds: readonly number[]): Promise<number> {
  const gone = await db.query(
    'DELETE FROM round_files WHERE round_id = $1 AND id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) RETURNING id',
    [roundId, json(fileIds)],
  )
  await filesChanged(db, roundId)
  return gone.length
}

/** Files given to people by hand. */
export function matchesOf(db: Database, roundId: number): Promise<{ rowId: number; fileId: number }[]> {
  return db.query(
    'SELECT row_id AS "rowId", file_id AS "fileId" FROM file_matches WHERE round_id = $1 ORDER BY row_id, file_id',
    [roundId],
  )
}

/** Gives files to people, or with `take` takes them back. Files of other rounds are passed over. */
export async function matchFiles(
  db: Database,
  roundId: number,
  matches: { rowId: number; fileId: number }[],
  take = false,
): Promise<void> {
  const given = `SELECT (x->>'rowId')::int AS row_id, (x->>'fileId')::int AS file_id FROM jsonb_array_elements($2::jsonb) AS x`
  await db.query(
    take
      ? `DELETE FROM file_matches m USING (${given}) g WHERE m.round_id = $1 AND m.row_id = g.row_id AND m.file_id = g.file_id`
      : `INSERT INTO file_matches SELECT $1, g.row_id, g.file_id FROM (${given}) g JOIN round_files f ON f.id = g.file_id AND f.round_id = $1 ON CONFLICT DO NOTHING`,
    [roundId, json(matches)],
  )
}

/** The files made for people, with what they were made of. */
export function madeFilesOf(
  db: Database,
  roundId: number,
): Promise<{ rowId: number; fileId: number; print: string }[]> {
  return db.query(
    'SELECT row_id AS "rowId", file_id AS "fileId", print FROM made_files WHERE round_id = $1 ORDER BY row_id',
    [roundId],
  )
}

export async function noteMadeFile(
  db: Database,
  roundId: number,
  { rowId, fileId, print }: { rowId: number; fileId: number; print: string },
): Promise<void> {
  await db.query(
    'INSERT INTO made_files VALUES ($1, $2, $3, $4) ON CONFLICT (round_id, row_id) DO UPDATE SET file_id = $3, print = $4',
    [roundId, rowId, fileId, print],
  )
}

/** The folder that made files lie in. */
export const madeFolder = 'made'

/** Takes all made files out of a round. */
export async function removeMadeFiles(db: Database, roundId: number): Promise<void> {
  await db.query('DELETE FROM round_files WHERE id IN (SELECT file_id FROM made_files WHERE round_id = $1)', [roundId])
  await filesChanged(db, roundId)
}

/** What was found in contents when they were examined, by hash; those that were not are missing. */
export async function fileFactsOf(db: Database, hashes: string[]): Promise<Map<string, FileFacts>> {
  const rows = await db.query<{ hash: string } & FileFacts>(
    'SELECT hash, kind, fault, detail, words AS text FROM file_facts WHERE hash IN (SELECT jsonb_array_elements_text($1::jsonb))',
    [json(hashes)],
  )
  return new Map(rows.map(({ hash, ...facts }) => [hash, facts]))
}

/** What contents are, as far as it was found out, by hash: without their words, which may be many. */
export async function kindsOf(db: Database, hashes: string[]): Promise<Map<string, KindFacts>> {
  const rows = await db.query<{ hash: string } & KindFacts>(
    'SELECT hash, kind, fault FROM file_facts WHERE hash IN (SELECT jsonb_array_elements_text($1::jsonb))',
    [json(hashes)],
  )
  return new Map(rows.map(({ hash, ...facts }) => [hash, facts]))
}

/** The contents of a round's files that were not examined yet. */
export async function notExamined(db: Database, roundId: number): Promise<string[]> {
  const rows = await db.query<{ hash: string }>(
    'SELECT DISTINCT hash FROM round_files f WHERE round_id = $1 AND NOT EXISTS (SELECT 1 FROM file_facts x WHERE x.hash = f.hash)',
    [roundId],
  )
  return rows.map((row) => row.hash)
}

/** Rounds that may still be posted, or topped up, with contents that were not examined. */
export async function roundsToExamine(db: Database): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT DISTINCT round_id AS id FROM round_files f WHERE NOT EXISTS (SELECT 1 FROM file_facts x WHERE x.hash = f.hash)',
  )
  return rows.map((row) => row.id)
}

/** Notes that a content is about to be examined in a place. Gives how often it was begun there without having ended, this time included. */
export async function beginExamining(db: Database, hash: string, place: string): Promise<number> {
  const [{ begun }] = await db.query<{ begun: number }>(
    `INSERT INTO examining (hash, begun, process) VALUES ($1, 1, $2)
     ON CONFLICT (hash, process) DO UPDATE SET begun = examining.begun + 1 RETURNING begun`,
    [hash, place],
  )
  return begun
}

/** Forgets what was being examined in a place: it was broken off for another reason. */
export async function forgetExamining(db: Database, place: string): Promise<void> {
  await db.query('DELETE FROM examining WHERE process = $1', [place])
}

/** Keeps what was found in a content, whose examining has ended with it. */
export async function noteFileFacts(
  db: Database,
  hash: string,
  { kind, fault, detail, text }: FileFacts,
): Promise<void> {
  await db.query(
    'INSERT INTO file_facts VALUES ($1, $2, $3, $4, $5) ON CONFLICT (hash) DO UPDATE SET kind = $2, fault = $3, detail = $4, words = $5',
    [hash, kind, fault, detail, text],
  )
  await db.query('DELETE FROM examining WHERE hash = $1', [hash])
}
