import type { Route } from '@hand-post/contract'
import type { Express, Request, Response } from 'express'
import type { z } from 'zod'

/** What a handler is given: the request's parts as its route's schemas read them. */
export interface Given<R extends Route> {
  params: z.output<R['params']>
  query: z.output<R['query']>
  body: z.output<R['body']>
  req: Request
  res: Response
  /** Fires when the caller goes away before it has its answer. */
  gone: AbortSignal
}

/**
 * Registers the handler of a route. What it returns is sent as JSON; a handler that has answered itself returns undefined.
 * A part that does not fit its schema throws the ZodError, which the error handler turns into problem details.
 */
export function handle<R extends Route>(
  app: Express,
  route: R,
  handler: (given: Given<R>) => Promise<z.input<R['answer']> | undefined>,
): void {
  const method = route.method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete'
  app[method](route.path, async (req: Request, res: Response) => {
    const caller = new AbortController()
    res.on('close', () => {
      if (!res.writableFinished) caller.abort()
    })
    if (res.destroyed) caller.abort()
    const result = await handler({
      params: route.params.parse(req.params),
      query: route.query.parse(req.query),
      body: route.takesFile ? {} : route.body.parse(req.body ?? {}),
      req,
      res,
      gone: caller.signal,
    } as Given<R>)
    if (!res.headersSent) res.json(result === undefined ? {} : result)
  })
}

/**
 * The headers under which a content goes out. Only pictures and PDFs are shown by the browser; everything else is handed over as
 * a file, whatever it claims to be.
 */
export function contentHeaders(type: string, name: string): Record<string, string> {
  const showable = /^(image\/(png|jpeg|gif|webp)|application\/pdf)$/.test(type)
  return {
    'content-type': showable ? type : 'application/octet-stream',
    'content-security-policy': "sandbox; default-src 'none'",
    'content-disposition': `${showable ? 'inline' : 'attachment'}; filename*=UTF-8''${encodeURIComponent(name)}`,
  }
}
