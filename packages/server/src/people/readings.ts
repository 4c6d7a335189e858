import { access, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { notFound, Refusal } from '../problem.ts'
import type { GivenFile } from './tables.ts'

/** A file that was given to be read, by the id of its reading. Throws a refusal when it is no longer there. */
export async function fileOf(readingsFolder: string, reading: string): Promise<GivenFile> {
  if (!/^[\w-]{36}$/.test(reading)) throw notFound('reading')
  const path = join(readingsFolder, reading)
  await access(path).catch(() => {
    throw new Refusal(404, 'The file given before is no longer here. Choose it again.', 'Not found')
  })
  return { path, ...JSON.parse(await readFile(`${path}.json`, 'utf8')) }
}
