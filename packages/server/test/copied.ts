import fc from 'fast-check'
import { expect } from 'vitest'
import { type Copied, copiedLine, inParts, whileWriting } from '../src/db/copied.ts'
import { type Database, fitText, json } from '../src/db/database.ts'

/** Texts with whatever means something to COPY, to JSON, or to a database. */
const text = fc
  .array(
    fc.oneof(
      fc.constantFrom(
        '\\',
        '\t',
        '\n',
        '\r',
        '\\.',
        '\\N',
        'NULL',
        '"',
        "'",
        '\0',
        '\ud83d',
        '\b',
        '\f',
        '\v',
        ',',
        '{',
        '}',
      ),
      fc.string({ unit: 'binary', maxLength: 4 }),
    ),
    { maxLength: 8 },
  )
  .map((parts) => parts.join(''))

/** Holds that whatever is copied into a table stands there as it was, on the database that is given. */
export async function copiesWhatever(db: Database): Promise<void> {
  await db.query('CREATE TABLE copied (id int PRIMARY KEY, words text, cells jsonb, at bigint, whether boolean)')
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.record({ words: fc.option(text), cells: fc.dictionary(text, text) })),
      async (rows) => {
        const lines = rows.map(({ words, cells }, i) => copiedLine([i, words, json(cells), i * 1e12, i % 2 === 0]))
        await db.copyIn('copied (id, words, cells, at, whether)', lines.join(''))
        expect(await db.query('SELECT words, cells, at, whether FROM copied ORDER BY id')).toEqual(
          rows.map(({ words, cells }, i) => ({
            words: words === null ? null : fitText(words),
            cells: JSON.parse(json(cells)),
            at: i * 1e12,
            whether: i % 2 === 0,
          })),
        )
        await db.query('DELETE FROM copied')
      },
    ),
    { numRuns: 60 },
  )
  // In parts, of which each is made while the one before it is written; what cannot be copied takes all of it back, and what follows goes on.
  const order: string[] = []
  const many = (tx: Database, last: number) => {
    function* rows(): Iterable<Copied[]> {
      for (let i = 0; i < 3000; i++) yield [i === 2999 ? last : i, 'x'.repeat(500)]
    }
    function* parts() {
      for (const part of inParts(rows(), 700)) {
        order.push('made')
        yield part
      }
    }
    return whileWriting(parts(), async (part) => {
      await tx.copyIn('copied (id, words)', part.map(copiedLine).join(''))
      order.push(`wrote ${part.length}`)
    })
  }
  await expect(db.transaction((tx) => many(tx, 0))).rejects.toThrow(/duplicate key/)
  expect(await db.query('SELECT count(*)::int AS n FROM copied')).toEqual([{ n: 0 }])
  order.length = 0
  await db.transaction((tx) => many(tx, 2999))
  expect(order.slice(0, 5)).toEqual(['made', 'made', 'wrote 700', 'made', 'wrote 700'])
  expect(order.slice(-2)).toEqual(['wrote 700', 'wrote 200'])
  expect(await db.query('SELECT count(*)::int AS n, sum(id)::int AS sum FROM copied')).toEqual([
    { n: 3000, sum: (2999 * 3000) / 2 },
  ])
  // Without a transaction of its own it is one.
  await db.copyIn('copied (id, words)', '3000\tone\n3001\ttwo\n')
  await expect(db.copyIn('copied (id)', '4000\n3000\n')).rejects.toThrow(/duplicate key/)
  expect(await db.query('SELECT words FROM copied WHERE id >= 3000 ORDER BY id')).toEqual([
    { words: 'one' },
    { words: 'two' },
  ])
  await db.query('DROP TABLE copied')
}
