import { type Column, dayOf, type Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { listById, rowById } from '../people/store.ts'
import type { Computes } from '../threads/job.ts'

export interface RowParts {
  db: Database
  compute: Computes<PeopleJobs>
}

/**
 * The row that an answer is about as it stands in its list now, with the columns: derived ones too, which are worked out in a thread where
 * there are any. The row is null where it is not there any more. Without a list there is neither.
 */
export async function rowAsItIs(
  { db, compute }: RowParts,
  listId: number | null,
  rowId: number,
  now: number,
): Promise<{ columns: readonly Column[]; row: Row | null }> {
  if (listId === null) return { columns: [], row: null }
  const { columns } = await listById(db, listId)
  const row = columns.some(({ recipe }) => recipe)
    ? await compute.run('rowAsItIs', { listId, rowId, today: dayOf(now) })
    : await rowById(db, listId, rowId)
  return { columns, row }
}
