import { type Route, routes } from '@hand-post/contract'
import type { Express, Request, Response } from 'express'
import type { z } from 'zod'
import { Refusal } from '../problem.ts'
import { readJson, refuseUnfit } from './readJson.ts'
import type { SignIn } from './signIn.ts'

/** The desk's API, as handlers are registered in it. */
export interface Desk {
  app: Express
  signIn: SignIn
}

/** What a handler is given: the request's parts as its route's schemas read them. */
export interface Given<R extends Route> {
  params: z.output<R['params']>
  query: z.output<R['query']>
  body: z.output<R['body']>
  req: Request
  res: Response
  /** Fires when the caller goes away before it has its answer, or its session ends. */
  gone: AbortSignal
}

/** The only calls that need no signing in. */
const withoutSignIn: ReadonlySet<Route> = new Set<Route>([routes.health, routes.ready, routes.signIn, routes.signOut])
/** Calls that do not count as a use of the session: the browser makes them while nobody is there. */
const withoutUse: ReadonlySet<Route> = new Set<Route>([routes.events])

/** Octets of a JSON body: 400,000 cells have room in it. And of one that comes before signing in. */
const largestBody = 12_000_000
const largestBefore = 4096

/**
 * Registers the handler of a route. Whoever calls it must be signed in, before anything else of the request is read. What the
 * handler returns is sent as JSON; one that has answered itself returns undefined.
 * A part that does not fit its schema throws the ZodError, which the error handler turns into problem details.
 */
export function handle<R extends Route>(
  { app, signIn }: Desk,
  route: R,
  handler: (given: Given<R>) => Promise<z.input<R['answer']> | undefined>,
): void {
  const method = route.method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete'
  const open = withoutSignIn.has(route)
  app[method](route.path, async (req: Request, res: Response) => {
    const session = open ? null : signIn.require(req, !withoutUse.has(route))
    const caller = new AbortController()
    res.on('close', () => {
      if (!res.writableFinished) caller.abort()
    })
    if (res.destroyed) caller.abort()
    refuseUnfit(req.params, 'path')
    refuseUnfit(req.query, 'query')
    const takesJson = !route.takesFile && route.method !== 'GET'
    if (route.takesFile) refuseEncoding(req)
    const given = takesJson ? await readJson(req, open ? largestBefore : largestBody) : {}
    const result = await handler({
      params: route.params.parse(req.params),
      query: route.query.parse(req.query),
      body: route.body.parse(given),
      req,
      res,
      gone: session === null ? caller.signal : AbortSignal.any([caller.signal, session]),
    } as Given<R>)
    if (!res.headersSent) res.json(result === undefined ? {} : result)
  })
}

function refuseEncoding(req: Request): void {
  const encoding = req.get('content-encoding')
  if (encoding !== undefined && encoding !== 'identity')
    throw new Refusal(
      415,
      `The file is encoded as “${encoding.slice(0, 50)}”, which is not taken here. Send it as it is.`,
      'Not read',
    )
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
    ...fileName(name, showable ? 'inline' : 'attachment'),
  }
}

/** The header that gives a file its name (RFC 6266, RFC 8187). */
export function fileName(name: string, how: 'inline' | 'attachment' = 'attachment'): Record<string, string> {
  return {
    'content-disposition': `${how}; filename*=UTF-8''${encodeURIComponent(name.toWellFormed()).replace(/['()*]/g, (c) => `%${c.charCodeAt(0).toString(16).toUpperCase()}`)}`,
  }
}

/** Hands a file over to be saved. */
export function giveFile(res: Response, name: string, type: string, bytes: Buffer | string): undefined {
  res
    .set({
      'content-type': type,
      ...fileName(name),
    })
    .send(bytes)
  return undefined
}
