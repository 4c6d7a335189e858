import { createTransport } from 'nodemailer'
import { composeRaw } from '../packages/server/src/mailboxes/compose.ts'
import { print, sized, small } from './measure.ts'
import { openSending } from './posted.ts'

// 1,000 messages to a host that accepts at once: Hand Post, with all it writes down on the way, against the bare SMTP
// library's pool with the same messages over as many connections.
const n = sized(1000)
const connections = 5
const { handPost, port, post, untilSent, close } = await openSending(n)

const ours = async () => untilSent(await post(), n)
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
  asked: 'at least 0.8',
  kept: times.bare / times.ours >= 0.8,
})
await close()
