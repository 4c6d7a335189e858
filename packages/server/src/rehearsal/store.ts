import type { Rehearsal } from '@hand-post/contract'
import { type Database, json } from '../db/database.ts'

/** What became of one message in a rehearsal. */
export interface Rehearsed {
  rowId: number
  person: string
  address: string
  recipients: string[]
  at: number | null
  size: number | null
  answer: string
  taken: boolean
}

/**
 * Keeps a rehearsal in the place of the one before.
 * @param print of the messages that were rehearsed, and of what their times come from.
 */
export async function keepRehearsal(
  db: Database,
  roundId: number,
  { now, print, messages }: { now: number; print: string; messages: Rehearsed[] },
): Promise<void> {
  await db.transaction(async (tx) => {
    await forgetRehearsal(tx, roundId)
    await tx.query('INSERT INTO rehearsals VALUES ($1, $2, $3)', [roundId, now, print])
    await tx.query(
      `INSERT INTO rehearsed SELECT $1, "rowId", person, address, recipients, at, size, answer, taken
       FROM jsonb_to_recordset($2) AS m("rowId" integer, person text, address text, recipients jsonb, at bigint, size bigint, answer text, taken boolean)`,
      [roundId, json(messages)],
    )
  })
}

export async function forgetRehearsal(db: Database, roundId: number): Promise<void> {
  await db.query('DELETE FROM rehearsals WHERE round_id = $1', [roundId])
}

/** When a round was rehearsed the last time, with the print of its messages then; null when it was not. */
export async function lastRehearsed(db: Database, roundId: number): Promise<{ at: number; print: string } | null> {
  const [kept] = await db.query<{ at: number; print: string }>('SELECT at, print FROM rehearsals WHERE round_id = $1', [
    roundId,
  ])
  return kept ?? null
}

/** What came of the last rehearsal of a round, or null. */
export async function rehearsalOf(db: Database, roundId: number): Promise<Omit<Rehearsal, 'changed'> | null> {
  const kept = await lastRehearsed(db, roundId)
  if (!kept) return null
  const messages = await db.query<Rehearsed>(
    `SELECT row_id AS "rowId", person, address, recipients, at, size, answer, taken FROM rehearsed WHERE round_id = $1
     ORDER BY at NULLS LAST, row_id`,
    [roundId],
  )
  const taken = messages.filter((m) => m.taken)
  const inboxes = new Map<string, Rehearsal['inboxes'][number]>()
  const arrived = (given: string, person: string | null) => {
    // The practice mailbox holds addresses that differ only by capitals to be one, as nearly every host does.
    const address = given.toLowerCase()
    const known = inboxes.get(address) ?? { address: given, person: null, messages: 0 }
    inboxes.set(address, { ...known, person: known.person ?? person, messages: known.messages + 1 })
  }
  for (const { address, person } of taken) arrived(address, person)
  for (const { recipients } of taken) for (const copy of recipients.slice(1)) arrived(copy, null)
  return {
    at: kept.at,
    messages: messages.length,
    taken: taken.length,
    first: taken[0]?.at ?? null,
    last: taken.at(-1)?.at ?? null,
    size: taken.reduce((sum, m) => sum + (m.size ?? 0), 0),
    refused: messages.flatMap(({ rowId, person, address, answer, taken }) =>
      taken ? [] : [{ rowId, person, address, answer }],
    ),
    inboxes: [...inboxes.values()],
  }
}
