import { settings as say } from './words.ts'
/** How a connection to a mail host is kept private. */
export type Security = 'none' | 'starttls' | 'tls'

/**
 * Whether a host name or address is this machine itself.
 * @example isLoopback('127.0.0.53') // true
 */
export function isLoopback(host: string): boolean {
  return host === 'localhost' || host === '::1' || host === '[::1]' || /^127(\.\d{1,3}){3}$/.test(host)
}

/** Why a connection may not be made with these settings, in words; null when it may. Plain text stays on this machine. */
export function connectionFault(host: string, security: Security): string | null {
  if (host.trim() === '') return say.nameHostMissing
  if (security === 'none' && !isLoopback(host)) return say.connectionWithoutEncryptionWould(host)
  return null
}

/**
 * Where a password, or what was allowed in its place, goes: the hosts it is given to, by which kind of line, and in whose name; and the
 * sign-in service that gave it, where there is one.
 */
export interface PasswordPlaces {
  user: string
  smtp: HostPlace
  imap: HostPlace | null
  oauth?: { token: string; clientId: string } | null
}
interface HostPlace {
  host: string
  port: number
  security: Security
  allowSelfSigned: boolean
}

/**
 * Where a password would go that it was not given for, each in words. When there is anything, the password must be typed again:
 * a stored one is given to nobody else than it was stored for.
 * @param before the places it was stored for.
 */
export function newPlaces(before: PasswordPlaces, after: PasswordPlaces): string[] {
  const found: string[] = []
  if (before.user !== after.user) found.push(say.userName)
  const compare = (what: string, was: HostPlace | null, is: HostPlace | null) => {
    if (!is) return
    if (!was) return void found.push(what)
    if (was.host !== is.host) found.push(say.name(what))
    if (was.port !== is.port) found.push(say.port(what))
    if (was.security !== is.security) found.push(say.encryption(what))
    if (is.allowSelfSigned && !was.allowSelfSigned) found.push(say.whoseCertificateMayHave(what))
  }
  if (before.oauth?.token !== after.oauth?.token || before.oauth?.clientId !== after.oauth?.clientId)
    found.push(say.signInService)
  compare(say.sendingHost, before.smtp, after.smtp)
  compare(say.readingHost, before.imap, after.imap)
  return found
}
