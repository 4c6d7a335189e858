import { cpSync, existsSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { buildServer } from '../../../scripts/buildServer.mjs'
import { openDatabase } from '../src/db/open.ts'

// A new database takes seconds to make, and nearly every test file wants one: it is made once for a run of the tests, and copied.
const template = () => process.env.HAND_POST_TEST_DATABASE ?? ''

/** Before all tests: builds the modules of the threads, and makes the database that tests begin with. After them: takes it away. */
export async function setup(): Promise<() => void> {
  const folder = join(tmpdir(), `hand-post-template-${process.pid}`)
  process.env.HAND_POST_TEST_DATABASE = folder
  process.env.HAND_POST_BUILT = await buildServer()
  await (await openDatabase(folder)).close()
  return () => rmSync(folder, { recursive: true, force: true })
}

/** Gives a data folder a new database, as the program would make it at its first start. */
export function giveDatabase(folder: string): void {
  if (existsSync(template())) cpSync(template(), join(folder, 'database'), { recursive: true })
}
