import { z } from 'zod'

/** What people may do: everybody writes; some post; some keep people, mailboxes and settings. */
export const accountRoles = ['writer', 'poster', 'keeper'] as const
export type AccountRole = (typeof accountRoles)[number]

/** Something that may be shared with some people only, or belongs to such a thing; `mailboxOf…`: from which it leaves. */
export interface Thing {
  kind:
    | 'list'
    | 'letter'
    | 'round'
    | 'mailbox'
    | 'mailboxOfRound'
    | 'mailboxOfResponse'
    | 'message'
    | 'copy'
    | 'response'
    | 'record'
    | 'reminder'
    | 'returnedFile'
    | 'version'
  id: number
}

/** What a caller gives, once it was read by a route's schemas. */
export interface Read<Params extends z.ZodType, Query extends z.ZodType, Body extends z.ZodType> {
  params: z.output<Params>
  query: z.output<Query>
  body: z.output<Body>
}

/** The places of paths that name something, and what. */
const namedInPaths: Readonly<Record<string, Thing['kind']>> = {
  list: 'list',
  letter: 'letter',
  round: 'round',
  mailbox: 'mailbox',
  message: 'message',
  copy: 'copy',
  response: 'response',
  record: 'record',
  reminder: 'reminder',
  version: 'version',
}

/**
 * What the path of a call names: whoever calls must be allowed to see it.
 * @param params its places as the route's schema read them.
 */
export function namedInPath(params: unknown): Thing[] {
  return Object.entries(params as Record<string, unknown>).flatMap(([place, id]) =>
    namedInPaths[place] !== undefined && typeof id === 'number' ? [{ kind: namedInPaths[place], id }] : [],
  )
}

/** One call of the API: everything the server, the web app and the OpenAPI document need to know of it. */
export interface Route<
  Params extends z.ZodType = z.ZodType,
  Query extends z.ZodType = z.ZodType,
  Body extends z.ZodType = z.ZodType,
  Answer extends z.ZodType = z.ZodType,
> {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE'
  /** With Express's `:name` places. */
  path: string
  summary: string
  /** Who may call it: whoever has that role; `anybody` without signing in. */
  wants: AccountRole | 'anybody'
  params: Params
  query: Query
  body: Body
  answer: Answer
  /** Whether it changes what letters are made of: the round, or the list, that its path names. */
  changes?: 'round' | 'list'
  /** What it names besides what stands in its path, where that may be hidden from whoever calls. */
  names?: (given: Read<Params, Query, Body>) => Thing[]
  /** The body is a file's bytes as they are, not JSON. */
  takesFile?: boolean
  /** The answer is not JSON but of this media type. */
  gives?: string
}

const nothing = z.object({})

/** Defines a route; what is left out takes nothing. */
export function route<
  Params extends z.ZodType = typeof nothing,
  Query extends z.ZodType = typeof nothing,
  Body extends z.ZodType = typeof nothing,
  Answer extends z.ZodType = typeof nothing,
>(
  parts: Pick<Route, 'method' | 'path' | 'summary' | 'wants' | 'changes' | 'takesFile' | 'gives'> & {
    names?: (given: Read<Params, Query, Body>) => Thing[]
    params?: Params
    query?: Query
    body?: Body
    answer?: Answer
  },
): Route<Params, Query, Body, Answer> {
  return { params: nothing, query: nothing, body: nothing, answer: nothing, ...parts } as unknown as Route<
    Params,
    Query,
    Body,
    Answer
  >
}

/** What a caller gives to a route. Each part may be left out where the route takes nothing there. */
export interface CallInput<R extends Route> {
  params?: z.input<R['params']>
  query?: z.input<R['query']>
  body?: z.input<R['body']>
  file?: Blob | Uint8Array
  signal?: AbortSignal
}

/** An error of the API: RFC 9457 problem details. `detail` says what, where and what to do. */
export const problemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number(),
  detail: z.string(),
  /** For a request that did not fit its schema: where, and what is wrong there. */
  faults: z.array(z.object({ at: z.string(), fault: z.string() })).optional(),
})
export type Problem = z.infer<typeof problemSchema>

/** Thrown by {@link call} when the server answers with a problem. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
}

/** The address of a route with its places and query filled in. */
export function addressOf<R extends Route>(route: R, input: Pick<CallInput<R>, 'params' | 'query'> = {}): string {
  const path = route.path.replace(/:(\w+)/g, (_, name) =>
    encodeURIComponent(String((input.params as Record<string, unknown> | undefined)?.[name])),
  )
  const query = new URLSearchParams()
  for (const [name, value] of Object.entries((input.query ?? {}) as Record<string, unknown>))
    if (value !== undefined && value !== null) query.set(name, String(value))
  const text = query.toString()
  return text ? `${path}?${text}` : path
}

/**
 * Calls a route over HTTP.
 * @param base the desk's address, or '' within the web app.
 * @returns the answer; text where the route gives something other than JSON.
 * @throws ProblemError when the server says no, or cannot be reached.
 */
export async function call<R extends Route>(
  base: string,
  route: R,
  input: CallInput<R> = {},
): Promise<z.output<R['answer']>> {
  const sendsJson = !route.takesFile && route.method !== 'GET'
  let response: Response
  try {
    response = await fetch(base + addressOf(route, input), {
      method: route.method,
      headers: sendsJson
        ? { 'content-type': 'application/json' }
        : route.takesFile
          ? { 'content-type': 'application/octet-stream' }
          : {},
      body: route.takesFile ? (input.file as Blob) : sendsJson ? JSON.stringify(input.body ?? {}) : undefined,
      signal: input.signal,
    })
  } catch (error) {
    if (input.signal?.aborted) throw error
    throw new ProblemError({
      type: 'about:blank',
      title: 'No answer',
      status: 0,
      detail:
        'Hand Post does not answer. Letters already posted go on as soon as it runs again; look whether it is still started.',
    })
  }
  if (!response.ok) {
    const said = problemSchema.safeParse(await response.json().catch(() => null))
    throw new ProblemError(
      said.success
        ? said.data
        : {
            type: 'about:blank',
            title: response.statusText,
            status: response.status,
            detail: `The desk answered ${response.status}.`,
          },
    )
  }
  if (route.gives) return (await response.text()) as z.output<R['answer']>
  try {
    return (await response.json()) as z.output<R['answer']>
  } catch (error) {
    if (input.signal?.aborted) throw error
    // A page of a network that wants signing in, or an answer that was cut off.
    throw new ProblemError({
      type: 'about:blank',
      title: 'No answer of ours',
      status: 0,
      detail:
        'Something other than Hand Post answered, or the answer was cut off. Look whether the network lets you through to it, then load the page again: what was asked for may have been done.',
    })
  }
}
