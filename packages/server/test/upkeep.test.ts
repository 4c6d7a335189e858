import { PGlite } from '@electric-sql/pglite'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { type OpenDatabase, openDatabase } from '../src/db/open.ts'
import { nextUpkeep } from '../src/db/upkeep.ts'

// What a table is said to have changed by is PostgreSQL's own count (its documentation, 27.2.20, pg_stat_all_tables).

let pg: PGlite
beforeAll(async () => {
  pg = await PGlite.create()
  await pg.exec('CREATE TABLE "Berths and more" (id int PRIMARY KEY, words text)')
})
afterAll(() => pg.close())
/** What is to be done next, after what was counted has been written down: the database itself takes its time for that. */
async function next(quiet: boolean): Promise<string | null> {
  await pg.query('SELECT pg_stat_force_next_flush()')
  return nextUpkeep(pg, quiet)
}
const add = (from: number, n: number) =>
  pg.exec(`INSERT INTO "Berths and more" SELECT g, 'berth' FROM generate_series(${from}, ${from + n - 1}) g`)

test('a table is looked at when a tenth and fifty more of its rows have changed, and not before', async () => {
  expect(await next(true)).toBeNull()
  await add(1, 50)
  expect(await next(true)).toBeNull()
  await add(51, 10)
  expect(await next(true)).toBe('ANALYZE "Berths and more"')
  await pg.exec((await next(true))!)
  expect(await next(true)).toBeNull()
  await add(61, 940)
  await pg.exec((await next(false))!)
  // Of 1,000 rows, 150 may change.
  await pg.exec('UPDATE "Berths and more" SET words = words WHERE id <= 150')
  expect(await next(false)).toBeNull()
})

test('room is given back when a fifth of the rows are gone, and only while it is quiet', async () => {
  await pg.exec('ANALYZE')
  await pg.exec('VACUUM')
  const pages = async () =>
    (await pg.query<{ n: number }>(`SELECT pg_relation_size('"Berths and more"')::int / 8192 AS n`)).rows[0].n
  await pg.exec('DELETE FROM "Berths and more" WHERE id > 600')
  expect(await next(false)).toBe('ANALYZE "Berths and more"')
  await pg.exec('ANALYZE')
  expect(await next(false)).toBeNull()
  expect(await next(true)).toBe('VACUUM "Berths and more"')
  const before = await pages()
  await pg.exec((await next(true))!)
  expect(await next(true)).toBeNull()
  // What comes next takes the room of what is gone.
  await add(2001, 380)
  expect(await pages()).toBe(before)
})

test('the database does so by itself while it rests, and loses nothing of it', async () => {
  const db: OpenDatabase = await openDatabase(null)
  try {
    await db.query(
      `INSERT INTO shelf (name, letter, created_at, changed_at) SELECT 'Letter ' || g, '{}', g, g FROM generate_series(1, 500) g`,
    )
    const known = async () =>
      (await db.query<{ n: number }>(`SELECT reltuples::int AS n FROM pg_class WHERE relname = 'shelf'`))[0].n
    expect(await known()).toBe(-1)
    // Asked every three seconds: it does nothing within a second of being asked for something.
    await expect.poll(known, { timeout: 60_000, interval: 3000 }).toBe(500)
    expect(await db.query('SELECT count(*)::int AS n FROM shelf')).toEqual([{ n: 500 }])
  } finally {
    await db.close()
  }
})
