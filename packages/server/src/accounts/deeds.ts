import {
  type Deed,
  type DeedDetails,
  type DeedKind,
  deedWords,
  doneByItself,
  type EventKind,
  eventWords,
  type RoundEvent,
} from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { whoActs } from '../who.ts'

/** How long (ms) looking at something counts as once. */
const lookedFor = 24 * 60 * 60 * 1000

/**
 * Notes what was done, in the name of whoever acts: in the transaction that does it, where there is one. It is never changed or taken away.
 * @param round the round that it was done with, if any.
 */
export async function noteDeed<K extends DeedKind>(
  db: Database,
  at: number,
  what: K,
  details: DeedDetails<K>,
  round: number | null = null,
): Promise<void> {
  const by = whoActs()
  await db.query(
    'INSERT INTO deeds (at, what, by_account, by_name, round_id, details) VALUES ($1, $2, $3, $4, $5, $6)',
    [at, what, by?.id ?? null, by?.name ?? null, round, json(details)],
  )
}

/** Notes that somebody looked at what came back of a round, once a day. Where nobody signs in there is nobody to be named. */
export async function noteLook(db: Database, at: number, round: number): Promise<void> {
  const by = whoActs()
  if (by === null) return
  await db.query(
    `INSERT INTO deeds (at, what, by_account, by_name, round_id, details)
     SELECT $1::bigint, 'answersSeen', $2::int, $3::text, $4::int, '{}' WHERE NOT EXISTS (
       SELECT 1 FROM deeds WHERE round_id = $4::int AND by_account = $2::int AND what = 'answersSeen' AND at > $1::bigint - $5::bigint)`,
    [at, by.id, by.name, round, lookedFor],
  )
}

/** Something that happened, in words. */
export interface HappenedLine {
  at: number
  by: string | null
  itself: boolean
  words: string
  round: { id: number; title: string | null } | null
}

/**
 * What happened, the newest first.
 * @param of a round, with its chasers and answers, or everything; an account's alone, if wished.
 */
export async function happened(
  db: Database,
  of: { round: number | null; account: number | null },
  from: number,
  count: number,
): Promise<HappenedLine[]> {
  const rows = await db.query<{
    kind: 'event' | 'deed'
    at: number
    what: string
    by: string | null
    details: unknown
    roundId: number | null
    title: string | null
  }>(
    `SELECT h.kind, h.at, h.what, h.by_name AS by, h.details, h.round_id AS "roundId", r.title FROM (
       SELECT 'event' AS kind, id, at, what, by_account, by_name, details, round_id FROM round_events
       UNION ALL SELECT 'deed', id, at, what, by_account, by_name, details, round_id FROM deeds) h
     LEFT JOIN rounds r ON r.id = h.round_id
     WHERE ($1::int IS NULL OR r.family = $1) AND ($2::int IS NULL OR h.by_account = $2)
     ORDER BY h.at DESC, h.kind, h.id DESC LIMIT $3 OFFSET $4`,
    [of.round, of.account, count, from],
  )
  return rows.map(({ kind, at, what, by, details, roundId, title }) => ({
    at,
    by,
    itself: kind === 'event' && doneByItself.has(what as EventKind),
    words:
      kind === 'event'
        ? eventWords({ what, at, details } as RoundEvent)
        : deedWords({ what, details } as unknown as Deed),
    round: roundId === null ? null : { id: roundId, title },
  }))
}
