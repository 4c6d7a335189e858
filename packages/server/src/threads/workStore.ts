import type { Work } from '@hand-post/contract'
import type { WorkKind } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { whoActs } from '../who.ts'
import type { Progress } from './job.ts'

/** What some work is, and what it is about. */
export interface About {
  what: WorkKind
  round?: number
  list?: number
}

/** For how long (s) work counts as under way that was not heard of, and is shown that was told to stop too late. */
export const hereForSeconds = 15
const hereFor = `interval '${hereForSeconds} seconds'`

/** Notes some work of whoever acts, which began so long (ms) ago; and forgets what went with its process. */
export async function noteWork(db: Database, id: string, { what, round, list }: About, since: number): Promise<void> {
  const who = whoActs()
  await db.query(`DELETE FROM works WHERE seen < clock_timestamp() - ${hereFor}`)
  await db.query(
    `INSERT INTO works (id, what, round, list, account, name, began)
     VALUES ($1, $2, $3, $4, $5, $6, clock_timestamp() - $7::float8 * interval '1 millisecond')`,
    [id, what, round ?? null, list ?? null, who?.id ?? null, who?.name ?? null, since],
  )
}

/** Says that some work goes on, and how far it is. Gives who has told it to stop; null where nobody has. */
export async function goesOn(db: Database, id: string, progress: Progress | null): Promise<string | null> {
  const [found] = await db.query<{ stoppedBy: string | null }>(
    'UPDATE works SET seen = clock_timestamp(), progress = $2 WHERE id = $1 RETURNING stopped_by AS "stoppedBy"',
    [id, json(progress)],
  )
  return found?.stoppedBy ?? null
}

export async function forgetWork(db: Database, id: string): Promise<void> {
  await db.query('DELETE FROM works WHERE id = $1', [id])
}

/** Forgets some work that is done; unless it was told to stop, which came too late: that is noted. Gives whether it was. */
export async function endWork(db: Database, id: string): Promise<boolean> {
  const gone = await db.query('DELETE FROM works WHERE id = $1 AND stopped_by IS NULL RETURNING id', [id])
  if (gone.length > 0) return false
  const late = await db.query('UPDATE works SET too_late = true, seen = clock_timestamp() WHERE id = $1 RETURNING id', [
    id,
  ])
  return late.length > 0
}

/** What is under way in all processes, the oldest first. */
export async function worksUnderWay(db: Database): Promise<Work[]> {
  const found = await db.query<Work & { account: number | null; name: string | null }>(
    `SELECT w.id, w.what, w.account, w.name, w.progress, w.stopped_by AS "stoppedBy", w.too_late AS "tooLate",
       (extract(epoch FROM clock_timestamp() - w.began) * 1000)::int AS running,
       CASE WHEN r.id IS NOT NULL THEN jsonb_build_object('id', r.id, 'name', r.title) END AS round,
       CASE WHEN l.id IS NOT NULL THEN jsonb_build_object('id', l.id, 'name', l.name) END AS list
     FROM works w LEFT JOIN rounds r ON r.id = w.round LEFT JOIN lists l ON l.id = w.list
     WHERE w.seen > clock_timestamp() - ${hereFor} ORDER BY w.began, w.id`,
  )
  return found.map(({ account, name, ...work }) => ({
    ...work,
    by: account === null ? null : { id: account, name: name ?? '' },
  }))
}

/** Tells some work to stop, in the name of whoever acts. The first who does is named. Gives whether it was under way. */
export async function tellToStop(db: Database, id: string): Promise<boolean> {
  const told = await db.query(
    'UPDATE works SET stopped_by = coalesce(stopped_by, $2) WHERE id = $1 AND NOT too_late RETURNING id',
    [id, whoActs()?.name ?? ''],
  )
  return told.length > 0
}
