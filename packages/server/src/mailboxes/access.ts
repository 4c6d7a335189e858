import type { MailboxSettings, OauthSettings } from '@hand-post/contract'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { Leases } from '../processes/leases.ts'
import type { Secrets } from '../secrets.ts'
import { type Held, isOver, refresh, TokenError } from './oauth.ts'
import { type MailboxRecord, mailboxById, pauseMailbox, updateSecret } from './store.ts'

/** What a connection needs to know of a mailbox. */
export interface Access {
  smtp: Host
  imap: Host | null
  user: string
  /** Its password; with a token, the token that was had last, so that it is masked as a password is. */
  password: string
  /** An access token (OAuth 2.0) in the place of a password. */
  token?: Token
}

/** Gives an access token, and another one when a host has refused it. Both throw TokenError. */
export interface Token {
  get(): Promise<string>
  renew(refused: string): Promise<string>
}

export type Host = MailboxSettings['smtp']

/** Where what a sign-in service has given is kept. */
export interface Keeping {
  read(): Promise<Held>
  write(held: Held): Promise<void>
  /** Does something that only one process at a time may do with it. */
  alone<T>(work: () => Promise<T>): Promise<T>
}

/** A token out of what is kept: had anew when its time is over or a host refuses it, once for all who wait for it. */
export function tokenOf(settings: OauthSettings, keeping: Keeping, now: () => number): Token {
  let renewing: Promise<string> | null = null
  /** @param not the token that is of no use any more: where another is kept by now, somebody else has had it. */
  const anew = (not: string) => {
    renewing ??= keeping
      .alone(async () => {
        const kept = await keeping.read()
        if (kept.access !== not && !isOver(kept, now())) return kept.access
        const held = await refresh(settings, kept, now())
        await keeping.write(held)
        return held.access
      })
      .finally(() => {
        renewing = null
      })
    return renewing
  }
  return {
    async get() {
      const held = await keeping.read()
      return isOver(held, now()) ? anew(held.access) : held.access
    },
    async renew(refused) {
      const held = await keeping.read()
      return held.access !== refused && !isOver(held, now()) ? held.access : anew(refused)
    },
  }
}

/** An access by a token: what is masked goes with the token that is used. */
export function withToken(access: Omit<Access, 'password' | 'token'>, token: Token): Access {
  const own: Access = { ...access, password: '' }
  const note = (had: string) => {
    own.password = had
    return had
  }
  own.token = { get: async () => note(await token.get()), renew: async (refused) => note(await token.renew(refused)) }
  return own
}

/** What is kept of a sign-in service. Throws TokenError where nothing is: it was given up with a key that is lost. */
function heldIn(opened: string): Held {
  try {
    return JSON.parse(opened) as Held
  } catch {
    throw new TokenError(
      'Nothing is kept any more of what the sign-in service allowed. Sign in again at Mailboxes.',
      true,
    )
  }
}

/** Opens mailboxes: by their passwords, or by what their sign-in services have given. */
export class MailboxKeys {
  private readonly tokens = new Map<string, Token>()

  constructor(
    private readonly parts: {
      db: Database
      clock: Clock
      secrets: Secrets
      publish: Publish
      leases: Pick<Leases, 'alone'>
    },
  ) {}

  /** The address and password, or token, by which a mailbox is used. */
  accessOf(mailbox: MailboxRecord): Access {
    const { smtp, imap, user, oauth } = mailbox.settings
    if (oauth === null) return { smtp, imap, user, password: this.parts.secrets.unlock(mailbox.secret) }
    // One for all who use the mailbox, so that it is had anew once.
    const key = `${mailbox.id} ${JSON.stringify(oauth)}`
    const token = this.tokens.get(key) ?? this.tokenFor(mailbox.id, oauth)
    this.tokens.set(key, token)
    return withToken({ smtp, imap, user }, token)
  }

  private tokenFor(id: number, oauth: OauthSettings): Token {
    const { db, clock, secrets, publish, leases } = this.parts
    const token = tokenOf(
      oauth,
      {
        read: async () => heldIn(secrets.unlock((await mailboxById(db, id)).secret)),
        write: (held) => updateSecret(db, id, secrets.lock(JSON.stringify(held))),
        alone: (work) => leases.alone(`token ${id}`, work),
      },
      () => clock.now(),
    )
    /** A permission that has ended stops the mailbox, whoever has found that out. */
    const stopping = async (had: Promise<string>) => {
      try {
        return await had
      } catch (error) {
        if (error instanceof TokenError && error.final) {
          await pauseMailbox(db, id, { until: null, stopped: true, reason: error.message })
          publish({ topic: 'mailboxes', id })
        }
        throw error
      }
    }
    return { get: () => stopping(token.get()), renew: (refused) => stopping(token.renew(refused)) }
  }
}
