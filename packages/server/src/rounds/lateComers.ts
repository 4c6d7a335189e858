import type { Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { rowsWithLetter } from './paperLetters.ts'

/** The people of a posted round who have no letter of it yet, neither as a message nor on paper. */
export async function lateComers(db: Database, roundId: number, chosen: Row[]): Promise<Row[]> {
  const has = await rowsWithLetter(db, roundId)
  return chosen.filter((row) => !has.has(row.id))
}
