import { SMTPServer, type SMTPServerAddress, type SMTPServerSession } from 'smtp-server'
import { mailScope } from './authorization.ts'
import type { Clock } from './clock.ts'
import type { Correspondents } from './correspondents.ts'
import { headerOf, headOf, type MailStore } from './store.ts'

/** What the host lets a signed-in account do. */
export interface HostLimits {
  /** Recipients in any 24 hours. */
  perDay: number
  /** Messages in any minute. */
  perMinute: number
  /** Octets of one message. */
  largestMessage: number
}

export interface SmtpOptions {
  store: MailStore
  correspondents: Correspondents
  clock: Clock
  limits: HostLimits
  /** Whether the host itself keeps a copy of what is sent in Sent. */
  filesSent: boolean
  signIn: (user: string, password: string) => boolean
  /** Says whether an access token stands for a user. */
  holds: (user: string, token: string) => Promise<boolean>
  /** The account that an address belongs to, or null. */
  accountOf: (address: string) => string | null
  /** Takes note of an address that an account has written from. */
  wroteFrom: (user: string, address: string) => void
  /** Where the mail of a rehearsal goes, when the user is one; else null. */
  rehearsalOf: (user: string) => MailStore | null
}

const day = 24 * 60 * 60 * 1000

function answer(code: number, words: string): Error {
  return Object.assign(new Error(words), { responseCode: code })
}

/** Makes a submission host (RFC 6409) that wants signing in and answers its limits with the codes of RFC 3463. */
export function smtpHost({
  store,
  correspondents,
  clock,
  limits,
  filesSent,
  signIn,
  holds,
  accountOf,
  wroteFrom,
  rehearsalOf,
}: SmtpOptions): SMTPServer {
  const departures: { user: string; at: number; recipients: number }[] = []
  /** What other connections of the same user have in hand counts too, or several at once would pass the limit. */
  const sessions = new Set<SMTPServerSession>()
  const greeted = new Map<string, number>()
  const within = (user: string, span: number) => departures.filter((d) => d.user === user && d.at > clock.now() - span)

  return new SMTPServer({
    authMethods: ['PLAIN', 'LOGIN', 'XOAUTH2'],
    allowInsecureAuth: true,
    // It lives on loopback only and has no certificate of its own.
    disabledCommands: ['STARTTLS'],
    size: limits.largestMessage,
    banner: 'practice SMTP host',
    disableReverseLookup: true,
    onConnect(session, done) {
      sessions.add(session)
      done()
    },
    onClose(session) {
      sessions.delete(session)
    },
    onAuth(auth, _session, done) {
      const { username, accessToken } = auth
      if (auth.method === 'XOAUTH2')
        return void holds(username ?? '', accessToken ?? '').then(
          (may) =>
            may
              ? done(null, { user: username!.toLowerCase() })
              : done(null, { data: { status: '401', schemes: 'bearer', scope: mailScope } }),
          done,
        )
      if (auth.username && auth.password && signIn(auth.username, auth.password))
        done(null, { user: auth.username.toLowerCase() })
      else done(answer(535, '5.7.8 User or password is wrong'))
    },
    onMailFrom(_from, session, done) {
      const user = String(session.user)
      if (rehearsalOf(user)) return done()
      if (within(user, 60_000).length >= limits.perMinute)
        return done(answer(450, '4.7.0 Too many messages a minute, slow down'))
      done()
    },
    onRcptTo(to, session, done) {
      const user = String(session.user)
      if (rehearsalOf(user)) return done()
      const used = [...sessions]
        .filter((s) => s.user === session.user)
        .reduce(
          (sum, s) => sum + s.envelope.rcptTo.length,
          within(user, day).reduce((sum, d) => sum + d.recipients, 0),
        )
      if (used + 1 > limits.perDay)
        return done(answer(452, `4.5.3 This account has written to its ${limits.perDay} recipients in 24 hours`))
      const manner = accountOf(to.address) !== null ? {} : correspondents.manner(to.address)
      if (manner.refused) return done(answer(550, `5.1.1 <${to.address}> no such mailbox`))
      if (manner.greylisted) {
        const first = greeted.get(to.address)
        if (first === undefined) {
          greeted.set(to.address, clock.now())
          return done(answer(451, '4.7.1 Greylisted, please try again in five minutes'))
        }
        if (clock.now() - first < 60_000) return done(answer(451, '4.7.1 Greylisted, please try again in five minutes'))
      }
      done()
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = []
      stream.on('data', (chunk: Buffer) => chunks.push(chunk))
      stream.on('end', () => {
        if (stream.sizeExceeded)
          return done(answer(552, `5.3.4 The message is larger than ${limits.largestMessage} octets`))
        const user = String(session.user)
        const recipients = session.envelope.rcptTo as SMTPServerAddress[]
        const raw = Buffer.concat(chunks)
        take(raw, user, recipients).then(
          () => {
            if (!rehearsalOf(user)) departures.push({ user, at: clock.now(), recipients: recipients.length })
            done(null, '2.0.0 Taken')
          },
          (error: Error) => done(answer(452, `4.3.1 The host could not keep the message: ${error.message}`)),
        )
      })
    },
  })

  async function take(raw: Buffer, user: string, recipients: SMTPServerAddress[]): Promise<void> {
    const rehearsal = rehearsalOf(user)
    if (rehearsal) {
      // A rehearsal lives its days through in seconds: each message comes in at the time that stands in it.
      const at = new Date(Date.parse(headerOf(headOf(raw), 'date')) || clock.now())
      for (const { address } of recipients) await rehearsal.add(address, 'INBOX', raw, at)
      return
    }
    const at = new Date(clock.now())
    const from = /<([^<>]+)>\s*$/.exec(headerOf(headOf(raw), 'from'))?.[1] ?? headerOf(headOf(raw), 'from')
    wroteFrom(user, from.trim())
    for (const { address } of recipients) {
      const stored = await store.add(accountOf(address) ?? address, 'INBOX', raw, at)
      correspondents.arrived(address, stored.path)
    }
    if (filesSent) await store.add(user, 'Sent', raw, at, ['\\Seen'])
  }
}
