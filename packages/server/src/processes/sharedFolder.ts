import { randomUUID } from 'node:crypto'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Database } from '../db/database.ts'

/** The file by which a folder is known as the one of a database. */
const marker = 'hand-post.json'
/** How long (ms) a folder is given to answer. */
const patience = 5000

/**
 * Takes the folder in which the files of all processes lie. The first process marks it, and the database keeps the mark: a folder that is
 * not mounted, or another one, is met before anything is read or written there.
 * @throws in words when it is not the one.
 */
export async function takeSharedFolder(db: Database, folder: string): Promise<void> {
  const [known] = await db.query<{ id: string }>('SELECT id FROM shared_folder')
  const file = join(folder, marker)
  const found = await markOf(file)
  if (known === undefined) {
    const id = found ?? randomUUID()
    try {
      await mkdir(folder, { recursive: true })
      if (found === null) await writeFile(file, JSON.stringify({ id }), { flag: 'wx' })
    } catch (error) {
      throw new Error(
        `The shared folder ${folder} cannot be used (${(error as Error).message}). Look at HAND_POST_SHARED. Nothing was changed.`,
      )
    }
    await db.query('INSERT INTO shared_folder (id) VALUES ($1) ON CONFLICT DO NOTHING', [id])
    // Where two began in the same moment, the one whose mark was kept is right.
    return takeSharedFolder(db, folder)
  }
  const fault = wrongFolder(known.id, found)
  if (fault !== null)
    throw new Error(
      `The shared folder ${folder} ${fault}. Is it mounted? All processes of one database need the same folder: look at HAND_POST_SHARED. Nothing was changed.`,
    )
}

/** Whether the shared folder is still there. Gives what is wrong with it, in words, or null. */
export async function faultOfSharedFolder(db: Database, folder: string): Promise<string | null> {
  const [known] = await db.query<{ id: string }>('SELECT id FROM shared_folder')
  const fault = known === undefined ? null : wrongFolder(known.id, await markOf(join(folder, marker)))
  return fault === null ? null : `The shared folder ${fault}. Is it mounted?`
}

const wrongFolder = (known: string, found: string | null): string | null =>
  found === known
    ? null
    : found === null
      ? `does not bear the mark of this database (${marker})`
      : `bears the mark of another database (${marker})`

/** What a folder is marked with; null where it is not, or does not answer: a share that is away may take minutes to say so. */
async function markOf(file: string): Promise<string | null> {
  try {
    const text = await Promise.race([readFile(file, 'utf8'), sleep(patience, null, { ref: false })])
    return text === null ? null : String(JSON.parse(text).id)
  } catch {
    return null
  }
}
