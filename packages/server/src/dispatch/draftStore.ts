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
