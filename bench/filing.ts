import { fork } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { type CallInput, call, mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import { ImapFlow } from 'imapflow'
import { createTransport } from 'nodemailer'
import pino from 'pino'
import { readSettings, startHandPost } from '../packages/server/src/index.ts'
import { composeRaw } from '../packages/server/src/mailboxes/compose.ts'
import { beginWith, print, sized, small } from './measure.ts'
import { startPracticeHost } from './practiceHost.ts'

// Letters that leave and are filed in Sent: Hand Post, with all that it writes down on the way, against the bare libraries sending and
// filing the same bytes side by side over as many connections. The hosts are programs of their own.
const n = sized(600)
const connections = { smtp: 5, imap: 3 }
const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
const office = 'office@brindlequay.example'
const sink = fork(join(import.meta.dirname, 'sink.ts'), { execArgv: ['--import', 'tsx'] })
const smtpPort = await new Promise<number>((resolve) => sink.once('message', (m: { port: number }) => resolve(m.port)))
const { practice, imapPort } = await startPracticeHost(join(folder, 'practice'), office)
beginWith(join(folder, 'data'))
const handPost = await startHandPost({
  settings: readSettings({
    HAND_POST_DATA: join(folder, 'data'),
    HAND_POST_PORT: '0',
    HAND_POST_PUBLIC_PORT: '0',
    HAND_POST_PRACTICE_ADDRESS: office,
    HAND_POST_PRACTICE_SMTP_PORT: String(smtpPort),
    HAND_POST_PRACTICE_IMAP_PORT: String(imapPort),
  }),
  log: pino({ level: 'silent' }),
})
const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(handPost.address, route, input)
const [mailbox] = await ask(routes.mailboxes)
await ask(routes.changeMailbox, {
  params: { mailbox: mailbox.id },
  body: { ...mailboxSettingsSchema.parse(mailbox), perDay: 1_000_000, perMinute: 100_000 },
})

async function ours(i: number): Promise<number> {
  const csv = ['Name,Email', ...Array.from({ length: n }, (_, j) => `Person,p${i}-${j}@village.example`)].join('\n')
  const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file: Buffer.from(csv) })
  const list = await ask(routes.makeList, { body: { reading: reading.id } })
  const { id } = await ask(routes.startRound, { body: { title: 'Bench' } })
  const params = { round: id }
  await ask(routes.changeRound, {
    params,
    body: {
      listId: list.id,
      nameColumns: [],
      letterHtml: { subject: 'For you', html: `<p>Dear {{Name}}</p><p>${'words '.repeat(150)}</p>` },
      dispatch: { perMinute: 100_000 },
    },
  })
  await ask(routes.post, { params, body: { messages: n } })
  const start = performance.now()
  for (;;) {
    const [{ left }] = await handPost.parts.db.query<{ left: number }>(
      'SELECT count(*)::int AS left FROM messages WHERE round_id = $1 AND filed_at IS NULL',
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
    maxConnections: connections.smtp,
    maxMessages: n,
    host: '127.0.0.1',
    port: smtpPort,
    ignoreTLS: true,
    auth: { user: 'x', pass: 'x' },
  })
  const clients = await Promise.all(
    Array.from({ length: connections.imap }, async () => {
      const client = new ImapFlow({
        host: '127.0.0.1',
        port: imapPort,
        secure: false,
        doSTARTTLS: false,
        auth: { user: office, pass: 'practice' },
        logger: false,
      })
      await client.connect()
      await client.mailboxOpen('Sent')
      return client
    }),
  )
  const start = performance.now()
  const sent: Buffer[] = []
  const sending = Promise.all(
    messages.map(async (m) => {
      const { from, to } = (m as { contents: { from: { address: string }; to: { address: string } } }).contents
      const raw = await composeRaw(m, Date.now(), handPost.parts.files)
      await pool.sendMail({ envelope: { from: from.address, to: to.address }, raw })
      sent.push(raw)
    }),
  )
  let filed = 0
  const filing = Promise.all(
    clients.map(async (client) => {
      while (filed < n) {
        const raw = sent.shift()
        if (!raw) await sleep(1)
        else {
          filed++
          await client.append('Sent', raw, ['\\Seen'])
        }
      }
    }),
  )
  await Promise.all([sending, filing])
  const took = performance.now() - start
  pool.close()
  await Promise.all(clients.map((client) => client.logout()))
  return took
}

const times = { ours: Number.POSITIVE_INFINITY, bare: Number.POSITIVE_INFINITY }
for (let i = 0; i < (small ? 1 : 3); i++) {
  times.ours = Math.min(times.ours, await ours(i))
  times.bare = Math.min(times.bare, await bare())
}
print({
  name: `Sending ${n} letters and filing them in Sent, against the bare SMTP and IMAP libraries side by side`,
  ours: (n / times.ours) * 1000,
  baseline: (n / times.bare) * 1000,
  unit: 'letters a second',
  asked: 'at least 0.8',
  kept: times.bare / times.ours >= 0.8,
})
await handPost.close()
sink.disconnect()
practice.disconnect()
await rm(folder, { recursive: true, force: true })
