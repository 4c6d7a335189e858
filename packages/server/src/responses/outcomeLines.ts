import type { OutcomeLine } from '@hand-post/contract'
import { outcomeCells, outcomeColumns, type SheetCell, zonedIso } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { paperLinesOf } from '../rounds/paperLetters.ts'
import { roundById } from '../rounds/store.ts'
import { rowsOfRound } from './outcomeSheet.ts'

/** What came of each person of a round, in the order of the list: for other programs. */
export async function outcomeLines(db: Database, roundId: number): Promise<OutcomeLine[]> {
  const { mailboxId } = await roundById(db, roundId)
  const { timeZone } = (await mailboxById(db, mailboxId)).settings
  const value = (cell: SheetCell) =>
    cell === null ? null : 'text' in cell ? cell.text : 'number' in cell ? cell.number : zonedIso(cell.at, timeZone)
  const people = await db.query<{ row: number; person: string; address: string }>(
    `SELECT row_id AS row, person, address FROM (SELECT DISTINCT ON (row_id) row_id, person, address, position FROM messages WHERE round_id = $1 ORDER BY row_id, again DESC) m
     ORDER BY position, row_id`,
    [roundId],
  )
  const onPaper = (await paperLinesOf(db, roundId)).map(({ rowId, person }) => ({ row: rowId, person, address: '' }))
  const came = await rowsOfRound(db, roundId)
  return [...people, ...onPaper].map(({ row, person, address }) => {
    const cells = outcomeCells(outcomeColumns, came.get(row) ?? { letters: [], chased: [], paper: null })
    return {
      round: roundId,
      row,
      person,
      address,
      came: Object.fromEntries(outcomeColumns.map((name, i) => [name, value(cells[i])])) as OutcomeLine['came'],
    }
  })
}
