import type { Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { rowsWithMessage } from './messages.ts'

/** The people of a posted round who have no message of it yet. */
export async function lateComers(db: Database, roundId: number, chosen: Row[]): Promise<Row[]> {
  const has = await rowsWithMessage(db, roundId)
  return chosen.filter((row) => !has.has(row.id))
}
