import type { List } from '@hand-post/contract'
import type { Cell, Column, Row } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { notFound } from '../problem.ts'

interface ListRecord {
  id: number
  name: string
  columns: Column[]
  version: number
  source: List['source']
  created_at: number
  row_count: number
}

const listSelect = `SELECT l.id, l.name, l.columns, l.version, l.source, l.created_at,
  (SELECT count(*)::int FROM list_rows r WHERE r.list_id = l.id) AS row_count FROM lists l`

const toList = (r: ListRecord): List => ({
  id: r.id,
  name: r.name,
  columns: r.columns,
  rowCount: r.row_count,
  version: r.version,
  source: r.source,
  createdAt: Number(r.created_at),
})

/** All lists, newest first. */
export async function lists(db: Database): Promise<List[]> {
  return (await db.query<ListRecord>(`${listSelect} ORDER BY l.id DESC`)).map(toList)
}

/** One list. Throws a refusal when it is not there. */
export async function listById(db: Database, id: number): Promise<List> {
  const [found] = await db.query<ListRecord>(`${listSelect} WHERE l.id = $1`, [id])
  if (!found) throw notFound('list')
  return toList(found)
}

/** How many rows go into one statement. */
const batch = 1000

/** Stores a list and its rows, in one transaction. */
export function insertList(
  db: Database,
  list: { name: string; columns: Column[]; source: List['source']; createdAt: number },
  rows: Record<string, Cell>[],
  onProgress?: (stored: number) => void,
): Promise<number> {
  return db.transaction(async (tx) => {
    const [{ id }] = await tx.query<{ id: number }>(
      'INSERT INTO lists (name, columns, next_row, source, created_at) VALUES ($1, $2, $3, $4, $5) RETURNING id',
      [list.name, JSON.stringify(list.columns), rows.length + 1, JSON.stringify(list.source), list.createdAt],
    )
    for (let from = 0; from < rows.length; from += batch) {
      await tx.query(
        `INSERT INTO list_rows (list_id, id, position, cells)
         SELECT $1, ($2 + n)::int, ($2 + n - 1)::int, cells FROM jsonb_array_elements($3::jsonb) WITH ORDINALITY AS x (cells, n)`,
        [id, from, JSON.stringify(rows.slice(from, from + batch))],
      )
      onProgress?.(Math.min(from + batch, rows.length))
    }
    return id
  })
}

/** Rows of a list in order. */
export function rowsOf(db: Database, listId: number, from = 0, count: number | null = null): Promise<Row[]> {
  return db.query<Row>(
    'SELECT id, position, cells FROM list_rows WHERE list_id = $1 ORDER BY position OFFSET $2 LIMIT $3',
    [listId, from, count],
  )
}

/** One row. Throws a refusal when it is not there. */
export async function rowById(db: Database, listId: number, rowId: number): Promise<Row> {
  const [row] = await db.query<Row>('SELECT id, position, cells FROM list_rows WHERE list_id = $1 AND id = $2', [
    listId,
    rowId,
  ])
  if (!row) throw notFound('row')
  return row
}

/** Writes one cell; an empty text makes it blank. */
export async function setCell(
  db: Database,
  listId: number,
  rowId: number,
  columnId: string,
  text: string,
): Promise<Row> {
  return db.transaction(async (tx) => {
    const [row] = await tx.query<Row>(
      `UPDATE list_rows SET cells = CASE WHEN $4 = '' THEN cells - $3::text ELSE jsonb_set(cells, ARRAY[$3::text], to_jsonb($4::text)) END
       WHERE list_id = $1 AND id = $2 RETURNING id, position, cells`,
      [listId, rowId, columnId, text],
    )
    if (!row) throw notFound('row')
    await tx.query('UPDATE lists SET version = version + 1 WHERE id = $1', [listId])
    return row
  })
}

/** Adds a row at the end of a list. */
export async function addRow(db: Database, listId: number, cells: Record<string, Cell>): Promise<Row> {
  return db.transaction(async (tx) => {
    const [list] = await tx.query<{ next_row: number }>(
      'UPDATE lists SET next_row = next_row + 1, version = version + 1 WHERE id = $1 RETURNING next_row',
      [listId],
    )
    if (!list) throw notFound('list')
    const [row] = await tx.query<Row>(
      `INSERT INTO list_rows (list_id, id, position, cells)
       VALUES ($1, $2, (SELECT coalesce(max(position) + 1, 0) FROM list_rows WHERE list_id = $1), $3) RETURNING id, position, cells`,
      [listId, list.next_row - 1, JSON.stringify(cells)],
    )
    return row
  })
}

/** Writes the columns of a list. */
export async function setColumns(db: Database, listId: number, columns: Column[]): Promise<void> {
  await db.query('UPDATE lists SET columns = $2, version = version + 1 WHERE id = $1', [
    listId,
    JSON.stringify(columns),
  ])
}
