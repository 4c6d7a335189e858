import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { PGlite } from '@electric-sql/pglite'
import { type CallInput, call, type Route, routes } from '@hand-post/contract'
import Papa from 'papaparse'
import pino from 'pino'
import { readSettings, startHandPost } from '../packages/server/src/index.ts'
import { beginWith, often, print, sized } from './measure.ts'

// 100,000 rows of 12 columns as CSV: brought in over HTTP as the interface does, against the bare parse and the bare bulk
// insert of the same rows.
const rows = sized(100_000)
const headings = [
  'First name',
  'Last name',
  'Email',
  'Boat',
  'Berth',
  'Group',
  'Permit no',
  'Length',
  'Fee',
  'Insured',
  'Lift-out',
  'Permit',
]
const csv = Buffer.from(
  [
    headings.join(','),
    ...Array.from(
      { length: rows },
      (_, i) =>
        `Ada${i},Penrose,ada${i}@village.example,Morning Tern ${i},A${i % 90},Pontoon A,BQ-${i},${(i % 80) / 10},"£1,${100 + (i % 900)}.50",${i % 3 ? 'yes' : 'no'},${1 + (i % 28)}/03/2027,permit-${i}.pdf`,
    ),
  ].join('\r\n'),
)

async function bare(): Promise<number> {
  const folder = await mkdtemp(join(tmpdir(), 'bench-bare-'))
  const pg = await PGlite.create(folder)
  await pg.exec('CREATE TABLE t (list_id int, id int, position int, cells jsonb, PRIMARY KEY (list_id, id))')
  const start = performance.now()
  const { data } = Papa.parse<string[]>(csv.toString('utf8'))
  const objects = data.slice(1).map((row) => Object.fromEntries(row.map((cell, i) => [`c${i + 1}`, cell])))
  await pg.transaction(async (tx) => {
    for (let from = 0; from < objects.length; from += 1000)
      await tx.query(
        'INSERT INTO t SELECT 1, ($1 + n)::int, ($1 + n - 1)::int, cells FROM jsonb_array_elements($2::jsonb) WITH ORDINALITY AS x (cells, n)',
        [from, JSON.stringify(objects.slice(from, from + 1000))],
      )
  })
  const took = performance.now() - start
  await pg.close()
  await rm(folder, { recursive: true, force: true })
  return took
}

const folder = await mkdtemp(join(tmpdir(), 'bench-ours-'))
beginWith(folder)
const handPost = await startHandPost({
  settings: readSettings({
    HAND_POST_DATA: folder,
    HAND_POST_PORT: '0',
    HAND_POST_PUBLIC_PORT: '0',
    HAND_POST_PRACTICE_SMTP_PORT: '1',
  }),
  log: pino({ level: 'silent' }),
})
const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(handPost.address, route, input)
async function ours(): Promise<number> {
  const start = performance.now()
  const { id } = await ask(routes.readFile, { query: { name: 'people.csv' }, file: csv })
  const list = await ask(routes.makeList, { body: { reading: id } })
  if (list.rowCount !== rows) throw new Error(`${list.rowCount} rows`)
  return performance.now() - start
}
const times = { ours: Number.POSITIVE_INFINITY, bare: Number.POSITIVE_INFINITY }
for (let i = 0; i < often(2); i++) {
  times.bare = Math.min(times.bare, await bare())
  times.ours = Math.min(times.ours, await ours())
}
print({
  name: `Bringing in ${rows.toLocaleString('en-GB')} rows of 12 columns, against the bare parse and the bare bulk insert`,
  ours: times.ours,
  baseline: times.bare,
  unit: 'ms',
  asked: 'at most 2.5 times',
  kept: times.ours <= 2.5 * times.bare,
})
await handPost.close()
await rm(folder, { recursive: true, force: true })
