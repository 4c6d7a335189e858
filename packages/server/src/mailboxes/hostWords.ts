import type { Access, Host } from './access.ts'
import { TooMuch } from './guardedSocket.ts'
import { maskSecret } from './mask.ts'

const certificateCodes = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
  'UNABLE_TO_GET_ISSUER_CERT_LOCALLY',
])

export interface NetworkError extends Error {
  code?: string
  responseCode?: number
  response?: string
  command?: string
  authenticationFailed?: boolean
  responseText?: string
  cause?: unknown
}

/** How much of what a host says is shown or kept, in characters. */
const maxSaid = 500

/** What a host said, as it may be shown and kept: cut to a length, and without the password, whatever the host made of it. */
export const saidBy = (text: string, { user, password }: Pick<Access, 'user' | 'password'>): string =>
  maskSecret(text, password, user).slice(0, maxSaid)

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

export const waits = { connectionTimeout: 15_000, greetingTimeout: 15_000, socketTimeout: 60_000 }

/** How long (ms) connecting and signing in may take in all, however slowly a host speaks; and handing over one message. */
export const patience = 60_000
