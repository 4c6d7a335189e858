import { createHash } from 'node:crypto'
import type { Column } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { besideOf } from '../people/loadList.ts'
import { openChasers } from './chasers.ts'

/**
 * A print of everything that a round's messages are made of and chosen by, as it stands in the database, with what the recipes of its list
 * look into besides: two that are the same say that nothing was changed between them.
 */
export async function postingFingerprint(db: Database, roundId: number): Promise<string> {
  const of = (columns: string, table: string) =>
    `(SELECT md5(coalesce(string_agg(concat_ws(':', ${columns}), ',' ORDER BY ${columns}), '')) FROM ${table})`
  const ofRound = (columns: string, table: string) => of(columns, `${table} x WHERE x.round_id = r.id`)
  const [{ print, list, columns }] = await db.query<{ print: string; list: number | null; columns: Column[] | null }>(
    `SELECT md5(concat_ws('|', r.version, r.files_version, r.list_id, l.version, b.settings::text,
       ${ofRound('x.row_id, x.words', 'notes')}, ${ofRound('x.row_id', 'set_aside')}, ${ofRound('x.row_id', 'on_paper')}, ${ofRound('x.row_id, x.file_id', 'file_matches')},
       ${ofRound('x.row_id, x.print', 'made_files')}, ${ofRound('x.key', 'accepted')}, ${of('address', 'do_not_write')})) AS print,
       l.id AS list, l.columns
     FROM rounds r JOIN mailboxes b ON b.id = r.mailbox_id LEFT JOIN lists l ON l.id = r.list_id WHERE r.id = $1`,
    [roundId],
  )
  // Its chasers are posted together with it.
  const chasers = []
  for (const id of await openChasers(db, roundId)) chasers.push(`${id} ${await postingFingerprint(db, id)}`)
  const whole = [print, ...chasers].join('|')
  if (list === null || columns === null) return whole
  const { key } = await besideOf(
    db,
    columns.map(({ recipe }) => recipe),
    list,
    true,
  )
  return createHash('md5').update(`${whole}|${key}`).digest('hex')
}
