import type { Database } from '../db/database.ts'

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
