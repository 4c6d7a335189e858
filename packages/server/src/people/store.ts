import type { List, ListLine } from '@hand-post/contract'
import { type Cell, type Column, type Edit, placesBetween, type Row, rowPacker, type SortKey } from '@hand-post/core'
import { copiedLine, inParts, tellPlanner, whileWriting } from '../db/copied.ts'
import { type Database, json } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'
import { whoActs } from '../who.ts'

interface ListRecord {
  id: number
  name: string
  columns: Column[]
  sort: SortKey[]
  version: number
  source: List['source']
  book: boolean
  created_at: number
  row_count: number
  name_columns: string[] | null
  address_column: string | null
  postal_columns: List['postalColumns']
  undo: string | null
  redo: string | null
}

/**
 * Which changes of a list are whoever acts'; they undo and redo those, and no others. Those of a time when nobody signed in are
 * everybody's.
 */
function ownEdits(edit: string): string {
  const who = whoActs()
  return who === null ? 'true' : `(${edit}.account IS NULL OR ${edit}.account = ${Number(who.id)})`
}

const listSelect =
  () => `SELECT l.id, l.name, l.columns, l.sort, l.version, l.source, l.book, l.created_at, l.name_columns, l.address_column, l.postal_columns,
  l.row_count,
  (SELECT words FROM list_edits e WHERE e.list_id = l.id AND NOT e.undone AND ${ownEdits('e')} ORDER BY e.id DESC LIMIT 1) AS undo,
  (SELECT words FROM list_edits e WHERE e.list_id = l.id AND e.undone AND ${ownEdits('e')} ORDER BY e.id LIMIT 1) AS redo FROM lists l`

const toList = ({
  row_count,
  created_at,
  name_columns,
  address_column,
  postal_columns,
  ...list
}: ListRecord): List => ({
  ...list,
  nameColumns: name_columns,
  addressColumn: address_column,
  postalColumns: postal_columns,
  rowCount: row_count,
  createdAt: Number(created_at),
})

/** All lists but the address book, newest first, with how many rounds use each. */
export async function lists(db: Database): Promise<ListLine[]> {
  const rounds = await db.query<{ list: number; id: number; title: string; posted: boolean }>(
    'SELECT list_id AS list, id, title, posted_at IS NOT NULL AS posted FROM rounds WHERE list_id IS NOT NULL AND answers_of IS NULL ORDER BY id DESC',
  )
  const of = new Map<number, ListLine['rounds']>()
  for (const { list, ...round } of rounds) of.set(list, [...(of.get(list) ?? []), round])
  return (await db.query<ListRecord>(`${listSelect()} WHERE NOT l.book ORDER BY l.id DESC`)).map((r) => ({
    ...toList(r),
    rounds: of.get(r.id) ?? [],
  }))
}

/** One list. Throws a refusal when it is not there. */
export async function listById(db: Database, id: number): Promise<List> {
  const [found] = await db.query<ListRecord>(`${listSelect()} WHERE l.id = $1`, [id])
  if (!found) throw notFound('list')
  return toList(found)
}

/** How many rows go into one statement. */
const batch = 1000

/** A list to be stored. */
export interface NewList {
  name: string
  columns: Column[]
  source: List['source']
  createdAt: number
  book?: boolean
  /** Which column has the addresses, where the writer has said so. */
  addressColumn?: string
}

/**
 * Stores a list and its rows, in one transaction. Nobody knows of the list before it is there, so nobody waits for that.
 * @param rows taken one after another, as they are stored.
 */
export function insertList(
  db: Database,
  list: NewList,
  count: number,
  rows: Iterable<Record<string, Cell>>,
  onProgress?: (stored: number) => void,
): Promise<number> {
  return db.longTransaction(async (tx) => {
    const nextColumn = 1 + Math.max(0, ...list.columns.map((c) => Number(c.id.slice(1))))
    const [{ id }] = await tx.query<{ id: number }>(
      'INSERT INTO lists (name, columns, next_row, next_column, source, created_at, book, address_column, row_count) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id',
      [
        list.name,
        json(list.columns),
        count + 1,
        nextColumn,
        json(list.source),
        list.createdAt,
        list.book ?? false,
        list.addressColumn ?? null,
        count,
      ],
    )
    const positions = placesBetween(null, null, count)
    let stored = 0
    function* lines() {
      for (const part of inParts(rows, batch))
        yield part.map((cells) => copiedLine([id, stored + 1, positions[stored++], json(cells)])).join('')
    }
    await whileWriting(lines(), async (some) => {
      await tx.copyIn('list_rows (list_id, id, position, cells)', some)
      onProgress?.(stored)
    })
    await tellPlanner(tx, 'list_rows', count)
    return id
  })
}

/** Keeps which columns of a list have the names of its people, by the writer's word. */
export async function rememberNames(db: Database, id: number, columns: string[]): Promise<void> {
  await db.query('UPDATE lists SET name_columns = $2 WHERE id = $1', [id, json(columns)])
}

/** Keeps which column of a list has the addresses that are written to, by the writer's word. */
export async function rememberAddress(db: Database, id: number, column: string | null): Promise<void> {
  await db.query('UPDATE lists SET address_column = $2 WHERE id = $1', [id, column])
}

/** Keeps which columns make the postal address, as the writer says. */
export async function rememberPostal(db: Database, id: number, columns: List['postalColumns']): Promise<void> {
  await db.query('UPDATE lists SET postal_columns = $2 WHERE id = $1', [id, json(columns)])
}

export async function renameList(db: Database, id: number, name: string): Promise<void> {
  await db.query('UPDATE lists SET name = $2 WHERE id = $1', [id, name])
}

/** Deletes a list that no round uses. */
export async function deleteList(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM lists WHERE id = $1 AND NOT book', [id])
}

/**
 * Rows of a list in its own order, as JSON text with the list's version: `{"version":3,"rows":[…]}`. Put together by the
 * database, because 100,000 rows handed over one by one take several times as long.
 */
export async function rowsText(db: Database, listId: number, from = 0, count: number | null = null): Promise<string> {
  const [found] = await db.query<{ text: string }>(
    `SELECT '{"version":' || l.version || ',"rows":[' || coalesce((
       SELECT string_agg('{"id":' || r.id || ',"position":"' || r.position || '","cells":' || r.cells::text || '}', ',' ORDER BY r.position, r.id)
       FROM (SELECT id, position, cells FROM list_rows WHERE list_id = $1 ORDER BY position, id OFFSET $2 LIMIT $3) r
     ), '') || ']}' AS text FROM lists l WHERE l.id = $1`,
    [listId, from, count],
  )
  if (!found) throw notFound('list')
  return found.text
}

/** Rows of a list by their ids, in its own order, as JSON text like that of {@link rowsText}; those that are gone are lacking. */
export async function someRowsText(db: Database, listId: number, ids: readonly number[]): Promise<string> {
  const [found] = await db.query<{ text: string }>(
    `SELECT '{"version":' || l.version || ',"rows":[' || coalesce((
       SELECT string_agg('{"id":' || r.id || ',"position":"' || r.position || '","cells":' || r.cells::text || '}', ',' ORDER BY r.position, r.id)
       FROM list_rows r WHERE r.list_id = $1 AND r.id = ANY ($2::int[])
     ), '') || ']}' AS text FROM lists l WHERE l.id = $1`,
    [listId, ids],
  )
  if (!found) throw notFound('list')
  return found.text
}

/** The ids of all rows of a list in its own order, as JSON text with the list's version. */
export async function orderText(db: Database, listId: number): Promise<string> {
  const [found] = await db.query<{ text: string }>(
    `SELECT '{"version":' || l.version || ',"rows":[' || coalesce((
       SELECT string_agg(r.id::text, ',' ORDER BY r.position, r.id) FROM list_rows r WHERE r.list_id = $1
     ), '') || ']}' AS text FROM lists l WHERE l.id = $1`,
    [listId],
  )
  if (!found) throw notFound('list')
  return found.text
}

/** How many rows are read at once: the database's own memory grows with the longest text that it ever put together. */
const readAtOnce = 10_000

/**
 * All rows of a list in its own order, packed and numbered. Read piece by piece, each from where the one before has ended, so to be called where nothing changes
 * the list meanwhile.
 * @param firstRow the number of the first.
 */
export async function rowsOf(db: Database, listId: number, firstRow = 1): Promise<Row[]> {
  const rows: Row[] = []
  const pack = rowPacker()
  // JSON has neither tabs nor line ends in it, nor have positions.
  const piece = async (position: string, id: number) => {
    const [{ text }] = await db.query<{ text: string | null }>(
      `SELECT string_agg(r.id || E'\\t' || r.position || E'\\t' || r.cells::text, E'\\n' ORDER BY r.position, r.id) AS text
       FROM (SELECT id, position, cells FROM list_rows WHERE list_id = $1 AND (position, id) > ($2, $3) ORDER BY position, id LIMIT $4) r`,
      [listId, position, id, readAtOnce],
    )
    return text === null ? [] : text.split('\n')
  }
  const parted = (line: string) => {
    const [id, position] = line.split('\t', 2)
    return { id: Number(id), position, cells: line.slice(id.length + position.length + 2) }
  }
  let lines = await piece('', 0)
  while (lines.length > 0) {
    const last = parted(lines[lines.length - 1])
    const next = lines.length < readAtOnce ? [] : piece(last.position, last.id)
    for (const line of lines) {
      const { id, position, cells } = parted(line)
      rows.push(pack.ofJson(id, position, cells, firstRow + rows.length))
    }
    lines = await next
  }
  return rows
}

/** One row of a list as it is stored, without what is worked out; null when it is not there. */
export async function rowById(db: Database, listId: number, rowId: number): Promise<Row | null> {
  const [row] = await db.query<Row>('SELECT id, position, cells FROM list_rows WHERE list_id = $1 AND id = $2', [
    listId,
    rowId,
  ])
  return row ?? null
}

/** Whether a list has a row. */
export async function hasRow(db: Database, listId: number, rowId: number): Promise<boolean> {
  return (await db.query('SELECT 1 FROM list_rows WHERE list_id = $1 AND id = $2', [listId, rowId])).length > 0
}

/** The ids that the next row and the next column of a list get. */
export async function nextIds(db: Database, listId: number): Promise<{ row: number; column: number }> {
  const [next] = await db.query<{ row: number; column: number }>(
    'SELECT next_row AS row, next_column AS column FROM lists WHERE id = $1',
    [listId],
  )
  return next
}

/** Writes one edit. Gives by how many rows the list has grown; below 0, by how many it has shrunk. */
async function writeEdit(tx: Database, listId: number, edit: Edit): Promise<number> {
  switch (edit.do) {
    case 'cells': {
      const byRow = new Map<number, { id: number; gone: string[]; put: Record<string, Cell> }>()
      for (const [id, column, cell] of edit.cells) {
        const of = byRow.get(id) ?? { id, gone: [], put: {} }
        byRow.set(id, of)
        // What comes later counts, as in core.
        delete of.put[column]
        if (cell === null) of.gone.push(column)
        else of.put[column] = cell
      }
      const all = [...byRow.values()]
      for (let from = 0; from < all.length; from += 5 * batch)
        await tx.query(
          `UPDATE list_rows r SET cells = (r.cells - x.gone) || x.put
           FROM jsonb_to_recordset($2::jsonb) AS x (id int, gone text[], put jsonb) WHERE r.list_id = $1 AND r.id = x.id`,
          [listId, json(all.slice(from, from + 5 * batch))],
        )
      break
    }
    case 'addRows':
      for (let from = 0; from < edit.rows.length; from += batch)
        await tx.query(
          `INSERT INTO list_rows (list_id, id, position, cells)
           SELECT $1, id, position, cells FROM jsonb_to_recordset($2::jsonb) AS x (id int, position text, cells jsonb)`,
          [listId, json(edit.rows.slice(from, from + batch))],
        )
      return edit.rows.length
    case 'deleteRows': {
      const [{ gone }] = await tx.query<{ gone: number }>(
        `WITH gone AS (
           DELETE FROM list_rows WHERE list_id = $1 AND id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) RETURNING 1
         ) SELECT count(*)::int AS gone FROM gone`,
        [listId, json(edit.rows)],
      )
      return -gone
    }
    case 'moveRows':
      await tx.query(
        `UPDATE list_rows r SET position = x.value->>1
         FROM jsonb_array_elements($2::jsonb) AS x WHERE r.list_id = $1 AND r.id = (x.value->>0)::int`,
        [listId, json(edit.positions)],
      )
      break
    case 'columns':
      await tx.query('UPDATE lists SET columns = $2 WHERE id = $1', [listId, json(edit.columns)])
      break
    case 'sort':
      await tx.query('UPDATE lists SET sort = $2 WHERE id = $1', [listId, json(edit.sort)])
      break
  }
  return 0
}

/** Thrown where a list is another than it was when something was made for it. */
export class ChangedMeanwhile extends Refusal {
  constructor() {
    super(409, 'The list was changed meanwhile. Nothing was changed; look at it and try again.', 'Changed meanwhile')
  }
}

/**
 * Writes edits into a list, in one transaction with `also`.
 * @param version the version they were made for; when the list has another one, nothing is written.
 */
export function writeEdits(
  db: Database,
  listId: number,
  version: number,
  edits: Edit[],
  also: (tx: Database) => Promise<void>,
): Promise<void> {
  return db.transaction(async (tx) => {
    const taken = await tx.query('UPDATE lists SET version = version + 1 WHERE id = $1 AND version = $2 RETURNING id', [
      listId,
      version,
    ])
    if (taken.length === 0) throw new ChangedMeanwhile()
    const rows = edits
      .flatMap((e) => (e.do === 'addRows' ? e.rows : []))
      .reduce((most, { id }) => Math.max(most, id), 0)
    const columns = Math.max(
      0,
      ...edits.flatMap((e) => (e.do === 'columns' ? e.columns.map((c) => Number(c.id.slice(1))) : [])),
    )
    await tx.query(
      'UPDATE lists SET next_row = greatest(next_row, $2::int), next_column = greatest(next_column, $3::int) WHERE id = $1',
      [listId, rows + 1, columns + 1],
    )
    let more = 0
    for (const edit of edits) more += await writeEdit(tx, listId, edit)
    if (more !== 0) await tx.query('UPDATE lists SET row_count = row_count + $2 WHERE id = $1', [listId, more])
    await also(tx)
  })
}

/** A change of a list as it was kept. */
export interface KeptEdit {
  id: number
  edits: Edit[]
  inverse: Edit[]
  words: string
  /** The version of the list that it made, when it was done, undone or done again last. */
  version: number
  undone: boolean
  /** Whose it is. */
  name: string | null
}

/**
 * Keeps a change for undoing, as that of whoever acts; what they had taken back before can then no longer be done again.
 * @param version the version of the list that it has made.
 */
export async function keepEdit(
  db: Database,
  listId: number,
  kept: Pick<KeptEdit, 'edits' | 'inverse' | 'words' | 'version'>,
  now: number,
): Promise<void> {
  const who = whoActs()
  await db.query(`DELETE FROM list_edits e WHERE list_id = $1 AND undone AND ${ownEdits('e')}`, [listId])
  await db.query(
    'INSERT INTO list_edits (list_id, edits, inverse, words, at, account, name, version) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)',
    [listId, json(kept.edits), json(kept.inverse), kept.words, now, who?.id ?? null, who?.name ?? null, kept.version],
  )
}

const keptSelect = 'SELECT id, edits, inverse, words, version, undone, name FROM list_edits e'

/** The change that undoing takes back, or that redoing does again: of whoever acts; null when there is none. */
export async function editToUndo(db: Database, listId: number): Promise<KeptEdit | null> {
  const [found] = await db.query<KeptEdit>(
    `${keptSelect} WHERE list_id = $1 AND NOT undone AND ${ownEdits('e')} ORDER BY id DESC LIMIT 1`,
    [listId],
  )
  return found ?? null
}

export async function editToRedo(db: Database, listId: number): Promise<KeptEdit | null> {
  const [found] = await db.query<KeptEdit>(
    `${keptSelect} WHERE list_id = $1 AND undone AND ${ownEdits('e')} ORDER BY id LIMIT 1`,
    [listId],
  )
  return found ?? null
}

/** What others have changed of a list since a version of it, in the order in which they did; at most so many changes, the newest. */
export async function othersEdits(db: Database, listId: number, since: number, most = 50): Promise<KeptEdit[]> {
  if (whoActs() === null) return []
  const found = await db.query<KeptEdit>(
    `${keptSelect} WHERE list_id = $1 AND version > $2 AND account IS NOT NULL AND NOT ${ownEdits('e')} ORDER BY version DESC LIMIT $3`,
    [listId, since, most],
  )
  return found.reverse()
}

/** @param version the version of the list that undoing it, or doing it again, has made. */
export async function markUndone(db: Database, editId: number, undone: boolean, version: number): Promise<void> {
  await db.query('UPDATE list_edits SET undone = $2, version = $3 WHERE id = $1', [editId, undone, version])
}
