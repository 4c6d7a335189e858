import type { ImapFlow } from 'imapflow'
import type { EnclosureJobs } from '../enclosures/jobs.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { imapWords, inTime, junkPath, openImap, usingImap } from '../mailboxes/imap.ts'
import {
  folderFaults,
  type MailboxRecord,
  mailboxById,
  mailboxRecords,
  noteFolderFault,
  noteReadingFault,
} from '../mailboxes/store.ts'
import type { Leases } from '../processes/leases.ts'
import { findSentDrafts } from '../proof/drafts.ts'
import { hasOpenDrafts } from '../rounds/draftStore.ts'
import type { Computes } from '../threads/job.ts'
import { examineReturned, type FetchReturnedParts, fetchReturned } from './fetchReturned.ts'
import type { ResponseJobs } from './jobs.ts'
import type { IncomingJobs } from './mailJobs.ts'
import { type Folder, type ReadFolderParts, readFolder } from './readFolder.ts'
import { dueBetween } from './reminders.ts'
import { notExaminedReturned, toFetch } from './returnedStore.ts'
import { cameBackBetween, forgetStrangers } from './trayStore.ts'

export interface InboxReaderParts extends Omit<ReadFolderParts, 'broke' | 'ended'>, Omit<FetchReturnedParts, 'ended'> {
  keys: MailboxKeys
  /** Which mailboxes are worked here. */
  leases: Pick<Leases, 'mine'>
  compute: Computes<IncomingJobs & ResponseJobs & EnclosureJobs>
}

/** How often an inbox is looked into, besides when the host says that something came; and the other folders of a mailbox. */
const every = 30_000
const othersEvery = 2 * 60_000
/** How long (ms) reading what is new may take, however slowly the host speaks. */
const maxToRead = 10 * 60_000

/**
 * Reads answers from the mailboxes: the inbox, on a connection that listens for news (IDLE, RFC 2177), and in turn the other folders that
 * the writer has chosen, and junk by its headers. Of mail that answers none of our messages nothing is stored.
 */
export class InboxReader {
  private readonly clients = new Map<number, ImapFlow>()
  private readonly running = new Map<number, { again: boolean; done: Promise<number> }>()
  private readonly readingOthers = new Map<number, Promise<void>>()
  private readonly fetching = new Map<number, { again: boolean; done: Promise<void> }>()
  private readonly othersReadAt = new Map<number, number>()
  private readonly folderParts: ReadFolderParts
  private timer: NodeJS.Timeout | null = null
  private ended = false
  /** Up to when it was told what came back to the in-tray by its day. */
  private toldUntil: number

  constructor(private readonly parts: InboxReaderParts) {
    this.folderParts = { ...parts, broke: new Map(), ended: () => this.ended }
    this.toldUntil = parts.clock.now()
  }

  start(): void {
    this.timer = setInterval(() => this.lookAround(), every)
    this.timer.unref()
    this.lookAround()
  }

  /** Reads every mailbox; what stands in the way is for the log, and the next time. */
  private lookAround(): void {
    const { log } = this.parts
    const all = async () => {
      await this.tellDue()
      await this.forget()
      await this.readAll()
    }
    all().catch((error) => log.warn({ error: String(error) }, 'the inboxes could not be looked into'))
  }

  /** Forgets what is not to be kept any longer. */
  forget(): Promise<void> {
    return forgetStrangers(this.parts.db, this.parts.clock.now())
  }

  /** Tells every desk when the day of something has come that was put by, or of a reminder. */
  async tellDue(): Promise<void> {
    const { db, clock, publish } = this.parts
    const now = clock.now()
    const [came, due] = [await cameBackBetween(db, this.toldUntil, now), await dueBetween(db, this.toldUntil, now)]
    this.toldUntil = now
    if (came + due > 0) publish({ topic: 'responses', id: null })
  }

  async close(): Promise<void> {
    this.ended = true
    if (this.timer) clearInterval(this.timer)
    await Promise.all([
      ...[...this.running.values()].map(({ done }) => done),
      ...this.readingOthers.values(),
      ...[...this.fetching.values()].map(({ done }) => done),
    ])
    for (const client of this.clients.values()) client.close()
  }

  /** Reads every mailbox that is worked here and has an IMAP host, side by side: one whose host is slow keeps none of the others waiting. */
  async readAll(): Promise<void> {
    const { db, leases } = this.parts
    const all = (await mailboxRecords(db)).filter(({ id, settings }) => settings.imap && leases.mine(id))
    await Promise.all(all.flatMap(({ id }) => [this.read(id), this.readOthers(id)]))
    await Promise.all(all.map(({ id }) => this.fetchFiles(id)))
  }

  /** Fetches the files that came back with answers: on a connection of its own, so that nothing new waits for them. */
  fetchFiles(mailboxId: number): Promise<void> {
    const { db, log, keys } = this.parts
    const before = this.fetching.get(mailboxId)
    if (before) {
      before.again = true
      return before.done
    }
    const state = { again: false, done: Promise.resolve() }
    this.fetching.set(mailboxId, state)
    const all = async () => {
      do {
        state.again = false
        await examineReturned(this.parts, await notExaminedReturned(db, mailboxId))
        if ((await toFetch(db, mailboxId, 1)).length === 0) continue
        await usingImap(keys.accessOf(await mailboxById(db, mailboxId)), (client) =>
          fetchReturned({ ...this.parts, ended: () => this.ended }, client, mailboxId),
        )
      } while (state.again && !this.ended)
    }
    state.done = all()
      .catch((error) => log.warn({ mailboxId, error: String(error) }, 'files of answers could not be fetched yet'))
      .finally(() => this.fetching.delete(mailboxId))
    return state.done
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
        // Whoever works it now reads it.
        if (!this.parts.leases.mine(mailboxId)) return found
        const client = await this.client(mailboxId)
        const mailbox = await mailboxById(this.parts.db, mailboxId)
        found += await inTime(
          client,
          readFolder(this.folderParts, client, mailbox, { path: 'INBOX', junk: false }),
          maxToRead,
        )
        if (mailbox.readingFault !== null) await this.noteFault(mailboxId, null)
        if (found > 0 && !this.ended) void this.fetchFiles(mailboxId)
      } while (state.again && !this.ended)
      return found
    }
    state.done = all()
      .catch(async (error) => {
        this.drop(mailboxId)
        const fault = `Answers could not be read: ${await this.words(mailboxId, error)}`
        this.parts.log.warn({ mailboxId, fault }, 'inbox')
        await this.noteFault(mailboxId, fault).catch(() => {})
        return 0
      })
      .finally(() => this.running.delete(mailboxId))
    return state.done
  }

  /**
   * Reads everything that lies in a mailbox now: its inbox, and the other folders unless they were looked into lately.
   * @returns what kept it from being read, in words; null where nothing did.
   */
  async readUpToNow(mailboxId: number): Promise<string | null> {
    const { db } = this.parts
    if (!(await mailboxById(db, mailboxId)).settings.imap)
      return 'The mailbox has no IMAP host any more, so its answers cannot be read. Give it one at Mailboxes.'
    await this.read(mailboxId)
    await this.readOthers(mailboxId)
    if (this.ended) return 'Hand Post is ending.'
    return (await mailboxById(db, mailboxId)).readingFault ?? (await folderFaults(db, mailboxId))
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

  private async noteFault(mailboxId: number, fault: string | null): Promise<void> {
    await noteReadingFault(this.parts.db, mailboxId, fault)
    this.parts.publish({ topic: 'mailboxes', id: mailboxId })
  }

  private async noteFolder(mailboxId: number, { path }: Folder, fault: string | null): Promise<void> {
    if (fault !== null) this.parts.log.warn({ mailboxId, folder: path, fault }, 'folder')
    if (await noteFolderFault(this.parts.db, mailboxId, path, fault))
      this.parts.publish({ topic: 'mailboxes', id: mailboxId })
  }

  /**
   * Reads the other folders of a mailbox, unless they were looked into lately, and looks whether drafts of rounds were sent: on a
   * connection of its own, for the inbox is listened to on the other.
   */
  readOthers(mailboxId: number, now = false): Promise<void> {
    const { db, clock, log } = this.parts
    const before = this.readingOthers.get(mailboxId)
    if (before) return before
    const since = Date.now() - (this.othersReadAt.get(mailboxId) ?? Number.NEGATIVE_INFINITY)
    const work = (async () => {
      const mailbox = await mailboxById(db, mailboxId)
      const drafts = await hasOpenDrafts(db, mailboxId)
      const folders = now || since >= othersEvery
      if (!drafts && (!folders || (mailbox.settings.folders.length === 0 && !mailbox.settings.junk))) return
      if (folders) this.othersReadAt.set(mailboxId, Date.now())
      await usingImap(this.parts.keys.accessOf(mailbox), async (client) => {
        if (drafts)
          for (const id of await findSentDrafts(db, client, mailboxId, clock.now()))
            this.parts.publish({ topic: 'round', id })
        if (folders) await this.readEach(client, mailbox)
      })
    })()
      .catch((error) => log.warn({ mailboxId, error: String(error) }, 'other folders could not be looked into'))
      .finally(() => this.readingOthers.delete(mailboxId))
    this.readingOthers.set(mailboxId, work)
    return work
  }

  /** Reads the folders that the writer has chosen, and junk; one that is not there any more is said. */
  private async readEach(client: ImapFlow, mailbox: MailboxRecord): Promise<void> {
    const { settings } = mailbox
    const folders: Folder[] = settings.folders.map((path) => ({ path, junk: false }))
    const junk = settings.junk ? await junkPath(client) : null
    if (junk !== null && !settings.folders.includes(junk)) folders.push({ path: junk, junk: true })
    for (const folder of folders) {
      if (this.ended || !client.usable) return
      try {
        await readFolder(this.folderParts, client, mailbox, folder)
        await this.noteFolder(mailbox.id, folder, null)
      } catch (error) {
        await this.noteFolder(mailbox.id, folder, await this.words(mailbox.id, error))
      }
    }
  }
}
