import { sameAddressKey } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { noteRefused } from '../people/bookStore.ts'
import { setAsideFor } from './store.ts'

/** Puts an address on the do-not-write list and sets aside what waits for it. Gives how many letters that were. */
export function refuseAddress(db: Database, address: string, reason: string, now: number): Promise<number> {
  return db.transaction(async (tx) => {
    await noteRefused(tx, address, reason, now)
    return setAsideFor(tx, sameAddressKey(address))
  })
}
