import { Readable } from 'node:stream'
import type { MailboxSettings } from '@hand-post/contract'
import { connectionFault, type SendFailure } from '@hand-post/core'
import { ImapFlow } from 'imapflow'
import SMTPConnection from 'nodemailer/lib/smtp-connection'
import { Refusal } from '../problem.ts'
import { guardedTransport, TooMuch } from './guardedSocket.ts'
import { maskSecret } from './mask.ts'

type Host = MailboxSettings['smtp']

/** What a connection needs to know of a mailbox. */
export interface Access {
  smtp: Host
  imap: Host | null
  user: string
  password: string
}

const certificateCodes = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
  'UNABLE_TO_GET_ISSUER_CERT_LOCALLY',
])

interface NetworkError extends Error {
  code?: string
  responseCode?: number
  response?: string
  command?: string
  authenticationFailed?: boolean
  responseText?: string
  cause?: unknown
}

/** What the host said when it did not take a recipient. */
type Refused = NetworkError & { recipient?: string }

/** How much of what a host says is shown or kept, in characters. */
const mostSaid = 500

/** What a host said, as it may be shown and kept: cut to a length, and without the password, whatever the host made of it. */
const saidBy = (text: string, { user, password }: Pick<Access, 'user' | 'password'>): string =>
  maskSecret(text, password, user).slice(0, mostSaid)

/** Says in words why a host could not be used: what, where, and what to do. */
export function connectionWords(error: unknown, host: Host): string {
  const e = error as NetworkError
  const cause = e.cause as NetworkError | undefined
  const code = cause?.code ?? e.code ?? ''
  const message = `${e.message} ${cause?.message ?? ''}`
  const where = `${host.host}, port ${host.port}`
  if (
    error instanceof TooMuch ||
    e.code === 'EPROTOCOL' ||
    /exceeds maximum|too large|TooLarge|TooManyTokens/i.test(`${code} ${message}`)
  )
    return `${where} sends far more than it was asked for, so the connection was closed. Look whether it is a mail host.`
  if (code === 'ECONNREFUSED' || /ECONNREFUSED/.test(message))
    return `Nothing answers at ${where}. Check the host's name and the port.`
  if (code === 'EDNS' || /ENOTFOUND|EAI_AGAIN/.test(message))
    return `There is no host called ${host.host}, or the network is down. Check the name.`
  if (certificateCodes.has(code) || /self.signed|unable to verify/i.test(message))
    return `The certificate of ${host.host} is signed by nobody this machine knows. Only if you know why, allow it below for this host.`
  if (/CERT_HAS_EXPIRED|certificate has expired/i.test(`${code} ${message}`))
    return `The certificate of ${host.host} has run out. Tell whoever runs the host.`
  if (/ALTNAME|altnames/i.test(`${code} ${message}`))
    return `The certificate at ${where} belongs to another name. Check the host's name.`
  if (/wrong version number|packet length too long|SSL routines/i.test(message))
    return `${where} does not speak TLS from the start. Choose STARTTLS, or another port.`
  if (/STARTTLS/i.test(message)) return `${where} does not offer STARTTLS. Choose TLS, or another port.`
  if (/timeout|ETIMEDOUT/i.test(`${code} ${message}`))
    return `${where} did not answer in time. Check the port, or whether a firewall is between.`
  return `${where}: ${e.response ?? e.responseText ?? e.message}`
}

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

const waits = { connectionTimeout: 15_000, greetingTimeout: 15_000, socketTimeout: 60_000 }
/** How long (ms) connecting and signing in may take in all, however slowly a host speaks; and handing over one message. */
const patience = 60_000
const mostToSend = 15 * 60_000

/** One connection to a submission host, used for one message after another. */
export class SmtpLine {
  private connection: SMTPConnection | null = null
  /** Called with whatever breaks the connection while something is being waited for. */
  private broken: (error: NetworkError) => void = () => {}

  /** @param mostToOpen how long (ms) connecting and signing in may take in all. */
  constructor(
    private readonly access: Pick<Access, 'smtp' | 'user' | 'password'>,
    private readonly mostToOpen = patience,
  ) {}

  /** Connects and signs in, where that is not done yet. Throws SendError. */
  async open(): Promise<void> {
    if (this.connection) return
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
      ...waits,
    })
    const tooSlow = setTimeout(() => {
      this.broken(new Error('timeout: it speaks too slowly'))
      connection.close()
    }, this.mostToOpen)
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
        (done) => connection.login({ user, pass: password }, (error?: Error | null) => done(error as NetworkError)),
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
      tooSlow = setTimeout(() => fail(new Error('timeout: it speaks too slowly')), mostToSend)
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
    this.connection = null
    this.broken = () => {}
    connection?.quit()
    connection?.close()
  }
}

/** What a host may say in one piece: a line, a literal, a whole answer with all its parts. */
const largestOfHost = {
  maxLineLength: 1_000_000,
  maxLiteralSize: 110_000_000,
  maxResponseSize: 120_000_000,
  maxResponseTokens: 200_000,
}
/** After how long (ms) a listening for news is begun anew, and a silent host given up. */
const listenFor = 90_000
const silentFor = 2 * 60_000
/** How long (ms) after the last command it is listened for news (IDLE, RFC 2177). */
const listensAfter = 200

/** What is needed to read a mailbox. */
export type ImapAccess = Pick<Access, 'imap' | 'user' | 'password'>

/** Says in words what went wrong with an IMAP host, without anything secret. */
export function imapWords(error: unknown, access: ImapAccess): string {
  const { message, responseText } = error as NetworkError
  const words = responseText && /^Command failed/i.test(message) ? responseText : message
  return saidBy(words ?? String(error), access)
}

/** Opens an IMAP connection, in `mostToOpen` ms at most. Throws an error whose message says in words what is the matter. */
export async function openImap(access: ImapAccess, mostToOpen = patience): Promise<ImapFlow> {
  const { imap, user, password } = access
  if (!imap) throw new Error('This mailbox has no IMAP host: copies cannot be filed, nor answers read.')
  const fault = connectionFault(imap.host, imap.security)
  if (fault) throw new Error(fault)
  const client = new ImapFlow({
    host: imap.host,
    port: imap.port,
    secure: imap.security === 'tls',
    doSTARTTLS: imap.security === 'starttls',
    tls: { rejectUnauthorized: !imap.allowSelfSigned },
    auth: { user, pass: password },
    logger: false,
    transport: guardedTransport,
    ...largestOfHost,
    ...waits,
    maxIdleTime: listenFor,
    autoIdleDelay: listensAfter,
    socketTimeout: silentFor,
  })
  client.on('error', (error: Error) => brokenBy.set(client, error))
  const tooSlow = setTimeout(() => client.close(), mostToOpen)
  try {
    await client.connect()
  } catch (error) {
    client.close()
    const e = error as NetworkError
    if (e.authenticationFailed)
      throw new Error(
        `The IMAP host refused the sign-in: ${saidBy(e.responseText ?? 'user or password is wrong', access)}.`,
      )
    throw new Error(saidBy(connectionWords(error, imap), access))
  } finally {
    clearTimeout(tooSlow)
  }
  return client
}

/** What broke a connection: whoever waited for an answer is told only that there is none any more. */
const brokenBy = new WeakMap<ImapFlow, Error>()

/** How long (ms) one piece of work in a mailbox may take. */
const mostToWork = 10 * 60_000

/**
 * Does a piece of work in a mailbox: opens it, and closes it after. However slowly its host speaks, it ends in time.
 * @throws an error whose message says in words what is the matter, without anything secret; refusals as they are.
 */
export async function usingImap<T>(
  access: ImapAccess,
  work: (client: ImapFlow) => Promise<T>,
  most: number = mostToWork,
): Promise<T> {
  const client = await openImap(access)
  try {
    return await inTime(client, work(client), most)
  } catch (error) {
    if (error instanceof Refusal) throw error
    throw new Error(imapWords(error, access))
  } finally {
    await leaveImap(client)
  }
}

/** Waits for work with a mailbox, and closes it when that takes too long: the work fails then. */
export async function inTime<T>(client: ImapFlow, work: Promise<T>, most: number): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      reject(new Error(`The mail host did not come to an end within ${Math.round(most / 60_000)} minutes.`))
      client.close()
    }, most)
  })
  try {
    return await Promise.race([work, late])
  } catch (error) {
    throw (client.usable ? null : brokenBy.get(client)) ?? error
  } finally {
    clearTimeout(timer)
    work.catch(() => {})
  }
}

/** Signs out, or closes the connection when the host does not answer that soon. */
async function leaveImap(client: ImapFlow): Promise<void> {
  const timer = setTimeout(() => client.close(), 5000)
  await client.logout().catch(() => client.close())
  clearTimeout(timer)
}

/** The path of a box by its special use (RFC 6154), else by its name. Null when there is none. */
async function boxPath(client: ImapFlow, use: string, name: RegExp): Promise<string | null> {
  const boxes = await client.list()
  return (boxes.find((b) => b.specialUse === use) ?? boxes.find((b) => name.test(b.path)))?.path ?? null
}

/** The path of the box that sent mail lies in. */
export const sentPath = (client: ImapFlow): Promise<string | null> =>
  boxPath(client, '\\Sent', /^(inbox[./])?sent( (items|mail|messages))?$/i)

/** The path of the box that drafts lie in. */
export const draftsPath = (client: ImapFlow): Promise<string | null> =>
  boxPath(client, '\\Drafts', /^(inbox[./])?drafts?$/i)
