import { createHash } from 'node:crypto'
import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { Database } from '../db/database.ts'
import { Packed } from '../files/pack.ts'
import type { JobContext } from '../threads/job.ts'
import { type Manifest, manifestName, restoredName, sealedKeyName } from './manifest.ts'

/** What a copy is made of. */
interface ToPack {
  /** Where it is written. */
  path: string
  /** The database as it was copied on the disk. */
  database: string
  id: string
  madeAt: number
  /** The key, sealed (base64), or null where it is kept apart. */
  key: string | null
}

/** The contents that a database names, each with something that it is called. */
const contentsOf = (db: Database) =>
  db.query<{ hash: string; name: string | null }>(
    `SELECT f.hash, coalesce(
       (SELECT r.name FROM round_files r WHERE r.hash = f.hash LIMIT 1),
       (SELECT b.name FROM returned_files b WHERE b.hash = f.hash LIMIT 1),
       (SELECT s.name FROM list_sources s WHERE s.hash = f.hash LIMIT 1)) AS name
     FROM files f ORDER BY f.hash`,
  )

/** The files within a folder, as paths; the folders on the way are added to `folders`. */
async function* within(folder: string, before: string, folders: string[]): AsyncGenerator<string> {
  for (const entry of await readdir(join(folder, before), { withFileTypes: true })) {
    const path = before === '' ? entry.name : `${before}/${entry.name}`
    if (entry.isDirectory()) {
      folders.push(path)
      yield* within(folder, path, folders)
    }
    if (entry.isFile()) yield path
  }
}

/** Copies of everything. */
export const backupJobs = {
  /** Packs a copy of everything as one zip. Gives what of the contents could not be copied, by name. */
  async packBackup(
    { path, database, id, madeAt, key }: ToPack,
    { db, files, progress }: JobContext,
  ): Promise<{ damaged: string[] }> {
    const packed = new Packed(path)
    const parts: Manifest['parts'] = []
    const add = async (name: string, bytes: Buffer) => {
      await packed.add(name, bytes, madeAt)
      parts.push({ path: name, size: bytes.length, sha256: createHash('sha256').update(bytes).digest('hex') })
    }
    await add(restoredName, Buffer.from(JSON.stringify({ id, madeAt })))
    if (key !== null) await add(sealedKeyName, Buffer.from(key, 'base64'))
    const folders: string[] = []
    for await (const name of within(database, '', folders)) {
      const path = `database/${name}`
      parts.push({ path, ...(await packed.addFile(path, join(database, name), { at: madeAt, press: true })) })
      if (parts.length % 50 === 0) progress(0, 1, 'Copying the database')
    }
    // What was added since the database was copied is too much, and does no harm: a content never changes.
    const contents = await contentsOf(db)
    const damaged: Manifest['damaged'] = []
    for (const [i, { hash, name }] of contents.entries()) {
      try {
        await add(`files/${hash.slice(0, 2)}/${hash}`, await files.read(hash))
      } catch {
        damaged.push({ hash, name: name ?? hash })
      }
      if (i % 20 === 19) progress(i + 1, contents.length, 'Copying files')
    }
    const migrations = (await db.query<{ name: string }>('SELECT name FROM migrations ORDER BY name')).map(
      (m) => m.name,
    )
    const manifest: Manifest = {
      format: 'hand-post-backup',
      version: 1,
      id,
      madeAt,
      migrations,
      key: key === null ? 'apart' : 'sealed',
      parts,
      folders: folders.map((path) => `database/${path}`),
      damaged,
    }
    await packed.add(manifestName, Buffer.from(JSON.stringify(manifest)), madeAt)
    await packed.end()
    return { damaged: damaged.map(({ name }) => name) }
  },
}
export type BackupJobs = typeof backupJobs
