// npm run backup, restore, move, invite, signing-key, check-record: runs a command of this folder. It is built as plain JavaScript first, with
// what its threads run: reading all of it as TypeScript takes half as long again. Whoever may not write here, as the user of a service on an
// office's server, runs what npm run build has made.
import { existsSync, mkdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { buildCommands, buildServer, builtCommand, builtServer } from './buildServer.mjs'

const [name, ...given] = process.argv.slice(2)
/** A folder of its own: what runs meanwhile may be reading from its own. Null where this user may make none. */
function ownFolder() {
  const folder = join(builtServer, `command-${process.pid}`)
  try {
    mkdirSync(folder, { recursive: true })
  } catch (error) {
    if (['EACCES', 'EPERM', 'EROFS'].includes(error.code)) return null
    throw error
  }
  process.on('exit', () => rmSync(folder, { recursive: true, force: true }))
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => process.exit(1))
  return folder
}

const own = ownFolder()
if (own === null) process.env.HAND_POST_BUILT ??= builtServer
else {
  process.env.HAND_POST_BUILT ??= await buildServer(own)
  await buildCommands([name], own)
}
const file = builtCommand(name, own ?? builtServer)
if (!existsSync(file)) {
  console.error(
    'Hand Post is not built yet, and this user may not write in its folder. Give “npm run build” there as the user to whom it belongs, then this command again.',
  )
  process.exit(1)
}
process.argv = [process.argv[0], file, ...given]
await import(pathToFileURL(file).href)
