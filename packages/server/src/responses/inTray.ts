import type { TrayEntry } from '@hand-post/contract'
import type { Database } from '../db/database.ts'
import { asEntry } from './board.ts'
import { tray } from './store.ts'

/** Most lines of the in-tray given at once. */
const maxInTray = 500

/** The in-tray's entries. */
export async function trayEntries(db: Database, done: boolean, most = maxInTray): Promise<TrayEntry[]> {
  return (await tray(db, done, most)).map((r) => ({
    ...asEntry(r, false),
    subject: r.details.subject ?? '',
    roundId: r.roundId,
    round: r.round,
    mailboxId: r.mailboxId,
    rowId: r.rowId,
    person: r.person,
    address: r.address,
    fromAddress: r.fromAddress,
    text: r.details.text ?? '',
    letter: { subject: r.subject, html: r.html, text: r.letterText, sentAt: r.sentAt },
    doneAt: r.doneAt,
  }))
}
