import { bareSubject, headerLine, looksReturned, sameAddressKey } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import { DatabaseFault, databaseEnded } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type MailboxRecord, noteRead, noteUnread, readUpTo } from '../mailboxes/store.ts'
import { mayBeOurs } from './store.ts'
import { mayAnswer, type TakeMailParts, takeJunk, takeMail } from './takeMail.ts'

export interface ReadFolderParts extends TakeMailParts {
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
const atOnce = 200
/** How many messages of a folder are read when it is met for the first time, the newest of them. */
const maxFirst = 5000
/** Octets of one message that are read: what somebody answers stands before what they enclose. */
const largestRead = 5_000_000
/** Characters of a message's head that are looked at. */
const longestHead = 100_000
/** How often the line may break while one message is being read. */
const maxBroken = 2

const wantedHeaders = [
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
  text: string
  /** Message-IDs that it names, without its own. */
  ids: string[]
  messageId: string
  from: string
  subject: string
  /** It has the look of a report on delivery. */
  returned: boolean
}

function headOf(uid: number, arrived: number, text: string): Head {
  const messageId = headerLine(text, 'message-id')
  const from = headerLine(text, 'from')
  const subject = headerLine(text, 'subject')
  const signs = {
    from: addressIn(from),
    subject,
    returnPath: /^return-path:/im.test(text) ? headerLine(text, 'return-path') : null,
    failedRecipients: headerLine(text, 'x-failed-recipients') || null,
  }
  return {
    uid,
    arrived,
    text,
    ids: (text.match(/<[^<>\s]{1,998}>/g) ?? []).filter((id) => id !== messageId).slice(0, 200),
    messageId,
    from,
    subject,
    returned: /multipart\/report/i.test(headerLine(text, 'content-type')) || looksReturned(signs),
  }
}
const addressIn = (from: string) => /<([^<>]{1,320})>\s{0,9}$/.exec(from)?.[1] ?? from

/**
 * Reads what is new in a folder, each message by itself: one that cannot be read is noted, and not met again.
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
      .slice(known === null ? -maxFirst : 0)
    let found = 0
    const rounds = new Set<number>()
    try {
      for (let at = 0; at < uids.length && !parts.ended(); at += atOnce) {
        const some = uids.slice(at, at + atOnce)
        found += await readSome(parts, client, mailbox, folder, validity, some, rounds)
        // The place moves on whatever was in them: a message that cannot be read is noted, and is not met again.
        await noteRead(db, mailbox.id, folder.path, validity, some.at(-1)!)
      }
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

/** Reads some messages, each by itself. Returns how many responses were found; their rounds go into `rounds`. */
async function readSome(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  folder: Folder,
  validity: number,
  uids: number[],
  rounds: Set<number>,
): Promise<number> {
  const { db, clock, log, publish, broke } = parts
  const heads: Head[] = []
  for await (const m of client.fetch(
    uids.join(','),
    { uid: true, internalDate: true, headers: wantedHeaders },
    { uid: true },
  )) {
    const arrived = m.internalDate instanceof Date ? m.internalDate.getTime() : clock.now()
    heads.push(headOf(m.uid, arrived, (m.headers?.toString('utf8') ?? '').slice(0, longestHead)))
  }
  const maybe = await mayBeOurs(
    db,
    mailbox.id,
    mayAnswer(clock.now()),
    heads.map(({ ids, from, subject }) => ({
      ids,
      sender: sameAddressKey(addressIn(from)),
      subject: bareSubject(subject).subject,
    })),
  )
  let found = 0
  for (const [i, head] of heads.entries()) {
    if (!maybe.has(i) && !head.returned) continue
    // Known by its own Message-ID, as what can be read is: numbers may be given out anew.
    const source = `${mailbox.id}/${head.messageId || `${validity}/${head.uid}`}`
    try {
      const roundId = folder.junk
        ? await takeJunk(
            parts,
            mailbox,
            { ...head, automatic: /^auto-submitted:\s{0,9}auto/im.test(head.text) },
            folder.path,
            head.arrived,
          )
        : await takeWhole(parts, client, mailbox, head)
      if (roundId !== null) {
        found++
        rounds.add(roundId)
      }
    } catch (error) {
      if (parts.ended() || (error instanceof DatabaseFault && error.code === databaseEnded)) throw error
      if (!client.usable) {
        // Read up to it and from it on the next time. When the line breaks at the same message once more, that is what breaks it.
        await noteRead(db, mailbox.id, folder.path, validity, head.uid - 1)
        const times = (broke.get(source) ?? 0) + 1
        broke.set(source, times)
        if (times < maxBroken) throw error
        broke.delete(source)
        await noteRead(db, mailbox.id, folder.path, validity, head.uid)
      }
      const why = error instanceof Error ? error.message : String(error)
      log.warn({ mailboxId: mailbox.id, uid: head.uid, why }, 'a message could not be read')
      const noted = await noteUnread(db, mailbox.id, {
        source,
        sender: head.from,
        subject: head.subject,
        at: clock.now(),
        why: why.slice(0, 500),
      })
      if (noted) publish({ topic: 'mailboxes', id: mailbox.id })
      if (!client.usable) throw error
    }
  }
  return found
}

async function takeWhole(
  parts: ReadFolderParts,
  client: ImapFlow,
  mailbox: MailboxRecord,
  { uid, arrived }: Head,
): Promise<number | null> {
  const whole = await client.fetchOne(String(uid), { source: { start: 0, maxLength: largestRead } }, { uid: true })
  if (whole === false || !whole.source) return null
  return takeMail(parts, mailbox, whole.source, arrived)
}
