import { randomUUID } from 'node:crypto'
import { readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { CopiedDatabase } from '../db/database.ts'
import { sealKey } from './sealedKey.ts'

/** What a copy is made with. */
interface BackupParts {
  db: CopiedDatabase
  dataFolder: string
  /** Where the copy of the database lies meanwhile. */
  scratch: string
  pack: (given: {
    path: string
    database: string
    id: string
    madeAt: number
    key: string | null
  }) => Promise<{ damaged: string[] }>
}

/**
 * Makes a copy of everything at a path, as it is at one moment, whatever goes on meanwhile: the database is copied between two
 * transactions, and contents of files never change.
 * @param passphrase by which the key is sealed; null leaves it out.
 */
export async function makeBackup(
  { db, dataFolder, scratch, pack }: BackupParts,
  { path, passphrase, now }: { path: string; passphrase: string | null; now: number },
): Promise<{ damaged: string[] }> {
  const id = randomUUID()
  const database = join(scratch, `copy-${id}`)
  try {
    const key =
      passphrase === null
        ? null
        : (await sealKey(await readFile(join(dataFolder, 'key')), passphrase)).toString('base64')
    await db.copyTo(database)
    return await pack({ path, database, id, madeAt: now, key })
  } finally {
    await rm(database, { recursive: true, force: true })
  }
}

/** What a copy is called that is made at a moment (ms since 1970). */
export const backupName = (now: number): string =>
  `Hand Post ${new Date(now).toISOString().slice(0, 16).replace('T', ' ').replace(':', '-')}.zip`
