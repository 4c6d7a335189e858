import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import { ImapFlow } from 'imapflow'
import { wantedHeaders } from '../packages/server/src/responses/readFolder.ts'
import { print, quickest, sized } from './measure.ts'
import { openSending } from './posted.ts'
import { startPracticeHost } from './practiceHost.ts'

// Answers: a mailbox of 10,000 mails of which 2,000 answer letters of ours, read in, against the bare library fetching the same headers
// and the same 2,000; and the in-tray with 5,000 open entries, against the bare database giving the same rows.
const answers = sized(2000)
const mails = answers * 5
const open = sized(5000)

const sending = await openSending(answers)
const { handPost, db, ask } = sending
const [mailbox] = await ask(routes.mailboxes)
const office = mailbox.address
const round = await sending.post()
await sending.untilSent(round, answers)
const letters = await db.query<{ id: string; subject: string; address: string }>(
  'SELECT message_id AS id, subject, address FROM messages WHERE round_id = $1 ORDER BY position',
  [round],
)

// The mailbox as it lies there: every fifth mail is an answer, with a page of quoted words.
const folder = await mkdtemp(join(tmpdir(), 'hand-post-bench-'))
const inbox = join(folder, encodeURIComponent(office), 'INBOX')
await mkdir(inbox, { recursive: true })
await writeFile(join(inbox, 'box.json'), JSON.stringify({ uidValidity: 7, uidNext: mails + 1 }))
const quoted = Array.from({ length: 30 }, () => `> ${'words '.repeat(12)}`).join('\r\n')
const answered: number[] = []
for (let uid = 1; uid <= mails; uid++) {
  const letter = uid % 5 === 0 ? letters[uid / 5 - 1] : null
  if (letter) answered.push(uid)
  const head = [
    `From: ${letter?.address ?? `shop${uid}@far.example`}`,
    `To: ${office}`,
    `Subject: ${letter ? `Re: ${letter.subject}` : `Offers of week ${uid}`}`,
    `Message-ID: <${uid}@mail.example>`,
    'Date: Mon, 2 Nov 2026 10:00:00 +0000',
    ...(letter ? [`In-Reply-To: ${letter.id}`, `References: ${letter.id}`] : []),
  ]
  await writeFile(
    join(inbox, `${uid}_.eml`),
    `${head.join('\r\n')}\r\n\r\nThank you, that suits me well. I shall come by on Thursday.\r\n\r\nOn Mon, 2 Nov 2026, Office <${office}> wrote:\r\n${quoted}\r\n`,
  )
}
const { practice, imapPort } = await startPracticeHost(folder, office)
const imap = { host: '127.0.0.1', port: imapPort, security: 'none' as const, allowSelfSigned: false }
await db.query("INSERT INTO read_folders (mailbox_id, path, uid_validity, last_uid) VALUES ($1, 'INBOX', 7, $2)", [
  mailbox.id,
  mails,
])
await ask(routes.changeMailbox, {
  params: { mailbox: mailbox.id },
  // Its host files by itself: what left before is not to be filed while it is measured.
  body: { ...mailboxSettingsSchema.parse(mailbox), junk: false, imap, hostFilesSent: true, password: 'practice' },
})
await handPost.parts.inbox.read(mailbox.id)

async function ours(): Promise<void> {
  await db.query('DELETE FROM tray')
  await db.query('DELETE FROM responses')
  await db.query('UPDATE read_folders SET last_uid = 0')
  const found = await handPost.parts.inbox.read(mailbox.id)
  if (found !== answers) throw new Error(`${found} answers were found, and not ${answers}.`)
}
async function bare(): Promise<void> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: imapPort,
    secure: false,
    doSTARTTLS: false,
    auth: { user: office, pass: 'practice' },
    logger: false,
  })
  await client.connect()
  await client.mailboxOpen('INBOX', { readOnly: true })
  let n = 0
  for await (const _ of client.fetch('1:*', { uid: true, internalDate: true, headers: wantedHeaders })) n++
  for await (const _ of client.fetch(answered.join(','), { uid: true, source: true }, { uid: true })) n++
  if (n !== mails + answers) throw new Error(`${n} were fetched.`)
  await client.logout()
}
const [read, fetched] = await quickest(2, ours, bare)
print({
  name: `Reading ${mails} mails of which ${answers} answer letters, against the bare library fetching the same`,
  ours: read,
  baseline: fetched,
  unit: 'ms',
  asked: 'at most 1.5 times',
  kept: read <= 1.5 * fetched,
})

// As many as somebody might have let lie.
await db.query(
  `INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, found_by, pile)
   SELECT message_id, kind, at - n, details, of, address, mail_id || n, found_by, pile FROM responses, generate_series(1, 3) n LIMIT $1`,
  [open - answers],
)
const bareRows = `SELECT q.id, q.kind, q.pile, q.at, m.person, m.address, m.subject, r.title, left(q.details->>'words', 240) AS words
  FROM responses q JOIN messages m ON m.id = q.message_id JOIN rounds r ON r.id = m.round_id ORDER BY q.at DESC`
const [opened, rows] = await quickest(
  5,
  async () => {
    const { lines } = await ask(routes.inTray)
    if (lines.length !== open) throw new Error(`${lines.length} entries`)
  },
  async () => JSON.parse(JSON.stringify(await db.query(bareRows))),
)
print({
  name: `The in-tray with ${open} open entries, opened, against the same rows out of the bare database`,
  ours: opened,
  baseline: rows,
  unit: 'ms',
  asked: 'at most 300 ms',
  kept: opened <= 300,
})
const { lines } = await ask(routes.inTray)
let at = 0
const [next, one] = await quickest(
  20,
  () => ask(routes.trayEntry, { params: { response: lines[at++].id } }),
  () => db.query('SELECT details FROM responses WHERE id = $1', [lines[at].id]),
)
print({
  name: 'The next entry with all its words, its letter and its row, against its words out of the bare database',
  ours: next,
  baseline: one,
  unit: 'ms',
  asked: 'at most 50 ms',
  kept: next <= 50,
})
practice.disconnect()
await sending.close()
await rm(folder, { recursive: true, force: true })
