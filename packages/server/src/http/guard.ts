import { isLoopback } from '@hand-post/core'
import type { NextFunction, Request, Response } from 'express'
import { Refusal } from '../problem.ts'
import type { Settings } from '../settings.ts'
import type { Certificate } from './listeners.ts'
import { byProxy, clientAddress } from './proxy.ts'

const hostName = (host: string) => host.replace(/:\d{1,5}$/, '')

/** Whether a path means the API, however oddly it is spelt: in capitals, with octets encoded, slashes doubled, or dots between. */
export function meansApi(path: string): boolean {
  let plain = path
  // Encoded twice is a spelling too; more often than that no host decodes.
  for (let i = 0; i < 3; i++)
    plain = plain.replace(/%([0-9a-f]{2})/gi, (_, hex) => String.fromCharCode(Number.parseInt(hex, 16)))
  const [first] = plain
    .toLowerCase()
    .split(/[/\\]+/)
    .filter((part) => part !== '' && part !== '.' && part !== '..')
  return first?.startsWith('api') ?? false
}

/**
 * Lets only requests pass that are meant for this desk: the Host must be one of its own names (a rebound name of another
 * site is not), and a browser's Origin must be the desk itself, so that a page in another tab can neither post letters nor tell
 * whether something is there.
 */
export function guardOrigin(settings: Settings, certificate: Certificate | null) {
  const { HAND_POST_PROXY: proxy } = settings
  const named = settings.HAND_POST_DESK_URL === undefined ? null : new URL(settings.HAND_POST_DESK_URL)
  const own = (host: string) =>
    isLoopback(host) ||
    host === named?.hostname ||
    host === settings.HAND_POST_HOST ||
    certificate?.isFor(host) === true ||
    (!isLoopback(settings.HAND_POST_HOST) && /^[\d.]+$|^\[[\da-f:]+\]$/i.test(host))
  const scheme = certificate ? 'https' : 'http'
  const refused = () =>
    new Refusal(403, 'Another web page tried to use the desk. It was refused, and nothing was done.', 'Refused')
  return (req: Request, _res: Response, next: NextFunction) => {
    if (proxy !== undefined && certificate === null && !byProxy(req, proxy) && !isLoopback(clientAddress(req, proxy)))
      throw new Refusal(
        403,
        `The desk is reached through its proxy only: open ${named?.href ?? 'it by that'}.`,
        'Not past the proxy',
      )
    const host = req.get('host') ?? ''
    if (!own(hostName(host)))
      throw new Refusal(
        421,
        `The desk does not answer to the name “${hostName(host).slice(0, 100)}”. Open it by the address it printed when it started.`,
        'Not this desk',
      )
    const origin = req.get('origin')
    // Behind a line that others encrypt, the browser says https where the desk itself speaks http.
    if (![undefined, `${scheme}://${host}`, `https://${host}`, named?.origin].includes(origin)) throw refused()
    const site = req.get('sec-fetch-site')
    const reads = req.method === 'GET' || req.method === 'HEAD'
    // A link from elsewhere may open the desk's pages, and nothing of its API.
    if (site !== undefined && site !== 'same-origin' && site !== 'none' && (!reads || meansApi(req.path)))
      throw refused()
    next()
  }
}
