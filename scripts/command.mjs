// npm run backup, restore, move, invite, signing-key, check-record: runs a command of this folder. It is built as plain JavaScript first, with
// what its threads run: reading all of it as TypeScript takes half as long again.
import { mkdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { buildCommand, buildServer, builtServer } from './buildServer.mjs'

const [name, ...given] = process.argv.slice(2)
// In a folder of its own: what runs meanwhile may be reading from its own.
const folder = join(builtServer, `command-${process.pid}`)
mkdirSync(folder, { recursive: true })
process.on('exit', () => rmSync(folder, { recursive: true, force: true }))
for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => process.exit(1))
process.env.HAND_POST_BUILT ??= await buildServer(folder)
const file = await buildCommand(name, folder)
process.argv = [process.argv[0], file, ...given]
await import(pathToFileURL(file).href)
