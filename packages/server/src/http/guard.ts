import { createHash, randomBytes, timingSafeEqual } from 'node:crypto'
import { routes } from '@hand-post/contract'
import { isLoopback } from '@hand-post/core'
import type { NextFunction, Request, Response } from 'express'
import { Refusal } from '../problem.ts'
import type { Settings } from '../settings.ts'

const hostName = (host: string) => host.replace(/:\d+$/, '')

/**
 * Lets only requests pass that are meant for this desk: the Host must be one of its own names (a rebound name of another
 * site is not), and a browser's Origin must be the desk itself, so that a page in another tab cannot post letters.
 */
export function guardOrigin(settings: Settings) {
  const own = (host: string) =>
    isLoopback(host) ||
    host === settings.HAND_POST_HOST ||
    (!isLoopback(settings.HAND_POST_HOST) && /^[\d.]+$|^\[[\da-f:]+\]$/i.test(host))
  return (req: Request, _res: Response, next: NextFunction) => {
    const host = req.get('host') ?? ''
    if (!own(hostName(host)))
      throw new Refusal(
        421,
        `The desk does not answer to the name “${hostName(host)}”. Open it by the address it printed when it started.`,
        'Not this desk',
      )
    const origin = req.get('origin')
    if (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`)
      throw new Refusal(403, 'Another web page tried to use the desk. It was refused, and nothing was done.', 'Refused')
    const site = req.get('sec-fetch-site')
    if (
      req.method !== 'GET' &&
      req.method !== 'HEAD' &&
      site !== undefined &&
      site !== 'same-origin' &&
      site !== 'none'
    )
      throw new Refusal(403, 'Another web page tried to use the desk. It was refused, and nothing was done.', 'Refused')
    next()
  }
}

/** Wants signing in where a password is set. The session lives in memory: a restart asks again. */
export function guardSignIn(password: string | undefined) {
  const sessions = new Set<string>()
  const digest = (text: string) => createHash('sha256').update(text).digest()
  let refusedUntil = 0
  return (req: Request, res: Response, next: NextFunction) => {
    if (password === undefined) return next()
    if (req.method === 'POST' && req.path === routes.signIn.path) {
      const { password: given } = routes.signIn.body.parse(req.body ?? {})
      if (Date.now() < refusedUntil || !timingSafeEqual(digest(given), digest(password))) {
        refusedUntil = Math.max(refusedUntil, Date.now() + 1000)
        throw new Refusal(401, 'That is not the password. Wait a second, then try again.', 'Not signed in')
      }
      const session = randomBytes(24).toString('base64url')
      sessions.add(session)
      res.cookie('desk', session, { httpOnly: true, sameSite: 'strict', path: '/' })
      return void res.json({})
    }
    const session = /(?:^|;\s*)desk=([\w-]+)/.exec(req.get('cookie') ?? '')?.[1]
    if (session && sessions.has(session)) return next()
    if (!req.path.startsWith('/api/') || req.path === '/api/health') return next()
    throw new Refusal(401, 'Sign in first.', 'Not signed in')
  }
}
