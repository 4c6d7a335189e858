import { randomBytes } from 'node:crypto'
import type { NextFunction, Request, Response } from 'express'
import type { Logger } from 'pino'

/** The header in which an answer says by which name its request stands in the log. */
const header = 'X-Request-Id'

/** The name of the request that is being answered. */
export const requestId = (res: Response): string => String(res.getHeader(header) ?? '')

/** Gives every request a name, and notes what became of it (at the level `debug`). */
export function nameRequests(log: Logger) {
  return (req: Request, res: Response, next: NextFunction) => {
    const id = randomBytes(6).toString('hex')
    const began = performance.now()
    res.setHeader(header, id)
    res.on('close', () =>
      log.debug(
        {
          request: id,
          method: req.method,
          path: req.path,
          status: res.statusCode,
          ms: Math.round(performance.now() - began),
        },
        'request',
      ),
    )
    next()
  }
}
