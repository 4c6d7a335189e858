import { type Database, json } from '../db/database.ts'
import type { Role } from '../settings.ts'

/** A process, as the others see it. */
export interface ProcessLine {
  id: string
  name: string
  roles: Role[]
}

/** What whoever holds a lease shows with all that it writes; null where there is nobody else. */
export type Guard = { what: string; token: number } | null

/** The code of the fault that ends a statement whose lease is held by somebody else by now. */
export const leaseOver = 'HP001'

/** SQL that ends a statement unless the lease in two parameters is held still; worked out once for a statement. */
export const heldBy = (what: string, token: string): string => `(SELECT still_held(${what}::text, ${token}::bigint))`

/** The values for those two parameters. */
export const guardValues = (guard: Guard): [string | null, number | null] =>
  guard === null ? [null, null] : [guard.what, guard.token]

const after = (ms: string) => `clock_timestamp() + ${ms}::float8 * interval '1 millisecond'`

/** Says that a process is there. Processes that were not seen for a day are forgotten. */
export async function noteProcess(db: Database, { id, name, roles }: ProcessLine): Promise<void> {
  await db.query(
    `INSERT INTO processes (id, name, roles) VALUES ($1, $2, $3)
     ON CONFLICT (id) DO UPDATE SET name = $2, roles = $3, seen_at = clock_timestamp()`,
    [id, name, json(roles)],
  )
  await db.query(`DELETE FROM processes WHERE seen_at < clock_timestamp() - interval '1 day'`)
}

/** Ends what processes had whose names begin so. */
export async function endLeases(db: Database, begins: string): Promise<void> {
  await db.query(
    'UPDATE leases SET until = clock_timestamp() WHERE starts_with(owner, $1) AND until > clock_timestamp()',
    [begins],
  )
  await db.query('DELETE FROM processes WHERE starts_with(id, $1)', [begins])
}

export async function forgetProcess(db: Database, id: string): Promise<void> {
  await db.query('DELETE FROM processes WHERE id = $1', [id])
}

/** The processes that were seen within a time (ms). */
export function processesSeen(db: Database, within: number): Promise<ProcessLine[]> {
  return db.query(
    `SELECT id, name, roles FROM processes WHERE seen_at > clock_timestamp() - $1::float8 * interval '1 millisecond' ORDER BY name, id`,
    [within],
  )
}

/** Takes a lease for a time (ms) that nobody has, or whose time is over. Gives its token; null where somebody has it. */
export async function takeLease(db: Database, what: string, owner: string, ms: number): Promise<number | null> {
  const [taken] = await db.query<{ token: number }>(
    `INSERT INTO leases AS l (what, owner, until) VALUES ($1, $2, ${after('$3')})
     ON CONFLICT (what) DO UPDATE SET owner = $2, token = l.token + 1, until = ${after('$3')} WHERE l.until <= clock_timestamp()
     RETURNING token`,
    [what, owner, ms],
  )
  return taken?.token ?? null
}

/** Has leases hold for a time (ms) from now. Gives those that are still had. */
export async function renewLeases(
  db: Database,
  had: readonly { what: string; token: number }[],
  ms: number,
): Promise<string[]> {
  if (had.length === 0) return []
  const rows = await db.query<{ what: string }>(
    `UPDATE leases l SET until = ${after('$2')} FROM jsonb_to_recordset($1::jsonb) AS x (what text, token bigint)
     WHERE l.what = x.what AND l.token = x.token RETURNING l.what`,
    [json(had), ms],
  )
  return rows.map(({ what }) => what)
}

/** Gives a lease back: it is anybody's from now on. */
export async function giveBack(db: Database, { what, token }: { what: string; token: number }): Promise<void> {
  await db.query('UPDATE leases SET until = clock_timestamp() WHERE what = $1 AND token = $2', [what, token])
}

/** Which process has each lease that is not over. */
export function leasesHeld(db: Database): Promise<{ what: string; owner: string }[]> {
  return db.query('SELECT what, owner FROM leases WHERE until > clock_timestamp() ORDER BY what')
}
