import { type DayInLetter, daysInLetter, withOtherWords } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { listById } from '../people/store.ts'
import { roundById } from '../rounds/store.ts'

/** What a round like another would be called, and what its letter names of days. */
export async function nextTime(
  db: Database,
  roundId: number,
): Promise<{ title: string; list: string | null; days: DayInLetter[] }> {
  const { title, letter, listId, mailboxId, postedAt, createdAt } = await roundById(db, roundId)
  const { timeZone } = (await mailboxById(db, mailboxId)).settings
  const [named] = daysInLetter({ subject: title, body: { type: 'doc', content: [] } }, 0, timeZone)
  return {
    title: named ? title.replace(named.words, named.next) : title,
    list: listId === null ? null : (await listById(db, listId)).name,
    days: daysInLetter(letter, postedAt ?? createdAt, timeZone),
  }
}

/**
 * Begins a round like another: its letter, in which some days are others, list, rules, files for everybody, sender and ways. Nothing of its
 * people: who was set aside or chosen by hand, own files and notes were of that time.
 * @returns its number.
 */
export function beginNextTime(
  db: Database,
  roundId: number,
  { title, days, now }: { title: string; days: readonly { words: string; to: string }[]; now: number },
): Promise<number> {
  return db.transaction(async (tx) => {
    const { letter } = await roundById(tx, roundId)
    const [{ id }] = await tx.query<{ id: number }>(
      `INSERT INTO rounds (title, mailbox_id, list_id, letter, selection, same_address, address_column, name_columns, files_column, file_pattern, sent_as, made, sender, cc, bcc, dispatch, tracking, paper, outcome_words, forget_after, created_at, changed_at)
       SELECT $2, mailbox_id, list_id, $3, selection, same_address, address_column, name_columns, files_column, file_pattern, sent_as, made, sender, cc, bcc,
         dispatch || '{"startAt": null, "until": null}'::jsonb, tracking, paper, outcome_words, forget_after, $4, $4 FROM rounds WHERE id = $1 RETURNING id`,
      [roundId, title, json(withOtherWords(letter, days)), now],
    )
    await tx.query(
      `INSERT INTO round_files (round_id, name, hash, role) SELECT $2, name, hash, role FROM round_files WHERE round_id = $1 AND role = 'common' ORDER BY id`,
      [roundId, id],
    )
    return id
  })
}
