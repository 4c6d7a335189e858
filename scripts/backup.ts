// npm run backup -- [FILE]: makes a copy of everything. While Hand Post runs on that folder it is asked to make it; else the folder is read.
// HAND_POST_PASSPHRASE seals the key into it; without one the key must be kept apart.
import { createWriteStream, mkdirSync, rmSync } from 'node:fs'
import { rename, stat } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { addressOf, routes, shortestPassphrase } from '@hand-post/contract'
import { backupName, makeBackup } from '../packages/server/src/backup/backup.ts'
import { backupJobs } from '../packages/server/src/backup/jobs.ts'
import { noteBackup } from '../packages/server/src/backup/store.ts'
import { openDatabase, takeFolder } from '../packages/server/src/db/open.ts'
import { serverWords } from '../packages/server/src/db/serverWords.ts'
import { FileStore } from '../packages/server/src/files/fileStore.ts'
import { readSettings } from '../packages/server/src/settings.ts'

const settings = readSettings(process.env)
const folder = resolve(settings.HAND_POST_DATA)
const passphrase = process.env.HAND_POST_PASSPHRASE || null
const now = Date.now()
const target = resolve(process.argv[2] ?? backupName(now))

/** Makes the copy from a folder that nobody uses. */
async function fromFolder(path: string): Promise<string[]> {
  if (settings.DATABASE_URL !== undefined) throw new Error(serverWords(settings.DATABASE_URL).noCopy)
  const db = await openDatabase(join(folder, 'database'))
  const scratch = join(folder, 'readings')
  mkdirSync(scratch, { recursive: true })
  try {
    const files = new FileStore(join(folder, 'files'))
    const progress = () => {}
    const pack = (given: Parameters<typeof backupJobs.packBackup>[0]) =>
      backupJobs.packBackup(given, { db, files, place: '', progress })
    const { damaged } = await makeBackup({ db, dataFolder: folder, scratch, pack }, { path, passphrase, now })
    await noteBackup(db, now, (await stat(path)).size, passphrase !== null)
    return damaged
  } finally {
    await db.close()
  }
}

/** Asks the Hand Post that uses the folder for the copy. */
async function fromDesk(path: string): Promise<string[]> {
  const scheme = settings.HAND_POST_CERTIFICATE ? 'https' : 'http'
  const desk = `${scheme}://127.0.0.1:${settings.HAND_POST_PORT}`
  const json = { 'content-type': 'application/json' }
  let cookie = ''
  if (settings.HAND_POST_PASSWORD) {
    const body = JSON.stringify({ password: settings.HAND_POST_PASSWORD })
    const signedIn = await fetch(`${desk}${routes.signIn.path}`, { method: 'POST', headers: json, body })
    if (!signedIn.ok) throw new Error('Hand Post does not take HAND_POST_PASSWORD.')
    cookie = signedIn.headers
      .getSetCookie()
      .map((one) => one.split(';')[0])
      .join('; ')
  }
  const asked = await fetch(`${desk}${routes.makeBackup.path}`, {
    method: 'POST',
    headers: { ...json, cookie },
    body: JSON.stringify({ passphrase }),
  })
  const said = (await asked.json()) as { backup: string; damaged: string[]; detail?: string }
  if (!asked.ok) throw new Error(said.detail ?? `Hand Post answered with ${asked.status}.`)
  const whole = await fetch(`${desk}${addressOf(routes.backup, { params: { backup: said.backup } })}`, {
    headers: { cookie },
  })
  if (!whole.ok || !whole.body) throw new Error(`The copy could not be fetched (${whole.status}).`)
  await pipeline(Readable.fromWeb(whole.body as never), createWriteStream(path, { mode: 0o600 }))
  return said.damaged
}

/** Takes the folder when nobody uses it. */
function taken(): (() => void) | null {
  try {
    return takeFolder(folder)
  } catch (error) {
    if (/is in use by another Hand Post/.test((error as Error).message)) return null
    throw error
  }
}

const partial = `${target}.part`
try {
  if (passphrase !== null && passphrase.length < shortestPassphrase)
    throw new Error(`HAND_POST_PASSPHRASE must have at least ${shortestPassphrase} characters.`)
  const giveBack = taken()
  const damaged = giveBack ? await fromFolder(partial).finally(giveBack) : await fromDesk(partial)
  // Under its own name only when it is whole.
  await rename(partial, target)
  console.log(`Everything in ${folder} is copied to ${target}.`)
  if (passphrase === null)
    console.log(`The key is not in it: keep ${join(folder, 'key')} apart, or passwords must be typed again.`)
  for (const name of damaged)
    console.error(`Attention: “${name}” could not be copied, for it is not on the disk as it was added.`)
} catch (error) {
  rmSync(partial, { force: true })
  console.error(`No copy was made: ${error instanceof Error ? error.message : error}`)
  process.exitCode = 1
}
