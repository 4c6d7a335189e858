import type { Database } from '../db/database.ts'

/** A workbook that a list was made of. */
interface NewSource {
  listId: number
  hash: string
  name: string
  /** Which sheet, from 0. */
  sheet: number
  /** The row of its headings, from 1; 0 where it has none. */
  headings: number
  /** The rows of the sheet, from 1, that the list's own rows stood in, in their order. */
  rows: readonly number[]
}

/** Keeps which workbook a list was made of, with a print of each row as it stands now. */
export async function insertSource(
  db: Database,
  { listId, hash, name, sheet, headings, rows }: NewSource,
): Promise<void> {
  await db.query(
    `INSERT INTO list_sources SELECT $1, $2, $3, $4, $5, $6::int[], (SELECT coalesce(array_agg(md5(cells::text) ORDER BY id), '{}') FROM list_rows WHERE list_id = $1)`,
    [listId, hash, name, sheet, headings, rows],
  )
}

/** The workbook that a list was made of, and how the list stands beside it; null where it was made of none. */
export interface ListSource {
  hash: string
  name: string
  sheet: number
  headings: number
  /** The row of the sheet of each row of the list that came from it, by its id. */
  rowOf: Map<number, number>
  /** How many rows of the list came later, were changed, and are not in it any more. */
  added: number
  changed: number
  removed: number
}

export async function sourceOf(db: Database, listId: number): Promise<ListSource | null> {
  const [found] = await db.query<Omit<ListSource, 'rowOf'> & { rows: number[] }>(
    `SELECT s.hash, s.name, s.sheet, s.headings, s.rows,
       (SELECT count(*)::int FROM list_rows r WHERE r.list_id = s.list_id AND r.id > cardinality(s.rows)) AS added,
       (SELECT count(*)::int FROM unnest(s.prints) WITH ORDINALITY AS p (print, n) JOIN list_rows r ON r.list_id = s.list_id AND r.id = p.n WHERE md5(r.cells::text) <> p.print) AS changed,
       cardinality(s.rows) - (SELECT count(*)::int FROM list_rows r WHERE r.list_id = s.list_id AND r.id <= cardinality(s.rows)) AS removed
     FROM list_sources s WHERE s.list_id = $1`,
    [listId],
  )
  if (!found) return null
  const { rows, ...source } = found
  return { ...source, rowOf: new Map(rows.map((row, i) => [i + 1, row])) }
}
