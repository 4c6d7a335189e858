import { type Database, json } from './database.ts'

/** Why a database is not moved, in words. */
export class MoveFault extends Error {}

/** A table, as it is copied: the columns that are written, each with its type. */
interface Table {
  name: string
  columns: { name: string; type: string }[]
}

/** How many rows are taken at one time: few of those that are long, so that no more than about so many characters are in hand. */
const atOnce = { first: 50, most: 2000, characters: 8_000_000 }
/** Tables that are each database's own: what it was laid out by, who works with it, and what is under way. */
const own = new Set(['migrations', 'processes', 'leases', 'aside', 'moved', 'shared_folder', 'works'])

const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`

/** The tables of a database, without its own, and their columns, without those that it works out. */
async function tablesOf(db: Database): Promise<Table[]> {
  const rows = await db.query<Table>(
    `SELECT c.relname AS name, jsonb_agg(jsonb_build_object('name', a.attname, 'type', format_type(a.atttypid, a.atttypmod)) ORDER BY a.attnum) AS columns
     FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid
     WHERE c.relnamespace = 'public'::regnamespace AND c.relkind = 'r' AND a.attnum > 0 AND NOT a.attisdropped AND a.attgenerated = ''
     GROUP BY c.relname ORDER BY c.relname`,
  )
  return rows.filter(({ name }) => !own.has(name))
}

/** A row as text that is another for any other row. */
const textOf = ({ columns }: Table) =>
  `jsonb_build_array(${columns.map(({ name }) => `${quoted(name)}::text`).join(', ')})`
/** What text forms depend on, the same on both sides; and one side may wait for the other as long as it takes. */
const asWell = [
  `SET LOCAL TimeZone = 'UTC'`,
  `SET LOCAL DateStyle = 'ISO'`,
  'SET LOCAL extra_float_digits = 1',
  'SET LOCAL idle_in_transaction_session_timeout = 0',
]

/** How many rows a table has, and a digest of them all that any difference in any row changes. */
async function sumOf(tx: Database, table: Table): Promise<{ rows: number; digest: string | null }> {
  const [sum] = await tx.query<{ rows: number; digest: string | null }>(
    `SELECT count(*)::int AS rows, md5(string_agg(one, '' ORDER BY one COLLATE "C")) AS digest
     FROM (SELECT md5(${textOf(table)}::text) AS one FROM ${quoted(table.name)}) x`,
  )
  return sum
}

/** The first row that is on one side only, as far as that can be told, for the words. */
async function firstOther(one: Database, other: Database, table: Table): Promise<string> {
  const sql = `SELECT md5(${textOf(table)}::text) AS sum, ${textOf(table)}::text AS row FROM ${quoted(table.name)}`
  const there = new Set((await other.query<{ sum: string }>(sql)).map(({ sum }) => sum))
  return (
    (await one.query<{ sum: string; row: string }>(sql)).find(({ sum }) => !there.has(sum))?.row.slice(0, 200) ?? ''
  )
}

async function copyTable(from: Database, to: Database, table: Table, told: (rows: number) => void): Promise<void> {
  const names = table.columns.map(({ name }) => quoted(name))
  await from.query(
    `DECLARE moving NO SCROLL CURSOR FOR SELECT ${names.map((name) => `${name}::text`).join(', ')} FROM ${quoted(table.name)}`,
  )
  for (let n = atOnce.first; ; ) {
    const rows = await from.query(`FETCH ${n} FROM moving`)
    if (rows.length === 0) break
    const text = json(rows)
    n = Math.max(1, Math.min(atOnce.most, n * 2, Math.floor((atOnce.characters * rows.length) / text.length)))
    await to.query(
      `INSERT INTO ${quoted(table.name)} (${names.join(', ')}) OVERRIDING SYSTEM VALUE
       SELECT ${table.columns.map(({ name, type }) => `${quoted(name)}::${type}`).join(', ')}
       FROM jsonb_to_recordset($1::jsonb) AS x (${names.map((name) => `${name} text`).join(', ')})`,
      [text],
    )
    told(rows.length)
  }
  await from.query('CLOSE moving')
}

/** Takes the foreign keys off while rows come in table by table. Gives what puts them back, which looks at every row. */
async function withoutForeignKeys(tx: Database): Promise<() => Promise<void>> {
  const keys = await tx.query<{ table: string; name: string; definition: string }>(
    `SELECT conrelid::regclass::text AS table, conname AS name, pg_get_constraintdef(oid) AS definition
     FROM pg_constraint WHERE contype = 'f' AND connamespace = 'public'::regnamespace ORDER BY 1, 2`,
  )
  for (const { table, name } of keys) await tx.query(`ALTER TABLE ${table} DROP CONSTRAINT ${quoted(name)}`)
  return async () => {
    for (const { table, name, definition } of keys)
      await tx.query(`ALTER TABLE ${table} ADD CONSTRAINT ${quoted(name)} ${definition}`)
  }
}

/** Has the numbers that are given out next go on where they stand. */
async function copySequences(from: Database, to: Database): Promise<void> {
  const found = await from.query<{ name: string; last: number | null }>(
    `SELECT sequencename AS name, last_value AS last FROM pg_sequences WHERE schemaname = 'public'`,
  )
  for (const { name, last } of found)
    if (last !== null && name !== 'aside_id_seq')
      await to.query('SELECT setval($1::regclass, $2)', [quoted(name), last])
}

/** How many rows of a table have arrived. */
interface Arrived {
  table: string
  rows: number
}

/** How far a move is. */
type Told = (table: string, rows: number) => void

/**
 * Moves everything in one database to another of the same layout that is empty: all of it or nothing. Before the first row is read the
 * one that it is moved from says that it is being moved, and is not worked with any more; afterwards every row is compared.
 * @param target where to, in words.
 * @returns how many rows there are of each table.
 * @throws MoveFault in words: then the one is as it was, and may be worked with, and the other is empty.
 */
export async function move(
  from: Database,
  to: Database,
  target: string,
  now: number,
  told: Told = () => {},
): Promise<Arrived[]> {
  const tables = await tablesOf(from)
  const there = await tablesOf(to)
  if (JSON.stringify(there) !== JSON.stringify(tables))
    throw new MoveFault(
      'The two databases are laid out differently. Move with one and the same Hand Post. Nothing was changed.',
    )
  const [was, is] = [await stateOf(from), await stateOf(to)]
  if (was === 'arriving') throw new MoveFault('What is there has not arrived whole itself. Nothing was changed.')
  // All of it had arrived, and it was broken off before the one was left: it is left now.
  if (is === 'arriving') {
    if (was === null)
      throw new MoveFault(
        `${target[0].toUpperCase()}${target.slice(1)} holds what was moved there by half before, and Hand Post stayed since. Give the address of an empty database. Nothing was changed.`,
      )
    return leaveFor(from, to, await compared(from, to, tables))
  }
  if (was === 'left')
    throw new MoveFault(
      'Everything in there was moved away before, and may have gone on elsewhere. Nothing was changed.',
    )
  for (const table of there) {
    const [{ any }] = await to.query<{ any: boolean }>(`SELECT EXISTS (SELECT 1 FROM ${quoted(table.name)}) AS any`)
    if (any)
      throw new MoveFault(
        `There is something in ${target} already. Give the address of an empty database. Nothing was changed.`,
      )
  }
  await noteMoving(from, target, now)
  const others = await inUseBy(from)
  if (others.length > 0) {
    await stay(from)
    throw new MoveFault(
      `The database is in use by ${others.join(', ')}. Stop Hand Post there first. Nothing was changed.`,
    )
  }
  let moved: Arrived[]
  try {
    await from.transaction(async (source) => {
      await to.transaction(async (sink) => {
        for (const side of [source, sink]) for (const setting of asWell) await side.query(setting)
        const putBack = await withoutForeignKeys(sink)
        for (const { name } of tables) await sink.query(`ALTER TABLE ${quoted(name)} DISABLE TRIGGER USER`)
        for (const table of tables) {
          let rows = 0
          await copyTable(source, sink, table, (more) => {
            rows += more
            told(table.name, rows)
          })
        }
        for (const { name } of tables) await sink.query(`ALTER TABLE ${quoted(name)} ENABLE TRIGGER USER`)
        await putBack()
        await copySequences(source, sink)
        moved = await compared(source, sink, tables)
        // It is not worked with before the other says that it is left: never are there two.
        await sink.query(
          `INSERT INTO moved (at, target, state) VALUES ($1, $2, 'arriving') ON CONFLICT (one) DO UPDATE SET at = $1, target = $2, state = 'arriving'`,
          [now, target],
        )
      })
    })
  } catch (error) {
    // Where it is not known whether all of it has arrived, it goes on leaving.
    if ((await stateOf(to).catch(() => 'arriving')) === null) await stay(from).catch(() => {})
    throw error
  }
  return leaveFor(from, to, moved!)
}

/** Compares every row of every table. Throws MoveFault, which names the first that differs. */
async function compared(from: Database, to: Database, tables: Table[]): Promise<Arrived[]> {
  const all: Arrived[] = []
  for (const table of tables) {
    const [was, is] = [await sumOf(from, table), await sumOf(to, table)]
    if (was.rows !== is.rows || was.digest !== is.digest)
      throw new MoveFault(
        `Not every row of ${table.name} has arrived as it was: ${was.rows} there, ${is.rows} here; the first that differs is ${await firstOther(from, to, table)}. Nothing was changed.`,
      )
    all.push({ table: table.name, rows: is.rows })
  }
  return all
}

/** Leaves one for the other: first the one is not worked with any more, and then the other may be. */
async function leaveFor(from: Database, to: Database, moved: Arrived[]): Promise<Arrived[]> {
  await from.query(`UPDATE moved SET state = 'left'`)
  await to.query('DELETE FROM moved')
  return moved
}

/** Whether everything in a database is leaving, has left or is arriving; null where it is just there. */
export async function stateOf(db: Database): Promise<'leaving' | 'left' | 'arriving' | null> {
  const [found] = await db.query<{ state: 'leaving' | 'left' | 'arriving' }>('SELECT state FROM moved')
  return found?.state ?? null
}

async function noteMoving(db: Database, target: string, now: number): Promise<void> {
  await db.query(
    `INSERT INTO moved (at, target, state) VALUES ($1, $2, 'leaving') ON CONFLICT (one) DO UPDATE SET at = $1, target = $2, state = 'leaving'`,
    [now, target],
  )
}

/** The processes that work with a database just now. */
async function inUseBy(db: Database): Promise<string[]> {
  const rows = await db.query<{ name: string }>(
    `SELECT name FROM processes WHERE seen_at > clock_timestamp() - interval '1 minute' ORDER BY name`,
  )
  return rows.map(({ name }) => name)
}

/** Has a database be worked with again that was being moved, and whose move was broken off. */
export async function stay(db: Database): Promise<void> {
  await db.query('DELETE FROM moved')
}
