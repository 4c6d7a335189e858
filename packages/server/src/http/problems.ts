import type { Problem } from '@hand-post/contract'
import type { NextFunction, Request, Response } from 'express'
import type { Logger } from 'pino'
import { ZodError } from 'zod'
import { asRefusal } from '../problem.ts'
import { requestId } from './requestId.ts'

/** Turns every error into problem details (RFC 9457) that a person can act on. */
export function problems(log: Logger) {
  return (error: unknown, req: Request, res: Response, _next: NextFunction) => {
    const id = requestId(res)
    const problem = toProblem(error, id)
    if (problem.status >= 500)
      log.error({ request: id, path: req.path, error: error instanceof Error ? error.stack : String(error) }, 'request')
    if (res.headersSent) return void res.end()
    res.status(problem.status).type('application/problem+json').send(JSON.stringify(problem))
  }
}

function toProblem(error: unknown, request: string): Problem {
  const make = (status: number, title: string, detail: string): Problem => ({
    type: 'about:blank',
    title,
    status,
    detail,
  })
  const refusal = asRefusal(error)
  if (refusal) return make(refusal.status, refusal.title, refusal.message)
  if (error instanceof ZodError) {
    const faults = error.issues.map((issue) => ({ at: issue.path.join('.'), fault: issue.message }))
    return {
      ...make(
        422,
        'Does not fit',
        `Something given does not fit: ${faults.map((f) => `${f.at || 'the whole'}: ${f.fault}`).join('; ')}. Nothing was changed.`,
      ),
      faults,
    }
  }
  const e = error as NodeJS.ErrnoException & { status?: number }
  if (
    e.code === 'ENOSPC' ||
    e.code === 'EDQUOT' ||
    /No space left/i.test(e.message ?? '') ||
    (e.code ?? '') === '53100'
  )
    return make(
      507,
      'Disk full',
      'The disk has no room left. Nothing was changed. Make room on the disk, then do it again; letters already posted wait meanwhile.',
    )
  // What the library refuses of a request itself: a path that cannot be decoded, a range that is none.
  if (e.status !== undefined && e.status >= 400 && e.status < 500)
    return make(
      e.status,
      'Not understood',
      'The request cannot be understood as it stands: its address or a header of it is not whole. Nothing was changed.',
    )
  return make(
    500,
    'Something broke',
    `Something broke within Hand Post, and was noted in its log as ${request}. Letters already posted are not touched by it. Try again, or start Hand Post anew.`,
  )
}
