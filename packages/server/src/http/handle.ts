import { type AccountRole, namedInPath, type Route, routes, type Thing } from '@hand-post/contract'
import type { Express, Request, Response } from 'express'
import type { z } from 'zod'
import { Refusal } from '../problem.ts'
import { actAs } from '../who.ts'
import { readJson, refuseUnfit } from './readJson.ts'

/** Whoever calls. */
export interface Caller {
  /** Null where there are no accounts: whoever is let in may do everything. */
  account: { id: number; name: string } | null
  roles: readonly AccountRole[]
  /** The session of an account or of the desk's password; null where nobody signs in. */
  session: number | null
  /** Fires when the session ends. */
  ended: AbortSignal
}

/** Lets callers in, or not. */
export interface Door {
  /** How one signs in, for whoever has not yet. */
  facts(): { asksPassword: boolean; accounts: boolean; service: string | null }
  /**
   * Who calls. Throws a refusal (401) when it is nobody who is signed in.
   * @param counts whether the call is a use of the session; listening for changes is none.
   */
  require(req: Request, counts?: boolean): Promise<Caller>
}

/** The desk's API, as handlers are registered in it. */
export interface Desk {
  app: Express
  door: Door
  /** Refuses what is hidden from an account, of what a call names. */
  mustSee: (account: number, things: readonly Thing[]) => Promise<void>
  /** Notes that an account has changed what letters are made of. */
  noteChange: (kind: 'round' | 'list', id: number, by: { id: number; name: string }) => Promise<void>
}

/** What a handler is given: the request's parts as its route's schemas read them. */
export interface Given<R extends Route> {
  params: z.output<R['params']>
  query: z.output<R['query']>
  body: z.output<R['body']>
  req: Request
  res: Response
  /** Who calls; on calls that need no signing in, nobody. */
  caller: Caller
  /** Fires when the caller goes away before it has its answer, or its session ends. */
  gone: AbortSignal
}

/** Whoever has not been asked who they are, and may do nothing that wants a role. */
const nobody: Caller = { account: null, roles: [], session: null, ended: new AbortController().signal }
/** Calls that do not count as a use of the session: the browser makes them while nobody is there. */
const withoutUse: ReadonlySet<Route> = new Set<Route>([routes.events])

/** Octets of a JSON body: 400,000 cells have room in it. And of one that comes before signing in. */
const largestBody = 12_000_000
const largestBefore = 4096

/**
 * Registers the handler of a route. Whoever calls it must be signed in, and have the role that the route wants, before anything else of
 * the request is read. What the handler returns is sent as JSON; one that has answered itself returns undefined.
 * A part that does not fit its schema throws the ZodError, which the error handler turns into problem details.
 */
export function handle<R extends Route>(
  { app, door, mustSee, noteChange }: Desk,
  route: R,
  handler: (given: Given<R>) => Promise<z.input<R['answer']> | undefined>,
): void {
  const method = route.method.toLowerCase() as 'get' | 'post' | 'put' | 'patch' | 'delete'
  const open = route.wants === 'anybody'
  app[method](route.path, async (req: Request, res: Response) => {
    const caller = open ? nobody : await admit(door, route, req)
    const left = new AbortController()
    res.on('close', () => {
      if (!res.writableFinished) left.abort()
    })
    if (res.destroyed) left.abort()
    refuseUnfit(req.params, 'path')
    refuseUnfit(req.query, 'query')
    const takesJson = !route.takesFile && route.method !== 'GET'
    if (route.takesFile) refuseEncoding(req)
    const params = route.params.parse(req.params)
    const { account } = caller
    if (account !== null) await mustSee(account.id, seenOnly(namedInPath(params), caller))
    const body = takesJson ? await readJson(req, open ? largestBefore : largestBody) : {}
    const parts = {
      params,
      query: route.query.parse(req.query),
      body: route.body.parse(body),
      req,
      res,
      caller,
      gone: open ? left.signal : AbortSignal.any([left.signal, caller.ended]),
    } as Given<R>
    if (account !== null && route.names) await mustSee(account.id, route.names(parts as never))
    // The handler hears of it when its caller goes, or is signed out, from here on; where that has happened already, it is not begun with.
    if (caller.ended.aborted) throw new Refusal(401, 'Sign in first.', 'Not signed in')
    if (left.signal.aborted) return
    // What is noted of it, here and in the threads, is noted in the caller's name.
    const result = await actAs(account, () => handler(parts))
    if (account !== null && route.changes !== undefined) {
      const id = (params as Record<string, number>)[route.changes]
      await noteChange(route.changes, id, account)
    }
    if (!res.headersSent) res.json(result === undefined ? {} : result)
  })
}

/** Of what a path names, what its caller must be allowed to see: keepers look after every mailbox, also those that are not shared with them. */
const seenOnly = (things: Thing[], { roles }: Caller): Thing[] =>
  roles.includes('keeper') ? things.filter(({ kind }) => kind !== 'mailbox') : things

/** What somebody lacks who may not do something, in words. */
const lacks: Record<AccountRole, string> = {
  writer: 'Your account may not do this.',
  poster:
    'Your account may prepare this, and may not post it: whoever may post does so. Who that is, a keeper decides at Colleagues.',
  keeper: 'This is for keepers, who look after colleagues, mailboxes and settings. Ask one of them.',
}

/** Who calls, if they may call this. What is not said to be for them is refused. */
async function admit(door: Door, route: Route, req: Request): Promise<Caller> {
  const caller = await door.require(req, !withoutUse.has(route))
  const { wants } = route
  if (wants === 'anybody' || !caller.roles.includes(wants))
    throw new Refusal(403, `${lacks[wants as AccountRole] ?? lacks.writer} Nothing was done.`, 'Not allowed')
  return caller
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
