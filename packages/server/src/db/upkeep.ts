import type { PGlite } from '@electric-sql/pglite'

/** By how many rows a table must have changed before it is looked at again, and by what share of them (PostgreSQL's own, its documentation, 19.10). */
const least = 50
const analyzeShare = 0.1
const vacuumShare = 0.2

/**
 * What is to be done next for a table that has changed much: PostgreSQL has processes of its own that keep what its planner knows of the
 * tables up to date, and give back the room of rows that are gone (its documentation, 24.1.6); PGlite has none.
 * @param quiet whether nobody has asked for anything for a while: then room is given back too, which may take longer.
 * @returns a statement, or null where nothing is to be done.
 */
export async function nextUpkeep(pg: Pick<PGlite, 'query'>, quiet: boolean): Promise<string | null> {
  const { rows } = await pg.query<{ name: string; todo: 'ANALYZE' | 'VACUUM' }>(
    `SELECT quote_ident(relname) AS name, CASE WHEN n_mod_since_analyze > ${least} + ${analyzeShare} * n_live_tup THEN 'ANALYZE' ELSE 'VACUUM' END AS todo
     FROM pg_stat_user_tables
     WHERE n_mod_since_analyze > ${least} + ${analyzeShare} * n_live_tup OR ($1 AND n_dead_tup > ${least} + ${vacuumShare} * n_live_tup)
     ORDER BY n_mod_since_analyze DESC LIMIT 1`,
    [quiet],
  )
  return rows.length === 0 ? null : `${rows[0].todo} ${rows[0].name}`
}
