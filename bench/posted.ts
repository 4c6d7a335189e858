import { fork } from 'node:child_process'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import {
  type CallInput,
  call,
  mailboxSettingsSchema,
  type RoundDispatch,
  type Route,
  routes,
} from '@hand-post/contract'
import pino from 'pino'
import { readSettings, startHandPost } from '../packages/server/src/index.ts'
import { beginWith } from './measure.ts'

/** A Hand Post that sends to a host which accepts at once, with a list of some people. */
export async function openSending(people: number) {
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
  const { db } = handPost.parts
  const ask = <R extends Route>(route: R, input: CallInput<R> = {}) => call(handPost.address, route, input)
  const [mailbox] = await ask(routes.mailboxes)
  await ask(routes.changeMailbox, {
    params: { mailbox: mailbox.id },
    body: { ...mailboxSettingsSchema.parse(mailbox), imap: null, perDay: 1_000_000, perMinute: 100_000 },
  })
  const lines = Array.from({ length: people }, (_, i) => `Person ${i},person${i}@village.example`)
  const file = Buffer.from(['Name,Email', ...lines].join('\n'))
  const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file })
  const list = await ask(routes.makeList, { body: { reading: reading.id } })

  /** Posts a round to all of them. Gives its number. */
  async function post(dispatch: Partial<RoundDispatch> = {}): Promise<number> {
    const { id } = await ask(routes.startRound, { body: { title: 'Bench' } })
    const params = { round: id }
    await ask(routes.changeRound, {
      params,
      body: {
        listId: list.id,
        letterHtml: { subject: 'For {{Name}}', html: `<p>Dear {{Name}}</p><p>${'words '.repeat(150)}</p>` },
        dispatch: { perMinute: 100_000, ...dispatch },
      },
    })
    const { findings } = await ask(routes.proof, { params })
    const asks = findings.filter((f) => f.grade === 'ask' && f.accepted === null).map((f) => f.key)
    // The same people get the same letter once more, which the proof asks about.
    for (let at = 0; at < asks.length; at += 10_000)
      await ask(routes.accept, { params, body: { keys: asks.slice(at, at + 10_000), reason: 'measured' } })
    await ask(routes.post, { params, body: { messages: people } })
    return id
  }
  /** Waits until so many letters of a round have gone. Gives how long (ms) that took. */
  async function untilSent(round: number, many: number): Promise<number> {
    const start = performance.now()
    const [{ first }] = await db.query<{ first: number }>('SELECT min(id) AS first FROM messages WHERE round_id = $1', [
      round,
    ])
    for (;;) {
      // By the ledger, which has what has left only: going through 100,000 letters each time would be what is measured.
      const [{ sent }] = await db.query<{ sent: number }>(
        'SELECT count(*)::int AS sent FROM ledger WHERE message_id >= $1',
        [first],
      )
      if (sent >= many) return performance.now() - start
      await sleep(50)
    }
  }
  return {
    handPost,
    db,
    ask,
    port,
    post,
    untilSent,
    async close() {
      await handPost.close()
      sink.disconnect()
      await rm(folder, { recursive: true, force: true })
    },
  }
}
