import { type CameOf, cameOf } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { cameOfRows } from './boardStore.ts'
import { hearAnew } from './heard.ts'

/** How long (ms) what was read once holds: a list is gone through several times for one thing that is done. */
const holdsFor = 1000

interface Told {
  at: number
  text: string
  listId: number | null
  came: CameOf
  change: number
}
/** What was told last of each round. Kept by the thread that tells it. */
const told = new Map<number, Told>()
const maxTold = 8
let changes = 0

/** What came of a round that was posted to a list: as it is now, or was a second ago. */
export async function tellWhatCame(
  db: Database,
  roundId: number,
  listId: number,
): Promise<{ came: CameOf; change: number } | null> {
  let known = told.get(roundId)
  if (known === undefined || performance.now() - known.at > holdsFor) {
    await hearAnew(db, roundId)
    const read = await cameOfRows(db, roundId)
    if (read === null) return null
    const { text, title } = read
    // Where nothing came meanwhile, what was worked out with it holds.
    const same = known !== undefined && known.text === text && known.came.title === title
    known = {
      at: performance.now(),
      text,
      listId: read.listId,
      ...(same
        ? { came: known!.came, change: known!.change }
        : { came: cameOf(title, JSON.parse(text)), change: ++changes }),
    }
    told.delete(roundId)
    told.set(roundId, known)
    for (const old of told.keys()) if (told.size > maxTold) told.delete(old)
  }
  return known.listId === listId ? known : null
}
