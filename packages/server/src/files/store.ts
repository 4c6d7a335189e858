import { type Database, json } from '../db/database.ts'

/** Notes a content in the store. */
export async function noteFile(db: Database, file: { hash: string; size: number; type: string }): Promise<void> {
  await db.query('INSERT INTO files VALUES ($1, $2, $3) ON CONFLICT (hash) DO NOTHING', [
    file.hash,
    file.size,
    file.type,
  ])
}

/** What is known of a stored content, or null. */
export async function fileFacts(db: Database, hash: string): Promise<{ size: number; type: string } | null> {
  const [found] = await db.query<{ size: number; type: string }>(
    'SELECT size::float8 AS size, type FROM files WHERE hash = $1',
    [hash],
  )
  return found ?? null
}

/**
 * Notes contents that are to be taken off the disk, as far as nothing needs them: neither a table nor, within what was posted and what
 * letters and versions are made of, a hash that is written there.
 */
export async function noteUnwanted(db: Database, hashes: readonly string[]): Promise<void> {
  if (hashes.length === 0) return
  const tables = await db.query<{ name: string; column: string }>(
    `SELECT c.conrelid::regclass::text AS name, quote_ident(a.attname) AS column FROM pg_constraint c
     JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = c.conkey[1]
     WHERE c.contype = 'f' AND c.confrelid = 'files'::regclass AND c.conrelid NOT IN ('file_facts'::regclass, 'examining'::regclass)`,
  )
  // Letters name their pictures by address; what a version keeps holds letters and files.
  const written = ['rounds', 'shelf', 'letter_versions', 'posted_versions'].map(
    (name) =>
      `SELECT (regexp_matches(${name === 'posted_versions' ? 'kept' : 'letter'}::text, '[0-9a-f]{64}', 'g'))[1] FROM ${name}`,
  )
  const frozen = ['message_contents', 'paper_letters'].map(
    (name) =>
      `SELECT f->>'hash' FROM ${name}, jsonb_array_elements(coalesce(contents->'files', '[]') || coalesce(contents->'pictures', '[]')) f`,
  )
  const needed = [...tables.map(({ name, column }) => `SELECT ${column} FROM ${name}`), ...written, ...frozen]
  await db.query(
    `INSERT INTO unwanted_files SELECT x.hash FROM jsonb_array_elements_text($1::jsonb) AS x (hash)
     WHERE x.hash NOT IN (SELECT hash FROM (${needed.join(' UNION ALL ')}) AS needed (hash) WHERE hash IS NOT NULL)
     ON CONFLICT DO NOTHING`,
    [json([...new Set(hashes)])],
  )
  for (const name of ['file_facts', 'examining', 'files'])
    await db.query(`DELETE FROM ${name} WHERE hash IN (SELECT hash FROM unwanted_files)`)
}

/** Contents that are to be taken off the disk, and that nobody has brought again since. */
export async function unwantedFiles(db: Database): Promise<string[]> {
  await db.query('DELETE FROM unwanted_files WHERE hash IN (SELECT hash FROM files)')
  return (await db.query<{ hash: string }>('SELECT hash FROM unwanted_files')).map(({ hash }) => hash)
}

/** Notes that contents are off the disk. */
export const notUnwanted = (db: Database, hashes: readonly string[]): Promise<unknown> =>
  db.query('DELETE FROM unwanted_files WHERE hash IN (SELECT jsonb_array_elements_text($1::jsonb))', [json(hashes)])
