import { createHash, createHmac, randomBytes } from 'node:crypto'
import { isIPv6 } from 'node:net'
import { type AccountRole, accountRoles, routes } from '@hand-post/contract'
import type { DeedDetails } from '@hand-post/core'
import type { CookieOptions, Request, Response } from 'express'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Events } from '../events.ts'
import type { Caller, Door } from '../http/handle.ts'
import { clientAddress } from '../http/proxy.ts'
import { Refusal } from '../problem.ts'
import { isSameSecret, type Secrets } from '../secrets.ts'
import { actAs } from '../who.ts'
import { recoveryPrint, stepOf } from './codes.ts'
import { noteDeed } from './deeds.ts'
import { Guesses } from './guesses.ts'
import { isPassword } from './passwords.ts'
import * as store from './store.ts'

/** A session ends after so long without use, and after so long in any case (OWASP ASVS 4.0.3, 3.3.2), in ms. */
const idleFor = 30 * 60_000
const lastsFor = 12 * 60 * 60_000
/** How often (ms) it is noted that a session is in use, and that windows that listen are looked through. */
const notedEvery = 30_000
const sweptEvery = 60_000
/** How many sessions an account has at a time, and how many there are by the desk's password; the one unused longest gives way. */
const maxOfAccount = 50
const maxOfPassword = 1000
/** How long a browser that signed in is known again, in ms. */
const knownFor = 365 * 24 * 60 * 60_000

/** What is needed to keep the door. */
export interface SignInParts {
  db: Database
  clock: Clock
  /** The desk's password, for as long as there are no accounts. Undefined: the desk is open to whoever reaches it, which is this machine. */
  password: string | undefined
  secrets: Pick<Secrets, 'signingKey' | 'unlock'>
  overTls: boolean
  /** The address of the proxy that stands before the desk. */
  proxy: string | undefined
  /** What the office's sign-in service is called, where there is one. */
  service: string | null
  publish: Events['publish']
  subscribe: Events['subscribe']
  now?: () => number
  guesses?: Guesses
}

/** Who signs in, as far as the door needs to know. */
type Whose = Pick<store.AccountRecord, 'id' | 'name'> | null

/** Signing in: sessions, which all desks of a database know, and the checking of passwords and codes. */
export class SignIn implements Door {
  private readonly guesses: Guesses
  private readonly now: () => number
  /** Prefixed, browsers take the cookie only over TLS and from this very host (RFC 6265bis, section 4.1.3.2). */
  private readonly sessionCookie: string
  private readonly knownCookie: string
  /** What ends calls that last, by the digest of their session's cookie. */
  private readonly open = new Map<string, AbortController>()
  private accounts = false
  private timer: NodeJS.Timeout | null = null
  private readonly unsubscribe: () => void

  constructor(private readonly parts: SignInParts) {
    this.now = parts.now ?? (() => Date.now())
    this.guesses = parts.guesses ?? new Guesses(this.now)
    this.sessionCookie = parts.overTls ? '__Host-desk' : 'desk'
    this.knownCookie = parts.overTls ? '__Secure-known' : 'known'
    this.unsubscribe = parts.subscribe(({ topic }) => {
      if (topic === 'accounts' || topic === 'everything') void this.look().catch(() => {})
    })
  }

  /** Looks whether there are accounts, now and whenever they change, and ends what listens in sessions that are over. */
  async start(): Promise<void> {
    await this.look()
    this.timer = setInterval(() => void this.sweep().catch(() => {}), sweptEvery)
    this.timer.unref()
  }

  stop(): void {
    this.unsubscribe()
    if (this.timer) clearInterval(this.timer)
  }

  private async look(): Promise<void> {
    this.accounts = await store.hasAccounts(this.parts.db)
    await this.sweep()
  }

  private get needed(): boolean {
    return this.accounts || this.parts.password !== undefined
  }

  facts() {
    const { accounts, needed } = this
    return { asksPassword: needed, accounts, service: accounts ? this.parts.service : null }
  }

  async require(req: Request, counts = true): Promise<Caller> {
    if (!this.needed) return { account: null, roles: accountRoles, session: null, ended: new AbortController().signal }
    const name = cookieOf(req, this.sessionCookie)
    if (name === '') throw new Refusal(401, 'Sign in first.', 'Not signed in')
    const cookie = print(name)
    const { db } = this.parts
    // Kept before it is looked for: a session that is ended meanwhile ends this too.
    const ends = this.open.get(cookie) ?? new AbortController()
    this.open.set(cookie, ends)
    const session = await store.sessionBy(db, cookie)
    if (!session || !this.lasts(session)) {
      if (this.open.get(cookie) === ends) this.open.delete(cookie)
      ends.abort()
      throw new Refusal(401, 'Sign in first.', 'Not signed in')
    }
    const now = this.now()
    if (counts && now - session.used > notedEvery) await store.noteUse(db, session, now)
    const roles: readonly AccountRole[] = session.account === null ? accountRoles : store.rolesOf(session)
    return {
      account: session.account === null ? null : { id: session.account, name: session.name! },
      roles,
      session: session.id,
      ended: ends.signal,
    }
  }

  private lasts({ account, accounts, passwordPrint, begun, used }: store.SessionRecord): boolean {
    const over = this.over()
    if (used < over.idle || begun < over.begun) return false
    // Once there are accounts, or another password, whoever had come by the desk's signs in anew.
    return account !== null || (!accounts && passwordPrint === this.deskPrint())
  }

  /** Before when a session must not have been used last, or have begun. */
  private over() {
    const now = this.now()
    return { idle: now - idleFor, begun: now - lastsFor }
  }
  private deskPrint(): string {
    return print(`${this.parts.secrets.signingKey.toString('base64')} ${this.parts.password ?? ''}`)
  }

  /**
   * Signs a caller in whose password is right, and whose code, where one is asked for. Throws a refusal when it is not. Whoever has no
   * account is answered as those are whose password is wrong, in the same words and as late.
   * @returns what else is needed.
   */
  async begin(
    req: Request,
    res: Response,
    given: { address: string; password: string; code: string },
  ): Promise<'code' | null> {
    const { db, password } = this.parts
    // What another process has begun may not have been heard here yet.
    if (!this.accounts) await this.look()
    if (!this.accounts) {
      if (password === undefined) return null
      const device = this.deviceOf(req, this.deskPrint())
      const caller = device === null ? `from ${callerAddress(req, this.parts.proxy)}` : `known ${device}`
      await this.guesses.turn(caller, print(given.password))
      if (!isSameSecret(given.password, password))
        throw new Refusal(401, 'That is not the password. Try again.', 'Not signed in')
      this.guesses.right(caller)
      await this.admit(req, res, null, 'password')
      return null
    }
    const address = given.address.toLowerCase()
    const account = await store.accountOf(db, address)
    const device = account === null ? null : this.deviceOf(req, tieOf(account))
    // Guessed at from many places, an account is looked at slowly all the same, but for browsers that it signed in with before.
    const callers =
      device === null
        ? [`from ${callerAddress(req, this.parts.proxy)}`, `at ${address.slice(0, 254)}`]
        : [`known ${device}`]
    const tried = print(`${address} ${given.password} ${given.code}`)
    for (const caller of callers) await this.guesses.turn(caller, tried)
    if (!(await isPassword(given.password, account?.password ?? null)) || account === null)
      throw new Refusal(401, 'Address and password do not belong together. Try again.', 'Not signed in')
    if (account.codeSecret !== null) {
      if (given.code === '') return 'code'
      if (!(await this.isCode(account, given.code)))
        throw new Refusal(
          401,
          'That is not the code of this moment, or it was used already. Wait for the next one, or type a recovery code.',
          'Not signed in',
        )
    }
    for (const caller of callers) this.guesses.right(caller)
    await this.admit(req, res, account, account.codeSecret === null ? 'password' : 'code')
    return null
  }

  /** Whether a code of this moment, or a recovery code, is an account's; each is taken once. */
  private async isCode({ id, codeSecret }: store.AccountRecord, code: string): Promise<boolean> {
    const step = this.stepOf(this.parts.secrets.unlock(codeSecret!), code)
    if (step !== null) return store.takeStep(this.parts.db, id, step)
    return store.takeRecovery(this.parts.db, id, recoveryPrint(code))
  }

  /** Which step's code this is just now, or null. */
  stepOf(secret: string, code: string): number | null {
    return stepOf(secret, code.replace(/\s/g, ''), this.now())
  }

  /** Whether a password is the one of whoever is signed in; slow to guess here too. */
  async confirm(account: store.AccountRecord, password: string): Promise<void> {
    const caller = `in ${account.id}`
    await this.guesses.turn(caller, print(password))
    if (!(await isPassword(password, account.password)))
      throw new Refusal(403, 'That is not your password. Nothing was changed.', 'Wrong password')
    this.guesses.right(caller)
  }

  /**
   * Begins a session; one that this browser had before ends: each signing in gets one of its own (ASVS 3.2.1).
   * @param by by what somebody has signed in, which is noted; null where something else is noted of it.
   */
  async admit(req: Request, res: Response, whose: Whose, by: DeedDetails<'signedIn'>['by'] | null): Promise<void> {
    const { db, overTls, proxy } = this.parts
    const name = randomBytes(24).toString('base64url')
    await this.endBy(cookieOf(req, this.sessionCookie))
    await store.beginSession(
      db,
      {
        print: print(name),
        account: whose?.id ?? null,
        passwordPrint: whose === null ? this.deskPrint() : null,
        now: this.now(),
        browser: (req.get('user-agent') ?? '').slice(0, 300),
        from: clientAddress(req, proxy).slice(0, 60),
      },
      whose === null ? maxOfPassword : maxOfAccount,
      this.over(),
    )
    if (by !== null && whose !== null)
      await actAs(whose, () => noteDeed(db, this.parts.clock.now(), 'signedIn', { by }))
    const tie = whose === null ? this.deskPrint() : tieOf(await store.accountRecord(db, whose.id))
    const device = this.deviceOf(req, tie) ?? randomBytes(16).toString('base64url')
    const cookie: CookieOptions = { httpOnly: true, sameSite: 'strict', secure: overTls }
    res.cookie(this.sessionCookie, name, { ...cookie, path: '/' })
    res.cookie(this.knownCookie, this.knownText(device, tie), {
      ...cookie,
      path: routes.signIn.path,
      maxAge: knownFor,
    })
  }

  /** Ends a caller's session, and all that listens in it. */
  async end(req: Request, res: Response): Promise<void> {
    await this.endBy(cookieOf(req, this.sessionCookie))
    res.clearCookie(this.sessionCookie, { path: '/', secure: this.parts.overTls })
    res.set('clear-site-data', '"cache"')
  }

  /** Has windows told that accounts or sessions have changed; what listens in those that are over is ended here at once. */
  async changed(): Promise<void> {
    await this.look()
    this.parts.publish({ topic: 'accounts', id: null })
  }

  private async endBy(name: string): Promise<void> {
    if (name === '') return
    const key = print(name)
    await store.endSessionBy(this.parts.db, key)
    this.open.get(key)?.abort()
    this.open.delete(key)
    this.parts.publish({ topic: 'accounts', id: null })
  }

  private async sweep(): Promise<void> {
    const prints = [...this.open.keys()]
    if (prints.length === 0) return
    const there = new Set(await store.thereStill(this.parts.db, prints, this.over()))
    for (const key of prints) {
      if (there.has(key)) continue
      this.open.get(key)?.abort()
      this.open.delete(key)
    }
  }

  /** What a known browser keeps: a name and its signature, which another password makes worthless. */
  private knownText(device: string, tie: string): string {
    const mac = createHmac('sha256', this.parts.secrets.signingKey).update(`known ${device} ${tie}`)
    return `${device}.${mac.digest('base64url')}`
  }
  private deviceOf(req: Request, tie: string): string | null {
    const kept = cookieOf(req, this.knownCookie)
    const device = /^[\w-]{22}(?=\.)/.exec(kept)?.[0]
    return device && isSameSecret(kept, this.knownText(device, tie)) ? device : null
  }
}

/** What a known browser's signature is tied to. */
const tieOf = ({ id, password }: Pick<store.AccountRecord, 'id' | 'password'>): string =>
  print(`account ${id} ${password ?? ''}`)

/** What stands in the place of something that must not be kept. */
export const print = (text: string): string => createHash('sha256').update(text).digest('base64url')

/** The value of a cookie, or nothing. */
export function cookieOf(req: Request, name: string): string {
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
