import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { type Manner, startPractice } from './index.ts'

// Starts the practice mailbox as a program of its own. Started with an IPC channel and PRACTICE_CLOCK=set, it takes its
// time from the messages { clock: ms }, and answers { settled: ms } when everything due by then has been done.
const env = process.env
process.umask(0o077)
const folder = env.PRACTICE_FOLDER ?? join('data', 'practice')
const setClock = env.PRACTICE_CLOCK === 'set'
let now = Number(env.PRACTICE_CLOCK_START) || Date.now()
const manners: Record<string, Manner> = env.PRACTICE_MANNERS
  ? JSON.parse(readFileSync(env.PRACTICE_MANNERS, 'utf8'))
  : {}

// Accounts that may sign in, as address:password, several separated by commas.
const accounts = (env.PRACTICE_ACCOUNTS ?? 'office@practice.example:practice').split(',').map((a) => {
  const colon = a.indexOf(':')
  return [a.slice(0, colon).trim(), a.slice(colon + 1)]
})

const practice = await startPractice({
  folder,
  accounts: Object.fromEntries(accounts),
  smtpPort: Number(env.HAND_POST_PRACTICE_SMTP_PORT ?? 4725),
  imapPort: Number(env.HAND_POST_PRACTICE_IMAP_PORT ?? 4743),
  signInPort: Number(env.HAND_POST_PRACTICE_SIGN_IN_PORT ?? 4744),
  seed: env.PRACTICE_SEED,
  speed: Number(env.PRACTICE_SPEED) || undefined,
  limits: {
    ...(env.PRACTICE_PER_DAY ? { perDay: Number(env.PRACTICE_PER_DAY) } : {}),
    ...(env.PRACTICE_PER_MINUTE ? { perMinute: Number(env.PRACTICE_PER_MINUTE) } : {}),
  },
  filesSent: env.PRACTICE_FILES_SENT === '1',
  manners,
  clock: setClock ? { now: () => now } : undefined,
  lookEvery: setClock ? 0 : undefined,
})
process.on('message', (message: { clock?: number }) => {
  if (!setClock || typeof message.clock !== 'number') return
  now = message.clock
  practice.correspondents.doDue().then(() => process.send?.({ settled: now }))
})
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.once(signal, () => practice.close().then(() => process.exit(0)))
process.once('disconnect', () => practice.close().then(() => process.exit(0)))
console.log(JSON.stringify({ practice: { smtpPort: practice.smtpPort, imapPort: practice.imapPort } }))
process.send?.({ ready: true })
