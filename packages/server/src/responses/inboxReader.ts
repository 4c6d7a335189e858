import type { DeskEvent } from '@hand-post/contract'
import { type Incoming, readIncoming } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import { accessOf } from '../dispatch/dispatcher.ts'
import { findSentDrafts } from '../dispatch/drafts.ts'
import { openImap } from '../mailboxes/connections.ts'
import { mailboxById, mailboxRecords, noteReading, noteReadingFault } from '../mailboxes/store.ts'
import type { Secrets } from '../secrets.ts'
import { addResponse, messageByIds } from './store.ts'

export interface InboxReaderParts {
  db: Database
  clock: Clock
  secrets: Secrets
  tell: (event: DeskEvent) => void
  log: Logger
}

/** How often an inbox is looked into, besides when the host says that something came. */
const every = 30_000

/**
 * Reads answers from the mailboxes. Of mail that answers none of our messages nothing is stored: it is looked at by its
 * headers, and only a possible report is fetched whole to see what it is about.
 */
export class InboxReader {
  private readonly clients = new Map<number, ImapFlow>()
  private readonly running = new Map<number, Promise<number>>()
  private timer: NodeJS.Timeout | null = null
  private ended = false

  constructor(private readonly parts: InboxReaderParts) {}

  start(): void {
    this.timer = setInterval(() => void this.readAll(), every)
    this.timer.unref()
    void this.readAll()
  }

  async close(): Promise<void> {
    this.ended = true
    if (this.timer) clearInterval(this.timer)
    await Promise.all(this.running.values())
    for (const client of this.clients.values()) client.close()
  }

  /** Reads every mailbox that has an IMAP host. */
  async readAll(): Promise<void> {
    for (const { id, settings } of await mailboxRecords(this.parts.db)) if (settings.imap) await this.read(id)
  }

  /** Reads what is new in one mailbox. Returns how many responses were found. */
  read(mailboxId: number): Promise<number> {
    const before = this.running.get(mailboxId)
    if (before) return before
    const work = this.readNew(mailboxId)
      .then(async (found) => {
        await this.findDrafts(mailboxId)
        return found
      })
      .catch(async (error) => {
        this.drop(mailboxId)
        const fault = `Answers could not be read: ${error instanceof Error ? error.message : error}`
        this.parts.log.warn({ mailboxId, fault }, 'inbox')
        await noteReadingFault(this.parts.db, mailboxId, fault).catch(() => {})
        this.parts.tell({ topic: 'mailboxes', id: mailboxId })
        return 0
      })
      .finally(() => this.running.delete(mailboxId))
    this.running.set(mailboxId, work)
    return work
  }

  /** Lets go of a mailbox's connection: its settings changed, or it broke. */
  drop(mailboxId: number): void {
    this.clients.get(mailboxId)?.close()
    this.clients.delete(mailboxId)
  }

  private async client(mailboxId: number): Promise<ImapFlow> {
    const known = this.clients.get(mailboxId)
    if (known?.usable) return known
    const { db, secrets } = this.parts
    const client = await openImap(accessOf(await mailboxById(db, mailboxId), secrets))
    this.clients.set(mailboxId, client)
    client.on('exists', () => {
      if (!this.ended) void this.read(mailboxId)
    })
    client.on('close', () => {
      if (this.clients.get(mailboxId) === client) this.clients.delete(mailboxId)
    })
    return client
  }

  /** Looks whether drafts of rounds were sent from this mailbox. */
  private async findDrafts(mailboxId: number): Promise<void> {
    const { db, clock, tell } = this.parts
    const client = await this.client(mailboxId)
    for (const id of await findSentDrafts(db, client, mailboxId, clock.now())) tell({ topic: 'round', id })
    // The inbox is what is listened to.
    if (client.mailbox && client.mailbox.path !== 'INBOX')
      (await client.getMailboxLock('INBOX', { readOnly: true })).release()
  }

  private async readNew(mailboxId: number): Promise<number> {
    const { db, tell } = this.parts
    const client = await this.client(mailboxId)
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
      const heads: { uid: number; head: string }[] = []
      // A range whose start lies beyond the end means the last message (RFC 3501, section 6.4.8), so uids are compared again.
      for await (const m of client.fetch(
        `${lastUid + 1}:*`,
        { uid: true, headers: ['in-reply-to', 'references', 'content-type'] },
        { uid: true },
      ))
        if (m.uid > lastUid) heads.push({ uid: m.uid, head: m.headers?.toString('utf8') ?? '' })
      let found = 0
      const rounds = new Set<number>()
      let newest = lastUid
      for (const { uid, head } of heads) {
        newest = Math.max(newest, uid)
        const mayBeReport = /multipart\/report/i.test(head)
        const answers = head.match(/<[^<>\s]+>/g) ?? []
        if (!mayBeReport && (answers.length === 0 || (await messageByIds(db, mailboxId, answers)) === null)) continue
        const whole = await client.fetchOne(String(uid), { source: true, internalDate: true }, { uid: true })
        if (whole === false || !whole.source) continue
        const incoming = await readIncoming(whole.source)
        const message = await messageByIds(db, mailboxId, incoming.answers)
        if (message === null) continue
        const arrived = whole.internalDate instanceof Date ? whole.internalDate.getTime() : this.parts.clock.now()
        if (
          await addResponse(db, {
            messageId: message.id,
            ...asResponse(incoming, arrived),
            source: `${mailboxId}/${validity}/${uid}`,
          })
        ) {
          found++
          rounds.add(message.roundId)
        }
      }
      if (newest > lastUid || mailbox.uidValidity !== validity || mailbox.readingFault)
        await noteReading(db, mailboxId, validity, newest)
      if (mailbox.readingFault) tell({ topic: 'mailboxes', id: mailboxId })
      for (const roundId of rounds) tell({ topic: 'responses', id: roundId })
      return found
    } finally {
      lock.release()
    }
  }
}

function asResponse(incoming: Incoming, arrived: number) {
  const report = incoming.report[0]
  const words =
    incoming.kind === 'bounce' || incoming.kind === 'delayed' || incoming.kind === 'delivered'
      ? [
          report?.words || `The host of ${report?.recipient} could not deliver it.`,
          report?.status ? `(${report.status})` : '',
        ]
          .filter(Boolean)
          .join(' ')
      : incoming.kind === 'receipt'
        ? `The mail program says: ${incoming.disposition ?? 'displayed'}.`
        : incoming.newText
  return {
    kind: incoming.kind,
    at: arrived,
    details: {
      from: incoming.from.name ? `${incoming.from.name} <${incoming.from.address}>` : incoming.from.address,
      subject: incoming.subject,
      words: words.slice(0, 4000),
      text: incoming.text.slice(0, 100_000),
    },
  }
}
