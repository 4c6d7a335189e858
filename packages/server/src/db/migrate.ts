import { createHash } from 'node:crypto'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

/** What bringing a database up to date needs of it. PGlite is one of these. */
export interface Migrated {
  exec(sql: string): Promise<unknown>
  query<T>(sql: string, values?: unknown[]): Promise<{ rows: T[] }>
  transaction(work: (tx: Pick<Migrated, 'exec' | 'query'>) => Promise<void>): Promise<unknown>
}

/** A migration as it stands on the disk: its digest is of its text, whatever line ends a checkout gave it. */
interface Migration {
  name: string
  sql: string
  checksum: string
}

function migrationsIn(folder: string): Migration[] {
  return readdirSync(folder)
    .filter((name) => name.endsWith('.sql'))
    .sort()
    .map((name) => {
      const sql = readFileSync(join(folder, name), 'utf8').replaceAll('\r\n', '\n')
      return { name, sql, checksum: createHash('sha256').update(sql).digest('hex') }
    })
}

/** The name of the newest migration. */
export const newestMigration = (folder: string): string => migrationsIn(folder).at(-1)!.name

const made =
  'CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY); ALTER TABLE migrations ADD COLUMN IF NOT EXISTS checksum text'

/** How many migrations a database has not had yet. */
export async function toDo(pg: Migrated, folder: string): Promise<number> {
  await pg.exec(made)
  const had = new Set((await pg.query<{ name: string }>('SELECT name FROM migrations')).rows.map(({ name }) => name))
  return migrationsIn(folder).filter(({ name }) => !had.has(name)).length
}

/** What is said of where a database lies, and how another is chosen. */
interface Place {
  is: string
  choose: string
}
const inFolder: Place = { is: 'The data folder', choose: 'choose another folder by HAND_POST_DATA' }

/**
 * Brings a database up to date: each migration that it has not had, in order, each wholly or not at all.
 * @param place where it lies, for the words.
 * @param evenMoved whether it may be worked with though everything in it was moved elsewhere.
 * @returns why it was left as it is, in words; null when it is up to date now.
 */
export async function migrate(
  pg: Migrated,
  folder: string,
  { is, choose } = inFolder,
  evenMoved = false,
): Promise<string | null> {
  const steps = migrationsIn(folder)
  await pg.exec(made)
  const applied = new Map(
    (await pg.query<{ name: string; checksum: string | null }>('SELECT name, checksum FROM migrations')).rows.map(
      ({ name, checksum }) => [name, checksum],
    ),
  )
  const unknown = [...applied.keys()].filter((name) => !steps.some((step) => step.name === name))
  // What a newer program has laid out anew, this one would read and write wrongly.
  if (unknown.length > 0)
    return `${is} was last used by a newer Hand Post (it knows of ${unknown.join(', ')}, this one does not). Start the newer one, or ${choose}. Nothing was changed.`
  const edited = steps.filter(({ name, checksum }) => (applied.get(name) ?? checksum) !== checksum)
  if (edited.length > 0)
    return `${is} was laid out by another text of ${edited.map(({ name }) => name).join(', ')} than this Hand Post has, so what it would do with it is not known. Put the file back as it was and make the change in a migration of its own, or ${choose}. Nothing was changed.`
  for (const { name, sql, checksum } of steps) {
    if (!applied.has(name))
      await pg.transaction(async (tx) => {
        await tx.exec(sql)
        await tx.query('INSERT INTO migrations (name, checksum) VALUES ($1, $2)', [name, checksum])
      })
    // Applied before digests were kept: from here on it is held to the text that it has now.
    else if (applied.get(name) === null)
      await pg.query('UPDATE migrations SET checksum = $2 WHERE name = $1', [name, checksum])
  }
  const [{ known }] = (await pg.query<{ known: boolean }>(`SELECT to_regclass('moved') IS NOT NULL AS known`)).rows
  if (evenMoved || !known) return null
  const [moved] = (await pg.query<Moved>('SELECT target, state FROM moved')).rows
  if (!moved) return null
  const words: Record<Moved['state'], string> = {
    left: `What was in ${is.replace(/^The/, 'the')} was moved to ${moved.target}. Start Hand Post with that one: what waits would leave twice otherwise.`,
    leaving: `${is} was being moved to ${moved.target}, and that was broken off. Everything is still here: give the command to move it once more, or “npm run move -- stay” to stay.`,
    arriving: `${is} was being filled from another database, and that was broken off. Give the command to move once more: what waits could leave twice otherwise.`,
  }
  return `${words[moved.state]} Nothing was changed.`
}

/** Where everything in a database has gone, or is going. */
interface Moved {
  target: string
  state: 'leaving' | 'left' | 'arriving'
}
