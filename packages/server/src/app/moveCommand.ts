import { existsSync, renameSync, rmSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { times } from '@hand-post/core'
import { MoveFault, move, stateOf, stay } from '../db/move.ts'
import { openDatabase, openOnServer, takeFolder } from '../db/open.ts'
import { serverWords } from '../db/serverWords.ts'
import { readSettings } from '../settings.ts'

/**
 * Moves the database of a data folder to the PostgreSQL server of DATABASE_URL, or from there into the folder; or has one be worked with
 * again whose move was broken off. Files and key stay in the data folder.
 * @param how which of the three.
 * @param tell is told how far it is.
 * @returns what was done, in words.
 * @throws in words why not; nothing was changed then.
 */
export async function moveCommand(
  how: string,
  env: Record<string, string | undefined>,
  tell: (table: string, rows: number) => void,
): Promise<string> {
  if (!['to-server', 'to-folder', 'stay'].includes(how))
    throw new MoveFault('Say which way: npm run move -- to-server, to-folder, or stay.')
  const settings = readSettings(env)
  const { DATABASE_URL: url } = settings
  const folder = resolve(settings.HAND_POST_DATA)
  const path = join(folder, 'database')
  if (how !== 'stay' && url === undefined)
    throw new MoveFault('Set DATABASE_URL to the PostgreSQL server. Nothing was changed.')
  const giveBack = takeFolder(folder)
  const opened: { close(): Promise<void> }[] = []
  const open = async <T extends { close(): Promise<void> }>(opening: Promise<T>): Promise<T> => {
    const db = await opening
    opened.push(db)
    return db
  }
  try {
    if (how === 'stay') {
      if (url === undefined && !existsSync(path)) throw new MoveFault(`There is no database in ${folder}.`)
      const db = await open(
        url === undefined ? openDatabase(path, { evenMoved: true }) : openOnServer(url, { evenMoved: true }),
      )
      const was = await stateOf(db)
      if (was === 'left' || was === 'arriving')
        throw new MoveFault(
          was === 'left'
            ? 'All of it was moved away, and may have gone on there: what waits would leave twice. Move it back from there instead. Nothing was changed.'
            : 'What is in it may be worked with where it came from. Give the command to move once more, or take an empty database. Nothing was changed.',
        )
      await stay(db)
      return 'It is worked with here, as before.'
    }
    const { is: server } = serverWords(url!).place
    if (how === 'to-server' && !existsSync(path))
      throw new MoveFault(`There is no database in ${folder}. Nothing was changed.`)
    // First what may not be there: nothing in the folder is touched before.
    const there = await open(openOnServer(url!, { evenMoved: true }))
    const before = how === 'to-folder' && existsSync(path) ? await setAside(path, open) : null
    const fresh = !existsSync(path)
    const here = await open(openDatabase(path, { evenMoved: true }))
    const [from, to, target] =
      how === 'to-server' ? [here, there, server.replace(/^The/, 'the')] : [there, here, `the data folder ${folder}`]
    const tables = await move(from, to, target, Date.now(), tell).catch(async (error) => {
      // What was made for it and holds nothing is not left in the folder's place: Hand Post would begin with it.
      if (fresh && (await stateOf(here).catch(() => 'arriving')) === null) {
        await here.close()
        rmSync(path, { recursive: true, force: true })
        if (before !== null) renameSync(before, path)
      }
      throw error
    })
    const rows = tables.reduce((sum, table) => sum + table.rows, 0)
    const what = `${times(rows, 'row')} of ${times(tables.filter((table) => table.rows > 0).length, 'table')}`
    return how === 'to-server'
      ? `Moved to ${target}: ${what}, and compared row by row. Start Hand Post with DATABASE_URL from now on; without it, it says where everything is. Files and key stay in ${folder}.`
      : `Moved to ${target}: ${what}, and compared row by row. Start Hand Post without DATABASE_URL from now on.`
  } finally {
    for (const db of opened) await db.close()
    giveBack()
  }
}

/** Puts a database in the way beside its place, when everything in it was moved away before. Gives where it is then; null where it stays. */
async function setAside(
  path: string,
  open: <T extends { close(): Promise<void> }>(opening: Promise<T>) => Promise<T>,
): Promise<string | null> {
  const db = await open(openDatabase(path, { evenMoved: true }))
  const was = await stateOf(db)
  await db.close()
  if (was === 'arriving') return null
  if (was !== 'left')
    throw new MoveFault(
      `There is a database in ${path} already. Choose another folder by HAND_POST_DATA. Nothing was changed.`,
    )
  const beside = `${path}.moved-${Date.now()}`
  renameSync(path, beside)
  return beside
}
