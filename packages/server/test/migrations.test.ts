import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { dispatchSchema, mailboxSettingsSchema, usualDispatch } from '@hand-post/contract'
import { placesBetween, weekWords } from '@hand-post/core'
import { generateNKeysBetween } from 'fractional-indexing'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { migrate } from '../src/db/migrate.ts'

// What was stored by an earlier Hand Post is read by this one: each step is made over data as they were before it.

const folder = join(import.meta.dirname, '../src/db/migrations')
const steps = readdirSync(folder).sort()
let pg: PGlite
const upTo = async (from: string, to: string) => {
  for (const name of steps.filter((s) => s.slice(0, 3) > from && s.slice(0, 3) <= to))
    await pg.exec(readFileSync(join(folder, name), 'utf8'))
}
beforeAll(async () => {
  pg = await PGlite.create()
  await upTo('000', '007')
  await pg.exec(`
    INSERT INTO mailboxes (settings, secret) VALUES ('{"perDay":500}', 'x');
    INSERT INTO lists (name, columns, next_row, source, created_at) VALUES ('Members', '[]', 9, '{}', 0), ('Many', '[]', 1, '{}', 0);
    INSERT INTO rounds (title, mailbox_id, list_id, letter, dispatch, posted_at, created_at, changed_at) VALUES ('R', 1, 1, '{}', '{}', 1, 0, 0);
    INSERT INTO messages (round_id, row_id, mailbox_id, position, key, message_id, person, address, recipients, subject, state, not_before, gap, sent_at, claimed_at, copies_gone) VALUES
      (1, 1, 1, 0, 'a', '<a@x>', 'Ada', ' Ada@Village.example', 3, 'S', 'sent', 0, 0, 100, 90, false),
      (1, 2, 1, 1, 'b', '<b@x>', 'Bo', 'bo@village.example', 2, 'S', 'waiting', 0, 0, NULL, NULL, false),
      (1, 3, 1, 2, 'c', '<c@x>', 'Cy', 'cy@village.example', 2, 'S', 'retrying', 0, 0, NULL, 80, true),
      (1, 4, 1, 3, 'd', '<d@x>', 'Di', 'di@village.example', 2, 'S', 'refused', 0, 0, NULL, 70, false),
      (1, 5, 1, 4, 'e', '<e@x>', 'Ed', 'ed@village.example', 1, 'S', 'inDoubt', 0, 0, NULL, 60, false);
    INSERT INTO message_contents SELECT id, jsonb_build_object('cc', CASE WHEN recipients > 1 THEN '["Office@archive.example"]'::jsonb ELSE '[]' END,
      'bcc', CASE WHEN recipients > 2 THEN '["unseen@archive.example"]'::jsonb ELSE '[]' END) FROM messages;
    INSERT INTO ledger VALUES (1, 1, 100, 3);
    INSERT INTO responses (message_id, kind, at, details, source) VALUES (1, 'reply', 200, '{"from":"ada@village.example"}', '1/7/12');
  `)
  await upTo('007', '008')
})
afterAll(() => pg.close())
const rows = async <T>(sql: string) => (await pg.query<T>(sql)).rows

describe('copies get a fate of their own', () => {
  test('what has gone has gone, what waits waits, and nothing that was refused is left over', async () => {
    expect(
      await rows('SELECT message_id, address_key, role, state, sent_at FROM copies ORDER BY message_id, id'),
    ).toEqual([
      { message_id: 1, address_key: 'office@archive.example', role: 'cc', state: 'sent', sent_at: 100 },
      { message_id: 1, address_key: 'unseen@archive.example', role: 'bcc', state: 'sent', sent_at: 100 },
      { message_id: 2, address_key: 'office@archive.example', role: 'cc', state: 'waiting', sent_at: null },
      { message_id: 3, address_key: 'office@archive.example', role: 'cc', state: 'sent', sent_at: 80 },
      { message_id: 4, address_key: 'office@archive.example', role: 'cc', state: 'withdrawn', sent_at: null },
    ])
    expect((await rows<{ address_key: string }>('SELECT address_key FROM messages ORDER BY id'))[0].address_key).toBe(
      'ada@village.example',
    )
    expect(await rows('SELECT message_id, recipients, copies FROM ledger')).toEqual([
      { message_id: 1, recipients: 3, copies: false },
    ])
    expect(await rows('SELECT of, mail_id FROM responses')).toEqual([{ of: 'person', mail_id: null }])
  })
})

describe('rows get keys that do not run out', () => {
  const many = 4200
  beforeAll(async () => {
    // Fractions that have run out: two rows have the same place, in the order of their ids.
    await pg.exec(`
      INSERT INTO list_rows (list_id, id, position, cells) VALUES (1, 1, 0, '{}'), (1, 2, 5, '{}'), (1, 3, 0.5, '{}'), (1, 4, 0.5, '{}'), (1, 6, 0.5000000000000001, '{}');
      INSERT INTO list_rows (list_id, id, position, cells) SELECT 2, n, n - 1, '{}' FROM generate_series(1, ${many}) AS n;
      INSERT INTO list_edits (list_id, edits, inverse, words, at) VALUES
        (1, '[{"do":"deleteRows","rows":[5]}]', '[{"do":"addRows","rows":[{"id":5,"position":0.25,"cells":{"c1":"kept"}}]}]', 'Delete', 1),
        (1, '[{"do":"moveRows","positions":[[2,5]]},{"do":"sort","sort":[]}]', '[{"do":"sort","sort":[]},{"do":"moveRows","positions":[[2,0.75]]}]', 'Move', 2);
    `)
    await upTo('008', '009')
  })
  const inOrder = (list: number) =>
    rows<{ id: number; position: string }>(
      `SELECT id, position FROM list_rows WHERE list_id = ${list} ORDER BY position, id`,
    )
  test('the order is as it was, and no two have the same', async () => {
    expect((await inOrder(1)).map((r) => r.id)).toEqual([1, 3, 4, 6, 2])
    const keys = (await inOrder(1)).map((r) => r.position)
    expect(new Set(keys).size).toBe(5)
    for (const [i, key] of keys.entries()) if (i > 0) expect(placesBetween(keys[i - 1], key, 3)).toHaveLength(3)
  })
  test('the keys are those of the package that makes further ones', async () => {
    const keys = (await inOrder(2)).map((r) => r.position)
    expect((await inOrder(2)).map((r) => r.id)).toEqual(Array.from({ length: many }, (_, i) => i + 1))
    expect(keys).toEqual(generateNKeysBetween(null, null, many))
  })
  test('what can be undone goes back to where it was', async () => {
    const edits = await rows<{
      inverse: [{ rows?: { id: number; position: string; cells: object }[] }, { positions: [number, string][] }]
    }>('SELECT inverse FROM list_edits ORDER BY id')
    const [[{ rows: back }], [, { positions }]] = edits.map((e) => e.inverse)
    expect(back).toEqual([{ id: 5, position: expect.any(String), cells: { c1: 'kept' } }])
    const places = new Map((await inOrder(1)).map((r) => [r.id, r.position]))
    places.set(5, back![0].position)
    places.set(2, positions[0][1])
    expect([...places].sort((a, b) => (a[1] < b[1] ? -1 : 1)).map(([id]) => id)).toEqual([1, 5, 3, 4, 6, 2])
  })
})

describe('a rule that compared with nothing says so in words', () => {
  const set = (rules: object[]) => ({ match: 'all', rules })
  const rule = (comparison: string, value = '', column = 'c1') => ({ column, comparison, value })
  const before = set([rule('is'), rule('isNot'), rule('is', 'x'), set([{ ...rule('is'), to: '' }]), rule('isOneOf')])
  const after = set([
    rule('isBlank'),
    rule('isFilled'),
    rule('is', 'x'),
    set([{ ...rule('isBlank'), to: '' }]),
    rule('isOneOf'),
  ])
  const passage = (selection: object) => ({
    subject: 'He said: \\"value\\": \\"\\"',
    body: { type: 'doc', content: [{ type: 'passage', attrs: { selection }, content: [] }] },
  })
  test('in rounds, letters, saved rules, columns, and in what can be undone', async () => {
    await upTo('009', '010')
    const of = (given: object) => JSON.stringify(given).replaceAll("'", "''")
    const named = passage(set([rule('is', '', 'Say "when", or \\')]))
    const recipe = (when: object) => [{ id: 'c2', recipe: { do: 'byRule', cases: [{ when, write: { text: '' } }] } }]
    await pg.exec(`
      UPDATE rounds SET selection = '${of(before)}', letter = '${of(named)}';
      INSERT INTO saved_rules (name, selection, columns) VALUES ('R', '${of(before)}', '{}');
      INSERT INTO shelf (name, letter, created_at, changed_at) VALUES ('L', '${of(named)}', 0, 0);
      UPDATE lists SET columns = '${of(recipe(before))}' WHERE id = 1;
      UPDATE list_edits SET inverse = '${of([{ do: 'columns', columns: recipe(before) }])}' WHERE id = 1;
    `)
    await upTo('010', '011')
    const [round] = await rows<object>('SELECT selection, letter FROM rounds')
    const blankNamed = passage(set([rule('isBlank', '', 'Say "when", or \\')]))
    expect(round).toEqual({ selection: after, letter: blankNamed })
    expect(await rows('SELECT selection FROM saved_rules')).toEqual([{ selection: after }])
    expect(await rows('SELECT letter FROM shelf')).toEqual([{ letter: blankNamed }])
    expect(await rows('SELECT columns FROM lists WHERE id = 1')).toEqual([{ columns: recipe(after) }])
    expect(await rows('SELECT inverse FROM list_edits WHERE id = 1')).toEqual([
      { inverse: [{ do: 'columns', columns: recipe(after) }] },
    ])
  })
})

describe('mailboxes get hours, and letters go by their round’s pace', () => {
  beforeAll(async () => {
    const settings = {
      name: 'Office',
      address: 'office@quay.example',
      senderName: '',
      user: 'office',
      smtp: { host: 'mail.quay.example', port: 587, security: 'starttls' },
      imap: null,
      perDay: 300,
      perMinute: 5,
      largestMessage: 1_000_000,
      hostFilesSent: false,
      timeZone: 'Europe/London',
    }
    await pg.query(
      'INSERT INTO mailboxes (id, settings, secret, practice) VALUES (50, $1, $2, false), (51, $1, $2, true)',
      [settings, 'x'],
    )
    await pg.exec(`
      INSERT INTO rounds (id, title, mailbox_id, letter, dispatch, posted_at, created_at, changed_at)
        VALUES (60, 'Waits', 50, '{}', '{"startAt": 5000, "perMinute": 2}', 1000, 0, 0), (61, 'Draft', 50, '{}', '{"startAt": null, "perMinute": 7}', NULL, 0, 0);
      INSERT INTO messages (id, round_id, row_id, mailbox_id, position, key, message_id, person, address, address_key, recipients, subject, state, not_before, gap, attempts) VALUES
        (70, 60, 1, 50, 3, 'w1', '<w1@x>', 'Ada', 'a@x.example', 'a@x.example', 1, 'S', 'waiting', 5000, 30000, 0),
        (71, 60, 2, 50, 4, 'w2', '<w2@x>', 'Bo', 'b@x.example', 'b@x.example', 1, 'S', 'waiting', 9000, 30000, 0),
        (72, 60, 3, 50, 5, 'w3', '<w3@x>', 'Cy', 'c@x.example', 'c@x.example', 1, 'S', 'retrying', 8000, 30000, 1);
    `)
    await upTo('011', '017')
  })

  test('settings and wishes are whole, and what stood there stays', async () => {
    const mailboxes = await rows<{ id: number; settings: unknown }>(
      'SELECT id, settings FROM mailboxes WHERE id >= 50 ORDER BY id',
    )
    const read = mailboxes.map(({ settings }) => mailboxSettingsSchema.parse(settings))
    expect(mailboxes[0].settings).toMatchObject({ perDay: 300, perMinute: 5, perHour: null, dayZone: null })
    expect(read.map((s) => weekWords(s.hours.week))).toEqual(['any time', 'any time'])
    // What ships with the product starts at once.
    expect(read.map((s) => s.gentleStart.wanted)).toEqual([true, false])
    const wishes = await rows<{ dispatch: unknown }>('SELECT dispatch FROM rounds WHERE id >= 60 ORDER BY id')
    expect(wishes.map(({ dispatch }) => dispatchSchema.parse(dispatch))).toEqual([
      { ...usualDispatch, startAt: 5000, perMinute: 2 },
      { ...usualDispatch, perMinute: 7 },
    ])
  })

  test('letters go by the pace, but for those that their host or the writer put off; they keep their order', async () => {
    expect(await rows('SELECT id, not_before, turn FROM messages WHERE id >= 70 ORDER BY turn')).toEqual([
      { id: 70, not_before: null, turn: 3 },
      { id: 71, not_before: 9000, turn: 4 },
      { id: 72, not_before: 8000, turn: 5 },
    ])
  })
})

describe('answers are sorted, and the in-tray knows more than done', () => {
  beforeAll(async () => {
    await upTo('017', '022')
    await pg.exec(`
      UPDATE mailboxes SET uid_validity = 7, last_uid = 40 WHERE id = 50;
      INSERT INTO responses (id, message_id, kind, at, details) VALUES
        (80, 70, 'reply', 100, '{}'), (81, 70, 'reply', 200, '{}'), (82, 71, 'bounce', 300, '{}'),
        (83, 71, 'automatic', 400, '{}'), (84, 72, 'receipt', 500, '{}'), (85, 72, 'delayed', 600, '{}'), (86, 72, 'optOut', 700, '{}');
      INSERT INTO tray_done VALUES (80, 150);
    `)
    await upTo('022', '023')
  })

  test('what was done stays done, what was not is open, and nobody is asked about what did not lie there before', async () => {
    const of = (where: string) =>
      rows(
        `SELECT q.id, q.pile, t.done_at FROM responses q LEFT JOIN tray t ON t.response_id = q.id WHERE q.id >= 80 AND ${where} ORDER BY q.id`,
      )
    expect(await of('q.pile IS NOT NULL')).toEqual([
      { id: 80, pile: 'answer', done_at: 150 },
      { id: 81, pile: 'answer', done_at: null },
      { id: 82, pile: 'returned', done_at: null },
      { id: 83, pile: 'automatic', done_at: 400 },
      { id: 84, pile: 'receipt', done_at: 500 },
    ])
    expect((await of('q.pile IS NULL')).map((row) => (row as { id: number }).id)).toEqual([85, 86])
  })

  test('the inbox is read on from where it was; one that was not opened yet is not', async () => {
    expect(await rows('SELECT mailbox_id, path, uid_validity, last_uid FROM read_folders')).toEqual([
      { mailbox_id: 50, path: 'INBOX', uid_validity: 7, last_uid: 40 },
    ])
    const [{ settings }] = await rows<{ settings: unknown }>('SELECT settings FROM mailboxes WHERE id = 50')
    expect(mailboxSettingsSchema.parse(settings)).toMatchObject({ folders: [], junk: true })
  })
})

describe('migrations are held to their text', () => {
  const place = mkdtempSync(join(tmpdir(), 'hand-post-migrations-'))
  const put = (name: string, sql: string) => writeFileSync(join(place, name), sql)
  let db: PGlite
  beforeAll(async () => {
    db = await PGlite.create()
    put('001_first.sql', 'CREATE TABLE things (id int);\nINSERT INTO things VALUES (1);')
  })
  afterAll(async () => {
    await db.close()
    rmSync(place, { recursive: true })
  })
  const things = async () => (await db.query<{ id: number }>('SELECT id FROM things ORDER BY id')).rows.map((r) => r.id)
  const noted = async () =>
    (await db.query<{ name: string; checksum: string | null }>('SELECT name, checksum FROM migrations ORDER BY name'))
      .rows

  test('each is made once, and noted with its digest; another checkout’s line ends are the same text', async () => {
    expect(await migrate(db, place)).toBeNull()
    expect(await migrate(db, place)).toBeNull()
    put('001_first.sql', 'CREATE TABLE things (id int);\r\nINSERT INTO things VALUES (1);')
    expect(await migrate(db, place)).toBeNull()
    expect(await things()).toEqual([1])
    // The digest of FIPS 180-4, as anybody can make it.
    expect(await noted()).toEqual([{ name: '001_first.sql', checksum: expect.stringMatching(/^[0-9a-f]{64}$/) }])
  })
  test('one that fails leaves nothing of it, and what came before stays', async () => {
    put('002_broken.sql', 'INSERT INTO things VALUES (2); INSERT INTO nowhere VALUES (1);')
    await expect(migrate(db, place)).rejects.toThrow(/nowhere/)
    expect([await things(), (await noted()).length]).toEqual([[1], 1])
    put('002_broken.sql', 'INSERT INTO things VALUES (2);')
    expect(await migrate(db, place)).toBeNull()
    expect(await things()).toEqual([1, 2])
  })
  test('an edited one is refused, in words, and nothing is changed; put back, it goes on', async () => {
    const before = readFileSync(join(place, '001_first.sql'), 'utf8')
    put('001_first.sql', `${before}\nINSERT INTO things VALUES (9);`)
    put('003_third.sql', 'INSERT INTO things VALUES (3);')
    expect(await migrate(db, place)).toMatch(/another text of 001_first\.sql.*Nothing was changed/)
    expect(await things()).toEqual([1, 2])
    put('001_first.sql', before)
    expect(await migrate(db, place)).toBeNull()
    expect(await things()).toEqual([1, 2, 3])
  })
  test('a database of before digests were kept takes those of now; one of a newer program is refused', async () => {
    await db.query('UPDATE migrations SET checksum = NULL')
    expect(await migrate(db, place)).toBeNull()
    expect((await noted()).every(({ checksum }) => checksum !== null)).toBe(true)
    await db.query("INSERT INTO migrations (name) VALUES ('099_newer.sql')")
    expect(await migrate(db, place)).toMatch(/newer Hand Post \(it knows of 099_newer\.sql/)
  })
})
