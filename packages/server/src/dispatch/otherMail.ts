import type { FetchMessageObject } from 'imapflow'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { sentPath, usingImap } from '../mailboxes/imap.ts'
import {
  addOtherMail,
  forgetOtherMail,
  type MailboxRecord,
  mailboxById,
  mailboxRecords,
  noteSentRead,
  type OtherMail,
} from '../mailboxes/store.ts'
import type { Leases } from '../processes/leases.ts'

const hour = 60 * 60 * 1000
/** How old what is known of a Sent folder may be while letters leave, and how often it is looked into at all (ms). */
const freshFor = 5 * 60_000
const every = 5 * 60_000
/** How far back mail is read the first time: longer than the quiet after which a mailbox counts as new. */
const firstLook = 45 * 24 * hour
/** How many messages are read at one time, the newest of them. */
const maxRead = 5000
/** Recipients of one message that are counted. */
const maxRecipients = 5000
/** How long (ms) reading a Sent folder may take, however slowly its host speaks. */
const maxToRead = 2 * 60_000

export interface OtherMailParts {
  db: Database
  clock: Clock
  keys: MailboxKeys
  publish: Publish
  log: Logger
  /** Which mailboxes are worked here. */
  leases: Pick<Leases, 'mine'>
  /** Is told which mail the writer's own answers, seen in Sent, say that they answer. */
  sawAnswers: (mailboxId: number, sent: { at: number; answers: string[] }[]) => Promise<void>
}

/** To how many a message went: To, Cc and Bcc, each address once. */
function recipientsOf({ envelope }: FetchMessageObject): number {
  const all = [...(envelope?.to ?? []), ...(envelope?.cc ?? []), ...(envelope?.bcc ?? [])].slice(0, maxRecipients)
  const addresses = new Set(all.flatMap(({ address }) => (address ? [address.toLowerCase()] : [])))
  return Math.max(1, addresses.size)
}

/**
 * Reads what left mailboxes by other ways than Hand Post from their Sent folders: by headers only, and no more is kept of it than when it
 * was and to how many. The host counts it, so the allowance does. What it answers is told, and not kept.
 */
export class OtherMailReader {
  private readonly running = new Map<number, Promise<boolean>>()
  private timer: NodeJS.Timeout | null = null

  constructor(private readonly parts: OtherMailParts) {}

  start(): void {
    const lookAround = async () => {
      for (const { id } of await mailboxRecords(this.parts.db)) if (this.parts.leases.mine(id)) await this.read(id)
    }
    const look = () =>
      void lookAround().catch((error) => this.parts.log.warn({ error: String(error) }, 'Sent could not be looked into'))
    this.timer = setInterval(look, every)
    this.timer.unref()
    look()
  }

  async close(): Promise<void> {
    if (this.timer) clearInterval(this.timer)
    await Promise.allSettled(this.running.values())
  }

  /**
   * Reads a mailbox's Sent folder, unless it was looked into lately.
   * @returns whether there was other mail that was not known of.
   */
  async read(mailboxId: number, atOnce = false): Promise<boolean> {
    const { db, clock } = this.parts
    const mailbox = await mailboxById(db, mailboxId)
    // Nobody but Hand Post sends from the practice mailbox that ships with it.
    if (mailbox.settings.imap === null || mailbox.builtIn || mailbox.stopped) return false
    const since = clock.now() - (mailbox.sentReadAt ?? Number.NEGATIVE_INFINITY)
    if (!atOnce && since >= 0 && since < freshFor) return false
    let reading = this.running.get(mailboxId)
    if (!reading) {
      reading = this.readNow(mailbox).finally(() => this.running.delete(mailboxId))
      this.running.set(mailboxId, reading)
    }
    return reading
  }

  private async readNow(mailbox: MailboxRecord): Promise<boolean> {
    const { db, clock, publish, log } = this.parts
    try {
      const { validity, lastUid, found, answers } = await this.fetchNew(mailbox)
      if (mailbox.sentUidValidity !== null && mailbox.sentUidValidity !== validity)
        await forgetOtherMail(db, mailbox.id)
      const added = await addOtherMail(db, mailbox.id, found)
      if (answers.length > 0) await this.parts.sawAnswers(mailbox.id, answers)
      await noteSentRead(db, mailbox.id, { at: clock.now(), validity, lastUid, fault: null })
      if (added > 0 || mailbox.sentFault !== null) publish({ topic: 'mailboxes', id: mailbox.id })
      if (added > 0) publish({ topic: 'messages', id: null })
      return added > 0
    } catch (error) {
      const fault = error instanceof Error ? error.message : String(error)
      log.warn({ mailboxId: mailbox.id, fault }, 'Sent could not be looked into for other mail')
      const { sentUidValidity: validity, sentLastUid: lastUid } = mailbox
      await noteSentRead(db, mailbox.id, { at: clock.now(), validity, lastUid, fault })
      publish({ topic: 'mailboxes', id: mailbox.id })
      return false
    }
  }

  /** What lies in Sent that was not read yet, with how far it is read now. */
  private async fetchNew(mailbox: MailboxRecord): Promise<{
    validity: number | null
    lastUid: number | null
    found: OtherMail[]
    answers: { at: number; answers: string[] }[]
  }> {
    const now = this.parts.clock.now()
    return usingImap(
      this.parts.keys.accessOf(mailbox),
      async (client) => {
        const path = await sentPath(client)
        if (path === null) return { validity: null, lastUid: null, found: [], answers: [] }
        const lock = await client.getMailboxLock(path, { readOnly: true })
        try {
          const box = client.mailbox
          if (!box) return { validity: null, lastUid: null, found: [], answers: [] }
          const validity = Number(box.uidValidity)
          const known = mailbox.sentUidValidity === validity ? mailbox.sentLastUid : null
          const search = known === null ? { since: new Date(now - firstLook) } : { uid: `${known + 1}:*` }
          // A range that ends with * always has the last message.
          const uids = ((await client.search(search, { uid: true })) || []).filter((uid) => uid > (known ?? 0))
          const newest = uids.sort((a, b) => a - b).slice(-maxRead)
          const found: OtherMail[] = []
          const answers: { at: number; answers: string[] }[] = []
          if (newest.length > 0)
            for await (const message of client.fetch(
              newest.join(','),
              { uid: true, internalDate: true, envelope: true },
              { uid: true },
            )) {
              const at = message.internalDate instanceof Date ? message.internalDate.getTime() : now
              const messageId = message.envelope?.messageId?.trim()
              const answered = message.envelope?.inReplyTo?.match(/<[^<>\s]{1,998}>/g)?.slice(0, 20)
              if (answered) answers.push({ at: Math.min(now, Number.isFinite(at) ? at : now), answers: answered })
              found.push({
                source: messageId ? messageId.slice(0, 1000) : `${validity}/${message.uid}`,
                at: Math.min(now, Number.isFinite(at) ? at : now),
                recipients: recipientsOf(message),
              })
            }
          return { validity, lastUid: newest.at(-1) ?? known ?? (box.uidNext ? box.uidNext - 1 : null), found, answers }
        } finally {
          lock.release()
        }
      },
      maxToRead,
    )
  }
}
