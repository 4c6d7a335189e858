import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import type { AddressInfo, Server } from 'node:net'
import { join } from 'node:path'
import { type AuthorizationServer, startAuthorization } from './authorization.ts'
import { type Clock, systemClock } from './clock.ts'
import { Correspondents, type Manner, mannerOf } from './correspondents.ts'
import { imapHost } from './imap.ts'
import { type HostLimits, smtpHost } from './smtp.ts'
import { type BoxName, MailStore } from './store.ts'

export { mailScope, practiceClient } from './authorization.ts'
export type { AuthorizationServer, BoxName, Clock, HostLimits, Manner }
export { MailStore, mannerOf }

export interface PracticeOptions {
  /** Where everything it gets is kept. */
  folder: string
  /** Accounts that may sign in: address → password. */
  accounts: Record<string, string>
  smtpPort?: number
  imapPort?: number
  /** Where its authorization server is; null is none. */
  signInPort?: number | null
  clock?: Clock
  limits?: Partial<HostLimits>
  /** Whether the host keeps sent mail in Sent by itself, as some do. */
  filesSent?: boolean
  seed?: string
  speed?: number
  manners?: Record<string, Manner>
  /** How often the correspondents look at their agenda, in milliseconds; 0 leaves it to calls of `doDue`. */
  lookEvery?: number
}

/** A running practice host. */
export interface PracticeMailbox {
  smtpPort: number
  imapPort: number
  store: MailStore
  correspondents: Correspondents
  /** Gives programs leave to use an account's mail; null where there is none. */
  authorization: AuthorizationServer | null
  close(): Promise<void>
}

/** Starts the practice mailbox: an SMTP submission host and an IMAP host on loopback, with simulated correspondents behind them. */
export async function startPractice(options: PracticeOptions): Promise<PracticeMailbox> {
  await mkdir(options.folder, { recursive: true })
  const clock = options.clock ?? systemClock
  const store = new MailStore(options.folder)
  const accounts = new Map(
    Object.entries(options.accounts).map(([address, password]) => [address.toLowerCase(), password]),
  )
  // A rehearsal is a user of its own, “rehearsal-” and a number, with the password of any account. What it sends comes into
  // inboxes that only it can look into; nobody answers there, and no limit is counted.
  const isRehearsal = (user: string) => /^rehearsal-\d+$/i.test(user)
  const rehearsals = new Map<string, MailStore>()
  const rehearsalOf = (user: string) => {
    const name = user.toLowerCase()
    if (!isRehearsal(name)) return null
    const known = rehearsals.get(name) ?? new MailStore(join(options.folder, 'rehearsals', name))
    rehearsals.set(name, known)
    return known
  }
  const signIn = (user: string, password: string) =>
    isRehearsal(user) ? [...accounts.values()].includes(password) : accounts.get(user.toLowerCase()) === password
  const authorization =
    options.signInPort === null
      ? null
      : await startAuthorization({
          folder: options.folder,
          port: options.signInPort,
          signIn: (user, password) => !isRehearsal(user) && signIn(user, password),
        })
  const holds = async (user: string, token: string) =>
    (await authorization?.userOf(token)) === user.toLowerCase() && accounts.has(user.toLowerCase())
  // Further addresses that accounts have written from: what comes to them comes to the account.
  const aliasesFile = join(options.folder, 'aliases.json')
  const aliases = new Map<string, string>(existsSync(aliasesFile) ? JSON.parse(readFileSync(aliasesFile, 'utf8')) : [])
  const accountOf = (address: string): string | null => {
    const key = address.toLowerCase()
    return accounts.has(key) ? key : (aliases.get(key) ?? null)
  }
  const wroteFrom = (user: string, address: string) => {
    const key = address.toLowerCase()
    // An account may write as others of its own domain, as mailboxes with several addresses do.
    if (accountOf(key) !== null || key.split('@')[1] !== user.split('@')[1]) return
    aliases.set(key, user)
    writeFileSync(aliasesFile, JSON.stringify([...aliases]))
  }
  const manners = Object.fromEntries(
    Object.entries(options.manners ?? {}).map(([address, manner]) => [address.toLowerCase(), manner]),
  )
  const correspondents = new Correspondents({
    store,
    clock,
    seed: options.seed ?? 'practice',
    speed: options.speed ?? 600,
    manners,
    agendaFile: join(options.folder, 'agenda.json'),
    accountOf,
  })
  const limits = { perDay: 500, perMinute: 120, largestMessage: 25_000_000, ...options.limits }
  const smtp = smtpHost({
    store,
    correspondents,
    clock,
    limits,
    filesSent: options.filesSent ?? false,
    signIn,
    holds,
    accountOf,
    wroteFrom,
    rehearsalOf,
  })
  const imap = imapHost({ store, signIn, holds, rehearsalOf })
  smtp.on('error', () => {})
  const [smtpPort, imapPort] = await Promise.all([
    listen(smtp.server as Server, options.smtpPort),
    listen(imap, options.imapPort),
  ])
  const lookEvery = options.lookEvery ?? 250
  const looking = lookEvery > 0 ? setInterval(() => void correspondents.doDue(), lookEvery) : null
  const connections = new Set<import('node:net').Socket>()
  imap.on('connection', (socket) => {
    connections.add(socket)
    socket.on('close', () => connections.delete(socket))
  })
  return {
    smtpPort,
    imapPort,
    store,
    correspondents,
    authorization,
    async close() {
      if (looking) clearInterval(looking)
      for (const socket of connections) socket.destroy()
      await Promise.all([
        authorization?.close(),
        new Promise<void>((done) => smtp.close(() => done())),
        new Promise<void>((done) => imap.close(() => done())),
      ])
    },
  }
}

function listen(server: Server, port = 0): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', () => {
      server.removeListener('error', reject)
      resolve((server.address() as AddressInfo).port)
    })
  })
}
