import { randomBytes } from 'node:crypto'
import type { Notice } from '@hand-post/contract'
import { escapeHtml, type NoticeKind, noticeWords } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { SendError, SmtpConnection } from '../mailboxes/smtp.ts'
import { allowanceOf, type MailboxRecord, mailboxById, noteCopies } from '../mailboxes/store.ts'
import { roundById, statesOf } from '../rounds/store.ts'

export interface NoticeParts {
  db: Database
  clock: Clock
  files: FileStore
  keys: MailboxKeys
  publish: Publish
  log: Logger
  /** Where the desk is. */
  deskAddress: () => string
}

const minute = 60_000
/** Minutes until a notice that the host did not take is tried again; afterwards it is given up, and said at Mailboxes. */
const gaps = [1, 10, 60, 360]

/** Tells the writer, once for each occasion: every window, and by a message to the mailbox's own address where that is wanted. */
export class Notices {
  constructor(private readonly parts: NoticeParts) {}

  /** Tells of a round that it is done, when nothing of it is to come any more. */
  async whenDone(roundId: number): Promise<void> {
    const { db } = this.parts
    // Most often something waits still: that is found at once, and nothing need be counted.
    const [{ open }] = await db.query<{ open: boolean }>(
      `SELECT EXISTS (SELECT 1 FROM messages WHERE mailbox_id = (SELECT mailbox_id FROM rounds WHERE id = $1) AND state IN ('waiting', 'retrying') AND round_id = $1)
         OR EXISTS (SELECT 1 FROM messages WHERE mailbox_id = (SELECT mailbox_id FROM rounds WHERE id = $1) AND state IN ('sending', 'inDoubt') AND round_id = $1)
         OR EXISTS (WITH c AS MATERIALIZED (SELECT message_id FROM copies WHERE follows AND state IN ('waiting', 'retrying', 'sending', 'inDoubt'))
                    SELECT 1 FROM c JOIN messages o ON o.id = c.message_id WHERE o.round_id = $1) AS open`,
      [roundId],
    )
    if (open) return
    const [{ letters, sent }] = await db.query<{ letters: number; sent: number }>(
      'SELECT count(*)::int AS letters, count(sent_at)::int AS sent FROM messages WHERE round_id = $1',
      [roundId],
    )
    if (sent > 0) await this.tell(roundId, 'done', `done ${letters}`)
  }

  /** Tells that a round has held itself. */
  async held(roundId: number): Promise<void> {
    await this.tell(roundId, 'held', `held ${this.parts.clock.now()}`)
  }

  /** Tells of letters in doubt that ask the writer and were not told of yet. Answers lie in the in-tray once more. */
  async whenInDoubt(mailboxId: number): Promise<void> {
    const rounds = await this.parts.db.query<{ id: number; last: number }>(
      `SELECT m.round_id AS id, max(m.looked_at) AS last FROM messages m JOIN rounds r ON r.id = m.round_id AND r.answers_of IS NULL
       WHERE m.mailbox_id = $1 AND m.state = 'inDoubt' AND m.looked_at IS NOT NULL GROUP BY m.round_id`,
      [mailboxId],
    )
    for (const { id, last } of rounds) await this.tell(id, 'doubt', `doubt ${last}`)
  }

  private async tell(roundId: number, kind: NoticeKind, key: string): Promise<void> {
    const { db, clock, publish, deskAddress } = this.parts
    const known = await db.query('SELECT 1 FROM notices WHERE round_id = $1 AND key = $2', [roundId, key])
    if (known.length > 0) return
    const { title, mailboxId, heldWhy } = await roundById(db, roundId)
    const { settings } = await mailboxById(db, mailboxId)
    const { subject, words } = noticeWords(kind, {
      title,
      states: await statesOf(db, roundId),
      why: heldWhy,
      address: `${deskAddress()}/rounds/${roundId}/dispatch`,
    })
    const domain = settings.address.slice(settings.address.lastIndexOf('@') + 1)
    const made = await db.query<{ id: number }>(
      `INSERT INTO notices (round_id, mailbox_id, kind, key, at, subject, words, state, message_id)
       VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) ON CONFLICT (round_id, key) DO NOTHING RETURNING id`,
      [
        roundId,
        mailboxId,
        kind,
        key,
        clock.now(),
        subject,
        words,
        settings.tell[kind] ? 'waiting' : 'notWanted',
        `<${randomBytes(16).toString('base64url')}@${domain}>`,
      ],
    )
    if (made.length > 0) publish({ topic: 'notices', id: made[0].id })
  }

  /** What was being sent when the program ended may have gone: it is not sent a second time. */
  async settleCutOff(mailboxId: number): Promise<void> {
    await this.parts.db.query(
      `UPDATE notices SET state = 'failed', reason = 'Hand Post was ended while it was being sent; it may have gone.' WHERE mailbox_id = $1 AND state = 'sending'`,
      [mailboxId],
    )
  }

  /**
   * Sends a mailbox's notices to its own address, those that are due. Each counts as one recipient.
   * @returns when the next is due (ms since 1970), or null when none waits.
   */
  async send(mailbox: MailboxRecord): Promise<number | null> {
    const { db, clock, files, keys, log } = this.parts
    const waiting = await db.query<{
      id: number
      subject: string
      words: string
      messageId: string
      attempts: number
      due: number
    }>(
      `SELECT id, subject, words, message_id AS "messageId", attempts, not_before AS due FROM notices WHERE mailbox_id = $1 AND state = 'waiting' ORDER BY id`,
      [mailbox.id],
    )
    const due = waiting.filter((one) => one.due <= clock.now())
    const line = due.length > 0 ? new SmtpConnection(keys.accessOf(mailbox)) : null
    try {
      for (const { id, subject, words, messageId, attempts } of due) {
        const now = clock.now()
        if ((await allowanceOf(db, mailbox.id, await limitsOf(db, mailbox, now), now)) < 1) return now + 30 * minute
        const taken = await db.query(
          `UPDATE notices SET state = 'sending', attempts = attempts + 1 WHERE id = $1 AND state = 'waiting' RETURNING id`,
          [id],
        )
        if (taken.length === 0) continue
        const { address, senderName } = mailbox.settings
        const contents = {
          from: { name: senderName, address },
          to: { name: senderName, address },
          cc: [],
          bcc: [],
          subject,
          html: words
            .split('\n\n')
            .map((part) => `<p>${escapeHtml(part)}</p>`)
            .join(''),
          text: words,
          files: [],
          pictures: [],
          links: [],
          receipt: false,
        }
        try {
          // No other program is to answer it (RFC 3834).
          const raw = await composeRaw({ key: messageId, messageId, contents }, now, files, {
            'Auto-Submitted': 'auto-generated',
          })
          await line!.open()
          await line!.send({ from: address, to: [address] }, raw)
          await noteCopies(db, mailbox.id, now, 1)
          await db.query(`UPDATE notices SET state = 'sent', reason = NULL WHERE id = $1`, [id])
        } catch (error) {
          if (!(error instanceof SendError)) throw error
          const gap = error.failure.code === null && error.failure.stage === 'message' ? undefined : gaps[attempts]
          log.warn({ mailbox: mailbox.id, notice: id }, 'a notice was not taken')
          await db.query(`UPDATE notices SET state = $2, reason = $3, not_before = $4 WHERE id = $1`, [
            id,
            gap === undefined ? 'failed' : 'waiting',
            error.message,
            now + (gap ?? 0) * minute,
          ])
        }
      }
    } finally {
      line?.close()
    }
    const [{ next }] = await db.query<{ next: number | null }>(
      `SELECT min(not_before) AS next FROM notices WHERE mailbox_id = $1 AND state = 'waiting'`,
      [mailbox.id],
    )
    return next
  }
}

/** How many notices a window is given at most. */
const most = 20

/** The notices after one that is known, the newest last. */
export function noticesAfter(db: Database, after: number): Promise<Notice[]> {
  return db.query(
    `SELECT * FROM (SELECT id, round_id AS "roundId", kind, at, subject, words FROM notices WHERE id > $1 AND at > 0 ORDER BY id DESC LIMIT ${most}) x ORDER BY id`,
    [after],
  )
}
