import { routes } from '@hand-post/contract'
import { addMail } from '../packages/server/src/responses/store.ts'
import { often, print, quickest, sized } from './measure.ts'
import { openSending } from './posted.ts'

// The board of 100,000 letters with 200,000 responses: its first screen, a filter, and a live event, each against the bare database giving
// the same letters without what came back; and what it takes of memory.
const letters = sized(100_000)
const few = 20

const sending = await openSending(few)
const { handPost, db, ask } = sending
const round = await sending.post()
await sending.untilSent(round, few)
const [{ at }] = await db.query<{ at: number }>('SELECT max(sent_at) AS at FROM messages')
// Posting so many is measured elsewhere: these are put where posting would have put them.
await db.query(
  `INSERT INTO messages (round_id, row_id, mailbox_id, position, key, message_id, person, address, address_key, recipients, subject, state, not_before, sent_at)
   SELECT $1, n, (SELECT mailbox_id FROM rounds WHERE id = $1), n, md5(n::text), '<' || md5(n::text) || '@bench.example>', 'Person ' || n,
     'person' || n || '@village' || n % 40 || '.example', 'person' || n || '@village' || n % 40 || '.example', 1, 'For person ' || n, 'sent', 0, $2::bigint + n
   FROM generate_series(1001, 1000 + $3::int) n`,
  [round, at, letters - few],
)
// Two a letter: everybody is opened or fetched once; a third have answered, some came back.
await db.query(
  `INSERT INTO fetched (message_id, what, first_at, last_at, times, sample)
   SELECT id, -1, sent_at + 60000 + id * 7, sent_at + 60000 + id * 7, 1, jsonb_build_array(jsonb_build_object('at', sent_at + 60000 + id * 7, 'agent', 'Reader'))
   FROM messages WHERE round_id = $1`,
  [round],
)
await db.query(
  `INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, pile)
   SELECT id, CASE WHEN id % 50 = 1 THEN 'bounce' WHEN id % 3 = 0 THEN 'reply' ELSE 'delivered' END, sent_at + 90000 + id * 11,
     jsonb_build_object('from', person, 'words', 'Thank you, that suits me well. I shall come by on Thursday.', 'status', CASE WHEN id % 50 = 1 THEN '5.1.1' ELSE '' END),
     'person', address, '<' || id || '@answers.example>', CASE WHEN id % 3 = 0 THEN 'answer' END
   FROM messages WHERE round_id = $1`,
  [round],
)
await db.query('ANALYZE')
const params = { round }
const megabytes = () => process.memoryUsage.rss() / 1_000_000

const began = performance.now()
await ask(routes.board, { params })
console.log(`What came back, taken together once: ${Math.round(performance.now() - began)} ms`)

/** What is fetched when the board is opened, as the interface does it: its counts and the first lines; then the charts. */
const open = async () => {
  const board = await ask(routes.board, { params })
  const lines = await ask(routes.boardLines, { params, query: { count: 200 } })
  if (board.counts.sent !== letters || lines.lines.length === 0) throw new Error('The board is not whole.')
  return board
}
const bare = async () =>
  JSON.parse(
    JSON.stringify(
      await db.query('SELECT id, row_id, person, address, state, sent_at FROM messages WHERE round_id = $1', [round]),
    ),
  )
await open()
await new Promise((done) => setTimeout(done, 1000))
const rest = megabytes()
let most = rest
const [first, plain] = await quickest(
  5,
  async () => {
    await open()
    most = Math.max(most, megabytes())
  },
  () => db.query('SELECT count(*) FROM messages WHERE round_id = $1', [round]),
)
print({
  name: `The board of ${letters} letters with ${2 * letters} responses: counts and the first lines, against the bare database counting the letters`,
  ours: first,
  baseline: plain,
  unit: 'ms',
  asked: 'at most 300 ms',
  kept: first <= 300,
})
let n = 0
const lines = (query: Record<string, string>) => ask(routes.boardLines, { params, query: { ...query, count: 200 } })
let whole = Number.POSITIVE_INFINITY
let filter = 0
for (const pick of ['bounced', 'replied', 'unanswered', 'openedByMachine', 'waiting']) {
  const [ours, plain] = await quickest(3, () => lines({ pick }), bare)
  whole = Math.min(whole, plain)
  filter = Math.max(filter, ours)
}
print({
  name: 'The slowest of five filters of it, against the bare database giving all its letters',
  ours: filter,
  baseline: whole,
  unit: 'ms',
  asked: 'at most 150 ms',
  kept: filter <= 150,
})
const [found] = await quickest(
  4,
  () => lines({ find: `Person ${sized(5000) + n++}` }),
  () => null,
)
print({
  name: 'Somebody looked for on it, against the bare database giving all its letters',
  ours: found,
  baseline: whole,
  unit: 'ms',
  asked: 'at most 150 ms, as a filter',
  kept: found <= 150,
})

// The list of the same messages at Dispatch: as it is opened, sorted by when, and of one state.
let dispatched = 0
for (const query of [{}, { by: 'when' as const, way: 'down' as const }, { state: 'sent' as const }]) {
  const [ours] = await quickest(
    3,
    () => ask(routes.messageLines, { params, query: { ...query, count: 200 } }),
    () => null,
  )
  dispatched = Math.max(dispatched, ours)
}
print({
  name: 'The slowest of three views of its messages at Dispatch, against the bare database giving all its letters',
  ours: dispatched,
  baseline: whole,
  unit: 'ms',
  asked: 'at most 300 ms, as the first screen',
  kept: dispatched <= 300,
})

// A live event: an answer is written down and told of, as reading the inbox does it; until the window has the new count.
const [{ messageId, address }] = await db.query<{ messageId: number; address: string }>(
  `SELECT m.id AS "messageId", m.address FROM messages m WHERE m.round_id = $1 AND m.id % 3 = 1 ORDER BY m.id DESC LIMIT 1`,
  [round],
)
const stream = await fetch(`${handPost.address}/api/events`)
const reader = stream.body!.getReader()
const told = async () => {
  for (let text = ''; !text.includes('"responses"'); ) text += new TextDecoder().decode((await reader.read()).value)
}
let live = Number.POSITIVE_INFINITY
for (let i = 0; i < often(5); i++) {
  const before = (await open()).counts.replied
  const start = performance.now()
  const event = told()
  await addMail(db, [
    {
      messageId: messageId - 3 * i,
      mailId: `<live${i}@answers.example>`,
      at: at + 10_000_000,
      foundBy: 'header',
      kind: 'reply',
      of: 'person',
      pile: 'answer',
      address,
      details: { words: 'Yes.' },
    },
  ])
  handPost.parts.publish({ topic: 'responses', id: round })
  await event
  if ((await open()).counts.replied !== before + 1) throw new Error('The answer is not on the board.')
  live = Math.min(live, performance.now() - start)
}
await reader.cancel()
print({
  name: 'A live event: from an answer written down to the new board in the window, against opening the board',
  ours: live,
  baseline: first,
  unit: 'ms',
  asked: 'at most 1,000 ms',
  kept: live <= 1000,
})
print({
  name: 'Memory while the board is opened, above the program at rest with that round, against the program at rest',
  ours: most - rest,
  baseline: rest,
  unit: 'MB',
  asked: 'at most 60 MB',
  kept: most - rest <= 60,
})
await sending.close()
