import { fork } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type CallInput, call, mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import { createTransport } from 'nodemailer'
import pino from 'pino'
import { readSettings, startHandPost } from '../packages/server/src/index.ts'
import { composeRaw } from '../packages/server/src/mailboxes/compose.ts'
import { beginWith, print, sized, small } from './measure.ts'

// 1,000 messages to a host that accepts at once: Hand Post, with all it writes down on the way, against the bare SMTP
// library's pool with the same messages over as many connections.
const n = sized(1000)
const connections = 5
const sink = fork(join(import.meta.dirname, 'sink.ts'), { execArgv: ['--import', 'tsx'] })
const port = await new Promise<number>((resolve) => sink.once('message', (m: { port: number }) => resolve(m.port)))
const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
beginWith(folder)
const handPost = await startHandPost({
  settings: readSettings({
    HAND_POST_DATA: folder,
    HAND_POST_PORT: '0',
    HAND_POST_PUBLIC_PORT: '0',
    HAND_POST_PRACTICE_SMTP_PORT: String(port),
  }),
  log: pino({ level: 'silent' }),
})
const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(handPost.address, route, input)
const [mailbox] = await ask(routes.mailboxes)
await ask(routes.changeMailbox, {
  params: { mailbox: mailbox.id },
  body: { ...mailboxSettingsSchema.parse(mailbox), imap: null, perDay: 1_000_000, perMinute: 100_000 },
})
const csv = ['Name,Email', ...Array.from({ length: n }, (_, i) => `Person ${i},person${i}@village.example`)].join('\n')
const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file: Buffer.from(csv) })
const list = await ask(routes.makeList, { body: { reading: reading.id } })

async function ours(): Promise<number> {
  const { id } = await ask(routes.startRound, { body: { title: 'Bench' } })
  const params = { round: id }
  await ask(routes.changeRound, {
    params,
    body: {
      listId: list.id,
      letterHtml: { subject: 'For {{Name}}', html: `<p>Dear {{Name}}</p><p>${'words '.repeat(150)}</p>` },
      dispatch: { perMinute: 100_000 },
    },
  })
  const { findings } = await ask(routes.proof, { params })
  const asks = findings.filter((f) => f.grade === 'ask' && f.accepted === null).map((f) => f.key)
  // The same people get the same letter once more, which the proof asks about.
  for (let at = 0; at < asks.length; at += 10_000)
    await ask(routes.accept, { params, body: { keys: asks.slice(at, at + 10_000), reason: 'measured' } })
  await ask(routes.post, { params, body: { messages: n } })
  const start = performance.now()
  for (;;) {
    const [{ left }] = await handPost.parts.db.query<{ left: number }>(
      "SELECT count(*)::int AS left FROM messages WHERE round_id = $1 AND state <> 'sent'",
      [id],
    )
    if (left === 0) return performance.now() - start
    await sleep(50)
  }
}
async function bare(): Promise<number> {
  const messages = await handPost.parts.db.query<{ key: string; messageId: string; contents: never }>(
    'SELECT m.key, m.message_id AS "messageId", c.contents FROM messages m JOIN message_contents c ON c.message_id = m.id ORDER BY m.id DESC LIMIT $1',
    [n],
  )
  const pool = createTransport({
    pool: true,
    maxConnections: connections,
    maxMessages: n,
    host: '127.0.0.1',
    port,
    ignoreTLS: true,
    auth: { user: 'x', pass: 'x' },
  })
  const start = performance.now()
  await Promise.all(
    messages.map(async (m) => {
      const { from, to } = (m as { contents: { from: { address: string }; to: { address: string } } }).contents
      const raw = await composeRaw(m, Date.now(), handPost.parts.files)
      await pool.sendMail({ envelope: { from: from.address, to: to.address }, raw })
    }),
  )
  const took = performance.now() - start
  pool.close()
  return took
}
const times = { ours: Number.POSITIVE_INFINITY, bare: Number.POSITIVE_INFINITY }
for (let i = 0; i < (small ? 1 : 5); i++) {
  times.ours = Math.min(times.ours, await ours())
  times.bare = Math.min(times.bare, await bare())
}
print({
  name: `Sending ${n} messages to a host that accepts at once, against the bare SMTP library's pool`,
  ours: (n / times.ours) * 1000,
  baseline: (n / times.bare) * 1000,
  unit: 'messages a second',
  asked: 'at least 0.5',
  kept: times.bare / times.ours >= 0.5,
})
await handPost.close()
sink.disconnect()
await rm(folder, { recursive: true, force: true })
