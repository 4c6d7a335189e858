import { type FirstHeard, heardOf, isHard, isPersons, linkFamily, type ReturnReason, reasonOf } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { firstFiles } from './returnedStore.ts'
import { asHeard, linksOfMessages, responsesOfMessages } from './store.ts'

/** How many letters are worked out together. */
const atOnce = 2000
/** Characters of an answer, or of why a letter came back, that a line of the board has. */
const shownWords = 300

/** The column in which each first time is kept. */
const columns: Readonly<Record<FirstHeard, string>> = {
  replied: 'replied_at',
  automatic: 'automatic_at',
  opened: 'opened_at',
  clicked: 'clicked_at',
  receipt: 'receipt_at',
  optedOut: 'opted_out_at',
  bounced: 'bounced_at',
}

/** Whether anything came back of a round that is not yet worked out. */
export async function isToHear(db: Database, roundId: number): Promise<boolean> {
  const [{ there }] = await db.query<{ there: boolean }>(
    `SELECT EXISTS (SELECT 1 FROM to_hear t JOIN messages m ON m.id = t.message_id WHERE t.round_id = $1 AND m.sent_at IS NOT NULL) AS there`,
    [roundId],
  )
  return there
}

/**
 * Works out anew what came back of those letters of a round of which anything was added or changed since it was last done. What comes
 * in meanwhile is taken the next time.
 */
export async function hearAnew(db: Database, roundId: number): Promise<void> {
  for (let after = 0; ; ) {
    const letters = await db.query<{ id: number; rowId: number; sentAt: number; touched: number }>(
      `SELECT m.id, m.row_id AS "rowId", m.sent_at AS "sentAt", t.touched FROM to_hear t JOIN messages m ON m.id = t.message_id
       WHERE t.round_id = $1 AND m.sent_at IS NOT NULL AND m.id > $2 ORDER BY m.id LIMIT ${atOnce}`,
      [roundId, after],
    )
    if (letters.length === 0) return
    const came = await responsesOfMessages(
      db,
      letters.map(({ id }) => id),
    )
    const files = await firstFiles(
      db,
      letters.map(({ id }) => id),
    )
    const links = await linksOfMessages(
      db,
      letters.flatMap(({ id }) => ((came.get(id) ?? []).some(({ kind }) => kind === 'click') ? id : [])),
    )
    const worked = letters.map(({ id, rowId, sentAt, touched }) => {
      const theirs = (came.get(id) ?? []).map(asHeard)
      const { outcome, firsts, byMachine, seen, followed, lastAt } = heardOf(sentAt, theirs)
      const own = theirs.filter(isPersons)
      const said = own.find(({ kind }) => kind === 'reply' || kind === 'bounce')?.details.words ?? ''
      const back = own.findLast(({ kind }) => kind === 'bounce')?.details
      const reason: ReturnReason | null = back ? (back.reason ?? reasonOf(back.status ?? '', back.words ?? '')) : null
      return {
        id,
        rowId,
        sentAt,
        touched,
        outcome,
        firsts,
        machine: byMachine !== null,
        machineWhy: byMachine,
        program: seen?.program ?? null,
        device: seen?.device ?? null,
        proxy: seen?.proxy ?? null,
        country: seen?.country ?? null,
        followed: [...new Set(followed.map((link) => linkFamily(links.get(id)?.[link] ?? '')).filter(Boolean))],
        lastAt,
        words: said.slice(0, shownWords),
        reason,
        hard: back ? isHard(back.status ?? '') : false,
        filesAt: files.get(id) ?? null,
        choice: own.findLast(({ details }) => details.choice !== undefined)?.details.choice?.choice ?? null,
      }
    })
    const names = Object.values(columns)
    const all = [
      ...names,
      'outcome',
      'by_machine',
      'last_at',
      'words',
      'reason',
      'hard',
      'files_at',
      'choice',
      'machine_why',
      'program',
      'device',
      'through_proxy',
      'country',
      'followed',
    ]
    await db.query(
      `INSERT INTO heard (message_id, round_id, row_id, sent_at, ${all.join(', ')})
       SELECT id, $1, "rowId", "sentAt", ${Object.keys(columns)
         .map((first) => `(firsts->>'${first}')::bigint`)
         .join(
           ', ',
         )}, outcome, machine, "lastAt", words, reason, hard, "filesAt", choice, "machineWhy", program, device, proxy, country,
         ARRAY(SELECT jsonb_array_elements_text(followed))
       FROM jsonb_to_recordset($2::jsonb) AS x (id int, "rowId" int, "sentAt" bigint, outcome text, firsts jsonb, machine boolean, "lastAt" bigint, words text, reason text, hard boolean, "filesAt" bigint, choice text, "machineWhy" text, program text, device text, proxy boolean, country text, followed jsonb)
       -- It was read before its round was forgotten: it is not brought back.
       WHERE NOT is_forgotten($1)
       ON CONFLICT (message_id) DO UPDATE SET ${['sent_at', ...all].map((name) => `${name} = excluded.${name}`).join(', ')}`,
      [roundId, json(worked)],
    )
    // What was touched meanwhile is worked out once more.
    await db.query(
      `DELETE FROM to_hear t USING jsonb_to_recordset($1::jsonb) AS x (id int, touched int) WHERE t.message_id = x.id AND t.touched = x.touched`,
      [json(worked.map(({ id, touched }) => ({ id, touched })))],
    )
    after = letters.at(-1)!.id
  }
}
