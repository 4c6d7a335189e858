import { connectionFault } from '@hand-post/core'
import { ImapFlow } from 'imapflow'
import { Refusal } from '../problem.ts'
import type { Access } from './access.ts'
import { guardedTransport } from './guardedSocket.ts'
import { connectionWords, type NetworkError, patience, saidBy, waits } from './hostWords.ts'

/** What a host may say in one piece: a line, a literal, a whole answer with all its parts. */
const largestOfHost = {
  maxLineLength: 1_000_000,
  maxLiteralSize: 110_000_000,
  maxResponseSize: 120_000_000,
  maxResponseTokens: 200_000,
}
/** After how long (ms) a listening for news is begun anew, and a silent host given up. */
const listenFor = 90_000
const silentFor = 2 * 60_000
/** How long (ms) after the last command it is listened for news (IDLE, RFC 2177). */
const listensAfter = 200

/** What is needed to read a mailbox. */
export type ImapAccess = Pick<Access, 'imap' | 'user' | 'password' | 'token'>

/** Says in words what went wrong with an IMAP host, without anything secret. */
export function imapWords(error: unknown, access: ImapAccess): string {
  const { message, responseText } = error as NetworkError
  const words = responseText && /^Command failed/i.test(message) ? responseText : message
  return saidBy(words ?? String(error), access)
}

/** Opens an IMAP connection, in `maxToOpen` ms at most. Throws an error whose message says in words what is the matter. */
export async function openImap(access: ImapAccess, maxToOpen = patience): Promise<ImapFlow> {
  const { token } = access
  if (!token) return openWith(access, null, maxToOpen)
  const first = await token.get()
  try {
    return await openWith(access, first, maxToOpen)
  } catch (error) {
    if (!(error instanceof NotSignedIn)) throw error
    return openWith(access, await token.renew(first), maxToOpen)
  }
}

/** The host does not take the password, or the token. */
class NotSignedIn extends Error {}

async function openWith(access: ImapAccess, token: string | null, maxToOpen: number): Promise<ImapFlow> {
  const { imap, user, password } = access
  if (!imap) throw new Error('This mailbox has no IMAP host: copies cannot be filed, nor answers read.')
  const fault = connectionFault(imap.host, imap.security)
  if (fault) throw new Error(fault)
  const client = new ImapFlow({
    host: imap.host,
    port: imap.port,
    secure: imap.security === 'tls',
    doSTARTTLS: imap.security === 'starttls',
    tls: { rejectUnauthorized: !imap.allowSelfSigned },
    auth: token === null ? { user, pass: password } : { user, accessToken: token },
    logger: false,
    transport: guardedTransport,
    ...largestOfHost,
    ...waits,
    maxIdleTime: listenFor,
    autoIdleDelay: listensAfter,
    socketTimeout: silentFor,
  })
  client.on('error', (error: Error) => brokenBy.set(client, error))
  const tooSlow = setTimeout(() => client.close(), maxToOpen)
  try {
    await client.connect()
  } catch (error) {
    client.close()
    const e = error as NetworkError
    if (e.authenticationFailed)
      throw new NotSignedIn(
        `The IMAP host refused the sign-in: ${saidBy(e.responseText ?? 'user or password is wrong', access)}.`,
      )
    throw new Error(saidBy(connectionWords(error, imap), access))
  } finally {
    clearTimeout(tooSlow)
  }
  return client
}

/** What broke a connection: whoever waited for an answer is told only that there is none any more. */
const brokenBy = new WeakMap<ImapFlow, Error>()

/** How long (ms) one piece of work in a mailbox may take. */
const maxToWork = 10 * 60_000

/**
 * Does a piece of work in a mailbox: opens it, and closes it after. However slowly its host speaks, it ends in time.
 * @throws an error whose message says in words what is the matter, without anything secret; refusals as they are.
 */
export async function usingImap<T>(
  access: ImapAccess,
  work: (client: ImapFlow) => Promise<T>,
  most: number = maxToWork,
): Promise<T> {
  const client = await openImap(access)
  try {
    return await inTime(client, work(client), most)
  } catch (error) {
    if (error instanceof Refusal) throw error
    throw new Error(imapWords(error, access))
  } finally {
    await leaveImap(client)
  }
}

/** Waits for work with a mailbox, and closes it when that takes too long: the work fails then. */
export async function inTime<T>(client: ImapFlow, work: Promise<T>, most: number): Promise<T> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      reject(new Error(`The mail host did not come to an end within ${Math.round(most / 60_000)} minutes.`))
      client.close()
    }, most)
  })
  try {
    return await Promise.race([work, late])
  } catch (error) {
    throw (client.usable ? null : brokenBy.get(client)) ?? error
  } finally {
    clearTimeout(timer)
    work.catch(() => {})
  }
}

/** Signs out, or closes the connection when the host does not answer that soon. */
async function leaveImap(client: ImapFlow): Promise<void> {
  const timer = setTimeout(() => client.close(), 5000)
  await client.logout().catch(() => client.close())
  clearTimeout(timer)
}

/** The folders of a mailbox that can be opened, with what each is for (RFC 6154); as many as a person would look through. */
export async function foldersOf(client: ImapFlow): Promise<{ path: string; use: string | null }[]> {
  return (await client.list())
    .filter((box) => !box.flags.has('\\Noselect') && !box.flags.has('\\NonExistent'))
    .slice(0, maxFolders)
    .map(({ path, specialUse }) => ({ path, use: specialUse ?? null }))
}
const maxFolders = 500

/**
 * UIDs as a sequence set (RFC 9051, section 9), in as few words as can be.
 * @example uidSet([3, 4, 5, 9]) // '3:5,9'
 */
export function uidSet(uids: readonly number[]): string {
  const ranges: [number, number][] = []
  for (const uid of uids) {
    const last = ranges.at(-1)
    if (last && uid === last[1] + 1) last[1] = uid
    else ranges.push([uid, uid])
  }
  return ranges.map(([from, to]) => (from === to ? `${from}` : `${from}:${to}`)).join(',')
}

/** The path of a box by its special use (RFC 6154), else by its name. Null when there is none. */
async function boxPath(client: ImapFlow, use: string, name: RegExp): Promise<string | null> {
  const boxes = await client.list()
  return (boxes.find((b) => b.specialUse === use) ?? boxes.find((b) => name.test(b.path)))?.path ?? null
}

/** The path of the box that sent mail lies in. */
export const sentPath = (client: ImapFlow): Promise<string | null> =>
  boxPath(client, '\\Sent', /^(inbox[./])?sent( (items|mail|messages))?$/i)

/** The path of the box that drafts lie in. */
export const draftsPath = (client: ImapFlow): Promise<string | null> =>
  boxPath(client, '\\Drafts', /^(inbox[./])?drafts?$/i)

/** The same, where a draft is to be put. Throws a refusal when there is none. */
export async function pathForDraft(client: ImapFlow): Promise<string> {
  const path = await draftsPath(client)
  if (path === null)
    throw new Refusal(
      502,
      'The mailbox has no folder for drafts. Make one in your mail program. No draft was made.',
      'No folder for drafts',
    )
  return path
}

/** The path of the box that a host puts unwanted mail into. */
export const junkPath = (client: ImapFlow): Promise<string | null> =>
  boxPath(client, '\\Junk', /^(inbox[./])?(junk( e-?mail)?|spam|bulk mail)$/i)
