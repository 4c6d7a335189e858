import type { Database } from '../db/database.ts'

/** A message that was put into the mailbox as a draft. */
export interface DraftRecord {
  rowId: number
  key: string
  messageId: string
  putAt: number
  /** When it was found to have been sent, or null while it was not. */
  sentAt: number | null
}

/** The drafts of a round. */
export function draftsOf(db: Database, roundId: number): Promise<DraftRecord[]> {
  return db.query(
    'SELECT row_id AS "rowId", key, message_id AS "messageId", put_at AS "putAt", sent_at AS "sentAt" FROM drafts WHERE round_id = $1 ORDER BY row_id',
    [roundId],
  )
}

/** Whether drafts of rounds lie in a mailbox that were not found to have been sent. */
export async function hasOpenDrafts(db: Database, mailboxId: number): Promise<boolean> {
  const rows = await db.query(
    'SELECT 1 FROM drafts d JOIN rounds r ON r.id = d.round_id WHERE r.mailbox_id = $1 AND d.sent_at IS NULL LIMIT 1',
    [mailboxId],
  )
  return rows.length > 0
}
