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
  if (host.trim() === '') return 'The name of the host is missing.'
  if (security === 'none' && !isLoopback(host))
    return `A connection to ${host} without encryption would show the password to others. Choose STARTTLS or TLS.`
  return null
}

/** Where a password goes: the hosts it is given to, by which kind of line, and in whose name. */
export interface PasswordPlaces {
  user: string
  smtp: HostPlace
  imap: HostPlace | null
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
  if (before.user !== after.user) found.push('the user name')
  const compare = (what: string, was: HostPlace | null, is: HostPlace | null) => {
    if (!is) return
    if (!was) return void found.push(what)
    if (was.host !== is.host) found.push(`the name of ${what}`)
    if (was.port !== is.port) found.push(`the port of ${what}`)
    if (was.security !== is.security) found.push(`the encryption of ${what}`)
    if (is.allowSelfSigned && !was.allowSelfSigned) found.push(`whose certificate ${what} may have`)
  }
  compare('the sending host', before.smtp, after.smtp)
  compare('the reading host', before.imap, after.imap)
  return found
}
