import { chmod, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type Round, routes } from '@hand-post/contract'
import { scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import Papa from 'papaparse'
import { PostgresServer, serverDatabase, withoutServer } from '../packages/server/test/postgres.ts'
import { print, small } from './measure.ts'
import { startProgram } from './program.ts'

// How the work with a list of twelve columns grows with its rows, from a thousand on, in the running program: with the embedded database and
// on a PostgreSQL server. Each is measured beside the barest way to do the same on that server. With `--draw` a million rows are measured
// too, on that server only, which takes a quarter of an hour; and what was measured is written to docs/growth.md and docs/growth.svg.
const draw = process.argv.includes('--draw')
const sizes = small ? [40] : [1000, 10_000, 100_000, ...(draw ? [1_000_000] : [])]
/** The most rows that are measured with the embedded database. */
const mostEmbedded = 100_000
const towns = ['Brindle Quay', 'Low Water', 'Lee Shore', 'Gull Point', 'Rope Walk']
const headings = [
  'Name',
  'Email',
  'Berth',
  'Town',
  'Boat',
  'Length',
  'Fee',
  'Since',
  'Telephone',
  'Permit',
  'Note',
  'Number',
]
const text = (rows: number) =>
  [
    headings.join(','),
    ...Array.from({ length: rows }, (_, i) =>
      [
        `Person ${i}`,
        `person${i}@village.example`,
        `B${i}`,
        towns[i % 5],
        `Boat ${i % 977}`,
        6 + (i % 90) / 10,
        100 + (i % 400),
        `${2000 + (i % 26)}-0${1 + (i % 9)}-1${i % 10}`,
        `0${1_000_000 + i}`,
        `permit-${i}`,
        i % 3 === 0 ? 'by the slip' : '',
        i,
      ].join(','),
    ),
  ].join('\n')

/** What was measured at one size (ms; memory in megabytes). */
interface Measured {
  bringIn: number
  firstRows: number
  page: number
  begin: number
  count: number
  again: number
  proof: number
  post: number
  beside: number
  memory: number
}
const what: Record<keyof Measured, string> = {
  bringIn: 'bringing in',
  firstRows: 'first rows',
  page: 'a page in the middle',
  begin: 'a round begun with it',
  count: 'a rule’s count',
  again: 'another rule’s count',
  proof: 'proof',
  post: 'posting',
  beside: 'a save meanwhile',
  memory: 'memory at its most',
}
const timed = async <T>(work: () => Promise<T>): Promise<[number, T]> => {
  const start = performance.now()
  const done = await work()
  return [performance.now() - start, done]
}

/** Lives through one list in a program of its own. Gives what it took, and leaves the database for the baseline. */
async function measure(rows: number, databaseUrl?: string): Promise<Measured> {
  const { ask, end, megabytes } = await startProgram(databaseUrl === undefined ? {} : { DATABASE_URL: databaseUrl })
  let memory = 0
  const watch = setInterval(() => {
    memory = Math.max(memory, megabytes())
  }, 50)
  try {
    const file = Buffer.from(text(rows))
    const [bringIn, list] = await timed(async () => {
      const { id } = await ask(routes.readFile, { query: { name: 'people.csv' }, file })
      return ask(routes.makeList, { body: { reading: id } })
    })
    const of = { params: { list: list.id } }
    const [firstRows] = await timed(() => ask(routes.rows, { ...of, query: { from: 0, count: 500 } }))
    // As the desk asks for what is looked at.
    const middle = Array.from({ length: Math.min(rows, 500) }, (_, i) => Math.floor(rows / 2) - 19 + i)
    const [page] = await timed(() => ask(routes.someRows, { ...of, body: { rows: middle } }))
    const [begin, { id }] = await timed(() => ask(routes.startRound, { body: { title: 'Measured', listId: list.id } }))
    const params = { round: id }
    const letterHtml = { subject: 'For {{Name}}', html: `<p>Dear {{Name}}</p><p>${'words '.repeat(150)}{{Berth}}</p>` }
    await ask(routes.changeRound, { params, body: { letterHtml } })
    const town = list.columns.find(({ name }) => name === 'Town')!.id
    const select = (...rules: Round['selection']['rules']) =>
      ask(routes.changeRound, { params, body: { selection: { match: 'all', rules } } })
    const counted = async (where: string) => {
      const [took, { counts }] = await timed(() => select({ column: town, comparison: 'is', value: where }))
      if (counts.round !== rows / 5) throw new Error(`${counts.round} were chosen`)
      return took
    }
    const [count, again] = [await counted(towns[0]), await counted(towns[1])]
    await select()
    const [proof, { findings }] = await timed(() => ask(routes.proof, { params }))
    const keys = findings.filter(({ grade }) => grade === 'ask').map(({ key }) => key)
    if (keys.length > 0) await ask(routes.accept, { params, body: { keys, reason: 'measured' } })
    // A colleague goes on writing in another round.
    const { id: other } = await ask(routes.startRound, { body: { title: 'Beside it' } })
    let [posting, beside] = [true, 0]
    const colleague = async () => {
      for (let n = 1; posting; n++) {
        const [took] = await timed(() =>
          ask(routes.changeRound, { params: { round: other }, body: { title: `Beside it, ${n}` } }),
        )
        beside = Math.max(beside, took)
        await sleep(100)
      }
    }
    const saving = colleague()
    // Nothing leaves meanwhile: there is no host.
    const [post] = await timed(() => ask(routes.post, { params, body: { messages: rows } })).finally(() => {
      posting = false
    })
    await saving
    return { bringIn, firstRows, page, begin, count, again, proof, post, beside, memory }
  } finally {
    clearInterval(watch)
    await end()
  }
}
type Bare = Omit<Measured, 'begin' | 'again' | 'proof' | 'beside' | 'memory'>

/** The barest way to do the same with what stands in the database now: parsed and copied, selected, counted, and copied. */
async function bare(server: PostgresServer, url: string, rows: number): Promise<Bare> {
  const database = new URL(url).pathname.slice(1)
  const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
  try {
    // The server reads and writes there too, under a name of its own.
    await chmod(folder, 0o777)
    const [table, messages] = [join(folder, 'table.csv'), join(folder, 'messages')]
    const csv = text(rows)
    await writeFile(table, csv, { mode: 0o644 })
    const ask = (sql: string) => server.ask(sql, database)
    await ask(`CREATE TABLE bare (${headings.map((name) => `"${name}" text`).join(', ')})`)
    await ask('CREATE TABLE bare_messages (LIKE messages); CREATE TABLE bare_contents (LIKE message_contents)')
    const [parse] = await timed(async () => Papa.parse(csv).data.length)
    const [copy] = await timed(() => ask(`COPY bare FROM '${table}' (FORMAT csv, HEADER)`))
    const [firstRows] = await timed(() => ask('SELECT * FROM bare LIMIT 500'))
    const [page] = await timed(() => ask(`SELECT * FROM bare OFFSET ${Math.floor(rows / 2)} LIMIT 500`))
    const [count] = await timed(() => ask(`SELECT count(*) FROM bare WHERE "Town" = '${towns[0]}'`))
    await ask(`COPY messages TO '${messages}'`)
    await ask(`COPY message_contents TO '${messages}-contents'`)
    const [post] = await timed(async () => {
      await ask(`COPY bare_messages FROM '${messages}'`)
      await ask(`COPY bare_contents FROM '${messages}-contents'`)
    })
    return { bringIn: parse + copy, firstRows, page, count, post }
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

if (withoutServer !== null) {
  console.log(`Growth: NOT KEPT, for it was not measured: ${withoutServer}`)
  process.exit(0)
}
const server = await PostgresServer.start()
const found: { rows: number; embedded: Measured | null; onServer: Measured; bare: Bare }[] = []
try {
  for (const rows of sizes) {
    const embedded = rows > mostEmbedded ? null : await measure(rows)
    const url = await serverDatabase(server.url())
    const onServer = await measure(rows, url)
    found.push({ rows, embedded, onServer, bare: await bare(server, url, rows) })
  }
} finally {
  await server.close()
}

const n = (value: number) => value.toLocaleString('en-GB', { maximumFractionDigits: value < 10 ? 1 : 0 })
const kinds = Object.keys(what) as (keyof Measured)[]
const rowsOf = kinds.flatMap((kind) =>
  (['embedded', 'onServer', 'bare'] as const).flatMap((where) => {
    const values = found.map((one) => (one[where] as Partial<Measured> | null)?.[kind])
    return values.every((value) => value === undefined) ? [] : [{ kind, where, values }]
  }),
)
const called = { embedded: 'embedded', onServer: 'PostgreSQL', bare: 'bare, PostgreSQL' }
const table = [
  `| what | with | ${sizes.map((rows) => `${n(rows)} rows`).join(' | ')} |`,
  `|---|---|${sizes.map(() => '--:|').join('')}`,
  ...rowsOf.map(
    ({ kind, where, values }) =>
      `| ${what[kind]} | ${called[where]} | ${values.map((value) => (value === undefined ? '' : `${n(value)} ${kind === 'memory' ? 'MB' : 'ms'}`)).join(' | ')} |`,
  ),
].join('\n')
console.log(table)

const last = found.at(-1)!
const first = found[0]
const asked = (name: string, ours: number, baseline: number, words: string, kept: boolean) =>
  print({ name: `${name}, ${n(last.rows)} rows, PostgreSQL`, ours, baseline, unit: 'ms', asked: words, kept })
const { onServer, bare: barely } = last
asked('Bringing in', onServer.bringIn, barely.bringIn, 'at most 1.5', onServer.bringIn <= 1.5 * barely.bringIn)
asked('First rows', onServer.firstRows, barely.firstRows, 'at most 300 ms', onServer.firstRows <= 300)
asked('A page in the middle', onServer.page, barely.page, 'at most 150 ms', onServer.page <= 150)
asked('A rule’s count', onServer.count, barely.count, 'at most 500 ms', onServer.count <= 500)
asked('Posting', onServer.post, barely.post, 'at most 2', onServer.post <= 2 * barely.post)
const each = (one: typeof last) => (1000 * one.onServer.proof) / one.rows
const from = found.at(-2) ?? first
print({
  name: `Proof of each, ${n(last.rows)} rows beside ${n(from.rows)}, PostgreSQL`,
  ours: each(last),
  baseline: each(from),
  unit: 'µs',
  asked: 'at most 1.2',
  kept: each(last) <= 1.2 * each(from),
})

print({
  name: `Memory at its most, ${n(last.rows)} rows beside ${n(first.rows)}, PostgreSQL`,
  ours: onServer.memory,
  baseline: first.onServer.memory,
  unit: 'MB',
  asked: 'at most 1,000 MB',
  kept: onServer.memory <= 1000,
})

/** Each work as a line over the rows, both by powers of ten. */
function chart(): string {
  const [width, height, top, left] = [760, 420, 40, 60]
  const drawn = rowsOf
    .filter(({ kind, where }) => kind !== 'memory' && where !== 'bare')
    .map((one) => ({ ...one, values: one.values.filter((value) => value !== undefined) }))
  const all = drawn.flatMap(({ values }) => values)
  const x = scaleLog([sizes[0], sizes.at(-1)!], [left, width - 260])
  const y = scaleLog([Math.min(...all), Math.max(...all)], [height - 40, top]).nice()
  const path = line<number>(
    (_, i) => x(sizes[i]),
    (value) => y(value),
  )
  const ticks = y.ticks().filter((value) => Number.isInteger(Math.log10(value)))
  const ends = drawn
    .map(({ kind, where, values }) => ({
      label: `${what[kind]}, ${called[where]}`,
      at: y(values.at(-1)!),
      where,
      d: path(values)!,
    }))
    .sort((a, b) => a.at - b.at)
  // Labels keep a line's distance.
  let free = Number.NEGATIVE_INFINITY
  const labels = ends.map((one) => {
    free = Math.max(one.at, free + 15)
    return { ...one, y: free }
  })
  const escaped = (words: string) => words.replace(/&/g, '&amp;').replace(/</g, '&lt;')
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="-16 0 ${width + 16} ${height}" font-family="sans-serif" font-size="12" role="img" aria-label="How long each takes, over the rows of the list">
<rect x="-16" width="${width + 16}" height="${height}" fill="#fff"/>
<text x="${left}" y="20" font-weight="bold">How long each takes (ms), over the rows of the list; both by powers of ten</text>
${ticks.map((value) => `<path d="M${left} ${y(value)}H${width - 260}" stroke="#d5dddd"/><text x="${left - 6}" y="${y(value) + 4}" text-anchor="end">${n(value)}</text>`).join('\n')}
${sizes.map((rows) => `<text x="${x(rows)}" y="${height - 18}" text-anchor="middle">${n(rows)}</text>`).join('\n')}
${labels.map(({ d, where, label, y: at }) => `<path d="${d}" fill="none" stroke="${where === 'embedded' ? '#8a5a00' : '#0d5c63'}" stroke-width="1.5"${where === 'embedded' ? ' stroke-dasharray="5 3"' : ''}/><text x="${width - 252}" y="${at + 4}">${escaped(label)}</text>`).join('\n')}
</svg>
`
}
if (draw) {
  const docs = join(import.meta.dirname, '../docs')
  await writeFile(join(docs, 'growth.svg'), chart())
  await writeFile(
    join(docs, 'growth.md'),
    `# How the work grows with the list\n\nMeasured by \`node --import tsx bench/growth.ts --draw\`: a list of twelve columns, a letter of 150 words, no enclosures, in the running program. “A save meanwhile” is the longest that a colleague's change of another round took while the letters were posted. “Bare” is the least that the same takes on the same PostgreSQL server: the table parsed and copied in, selected, counted, and the messages copied; that server writes without waiting for the disk (fsync=off), for both. With the embedded database a million rows were not measured; from 200,000 on a server is the better place, and the desk says so.\n\n${table}\n\n![How long each takes](growth.svg)\n`,
  )
} else if (small) chart()
