import type { IncomingMessage } from 'node:http'
import { isIP } from 'node:net'

/** An address as it is compared: of IPv4 in IPv6 (RFC 4291, section 2.5.5.2) the former. */
const plain = (address: string): string => address.replace(/^::ffff:(?=\d{1,3}\.)/i, '')

/** Whether a request came by the named proxy. */
export const byProxy = (req: IncomingMessage, proxy: string | undefined): boolean =>
  proxy !== undefined && plain(req.socket.remoteAddress ?? '') === plain(proxy)

/**
 * The address that a request comes from. What a proxy says of it (X-Forwarded-For) counts only where the proxy is the one that is named,
 * and of what that says only the last, which it wrote itself: all before it anybody may have made up.
 */
export function clientAddress(req: IncomingMessage, proxy: string | undefined): string {
  const own = plain(req.socket.remoteAddress ?? '')
  if (!byProxy(req, proxy)) return own
  const said = String(req.headers['x-forwarded-for'] ?? '').slice(-200)
  const last = said.slice(said.lastIndexOf(',') + 1).trim()
  return isIP(last) ? plain(last) : own
}
