import { createHash } from 'node:crypto'
import { type CameOf, cameOf } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { cameOfRows } from './boardStore.ts'
import { hearAnew } from './heard.ts'

/** How long (ms) what was read once holds: a list is gone through several times for one thing that is done. */
const holdsFor = 1000

interface Told {
  at: number
  listId: number | null
  came: CameOf
  digest: string
}
/** What was told last of each round. Kept by the thread that tells it. */
const told = new Map<number, Told>()
const maxTold = 8

/** Lets go of what was told. */
export const forgetTold = (): void => told.clear()

/** What came of a round that was posted to a list: as it is now, or, where that need not be, as it was within the last second. */
export async function tellWhatCame(
  db: Database,
  roundId: number,
  listId: number,
  now: boolean,
): Promise<{ came: CameOf; digest: string } | null> {
  let known = told.get(roundId)
  if (known === undefined || now || performance.now() - known.at > holdsFor) {
    await hearAnew(db, roundId)
    const read = await cameOfRows(db, roundId)
    if (read === null) return null
    const { text, title } = read
    const digest = createHash('md5').update(`${title}|${text}`).digest('hex')
    // Where nothing came meanwhile, what was worked out with it holds.
    const came = known?.digest === digest ? known.came : cameOf(title, JSON.parse(text))
    known = { at: performance.now(), listId: read.listId, came, digest }
    told.delete(roundId)
    told.set(roundId, known)
    for (const old of told.keys()) if (told.size > maxTold) told.delete(old)
  }
  return known.listId === listId ? known : null
}
