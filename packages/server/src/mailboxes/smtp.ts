import { Readable } from 'node:stream'
import { connectionFault, type SendFailure } from '@hand-post/core'
import SMTPConnection from 'nodemailer/lib/smtp-connection'
import type { Access } from './access.ts'
import { connectionWords, type NetworkError, patience, saidBy, waits } from './hostWords.ts'
import { TokenError } from './oauth.ts'

/** What the host said when it did not take a recipient. */
type Refused = NetworkError & { recipient?: string }

/** A failure of an attempt to send, with what core needs to judge it. */
export class SendError extends Error {
  constructor(
    readonly failure: SendFailure,
    /** What the host said of each recipient that it did not take, where it came to that. */
    readonly refused: ReadonlyMap<string, SendFailure> = new Map(),
  ) {
    super(failure.text)
  }
}

/** What a host said of a message that it took. */
export interface Taken {
  answer: string
  /** Recipients that it did not take, with what it said of each. */
  refused: ReadonlyMap<string, SendFailure>
}

const maxToSend = 15 * 60_000

/** Fields of SASL's bearer methods are separated by this, and cannot hold it. */
const separator = '\x01'

/**
 * Signs in by an access token: as RFC 7628 has it (OAUTHBEARER), or where a host offers only that by the older XOAUTH2. What is wrong is told
 * as a challenge, which is answered before the host refuses.
 */
async function bearer(
  { authMethods, sendCommand }: SMTPConnection.CustomAuthenticationContext,
  { host, port }: Access['smtp'],
  user: string,
  token: string,
): Promise<void> {
  const older = authMethods.includes('XOAUTH2')
  if (`${user}${token}`.includes(separator))
    throw new Error('The user name or the token holds a character that it cannot.')
  const name = user.replaceAll('=', '=3D').replaceAll(',', '=2C')
  const fields = older
    ? [`user=${user}`, `auth=Bearer ${token}`, '', '']
    : [`n,a=${name},`, `host=${host}`, `port=${port}`, `auth=Bearer ${token}`, '', '']
  const first = await sendCommand(
    `AUTH ${older ? 'XOAUTH2' : 'OAUTHBEARER'} ${Buffer.from(fields.join(separator)).toString('base64')}`,
  )
  const last = first.status === 334 ? await sendCommand(older ? '' : 'AQ==') : first
  if (last.status !== 235)
    throw Object.assign(new Error(last.response), { responseCode: last.status, response: last.response })
}

/** One connection to a submission host, used for one message after another. */
export class SmtpConnection {
  private connection: SMTPConnection | null = null
  /** Called with whatever breaks the connection while something is being waited for. */
  private broken: (error: NetworkError) => void = () => {}

  /** @param maxToOpen how long (ms) connecting and signing in may take in all. */
  constructor(
    private readonly access: Pick<Access, 'smtp' | 'user' | 'password' | 'token'>,
    private readonly maxToOpen = patience,
  ) {}

  /** Connects and signs in, where that is not done yet; with a token that its host refuses once more with a new one. Throws SendError. */
  async open(): Promise<void> {
    if (this.connection) return
    const { token } = this.access
    if (!token) return this.openWith(null)
    const had = async (getting: Promise<string>) => {
      try {
        return await getting
      } catch (error) {
        if (!(error instanceof TokenError)) throw error
        throw new SendError({ stage: 'signIn', code: error.final ? 535 : null, text: error.message })
      }
    }
    const first = await had(token.get())
    try {
      await this.openWith(first)
    } catch (error) {
      const { stage, code } = (error as SendError).failure ?? {}
      if (stage !== 'signIn' || (code ?? 0) < 500) throw error
      await this.openWith(await had(token.renew(first)))
    }
  }

  private async openWith(token: string | null): Promise<void> {
    const { smtp, user, password } = this.access
    const fault = connectionFault(smtp.host, smtp.security)
    if (fault) throw new SendError({ stage: 'connect', code: null, text: fault })
    const connection = new SMTPConnection({
      host: smtp.host,
      port: smtp.port,
      secure: smtp.security === 'tls',
      ignoreTLS: smtp.security === 'none',
      requireTLS: smtp.security === 'starttls',
      tls: { rejectUnauthorized: !smtp.allowSelfSigned },
      customAuth: { OAUTHBEARER: (context) => bearer(context, smtp, user, token ?? '') },
      ...waits,
    })
    const tooSlow = setTimeout(() => {
      this.broken(new Error('timeout: it speaks too slowly'))
      connection.close()
    }, this.maxToOpen)
    connection.on('error', (error: NetworkError) => this.broken(error))
    connection.on('end', () => {
      if (this.connection === connection) this.connection = null
      // The end is told before the error that caused it; the error has the better words and the host's code.
      const broken = this.broken
      setImmediate(() => broken(new Error('The host ended the connection.')))
    })
    const failed = (stage: SendFailure['stage']) => (error: NetworkError) => {
      connection.close()
      if (error.command === 'STARTTLS' || error.code === 'ETLS')
        return new SendError({ stage, code: null, text: connectionWords(new Error(`STARTTLS ${error.message}`), smtp) })
      const text = error.responseCode ? (error.response ?? error.message) : connectionWords(error, smtp)
      return new SendError({ stage, code: error.responseCode ?? null, text: saidBy(text, this.access) })
    }
    try {
      await this.step(
        (done) => connection.connect((error?: Error | null) => done(error as NetworkError)),
        failed('connect'),
      )
      await this.step(
        (done) =>
          connection.login(
            token === null ? { user, pass: password } : { method: 'OAUTHBEARER', user },
            (error?: Error | null) => done(error as NetworkError),
          ),
        failed('signIn'),
      )
    } finally {
      clearTimeout(tooSlow)
    }
    this.connection = connection
  }

  private step(
    start: (done: (error?: NetworkError | null) => void) => void,
    wrap: (error: NetworkError) => SendError,
  ): Promise<void> {
    return new Promise((resolve, reject) => {
      this.broken = (error) => reject(wrap(error))
      start((error) => (error ? reject(wrap(error)) : resolve()))
    })
  }

  /**
   * Hands over one message in one transaction.
   * @param inHand called when the host has taken recipients and waits for the message, before a byte of it is given over: only from
   *   then on may the message have gone. When it fails, nothing is given over.
   * @throws SendError, which says how far it got.
   */
  async send(
    envelope: { from: string; to: string[] },
    raw: Buffer,
    inHand: () => Promise<void> = async () => {},
  ): Promise<Taken> {
    await this.open()
    const connection = this.connection!
    let handedOver = false
    let notNoted: unknown = null
    const message = new Readable({
      read() {
        inHand().then(
          () => {
            handedOver = true
            this.push(raw)
            this.push(null)
          },
          (error) => {
            notNoted = error
            // The host drops what has no end (RFC 5321, section 4.1.1.4).
            connection.close()
            this.destroy()
          },
        )
      },
    })
    const saidOf = (of: Refused): SendFailure => ({
      stage: 'envelope',
      code: of.responseCode ?? null,
      text: saidBy(of.response ?? of.message, this.access),
    })
    const each = (all: Refused[] = []) => new Map(all.map((of) => [of.recipient ?? '', saidOf(of)]))
    let tooSlow: NodeJS.Timeout | undefined
    return new Promise<Taken>((resolve, reject) => {
      const fail = (error: NetworkError & { rejectedErrors?: Refused[] }) => {
        if (notNoted) return reject(notNoted)
        // Larger than the host said at its greeting that it takes: nothing was asked of it, and its answer is known (RFC 1870, 6.1).
        if (error.code === 'EMESSAGE' && error.command === 'MAIL FROM') {
          const text = `552 5.3.4 The message has ${raw.length} octets, which is more than it takes. ${saidBy(error.message, this.access)}`
          return reject(new SendError({ stage: 'envelope', code: 552, text }))
        }
        const code = error.responseCode ?? null
        // After a refusal the line may be used again; after anything else it may not.
        if (code === null || code === 421) this.close()
        const stage = handedOver ? 'message' : 'envelope'
        const text = saidBy(
          code === null ? connectionWords(error, this.access.smtp) : (error.response ?? error.message),
          this.access,
        )
        reject(new SendError({ stage, code, text }, each(error.rejectedErrors)))
      }
      this.broken = fail
      tooSlow = setTimeout(() => fail(new Error('timeout: it speaks too slowly')), maxToSend)
      connection.send({ ...envelope, size: raw.length }, message, (error, info) => {
        if (error) return fail(error as NetworkError)
        resolve({
          answer: saidBy(String(info.response), this.access),
          refused: each(info.rejectedErrors as Refused[] | undefined),
        })
      })
    }).finally(() => clearTimeout(tooSlow))
  }

  /** Makes the line fit for the next message after a refusal (RSET), or closes it. */
  reset(): Promise<void> {
    const connection = this.connection
    if (!connection) return Promise.resolve()
    return new Promise((resolve) => {
      this.broken = () => {
        this.close()
        resolve()
      }
      connection.reset((error) => {
        if (error) this.close()
        resolve()
      })
    })
  }

  close(): void {
    const connection = this.connection
    const { broken } = this
    this.connection = null
    this.broken = () => {}
    connection?.quit()
    connection?.close()
    // Whoever waits for an answer gets none any more.
    broken(new Error('The connection was closed here.'))
  }
}
