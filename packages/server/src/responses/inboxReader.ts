import { createHash } from 'node:crypto'
import { headerLine, type Incoming, type Statement, saidOf } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import { type Database, DatabaseFault, databaseEnded } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { imapWords, inTime, openImap, usingImap } from '../mailboxes/imap.ts'
import {
  type MailboxRecord,
  mailboxById,
  mailboxRecords,
  noteReading,
  noteReadingFault,
  noteUnread,
} from '../mailboxes/store.ts'
import { findSentDrafts } from '../proof/drafts.ts'
import { hasOpenDrafts } from '../rounds/draftStore.ts'
import type { Computes } from '../threads/job.ts'
import type { IncomingJobs } from './mailJobs.ts'
import { addMail, messageByIds } from './store.ts'

export interface InboxReaderParts {
  db: Database
  clock: Clock
  keys: MailboxKeys
  compute: Computes<IncomingJobs>
  publish: Publish
  log: Logger
  /** Is told of a letter that came back. */
  cameBack: (letter: { roundId: number; id: number }) => Promise<void>
}

/** How often an inbox is looked into, besides when the host says that something came. */
const every = 30_000
/** How many messages are looked at until it is noted how far the inbox was read. */
const atOnce = 200
/** Octets of one message that are read: what somebody answers stands before what they enclose. */
const largestRead = 5_000_000
/** Characters of a message's head that are looked at. */
const longestHead = 100_000
/** How often the line may break while one message is being read. */
const maxBroken = 2
/** How long (ms) reading what is new may take, however slowly the host speaks. */
const maxToRead = 10 * 60_000

/**
 * Reads answers from the mailboxes. Of mail that answers none of our messages nothing is stored: it is looked at by its
 * headers, and only a possible report is fetched whole to see what it is about.
 */
export class InboxReader {
  private readonly clients = new Map<number, ImapFlow>()
  private readonly running = new Map<number, { again: boolean; done: Promise<number> }>()
  private readonly findingDrafts = new Map<number, Promise<void>>()
  /** How often the line broke while a message was being read, by where it lies. */
  private readonly broke = new Map<string, number>()
  private timer: NodeJS.Timeout | null = null
  private ended = false

  constructor(private readonly parts: InboxReaderParts) {}

  start(): void {
    this.timer = setInterval(() => this.lookAround(), every)
    this.timer.unref()
    this.lookAround()
  }

  /** Reads every mailbox; what stands in the way is for the log, and the next time. */
  private lookAround(): void {
    this.readAll().catch((error) =>
      this.parts.log.warn({ error: String(error) }, 'the inboxes could not be looked into'),
    )
  }

  async close(): Promise<void> {
    this.ended = true
    if (this.timer) clearInterval(this.timer)
    await Promise.all([...[...this.running.values()].map(({ done }) => done), ...this.findingDrafts.values()])
    for (const client of this.clients.values()) client.close()
  }

  /** Reads every mailbox that has an IMAP host, side by side: one whose host is slow keeps none of the others waiting. */
  async readAll(): Promise<void> {
    const all = (await mailboxRecords(this.parts.db)).filter(({ settings }) => settings.imap)
    await Promise.all(all.flatMap(({ id }) => [this.read(id), this.findDrafts(id)]))
  }

  /** Reads what is new in one mailbox, until nothing is. Returns how many responses were found. */
  read(mailboxId: number): Promise<number> {
    const before = this.running.get(mailboxId)
    if (before) {
      // What came while it was being read may have been missed.
      before.again = true
      return before.done
    }
    const state = { again: false, done: Promise.resolve(0) }
    this.running.set(mailboxId, state)
    const all = async (): Promise<number> => {
      let found = 0
      do {
        state.again = false
        const client = await this.client(mailboxId)
        found += await inTime(client, this.readNew(mailboxId, client), maxToRead)
      } while (state.again && !this.ended)
      return found
    }
    state.done = all()
      .catch(async (error) => {
        this.drop(mailboxId)
        const fault = `Answers could not be read: ${await this.words(mailboxId, error)}`
        this.parts.log.warn({ mailboxId, fault }, 'inbox')
        await noteReadingFault(this.parts.db, mailboxId, fault).catch(() => {})
        this.parts.publish({ topic: 'mailboxes', id: mailboxId })
        return 0
      })
      .finally(() => this.running.delete(mailboxId))
    return state.done
  }

  /** What kept the answers from being read, without anything secret. */
  private async words(mailboxId: number, error: unknown): Promise<string> {
    try {
      return imapWords(error, this.parts.keys.accessOf(await mailboxById(this.parts.db, mailboxId)))
    } catch (fault) {
      // The mailbox was removed meanwhile, or its password cannot be read; then it was given to nobody.
      return fault instanceof Error ? fault.message : String(fault)
    }
  }

  /** Lets go of a mailbox's connection: its settings changed, or it broke. */
  drop(mailboxId: number): void {
    this.clients.get(mailboxId)?.close()
    this.clients.delete(mailboxId)
  }

  private async client(mailboxId: number): Promise<ImapFlow> {
    const known = this.clients.get(mailboxId)
    if (known?.usable) return known
    const { db, keys } = this.parts
    const client = await openImap(keys.accessOf(await mailboxById(db, mailboxId)))
    this.clients.set(mailboxId, client)
    client.on('exists', () => {
      if (!this.ended) void this.read(mailboxId)
    })
    client.on('close', () => {
      if (this.clients.get(mailboxId) === client) this.clients.delete(mailboxId)
    })
    return client
  }

  /** Looks whether drafts of rounds were sent from a mailbox: on a connection of its own, for the inbox is listened to on the other. */
  private findDrafts(mailboxId: number): Promise<void> {
    const { db, clock, keys, publish, log } = this.parts
    const before = this.findingDrafts.get(mailboxId)
    if (before) return before
    const work = (async () => {
      if (!(await hasOpenDrafts(db, mailboxId))) return
      await usingImap(keys.accessOf(await mailboxById(db, mailboxId)), async (client) => {
        for (const id of await findSentDrafts(db, client, mailboxId, clock.now())) publish({ topic: 'round', id })
      })
    })()
      .catch((error) => log.warn({ mailboxId, error: String(error) }, 'drafts that were sent could not be looked for'))
      .finally(() => this.findingDrafts.delete(mailboxId))
    this.findingDrafts.set(mailboxId, work)
    return work
  }

  private async readNew(mailboxId: number, client: ImapFlow): Promise<number> {
    const { db, publish } = this.parts
    const lock = await client.getMailboxLock('INBOX', { readOnly: true })
    try {
      const mailbox = await mailboxById(db, mailboxId)
      const box = client.mailbox
      if (!box) return 0
      const validity = Number(box.uidValidity)
      // A mailbox met for the first time is read from now on; one whose numbers were given out anew, from its beginning.
      if (mailbox.lastUid === null) {
        await noteReading(db, mailboxId, validity, box.uidNext - 1)
        return 0
      }
      const lastUid = mailbox.uidValidity === validity ? mailbox.lastUid : 0
      // A range whose start lies beyond the end means the last message (RFC 3501, section 6.4.8), so uids are compared again.
      const uids = ((await client.search({ uid: `${lastUid + 1}:*` }, { uid: true })) || [])
        .filter((uid) => uid > lastUid)
        .sort((x, y) => x - y)
      let found = 0
      const rounds = new Set<number>()
      try {
        for (let at = 0; at < uids.length && !this.ended; at += atOnce) {
          const some = uids.slice(at, at + atOnce)
          found += await this.readSome(client, mailbox, validity, some, rounds)
          // The place moves on whatever was in them: a message that cannot be read is noted, and is not met again.
          await noteReading(db, mailboxId, validity, some.at(-1)!)
        }
        if (uids.length === 0 && (mailbox.uidValidity !== validity || mailbox.readingFault))
          await noteReading(db, mailboxId, validity, lastUid)
      } finally {
        if (mailbox.readingFault) publish({ topic: 'mailboxes', id: mailboxId })
        for (const roundId of rounds) publish({ topic: 'responses', id: roundId })
      }
      return found
    } finally {
      lock.release()
    }
  }

  /** Reads some messages, each by itself. Returns how many responses were found; their rounds go into `rounds`. */
  private async readSome(
    client: ImapFlow,
    mailbox: MailboxRecord,
    validity: number,
    uids: number[],
    rounds: Set<number>,
  ): Promise<number> {
    const { db, clock, log, publish } = this.parts
    const heads: { uid: number; head: string }[] = []
    for await (const m of client.fetch(
      uids.join(','),
      { uid: true, headers: ['in-reply-to', 'references', 'content-type', 'from', 'subject', 'message-id'] },
      { uid: true },
    ))
      heads.push({ uid: m.uid, head: (m.headers?.toString('utf8') ?? '').slice(0, longestHead) })
    let found = 0
    for (const { uid, head } of heads) {
      // Known by its own Message-ID, as what can be read is: numbers may be given out anew.
      const source = `${mailbox.id}/${headerLine(head, 'message-id') || `${validity}/${uid}`}`
      try {
        const roundId = await this.readOne(client, mailbox.id, uid, head)
        if (roundId !== null) {
          found++
          rounds.add(roundId)
        }
      } catch (error) {
        if (this.ended || (error instanceof DatabaseFault && error.code === databaseEnded)) throw error
        if (!client.usable) {
          // Read up to it and from it on the next time. When the line breaks at the same message once more, that is what breaks it.
          await noteReading(db, mailbox.id, validity, uid - 1)
          const times = (this.broke.get(source) ?? 0) + 1
          this.broke.set(source, times)
          if (times < maxBroken) throw error
          this.broke.delete(source)
          await noteReading(db, mailbox.id, validity, uid)
        }
        const why = error instanceof Error ? error.message : String(error)
        log.warn({ mailboxId: mailbox.id, uid, why }, 'a message could not be read')
        const noted = await noteUnread(db, mailbox.id, {
          source,
          sender: headerLine(head, 'from'),
          subject: headerLine(head, 'subject'),
          at: clock.now(),
          why: why.slice(0, 500),
        })
        if (noted) publish({ topic: 'mailboxes', id: mailbox.id })
        if (!client.usable) throw error
      }
    }
    return found
  }

  /** Reads one message. Returns the round whose letter it answers, when that is news; else null. */
  private async readOne(client: ImapFlow, mailboxId: number, uid: number, head: string): Promise<number | null> {
    const { db, clock, compute, log } = this.parts
    const mayBeReport = /multipart\/report/i.test(head)
    const own = headerLine(head, 'message-id')
    const answers = (head.match(/<[^<>\s]{1,998}>/g) ?? []).filter((id) => id !== own).slice(0, 200)
    if (!mayBeReport && (answers.length === 0 || (await messageByIds(db, mailboxId, answers)) === null)) return null
    const whole = await client.fetchOne(
      String(uid),
      { source: { start: 0, maxLength: largestRead }, internalDate: true },
      { uid: true },
    )
    if (whole === false || !whole.source) return null
    const incoming = await compute.run('readIncoming', { raw: whole.source })
    const message = await messageByIds(db, mailboxId, incoming.answers)
    if (message === null) return null
    const arrived = whole.internalDate instanceof Date ? whole.internalDate.getTime() : clock.now()
    const isNew = await addMail(db, {
      messageId: message.id,
      // Mail without a Message-ID is known by what it is.
      mailId: incoming.messageId ?? createHash('sha256').update(whole.source).digest('base64url'),
      at: arrived,
      said: saidOf(incoming, message).map(({ kind, of, address, status, words }) => ({
        kind,
        of,
        address,
        details: {
          from: incoming.from.name ? `${incoming.from.name} <${incoming.from.address}>` : incoming.from.address,
          subject: incoming.subject,
          words: wordsOf(incoming, { kind, address, status, words }).slice(0, 4000),
          text: incoming.text.slice(0, 100_000),
        },
      })),
    })
    if (isNew) log.info({ round: message.roundId, letter: message.id }, `came back: ${incoming.kind}`)
    if (isNew && incoming.kind === 'bounce') await this.parts.cameBack(message)
    return isNew ? message.roundId : null
  }
}

/** What a person wants to read of it. */
function wordsOf(
  incoming: Incoming,
  { kind, address, status, words }: Pick<Statement, 'kind' | 'address' | 'status' | 'words'>,
): string {
  if (kind === 'receipt') return `The mail program says: ${incoming.disposition ?? 'displayed'}.`
  if (kind !== 'bounce' && kind !== 'delayed' && kind !== 'delivered') return incoming.newText
  return [words || `The host of ${address} could not deliver it.`, status && `(${status})`].filter(Boolean).join(' ')
}
