import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { DatabaseFault } from '../src/db/database.ts'
import { openDatabase } from '../src/db/open.ts'
import { copiesWhatever } from './copied.ts'
import { giveDatabase } from './template.ts'

const folder = mkdtempSync(join(tmpdir(), 'hand-post-database-'))
let db: Awaited<ReturnType<typeof openDatabase>>
beforeAll(async () => {
  giveDatabase(folder)
  db = await openDatabase(join(folder, 'database'))
  await db.query('CREATE TABLE noted (id int PRIMARY KEY, at bigint, words text, whose int[])')
})
afterAll(async () => {
  await db.close()
  rmSync(folder, { recursive: true, force: true })
})

const note = `INSERT INTO noted SELECT x.id, $2, x.words, $4 FROM unnest($1::int[], $3::text[]) AS x (id, words)`
const all = () =>
  db.query<{ id: number; at: number | null; words: string | null }>('SELECT id, at, words FROM noted ORDER BY id')
const none = async () => {
  await db.query('DELETE FROM noted')
}

test('a statement that is run often takes what any other takes, each time anew', async () => {
  const texts = ['plain', 'a "quoted", {braced} \\ text', 'två\nlines', '', 'NULL']
  for (let i = 0; i < 12; i++) {
    const ids = texts.map((_, n) => i * 10 + n)
    await db.runOften(note, [ids, 1_795_000_000_000 + i, texts, [1, 2]])
    await db.query(note, [ids.map((id) => id + 1000), null, texts, null])
  }
  const lines = await all()
  const often = lines.filter(({ id }) => id < 1000)
  expect(often.map(({ words }) => words)).toEqual(Array(12).fill(texts).flat())
  expect(lines.filter(({ id }) => id >= 1000).map(({ words }) => words)).toEqual(often.map(({ words }) => words))
  expect(often.at(-1)!.at).toBe(1_795_000_000_011)
  await none()
})

test('it is no part of a transaction that is open meanwhile: rolled back, that takes nothing of it away', async () => {
  let often: Promise<void> | null = null
  const broken = db.transaction(async (tx) => {
    await tx.query(note, [[1], 1, ['within'], null])
    often = db.runOften(note, [[2], 2, ['beside'], null])
    // It waits until the transaction has ended.
    const first = await Promise.race([
      often.then(() => 'written'),
      tx.query('SELECT pg_sleep(0.2)').then(() => 'waits'),
    ])
    expect(first).toBe('waits')
    throw new Error('no')
  })
  await expect(broken).rejects.toThrow('no')
  await often
  expect((await all()).map(({ words }) => words)).toEqual(['beside'])
  // Run by a transaction itself, it goes with that.
  await db
    .transaction(async (tx) => {
      await tx.runOften(note, [[3], 3, ['within'], null])
      throw new Error('no')
    })
    .catch(() => {})
  expect((await all()).map(({ id }) => id)).toEqual([2])
  await none()
})

test('what fails is told with its code, writes nothing, and leaves what follows as it was', async () => {
  await db.runOften(note, [[1], 1, ['first'], null])
  const fault = await db.runOften(note, [[2, 1], 1, ['second', 'again'], null]).catch((error) => error)
  expect(fault).toBeInstanceOf(DatabaseFault)
  // unique_violation, syntax_error, undefined_table (PostgreSQL's documentation, appendix A).
  expect(fault.code).toBe('23505')
  expect((await db.runOften('INSERT INTO', []).catch((error) => error)).code).toBe('42601')
  expect((await db.runOften('DELETE FROM nowhere WHERE id = $1', [1]).catch((error) => error)).code).toBe('42P01')
  await db.runOften(note, [[2], 1, ['second'], null])
  expect((await all()).map(({ words }) => words)).toEqual(['first', 'second'])
  await none()
})

test('many at once are written one after another, none lost', async () => {
  await Promise.all(
    Array.from({ length: 200 }, (_, i) =>
      i % 3 === 0
        ? db.transaction((tx) => tx.query(note, [[i], i, ['t'], null]))
        : i % 3 === 1
          ? db.query(note, [[i], i, ['q'], null])
          : db.runOften(note, [[i], i, ['o'], null]),
    ),
  )
  expect(await all()).toHaveLength(200)
  await none()
})

test('what is copied into a table stands there as it was', () => copiesWhatever(db))
