import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import { isIPv6 } from 'node:net'
import { routes } from '@hand-post/contract'
import type { CookieOptions, Request, Response } from 'express'
import { Refusal } from '../problem.ts'
import { Guesses } from './guesses.ts'
import { clientAddress } from './proxy.ts'

/** A session ends after so long without use, and after so long in any case (OWASP ASVS 4.0.3, 3.3.2), in ms. */
const idleFor = 30 * 60_000
const lastsFor = 12 * 60 * 60_000
/** How many sessions there are at a time; the one unused longest gives way. */
const maxSessions = 1000
/** How long a browser that signed in is known again, in ms. */
const knownFor = 365 * 24 * 60 * 60_000

interface Session {
  begun: number
  used: number
  ended: AbortController
}

/** What is needed to keep a password's door. */
export interface SignInParts {
  /** Undefined: the desk is open to whoever reaches it, which is this machine. */
  password: string | undefined
  /** Signs what a known browser keeps. */
  signingKey: Buffer
  overTls: boolean
  /** The address of the proxy that stands before the desk. */
  proxy: string | undefined
  now?: () => number
  guesses?: Guesses
}

/** Signing in: sessions, which live in memory so that a restart asks again, and the checking of passwords. */
export class SignIn {
  private readonly sessions = new Map<string, Session>()
  private readonly guesses: Guesses
  private readonly now: () => number
  /** Prefixed, browsers take the cookie only over TLS and from this very host (RFC 6265bis, section 4.1.3.2). */
  private readonly sessionCookie: string
  private readonly knownCookie: string

  constructor(private readonly parts: SignInParts) {
    this.now = parts.now ?? (() => Date.now())
    this.guesses = parts.guesses ?? new Guesses(this.now)
    this.sessionCookie = parts.overTls ? '__Host-desk' : 'desk'
    this.knownCookie = parts.overTls ? '__Secure-known' : 'known'
  }

  /** Whether there is a password at all. */
  get needed(): boolean {
    return this.parts.password !== undefined
  }

  /**
   * Lets only callers pass that are signed in.
   * @param counts whether the call is a use of the session; listening for changes is none.
   * @returns what fires when the session ends.
   */
  require(req: Request, counts = true): AbortSignal {
    if (!this.needed) return new AbortController().signal
    this.sweep()
    const session = this.sessions.get(print(cookieOf(req, this.sessionCookie)))
    if (!session) throw new Refusal(401, 'Sign in first.', 'Not signed in')
    if (counts) session.used = this.now()
    return session.ended.signal
  }

  /** Signs a caller in whose password is right. Throws a refusal when it is not. */
  async begin(req: Request, res: Response, given: string): Promise<void> {
    const { password } = this.parts
    if (password === undefined) return
    const device = this.deviceOf(req)
    const caller = device === null ? `from ${callerAddress(req, this.parts.proxy)}` : `known ${device}`
    await this.guesses.turn(caller, print(given))
    if (!timingSafeEqual(digest(given), digest(password)))
      throw new Refusal(401, 'That is not the password. Try again.', 'Not signed in')
    this.guesses.right(caller)
    const name = randomBytes(24).toString('base64url')
    const now = this.now()
    // A session that was there before ends: each signing in gets one of its own (ASVS 3.2.1).
    this.endSession(cookieOf(req, this.sessionCookie))
    this.sessions.set(print(name), { begun: now, used: now, ended: new AbortController() })
    this.sweep()
    const cookie: CookieOptions = { httpOnly: true, sameSite: 'strict', secure: this.parts.overTls }
    res.cookie(this.sessionCookie, name, { ...cookie, path: '/' })
    res.cookie(this.knownCookie, this.knownText(device ?? randomBytes(16).toString('base64url')), {
      ...cookie,
      path: routes.signIn.path,
      maxAge: knownFor,
    })
  }

  /** Ends a caller's session, and all that listens in it. */
  end(req: Request, res: Response): void {
    this.endSession(cookieOf(req, this.sessionCookie))
    res.clearCookie(this.sessionCookie, { path: '/', secure: this.parts.overTls })
    res.set('clear-site-data', '"cache"')
  }

  private endSession(name: string): void {
    const key = print(name)
    this.sessions.get(key)?.ended.abort()
    this.sessions.delete(key)
  }

  private sweep(): void {
    const now = this.now()
    const over = [...this.sessions].filter(([, s]) => now - s.used > idleFor || now - s.begun > lastsFor)
    const left = this.sessions.size - over.length - maxSessions
    if (left > 0) over.push(...[...this.sessions].sort(([, a], [, b]) => a.used - b.used).slice(0, left))
    for (const [key, session] of over) {
      session.ended.abort()
      this.sessions.delete(key)
    }
  }

  /** What a known browser keeps: a name and its signature, which another password makes worthless. */
  private knownText(device: string): string {
    const mac = createHmac('sha256', this.parts.signingKey).update(
      `known ${device} ${print(this.parts.password ?? '')}`,
    )
    return `${device}.${mac.digest('base64url')}`
  }
  private deviceOf(req: Request): string | null {
    const kept = cookieOf(req, this.knownCookie)
    const device = /^[\w-]{22}(?=\.)/.exec(kept)?.[0]
    return device && timingSafeEqual(digest(kept), digest(this.knownText(device))) ? device : null
  }
}

const digest = (text: string) => createHash('sha256').update(text).digest()
const print = (text: string) => digest(text).toString('base64url')

function cookieOf(req: Request, name: string): string {
  for (const part of (req.get('cookie') ?? '').split(';')) {
    const [key, value] = part.trim().split('=', 2)
    if (key === name) return value ?? ''
  }
  return ''
}

/** Where a request comes from. Of IPv6 the first 64 bits: one household has all that follow. */
function callerAddress(req: Request, proxy: string | undefined): string {
  const address = clientAddress(req, proxy)
  return isIPv6(address) ? address.split(':').slice(0, 4).join(':') : address
}
