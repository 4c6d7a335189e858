import { cpSync, existsSync, mkdirSync, readdirSync, rmSync, statfsSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { buildServer } from '../../../scripts/buildServer.mjs'
import { openDatabase } from '../src/db/open.ts'

// A new database takes seconds to make, and nearly every test file wants one: it is made once for a run of the tests, and copied.
const template = () => process.env.HAND_POST_TEST_DATABASE ?? ''

/** Where files lie in memory, on Debian: a database is copied and taken away in a tenth of the time. */
const inMemory = '/dev/shm'
const ours = 'hand-post-tests-'
/** Octets: what the tests need at most, many times over. */
const enough = 4e9

/** Has the tests of this run put their files into memory, where there is room; takes away what runs that were broken off left there. */
function workInMemory(): () => void {
  if (!existsSync(inMemory)) return () => {}
  for (const name of readdirSync(inMemory))
    if (name.startsWith(ours) && !existsSync(`/proc/${name.slice(ours.length)}`))
      rmSync(join(inMemory, name), { recursive: true, force: true })
  const { bavail, bsize } = statfsSync(inMemory)
  if (bavail * bsize < enough) return () => {}
  const folder = join(inMemory, `${ours}${process.pid}`)
  mkdirSync(folder, { recursive: true })
  process.env.TMPDIR = folder
  return () => rmSync(folder, { recursive: true, force: true })
}

/** Before all tests: builds the modules of the threads, and makes the database that tests begin with. After them: takes it away. */
export async function setup(): Promise<() => void> {
  const clear = workInMemory()
  const folder = join(tmpdir(), `hand-post-template-${process.pid}`)
  process.env.HAND_POST_TEST_DATABASE = folder
  process.env.HAND_POST_BUILT = await buildServer()
  await (await openDatabase(folder)).close()
  return () => {
    rmSync(folder, { recursive: true, force: true })
    clear()
  }
}

/** Gives a data folder a new database, as the program would make it at its first start. */
export function giveDatabase(folder: string): void {
  if (existsSync(template())) cpSync(template(), join(folder, 'database'), { recursive: true })
}

const wasm = join(dirname(createRequire(import.meta.url).resolve('@electric-sql/pglite')), 'pglite.wasm')
const held = globalThis as { compiledDatabase?: Promise<WebAssembly.Module> }

/**
 * Has this process hold the database's program compiled: the engine shares it among all threads as long as something holds it; else it
 * would be compiled anew for each test, or run slowly.
 */
export async function holdCompiled(): Promise<void> {
  held.compiledDatabase ??= readFile(wasm).then((octets) => WebAssembly.compile(octets))
  await held.compiledDatabase
}
