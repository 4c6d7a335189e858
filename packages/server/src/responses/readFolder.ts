import { bareAddress, bareSubject, headerLine, looksReturned, sameAddressKey } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Clock } from '../clock.ts'
import { DatabaseFault, databaseEnded } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { uidSet } from '../mailboxes/imap.ts'
import { type MailboxRecord, noteRead, noteUnread, readUpTo } from '../mailboxes/store.ts'
import { mayBeOurs } from './store.ts'
import { mayAnswer, type TakeMailParts, type Taken, takeJunk, takeMail } from './takeMail.ts'

export interface ReadFolderParts extends TakeMailParts {
  clock: Clock
  publish: Publish
  /** How often the line broke while a message was being read, by where it lies. */
  broke: Map<string, number>
  /** Whether reading shall end: the desk is being closed. */
  ended: () => boolean
}

/** A folder as it is read. */
export interface Folder {
  path: string
  /** Only by headers: what lies there is not opened. */
  junk: boolean
}

/** How many messages are looked at until it is noted how far the folder was read. */
const atOnce = 1000
/** Octets of one message that are read: what somebody answers stands before what they enclose. */
const largestRead = 5_000_000
/** Octets of messages that are read together. */
const maxGroup = 2 * largestRead
/** Characters of a message's head that are looked at. */
const longestHead = 100_000
/** How often the line may break while one message is being read. */
const maxBroken = 2

/** The headers by which it is decided. */
export const wantedHeaders = [
  'in-reply-to',
  'references',
  'content-type',
  'from',
  'subject',
  'message-id',
  'return-path',
  'x-failed-recipients',
  'auto-submitted',
]

/** The headers of a message as far as it is decided by them whether it is read whole. */
interface Head {
  uid: number
  arrived: number
  /** Octets of the whole message, as the host says. */
  size: number
  text: string
  /** Message-IDs that it names, without its own. */
  ids: string[]
  messageId: string
  from: string
  subject: string
  /** It has the look of a report on delivery. */
  returned: boolean
}

function headOf(uid: number, arrived: number, size: number, text: string): Head {
  const messageId = headerLine(text, 'message-id')
  const from = headerLine(text, 'from')
  const subject = headerLine(text, 'subject')
  const signs = {
    from: bareAddress(from),
    subject,
    returnPath: /^return-path:/im.test(text) ? headerLine(text, 'return-path') : null,
    failedRecipients: headerLine(text, 'x-failed-recipients') || null,
  }
  return {
    uid,
    arrived,
    size,
    text,
    ids: (text.match(/<[^<>\s]{1,998}>/g) ?? []).filter((id) => id !== messageId).slice(0, 200),
    messageId,
    from,
    subject,
    returned: /multipart\/report/i.test(headerLine(text, 'content-type')) || looksReturned(signs),
  }
}

/**
 * Reads what is new in a folder: a message that cannot be read is noted, and not met again.
 * @returns how many responses were found.
 */
export async function readFolder(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  folder: Folder,
): Promise<number> {
  const { db, clock, publish } = parts
  const lock = await client.getMailboxLock(folder.path, { readOnly: true })
  try {
    const box = client.mailbox
    if (!box) return 0
    const validity = Number(box.uidValidity)
    const known = await readUpTo(db, mailbox.id, folder.path)
    // The inbox of a mailbox met for the first time is read from now on: nothing was written from it before. Of another folder, what
    // may answer a letter of before is read too.
    if (known === null && folder.path === 'INBOX') {
      await noteRead(db, mailbox.id, folder.path, validity, box.uidNext - 1)
      return 0
    }
    // One whose numbers were given out anew is read from its beginning.
    const lastUid = known !== null && known.validity === validity ? known.lastUid : 0
    const wanted = known === null ? { since: new Date(mayAnswer(clock.now()).from) } : { uid: `${lastUid + 1}:*` }
    // A range whose start lies beyond the end means the last message (RFC 3501, section 6.4.8), so uids are compared again.
    const uids = ((await client.search(wanted, { uid: true })) || [])
      .filter((uid) => uid > lastUid)
      .sort((x, y) => x - y)
    let found = 0
    const rounds = new Set<number>()
    try {
      for await (const some of fetchedAhead(parts, client, mailbox, folder, uids)) {
        found += await readSome(parts, client, mailbox, folder, validity, some, rounds)
        // The place moves on whatever was in them: a message that cannot be read is noted, and is not met again.
        await noteRead(db, mailbox.id, folder.path, validity, some.lastUid)
      }
      parts.broke.delete(`${mailbox.id}/${folder.path}`)
      if (uids.length === 0 && (known === null || known.validity !== validity))
        await noteRead(db, mailbox.id, folder.path, validity, Math.max(lastUid, box.uidNext - 1))
    } finally {
      for (const roundId of rounds) publish({ topic: 'responses', id: roundId })
    }
    return found
  } finally {
    lock.release()
  }
}

/** Some messages of which it was decided by their headers which are read whole. */
interface Some {
  lastUid: number
  /** Those that may be ours, in groups that are read together. */
  groups: Head[][]
  /** The first of these groups as it was fetched; null where it was not, or could not be. */
  first: Map<number, Buffer> | null
}

/** The messages of a folder, some at a time: while some are read, the next are fetched. */
async function* fetchedAhead(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  folder: Folder,
  uids: number[],
): AsyncGenerator<Some> {
  const fetchFrom = (at: number) => fetchSome(parts, client, mailbox, folder, uids.slice(at, at + atOnce))
  let next: Promise<Some> | null = null
  try {
    for (let at = 0; at < uids.length && !parts.ended(); at += atOnce) {
      const some: Some = await (next ?? fetchFrom(at))
      // Where much is still to be fetched of these, the next wait: should the line break, it is known over which message.
      next = some.groups.length < 2 && at + atOnce < uids.length ? fetchFrom(at + atOnce) : null
      // Its fault is met when it is waited for, and not before.
      next?.catch(() => {})
      yield some
    }
  } finally {
    await next?.catch(() => {})
  }
}

/** Decides by the headers of some messages which of them may be ours, and fetches the first of these. */
async function fetchSome(
  { db, clock, broke }: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  folder: Folder,
  uids: number[],
): Promise<Some> {
  const heads: Head[] = []
  for await (const m of client.fetch(
    uidSet(uids),
    { uid: true, internalDate: true, size: true, headers: wantedHeaders },
    { uid: true },
  )) {
    const arrived = m.internalDate instanceof Date ? m.internalDate.getTime() : clock.now()
    heads.push(headOf(m.uid, arrived, m.size ?? largestRead, (m.headers?.toString('utf8') ?? '').slice(0, longestHead)))
  }
  const maybe = await mayBeOurs(
    db,
    mailbox.id,
    mayAnswer(clock.now()),
    heads.map(({ ids, from, subject }) => ({
      ids,
      sender: sameAddressKey(from),
      subject: bareSubject(subject).subject,
    })),
  )
  const ours = heads.filter((head, i) => maybe.has(i) || head.returned)
  // Many at a time; where that does not come to its end, each by itself, so that it is known which of them it was. Where the line broke
  // over it, that is the next time.
  const groups = broke.has(`${mailbox.id}/${folder.path}`) ? ours.map((head) => [head]) : groupsOf(ours)
  const first = folder.junk || !(groups[0]?.length > 1) ? null : await fetchWhole(client, groups[0]).catch(() => null)
  return { lastUid: uids.at(-1)!, groups, first }
}

/** Reads some messages, each by itself. Returns how many responses were found; their rounds go into `rounds`. */
async function readSome(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  folder: Folder,
  validity: number,
  { groups, first }: Some,
  rounds: Set<number>,
): Promise<number> {
  const { db, clock, log, publish, broke } = parts
  let found = 0
  const count = (roundId: number | null) => {
    if (roundId === null) return
    found++
    rounds.add(roundId)
  }
  /** Known by its own Message-ID, as what can be read is: numbers may be given out anew. */
  const sourceOf = (head: Head) => `${mailbox.id}/${head.messageId || `${validity}/${head.uid}`}`
  const unread = async (head: Head, why: string) => {
    log.warn({ mailboxId: mailbox.id, uid: head.uid, why }, 'a message could not be read')
    const mail = { sender: head.from, subject: head.subject, at: clock.now(), why: why.slice(0, 500) }
    if (await noteUnread(db, mailbox.id, { source: sourceOf(head), ...mail }))
      publish({ topic: 'mailboxes', id: mailbox.id })
  }
  if (folder.junk) {
    for (const head of groups.flat())
      count(
        await takeJunk(parts, mailbox, { ...head, automatic: sentByItself.test(head.text) }, folder.path, head.arrived),
      )
    return found
  }
  const folderName = `${mailbox.id}/${folder.path}`
  const from = { path: folder.path, validity }
  for (const [n, group] of groups.entries()) {
    const taken =
      group.length === 1
        ? null
        : await takeGroup(parts, client, mailbox, from, group, n === 0 ? first : null).catch(async (error) => {
            if (isOver(parts, error)) throw error
            if (client.usable) return null
            await noteRead(db, mailbox.id, folder.path, validity, group[0].uid - 1)
            broke.set(folderName, 1)
            throw error
          })
    for (const [i, head] of group.entries()) {
      if (taken) {
        const one = taken[i]
        if ('refused' in one) await unread(head, one.refused)
        else count(one.roundId)
        continue
      }
      try {
        const [one] = await takeGroup(parts, client, mailbox, from, [head])
        if ('refused' in one) await unread(head, one.refused)
        else count(one.roundId)
      } catch (error) {
        if (isOver(parts, error)) throw error
        if (!client.usable) {
          // Read up to it and from it on the next time. When the line breaks at the same message once more, that is what breaks it.
          await noteRead(db, mailbox.id, folder.path, validity, head.uid - 1)
          const times = (broke.get(sourceOf(head)) ?? 0) + 1
          broke.set(sourceOf(head), times)
          if (times < maxBroken) throw error
          broke.delete(sourceOf(head))
          await noteRead(db, mailbox.id, folder.path, validity, head.uid)
        }
        await unread(head, error instanceof Error ? error.message : String(error))
        if (!client.usable) throw error
      }
    }
  }
  return found
}

const sentByItself = /^auto-submitted:\s{0,9}auto/im
/** Whether the desk is being closed, or its database has ended: nothing that is to be noted of a message. */
const isOver = (parts: ReadFolderParts, error: unknown): boolean =>
  parts.ended() || (error instanceof DatabaseFault && error.code === databaseEnded)

/** Messages that are read at a time: as many as fit into some memory, and one at least. */
function groupsOf(heads: Head[]): Head[][] {
  const groups: Head[][] = []
  let octets = Number.POSITIVE_INFINITY
  for (const head of heads) {
    const size = Math.min(head.size, largestRead)
    if (octets + size > maxGroup) {
      groups.push([])
      octets = 0
    }
    groups.at(-1)!.push(head)
    octets += size
  }
  return groups
}

/** Fetches some messages whole, up to as much of each as is read; by their uids. One that is not there any more is missing. */
async function fetchWhole(client: ImapFlow, heads: Head[]): Promise<Map<number, Buffer>> {
  const raws = new Map<number, Buffer>()
  for await (const { uid, source } of client.fetch(
    uidSet(heads.map(({ uid }) => uid)),
    { uid: true, source: { start: 0, maxLength: largestRead } },
    { uid: true },
  ))
    if (source) raws.set(uid, source)
  return raws
}

/** Takes some messages into account, as they were fetched or are fetched now. One that is not there any more is none of ours. */
async function takeGroup(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  { path, validity }: { path: string; validity: number },
  heads: Head[],
  fetched: Map<number, Buffer> | null = null,
): Promise<Taken[]> {
  const raws = fetched ?? (await fetchWhole(client, heads))
  const there = heads.filter(({ uid }) => raws.has(uid))
  const taken = await takeMail(
    parts,
    mailbox,
    there.map(({ uid, arrived, size }) => ({ raw: raws.get(uid)!, arrived, at: { path, validity, uid, size } })),
  )
  const byUid = new Map(there.map(({ uid }, i) => [uid, taken[i]]))
  return heads.map(({ uid }) => byUid.get(uid) ?? { roundId: null })
}
