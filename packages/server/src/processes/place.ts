import { randomUUID } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'

/** The name of a data folder, under which it keeps it in the database what is its own: the same at every start. */
export function placeOf(folder: string): string {
  const file = join(folder, 'place')
  if (!existsSync(file)) writeFileSync(file, randomUUID(), { mode: 0o600 })
  return readFileSync(file, 'utf8').slice(0, 100)
}
