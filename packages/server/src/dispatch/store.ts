import {
  brakeWindow,
  type capsAt,
  type Departure,
  type Fate,
  type Lane,
  type MessageState,
  mayBecome,
  type NeverReason,
  type Planned,
  slowestPace,
  type TimetableEntry,
  type ToPlan,
  ZoneDays,
} from '@hand-post/core'
import { inParts } from '../db/copied.ts'
import { type Database, json } from '../db/database.ts'
import type { Frozen } from '../mailboxes/contents.ts'
import { notFound } from '../problem.ts'
import { type Guard, guardValues, heldBy } from '../processes/store.ts'
import { noteEvent } from '../rounds/events.ts'

const from = (to: MessageState) =>
  mayBecome(to)
    .map((s) => `'${s}'`)
    .join(', ')
const day = 24 * 60 * 60 * 1000
/** How long (ms) it holds that a chaser goes: until then it is to be claimed. */
export const clearedFor = 60_000

/** One Cc or Bcc of a letter that is being sent. */
interface ClaimedCopy {
  id: number
  address: string
  attempts: number
  rests: number
}

/** What was claimed for sending: a letter to its person, or copies of one that has gone. */
export interface Claimed extends Frozen {
  /** The letter. */
  id: number
  roundId: number
  attempts: number
  /** How often in a row it was answered with a rest for the whole mailbox. */
  rests: number
  /** Null: the letter itself. */
  copies: ClaimedCopy[] | null
  /** The Date of the letter that has gone, which its copies bear too. */
  sentAt: number | null
}

/** Copies of letters in those states that will not go any more, since their letter has not. */
const withoutLetter = (ids: string) =>
  `UPDATE copies SET state = 'withdrawn', planned_at = NULL, reason = 'Not sent, because the letter to the person was not.'
   WHERE message_id IN (SELECT id FROM ${ids}) AND state IN (${from('withdrawn')})`

/** The frozen contents of a message, by id. */
export async function frozenById(
  db: Database,
  id: number,
): Promise<Frozen & { sentAt: number | null; plannedAt: number | null }> {
  const [found] = await db.query<Frozen & { sentAt: number | null; plannedAt: number | null }>(
    `SELECT m.key, m.message_id AS "messageId", c.contents, m.sent_at AS "sentAt", m.planned_at AS "plannedAt"
     FROM messages m JOIN message_contents c ON c.message_id = m.id WHERE m.id = $1`,
    [id],
  )
  if (!found) throw notFound('message')
  return found
}

/** A letter that is no chaser, or a chaser that is to go, as far as is known, and whose time is known. */
const mayFollow = '(m.follows IS NULL OR (m.follows_at IS NOT NULL AND m.unfit IS NULL))'
/** The same of one that leaves now: it was looked at a moment ago, and nothing has come of its person since. `$2`: now. */
const isCleared = `(m.follows IS NULL OR (m.unfit IS NULL AND m.judged_at > $2 - ${clearedFor}))`

/** What waits of one round, as the database gives it. */
type Waits = ToPlan & { roundId: number }
/** A letter that waits, with what its place is told by. */
type InTurn = Waits & { turn: number; position: number; again: number }

/**
 * What waits in a mailbox and is not held, round by round in the order in which they take turns: what a new plan is made for.
 * @param zone the mailbox's, by whose days a round's own limit counts.
 * @param evenHeld a round that counts though it is held: what would be if it were carried on.
 * @param atOnce how many letters are read at one time, for there may be a million.
 */
export async function waitingLanes(
  db: Database,
  mailboxId: number,
  zone: string,
  evenHeld: number | null = null,
  atOnce = 50_000,
): Promise<Lane[]> {
  const copies = await db.query<Waits>(
    `SELECT m.round_id AS "roundId", c.message_id AS id, count(*)::int AS recipients, 0 AS copies, c.not_before AS "notBefore", 0 AS seed
     FROM copies c JOIN messages m ON m.id = c.message_id JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.state = 'sent' AND c.state IN ('waiting', 'retrying') AND (NOT r.held OR r.id = $2)
     GROUP BY m.round_id, c.message_id, c.not_before ORDER BY c.not_before, c.message_id`,
    [mailboxId, evenHeld],
  )
  const letters: InTurn[] = []
  for (let last = 0, more = true; more; ) {
    const some = await db.query<InTurn>(
      `SELECT m.round_id AS "roundId", m.id, 1 AS recipients, m.recipients - 1 AS copies, greatest(m.not_before, nullif(m.follows_at, 0)) AS "notBefore", m.row_id AS seed,
         m.turn, m.position, m.again
       FROM messages m JOIN rounds r ON r.id = m.round_id
       WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND (NOT r.held OR r.id = $2) AND ${mayFollow} AND m.id > $3 ORDER BY m.id LIMIT $4`,
      [mailboxId, evenHeld, last, atOnce],
    )
    for (const one of some) letters.push(one)
    more = some.length === atOnce
    last = some.at(-1)?.id ?? last
  }
  letters.sort((a, b) => a.turn - b.turn || a.position - b.position || a.again - b.again || a.id - b.id)
  const ids = [...new Set([...copies, ...letters].map((one) => one.roundId))]
  if (ids.length === 0) return []
  const rounds = await db.query<{ id: number; pace: Lane['pace'] }>(
    'SELECT id, dispatch AS pace FROM rounds WHERE id = ANY ($1::int[]) ORDER BY turn, posted_at, id',
    [ids],
  )
  return Promise.all(
    rounds.map(async ({ id, pace }) => ({
      id,
      pace,
      letters: letters.filter((one) => one.roundId === id),
      copies: copies.filter((one) => one.roundId === id),
      ...(await leftOf(db, id, zone)),
    })),
  )
}

/** Puts a letter that waits before or after all others of its round. Returns whether it waits still. */
export async function moveLetter(db: Database, id: number, to: 'first' | 'last'): Promise<boolean> {
  const rows = await db.query(
    `UPDATE messages m SET turn = CASE WHEN $2 = 'first' THEN o.first - 1 ELSE o.last + 1 END
     FROM (SELECT min(turn) AS first, max(turn) AS last FROM messages WHERE round_id = (SELECT round_id FROM messages WHERE id = $1)) o
     WHERE m.id = $1 AND m.state IN ('waiting', 'retrying') RETURNING m.id`,
    [id, to],
  )
  return rows.length > 0
}

/** Writes in which order rounds take turns, and whether they share their mailbox evenly. */
export function changeTurns(db: Database, mailboxId: number, rounds: number[], evenly: boolean): Promise<void> {
  return db.transaction(async (tx) => {
    await tx.query('UPDATE mailboxes SET evenly = $2 WHERE id = $1', [mailboxId, evenly])
    await tx.query(
      `UPDATE rounds r SET turn = x.n FROM unnest($2::int[]) WITH ORDINALITY AS x (id, n) WHERE r.id = x.id AND r.mailbox_id = $1`,
      [mailboxId, rounds],
    )
  })
}

/** The mailboxes in which several rounds wait, with these in the order in which they take turns. */
export function sharing(db: Database): Promise<
  {
    mailboxId: number
    mailbox: string
    evenly: boolean
    rounds: { id: number; title: string; waiting: number; held: boolean }[]
  }[]
> {
  return db.query(
    `WITH waiting AS (
       SELECT r.id, r.title, r.held, r.mailbox_id, r.turn, r.posted_at, count(*)::int AS waiting FROM messages m JOIN rounds r ON r.id = m.round_id
       WHERE m.state IN ('waiting', 'retrying') AND r.answers_of IS NULL GROUP BY r.id
     ) SELECT b.id AS "mailboxId", b.settings->>'name' AS mailbox, b.evenly,
         jsonb_agg(jsonb_build_object('id', w.id, 'title', w.title, 'waiting', w.waiting, 'held', w.held) ORDER BY w.turn, w.posted_at, w.id) AS rounds
       FROM waiting w JOIN mailboxes b ON b.id = w.mailbox_id GROUP BY b.id HAVING count(*) > 1 ORDER BY b.id`,
  )
}

/** What has left of a round: how many letters, when the last of them did, and to how many recipients on its day. */
export async function leftOf(
  db: Database,
  roundId: number,
  zone: string,
): Promise<Pick<Lane, 'gone' | 'last' | 'lastByPace'>> {
  const left = `FROM messages WHERE round_id = $1 AND state IN ('sending', 'sent', 'inDoubt')`
  const at = 'coalesce(sent_at, claimed_at)'
  const [{ gone, last }] = await db.query<{ gone: number; last: number | null }>(
    `SELECT count(*)::int AS gone, max(${at}) AS last ${left}`,
    [roundId],
  )
  if (last === null) return { gone, last: null, lastByPace: null }
  const [{ onItsDay }] = await db.query<{ onItsDay: number }>(
    `SELECT coalesce(sum(recipients), 0)::int AS "onItsDay" ${left} AND ${at} >= $2`,
    [roundId, new ZoneDays(zone).of(last).start],
  )
  const [lastByPace] = await db.query<{ at: number; seed: number }>(
    `SELECT ${at} AS at, row_id AS seed ${left} AND not_before IS NULL ORDER BY 1 DESC, id DESC LIMIT 1`,
    [roundId],
  )
  return { gone, last: { at: last, onItsDay }, lastByPace: lastByPace ?? null }
}

/** How much waits in a mailbox, letters and copies of those that have gone; counted up to a number. */
export async function waitingUpTo(db: Database, mailboxId: number, max: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM (
       (SELECT 1 FROM messages WHERE mailbox_id = $1 AND state IN ('waiting', 'retrying') LIMIT $2)
       UNION ALL
       (SELECT 1 FROM copies c JOIN messages m ON m.id = c.message_id WHERE m.mailbox_id = $1 AND c.state IN ('waiting', 'retrying') LIMIT $2)
     ) AS waits`,
    [mailboxId, max],
  )
  return n
}

/** How often a mailbox was planned. */
export async function timesPlanned(db: Database, mailboxId: number): Promise<number> {
  const [found] = await db.query<{ planned: number }>('SELECT planned FROM mailboxes WHERE id = $1', [mailboxId])
  return found?.planned ?? 0
}

/**
 * Writes planned times, with what each waits for; what is held loses its own. Of many they are written in parts, between which others go on.
 * @param before how often the mailbox was planned when what this plan is made from was read.
 * @param atOnce how many times are written at once.
 * @returns whether all of it was written; `stale`: it was planned by somebody else since, and nothing was written; `overtaken`: somebody else
 *   has begun to write a newer plan, and the rest of this one was not written.
 */
export async function writePlan(
  db: Database,
  mailboxId: number,
  before: number,
  lanes: Lane[],
  planned: Planned[],
  atOnce = 5000,
): Promise<'whole' | 'stale' | 'overtaken'> {
  // Copies of one letter that wait for different times are planned apart, the earliest first.
  const copiesOf = new Map<number, ToPlan[]>()
  for (const { copies } of lanes) for (const one of copies) copiesOf.set(one.id, [...(copiesOf.get(one.id) ?? []), one])
  const parts = inParts(planned, atOnce)
  const begun = await db.transaction(async (tx) => {
    const mine = await tx.query(
      'UPDATE mailboxes SET planned = planned + 1 WHERE id = $1 AND planned = $2 RETURNING id',
      [mailboxId, before],
    )
    if (mine.length === 0) return false
    await tx.query(
      `WITH held AS (SELECT m.id FROM messages m JOIN rounds r ON r.id = m.round_id WHERE r.held AND m.mailbox_id = $1),
       letters AS (UPDATE messages m SET planned_at = NULL, planned_by = NULL FROM held
         WHERE m.id = held.id AND m.state IN ('waiting', 'retrying') AND (m.planned_at IS NOT NULL OR m.planned_by IS NOT NULL))
       UPDATE copies c SET planned_at = NULL FROM held WHERE c.message_id = held.id AND c.state IN ('waiting', 'retrying') AND c.planned_at IS NOT NULL`,
      [mailboxId],
    )
    await writeTimes(tx, parts.next().value ?? [], copiesOf)
    return true
  })
  if (!begun) return 'stale'
  for (const some of parts) {
    const still = await db.transaction(async (tx) => {
      if ((await timesPlanned(tx, mailboxId)) !== before + 1) return false
      await writeTimes(tx, some, copiesOf)
      return true
    })
    if (!still) return 'overtaken'
  }
  return 'whole'
}

/**
 * Writes when letters leave, and copies of letters that have gone: of those that wait still.
 * @param copiesOf copies of each letter in the order in which they were planned; those that are written are taken from there.
 */
async function writeTimes(tx: Database, times: Planned[], copiesOf: Map<number, ToPlan[]>): Promise<void> {
  const letters = times.filter((t) => t.of === 'letter')
  if (letters.length > 0) {
    const ids = letters.map((t) => t.id)
    // Between the first and the last of them: else the server may go through all letters up to there, for each part anew.
    const [first, last] = ids.reduce(([least, most], id) => [Math.min(least, id), Math.max(most, id)], [ids[0], ids[0]])
    await tx.query(
      `UPDATE messages m SET planned_at = x.at, planned_by = x.by FROM unnest($1::int[], $2::bigint[], $3::text[]) AS x (id, at, by)
       WHERE m.id = x.id AND m.id BETWEEN $4 AND $5 AND m.state IN ('waiting', 'retrying')
         AND (m.planned_at IS DISTINCT FROM x.at OR m.planned_by IS DISTINCT FROM x.by)`,
      [ids, letters.map((t) => t.at), letters.map((t) => t.by), first, last],
    )
  }
  const copies = times.filter((t) => t.of === 'copies')
  if (copies.length > 0)
    await tx.query(
      `UPDATE copies c SET planned_at = x.at, follows = true FROM unnest($1::int[], $2::bigint[], $3::bigint[]) AS x (id, at, not_before)
       WHERE c.message_id = x.id AND c.not_before = x.not_before AND c.state IN ('waiting', 'retrying')`,
      [copies.map((t) => t.id), copies.map((t) => t.at), copies.map((t) => copiesOf.get(t.id)!.shift()!.notBefore)],
    )
}

/**
 * Recipients that a mailbox has promised already: copies of letters that have gone, and have not gone themselves. What is in doubt
 * counts for a day, as in the plan. ($1 is the mailbox, $2 now.)
 */
const promised = `coalesce((
  WITH k AS MATERIALIZED (SELECT message_id, state, claimed_at FROM copies WHERE follows AND state IN ('waiting', 'retrying', 'sending', 'inDoubt'))
  SELECT count(*) FROM k JOIN messages l ON l.id = k.message_id
  WHERE l.mailbox_id = $1 AND (k.state IN ('waiting', 'retrying') OR k.claimed_at > $2 - ${day})), 0)`

/** A round that nothing is being done to just now. */
const notAside = 'NOT EXISTS (SELECT 1 FROM aside a WHERE a.round_id = r.id AND a.until > clock_timestamp())'

/** Has letters of a round not be claimed, for as long as something is done to them, or until a time (ms from now) at most. Gives its number. */
export async function setRoundAside(db: Database, roundId: number, process: string, ms: number): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO aside (round_id, process, until) VALUES ($1, $2, clock_timestamp() + $3::float8 * interval '1 millisecond') RETURNING id`,
    [roundId, process, ms],
  )
  return id
}

export async function endAside(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM aside WHERE id = $1', [id])
}

/** Forgets what processes set aside that have ended in the midst of it. */
export async function forgetAside(db: Database): Promise<void> {
  await db.query('DELETE FROM aside WHERE until <= clock_timestamp() OR process NOT IN (SELECT id FROM processes)')
}

const refusedBy = (key: string) => `EXISTS (SELECT 1 FROM do_not_write d WHERE d.address = ${key})`
const onTheList = (key: string) =>
  `'On the do-not-write list: ' || (SELECT d.reason FROM do_not_write d WHERE d.address = ${key})`

/**
 * Sets aside everything that waits for an address (in the form under which addresses count as the same): what is being sent goes on,
 * and nothing that waits can be sent any more. Returns how many letters that were.
 */
export async function setAsideFor(db: Database, key: string): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `WITH letters AS (
       UPDATE messages SET state = 'setAside', planned_at = NULL, reason = ${onTheList('$1')} WHERE state IN ('waiting', 'retrying') AND address_key = $1 RETURNING id
     ), own AS (
       UPDATE copies SET state = 'setAside', planned_at = NULL, reason = ${onTheList('$1')}
       WHERE state IN ('waiting', 'retrying') AND address_key = $1 AND message_id NOT IN (SELECT id FROM letters)
     ), alone AS (${withoutLetter('letters')})
     SELECT count(*)::int AS n FROM letters`,
    [key],
  )
  return n
}

/**
 * Claims up to `most` due letters of a mailbox, in order, as far as all its limits cover them and their copies: the one statement
 * after which a letter may be handed to the host. Letters to addresses of the do-not-write list are set aside instead; of chasers only
 * those are claimed that were judged to go a moment ago, and of whose people nothing has come since.
 * What room there is is worked out once (MATERIALIZED): else it is summed up anew for each letter that is looked at.
 * @param guard that the mailbox is worked here.
 */
export function claimDue(
  db: Database,
  mailboxId: number,
  now: number,
  caps: ReturnType<typeof capsAt>,
  most: number,
  guard: Guard,
): Promise<Claimed[]> {
  return db.query<Claimed>(
    `WITH due AS (
       SELECT m.id, m.recipients, m.planned_at, ${refusedBy('m.address_key')} AS refused FROM messages m JOIN rounds r ON r.id = m.round_id
       WHERE m.mailbox_id = $1 AND m.state IN (${from('sending')}) AND m.planned_at <= $2 AND NOT r.held AND ${notAside} AND ${heldBy('$7', '$8')} AND ${isCleared}
       ORDER BY m.planned_at, m.id LIMIT $4 FOR UPDATE OF m SKIP LOCKED
     ), refused AS (
       UPDATE messages m SET state = 'setAside', planned_at = NULL, reason = ${onTheList('m.address_key')}
       FROM due WHERE due.refused AND m.id = due.id RETURNING m.id
     ), alone AS (${withoutLetter('refused')}),
     used AS MATERIALIZED (
       SELECT x.most, x.by,
         coalesce((SELECT sum(recipients) FROM ledger WHERE mailbox_id = $1 AND at > x.since), 0)
         + coalesce((SELECT sum(recipients) FROM copies_sent WHERE mailbox_id = $1 AND at > x.since), 0)
         + coalesce((SELECT sum(recipients) FROM other_mail WHERE mailbox_id = $1 AND at > x.since), 0)
         + coalesce((SELECT sum(recipients) FROM messages WHERE mailbox_id = $1 AND state IN ('sending', 'inDoubt') AND claimed_at > x.since), 0) AS n
       FROM unnest($3::bigint[], $5::bigint[], $6::text[]) AS x (since, most, by)
     ), promised AS MATERIALIZED (SELECT ${promised} AS n), room AS MATERIALIZED (
       SELECT min(CASE
         WHEN used.by = 'gentle' AND used.n = 0
           THEN greatest(used.most - p.n, (SELECT due.recipients FROM due WHERE NOT refused ORDER BY planned_at, id LIMIT 1))
         ELSE used.most - used.n - p.n END) AS n
       FROM used, promised p
     ), covered AS (
       SELECT c.id FROM (SELECT id, sum(recipients) OVER (ORDER BY planned_at, id) AS running FROM due WHERE NOT refused) c, room
       WHERE c.running <= room.n
     )
     UPDATE messages m SET state = 'sending', claimed_at = $2, handed_at = NULL, dated_at = NULL, attempts = attempts + 1, reason = NULL
     FROM covered JOIN message_contents c ON c.message_id = covered.id WHERE m.id = covered.id
     RETURNING m.id, m.round_id AS "roundId", m.key, m.message_id AS "messageId", c.contents, m.attempts, m.rests, NULL AS copies, NULL AS "sentAt"`,
    [
      mailboxId,
      now,
      caps.map((c) => c.since),
      most,
      caps.map((c) => c.most),
      caps.map((c) => c.by),
      ...guardValues(guard),
    ],
  )
}

/**
 * Claims due copies of up to `most` letters that have gone. The allowance was kept for them when their letter left. Copies to
 * addresses of the do-not-write list are set aside instead.
 */
export function claimCopies(
  db: Database,
  mailboxId: number,
  now: number,
  most: number,
  guard: Guard,
): Promise<Claimed[]> {
  return db.query<Claimed>(
    `WITH due AS (
       SELECT c.id, ${refusedBy('c.address_key')} AS refused FROM copies c JOIN messages m ON m.id = c.message_id JOIN rounds r ON r.id = m.round_id
       WHERE m.mailbox_id = $1 AND m.state = 'sent' AND c.state IN (${from('sending')}) AND c.planned_at <= $2 AND NOT r.held AND ${notAside} AND ${heldBy('$4', '$5')}
         AND c.message_id IN (
           SELECT k.message_id FROM copies k JOIN messages l ON l.id = k.message_id
           WHERE l.mailbox_id = $1 AND k.state IN (${from('sending')}) AND k.planned_at <= $2 GROUP BY k.message_id ORDER BY min(k.planned_at), k.message_id LIMIT $3
         )
     ), refused AS (
       UPDATE copies c SET state = 'setAside', planned_at = NULL, reason = ${onTheList('c.address_key')} FROM due WHERE due.refused AND c.id = due.id
     ), claimed AS (
       UPDATE copies c SET state = 'sending', claimed_at = $2, handed_at = NULL, attempts = attempts + 1, reason = NULL
       FROM due WHERE NOT due.refused AND c.id = due.id RETURNING c.id, c.message_id, c.address, c.attempts, c.rests
     )
     SELECT m.id, m.round_id AS "roundId", m.key, m.message_id AS "messageId", t.contents, m.attempts, m.rests, m.sent_at AS "sentAt",
       (SELECT jsonb_agg(jsonb_build_object('id', claimed.id, 'address', claimed.address, 'attempts', claimed.attempts, 'rests', claimed.rests) ORDER BY claimed.id) FROM claimed WHERE claimed.message_id = m.id) AS copies
     FROM messages m JOIN message_contents t ON t.message_id = m.id WHERE m.id IN (SELECT message_id FROM claimed) ORDER BY m.sent_at, m.id`,
    [mailboxId, now, most, ...guardValues(guard)],
  )
}

/** When the next letter, and the next copy of one that has gone, of a mailbox is due; null where none waits. */
export async function nextDue(
  db: Database,
  mailboxId: number,
): Promise<{ letter: number | null; copy: number | null }> {
  const [due] = await db.query<{ letter: number | null; copy: number | null }>(
    `SELECT
       (SELECT m.planned_at FROM messages m
        WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND m.planned_at IS NOT NULL
          AND m.round_id NOT IN (SELECT id FROM rounds WHERE held)
        ORDER BY m.planned_at LIMIT 1) AS letter,
       (WITH c AS MATERIALIZED (SELECT message_id, planned_at FROM copies WHERE follows AND state IN ('waiting', 'retrying') AND planned_at IS NOT NULL)
        SELECT min(c.planned_at) FROM c JOIN messages m ON m.id = c.message_id JOIN rounds r ON r.id = m.round_id WHERE m.mailbox_id = $1 AND NOT r.held) AS copy`,
    [mailboxId],
  )
  return due
}

/** Whether any chaser waits in a mailbox. */
export async function anyChaserWaits(db: Database, mailboxId: number): Promise<boolean> {
  const [{ any }] = await db.query<{ any: boolean }>(
    `SELECT EXISTS (SELECT 1 FROM messages m WHERE m.mailbox_id = $1 AND m.follows IS NOT NULL AND m.state IN ('waiting', 'retrying')) AS any`,
    [mailboxId],
  )
  return any
}

/** The rounds of chasers in a mailbox. */
export async function chaserRounds(db: Database, mailboxId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT id FROM rounds WHERE mailbox_id = $1 AND chases IS NOT NULL AND posted_at IS NOT NULL',
    [mailboxId],
  )
  return rows.map(({ id }) => id)
}

/** The mailboxes in which chasers wait. */
export async function mailboxesOfChasers(db: Database): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT DISTINCT m.mailbox_id AS id FROM messages m WHERE m.follows IS NOT NULL AND m.state IN ('waiting', 'retrying')`,
  )
  return rows.map(({ id }) => id)
}

const unfitOf = `mailbox_id = $1 AND follows IS NOT NULL AND state IN (${from('setAside')}) AND unfit IS NOT NULL AND judged_at = 1`

/** Sets aside those chasers of a mailbox that are not to go and whose time has come. Returns how many. */
export async function setUnfitAside(db: Database, mailboxId: number, now: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `WITH done AS (
       UPDATE messages SET state = 'setAside', planned_at = NULL, reason = unfit WHERE ${unfitOf} AND (follows_at <= $2 OR follows IN (SELECT id FROM messages WHERE state IN ('refused', 'withdrawn', 'setAside'))) RETURNING id
     ), alone AS (${withoutLetter('done')})
     SELECT count(*)::int AS n FROM done`,
    [mailboxId, now],
  )
  return n
}

/** When the time of the next chaser comes that is not to go; null where there is none. */
export async function nextUnfit(db: Database, mailboxId: number): Promise<number | null> {
  const [{ at }] = await db.query<{ at: number | null }>(
    `SELECT min(follows_at) AS at FROM messages WHERE ${unfitOf}`,
    [mailboxId],
  )
  return at
}

/** Sets letters aside that wait, each with why. */
export async function setAsideWith(db: Database, letters: readonly { id: number; why: string }[]): Promise<void> {
  await db.query(
    `WITH done AS (
       UPDATE messages m SET state = 'setAside', planned_at = NULL, reason = x.why FROM jsonb_to_recordset($1::jsonb) AS x (id int, why text)
       WHERE m.id = x.id AND m.state IN (${from('setAside')}) RETURNING m.id
     ) ${withoutLetter('done')}`,
    [json(letters)],
  )
}

/** Puts chasers off until a time, with why. */
export async function putOffChasers(db: Database, ids: readonly number[], until: number, why: string): Promise<void> {
  await db.query(
    `UPDATE messages SET not_before = $2, planned_at = $2, reason = $3 WHERE id = ANY ($1::int[]) AND state IN ('waiting', 'retrying')`,
    [ids, until, why],
  )
}

/** Puts all chasers of a mailbox off that are due, with why, which their rounds say too. */
export async function putOffAllDue(
  db: Database,
  mailboxId: number,
  now: number,
  until: number,
  why: string,
): Promise<void> {
  await db.query(
    `WITH off AS (
       UPDATE messages m SET not_before = $3, planned_at = $3, reason = $4 FROM rounds r
       WHERE r.id = m.round_id AND NOT r.held AND m.mailbox_id = $1 AND m.follows IS NOT NULL AND m.state IN ('waiting', 'retrying') AND m.planned_at <= $2 RETURNING m.round_id
     ), put AS (SELECT round_id, count(*)::int AS letters FROM off GROUP BY round_id)
     UPDATE rounds r SET late = jsonb_build_object('from', CASE WHEN r.late->>'why' = $4 THEN (r.late->>'from')::bigint ELSE $2::bigint END, 'until', $3::bigint, 'letters', put.letters, 'why', $4::text)
     FROM put WHERE r.id = put.round_id`,
    [mailboxId, now, until, why],
  )
}

/** The earlier of two times; null where there is neither. */
export const earlier = ({ letter, copy }: { letter: number | null; copy: number | null }): number | null =>
  letter === null ? copy : copy === null ? letter : Math.min(letter, copy)

/** A letter that the host took: the Date it bears, what the host said, and when its copies may follow, where it has any. */
export interface Accepted {
  id: number
  at: number
  answer: string
  copiesAt: number | null
}

/** What one line says between two transactions: what the host took, and what is in hand from now on. */
export interface Progress {
  accepted?: Accepted
  copies?: { id: number; at: number; answer: string }[]
  handing?: { id: number; date: number; hash: string }
  handingCopies?: { ids: number[]; hash: string }
}

/**
 * Writes the progress of several lines: what was taken, with its entries in the ledger, and then what is being handed over from now on.
 * Should the process end, that is in doubt. Each kind has a statement of its own, as small as it can be: this is waited for at every
 * letter. What the host took is written whoever works the mailbox by now, for it is true; what is to be handed over only as long as it is
 * worked here.
 */
export async function writeProgress(db: Database, progress: Progress[], now: number, guard: Guard): Promise<void> {
  const accepted = progress.flatMap((p) => p.accepted ?? [])
  const followed = accepted.filter((a) => a.copiesAt !== null)
  const copies = progress.flatMap((p) => p.copies ?? [])
  const handing = progress.flatMap((p) => p.handing ?? [])
  const handingCopies = progress.flatMap(
    (p) => p.handingCopies?.ids.map((id) => ({ id, hash: p.handingCopies!.hash })) ?? [],
  )
  const writes: Promise<unknown>[] = []
  if (accepted.length > 0)
    writes.push(
      db.runOften(
        `WITH done AS (
           UPDATE messages m SET state = 'sent', sent_at = said.at, reason = said.answer, looked_at = NULL, planned_at = NULL, rests = 0
           FROM unnest($1::int[], $2::bigint[], $3::text[]) AS said (id, at, answer)
           WHERE m.id = said.id AND m.state IN (${from('sent')}) RETURNING m.id, m.mailbox_id, m.sent_at
         ) INSERT INTO ledger (message_id, mailbox_id, at, recipients, copies) SELECT id, mailbox_id, sent_at, 1, false FROM done`,
        [accepted.map((a) => a.id), accepted.map((a) => a.at), accepted.map((a) => a.answer)],
      ),
    )
  if (followed.length > 0)
    writes.push(
      db.query(
        `UPDATE copies c SET planned_at = x.at, follows = true FROM unnest($1::int[], $2::bigint[]) AS x (id, at) WHERE c.message_id = x.id AND c.state IN ('waiting', 'retrying')`,
        [followed.map((a) => a.id), followed.map((a) => a.copiesAt)],
      ),
    )
  if (copies.length > 0)
    writes.push(
      db.query(
        `WITH copied AS (
           UPDATE copies c SET state = 'sent', sent_at = x.at, reason = x.answer, planned_at = NULL, rests = 0
           FROM unnest($1::int[], $2::bigint[], $3::text[]) AS x (id, at, answer) WHERE c.id = x.id AND c.state IN (${from('sent')}) RETURNING c.message_id, c.sent_at
         ) INSERT INTO ledger (message_id, mailbox_id, at, recipients, copies)
           SELECT m.id, m.mailbox_id, copied.sent_at, count(*), true FROM copied JOIN messages m ON m.id = copied.message_id GROUP BY m.id, m.mailbox_id, copied.sent_at`,
        [copies.map((c) => c.id), copies.map((c) => c.at), copies.map((c) => c.answer)],
      ),
    )
  if (handing.length > 0)
    writes.push(
      db.runOften(
        `UPDATE messages m SET handed_at = $3, dated_at = x.date, sent_hash = x.hash FROM unnest($1::int[], $2::bigint[], $4::text[]) AS x (id, date, hash)
         WHERE m.state = 'sending' AND m.id = x.id AND ${heldBy('$5', '$6')}`,
        [handing.map((h) => h.id), handing.map((h) => h.date), now, handing.map((h) => h.hash), ...guardValues(guard)],
      ),
    )
  if (handingCopies.length > 0)
    writes.push(
      db.query(
        `UPDATE copies c SET handed_at = $2, sent_hash = x.hash FROM unnest($1::int[], $3::text[]) AS x (id, hash)
         WHERE c.state = 'sending' AND c.id = x.id AND ${heldBy('$4', '$5')}`,
        [handingCopies.map((c) => c.id), now, handingCopies.map((c) => c.hash), ...guardValues(guard)],
      ),
    )
  await Promise.all(writes)
}

/** Writes acceptances alone. */
export function markSent(db: Database, accepted: Accepted[]): Promise<void> {
  return writeProgress(
    db,
    accepted.map((a) => ({ accepted: a })),
    0,
    null,
  )
}

/** Puts a claimed letter off to a later time. */
export async function markRetrying(
  db: Database,
  id: number,
  notBefore: number,
  reason: string,
  guard: Guard,
): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'retrying', not_before = $2, planned_at = $2, reason = $3 WHERE id = $1 AND state IN (${from('retrying')}) AND ${heldBy('$4', '$5')}`,
    [id, notBefore, reason, ...guardValues(guard)],
  )
}

/** A claimed message that nothing was handed over of, put back: it waits again, and the attempt does not count. */
export interface PutBack {
  reason: string
  /** How often in a row it was answered with a rest for the whole mailbox. */
  rests: number
  /** The earliest time it may leave now, where that is another. */
  notBefore?: number
}
const putBackColumns = `state = 'waiting', attempts = attempts - 1, reason = $2, rests = $3, not_before = coalesce($4, not_before)`
const putBackValues = (id: number, { reason, rests, notBefore }: PutBack, guard: Guard) => [
  id,
  reason,
  rests,
  notBefore ?? null,
  ...guardValues(guard),
]

export async function putBack(db: Database, id: number, how: PutBack, guard: Guard): Promise<void> {
  await db.query(
    `UPDATE messages SET ${putBackColumns} WHERE id = $1 AND state = 'sending' AND ${heldBy('$5', '$6')}`,
    putBackValues(id, how, guard),
  )
}

export async function putCopyBack(db: Database, id: number, how: PutBack, guard: Guard): Promise<void> {
  await db.query(
    `UPDATE copies SET ${putBackColumns}, planned_at = NULL WHERE id = $1 AND state = 'sending' AND ${heldBy('$5', '$6')}`,
    putBackValues(id, how, guard),
  )
}

export async function markRefused(db: Database, id: number, reason: string, guard: Guard): Promise<void> {
  await db.query(
    `WITH done AS (
       UPDATE messages SET state = 'refused', planned_at = NULL, reason = $2
       WHERE id = $1 AND state IN (${from('refused')}) AND ${heldBy('$3', '$4')} RETURNING id
     ) ${withoutLetter('done')}`,
    [id, reason, ...guardValues(guard)],
  )
}

export async function markInDoubt(db: Database, id: number, reason: string, guard: Guard): Promise<void> {
  await db.query(
    `UPDATE messages SET state = 'inDoubt', planned_at = NULL, looked_at = NULL, reason = $2
     WHERE id = $1 AND state IN (${from('inDoubt')}) AND ${heldBy('$3', '$4')}`,
    [id, reason, ...guardValues(guard)],
  )
}

/** What became of a copy that was claimed and not taken. */
export type CopyFate =
  | { state: 'refused' | 'inDoubt'; reason: string }
  | { state: 'retrying'; at: number; reason: string }

export async function markCopy(db: Database, id: number, fate: CopyFate, guard: Guard): Promise<void> {
  const at = fate.state === 'retrying' ? fate.at : null
  await db.query(
    `UPDATE copies SET state = $2, reason = $3, not_before = coalesce($4, not_before), planned_at = $4
     WHERE id = $1 AND state IN (${from(fate.state)}) AND ${heldBy('$5', '$6')}`,
    [id, fate.state, fate.reason, at, ...guardValues(guard)],
  )
}

/** Said of what was being handed over when it was cut off. */
const cutOff = 'Hand Post was ended while this was being handed over.'
const copyInDoubt = `${cutOff} It is not known whether this copy went. Ask whoever it is for, then say here whether it went.`

/** Notes of a mailbox's copies whose letter has gone that it has, where an end of the program came between the two. */
export async function noteFollowing(db: Database, mailboxId: number): Promise<void> {
  await db.query(
    `UPDATE copies c SET follows = true FROM messages m WHERE m.id = c.message_id AND m.mailbox_id = $1 AND m.state = 'sent' AND NOT c.follows AND c.state IN ('waiting', 'retrying')`,
    [mailboxId],
  )
}

/** Settles what a run that was cut off left behind: what was being handed over is in doubt, what was only claimed waits again. */
export async function settleCutOff(db: Database, mailboxId: number, guard: Guard): Promise<void> {
  const columns = (words: string) => `
    state = CASE WHEN handed_at IS NULL THEN 'waiting' ELSE 'inDoubt' END,
    attempts = CASE WHEN handed_at IS NULL THEN attempts - 1 ELSE attempts END,
    planned_at = CASE WHEN handed_at IS NULL THEN planned_at END,
    reason = CASE WHEN handed_at IS NOT NULL THEN '${words}' END`
  await db.query(
    `WITH letters AS (UPDATE messages SET ${columns(cutOff)} WHERE mailbox_id = $1 AND state = 'sending' AND ${heldBy('$2', '$3')})
     UPDATE copies SET ${columns(copyInDoubt)}
     WHERE state = 'sending' AND message_id IN (SELECT id FROM messages WHERE mailbox_id = $1) AND ${heldBy('$2', '$3')}`,
    [mailboxId, ...guardValues(guard)],
  )
}

const doubtfulColumns =
  'id, message_id AS "messageId", claimed_at AS "claimedAt", coalesce(dated_at, claimed_at) AS date'

/** The letters in doubt of a mailbox that were not looked for in vain yet. */
export function doubtful(db: Database, mailboxId: number): Promise<Doubtful[]> {
  return db.query<Doubtful>(
    `SELECT ${doubtfulColumns} FROM messages WHERE mailbox_id = $1 AND state = 'inDoubt' AND looked_at IS NULL ORDER BY id`,
    [mailboxId],
  )
}

/** Notes that a message in doubt is not in Sent: now it asks the writer. */
export async function noteLooked(db: Database, id: number, at: number): Promise<void> {
  await db.query(
    `UPDATE messages SET looked_at = $2, reason = CASE WHEN reason LIKE $3 || '%' THEN reason || ' It is not in Sent.'
       ELSE 'It is not known whether this message went: it was being handed over when the connection or Hand Post ended, and it is not in Sent.' END
       || ' Ask the person, then say here whether it went.'
     WHERE id = $1 AND state = 'inDoubt'`,
    [id, at, waitedInCopy],
  )
}

/** How it begins, what is said of letters that waited in a copy of everything that was put back. */
export const waitedInCopy = 'This waited when the copy of'

/** By the writer's word a message in doubt is to be sent; its copies, which go after it, have not gone then either. */
export async function sendAgain(db: Database, id: number, now: number): Promise<boolean> {
  const rows = await db.query(
    `WITH again AS (
       UPDATE messages SET state = 'waiting', not_before = $2, planned_at = NULL, planned_by = NULL, looked_at = NULL, reason = NULL WHERE id = $1 AND state = 'inDoubt' AND looked_at IS NOT NULL RETURNING id
     ), behind AS (
       UPDATE copies SET state = 'waiting', planned_at = NULL, reason = NULL WHERE message_id IN (SELECT id FROM again) AND state = 'inDoubt'
     )
     SELECT id FROM again`,
    [id, now],
  )
  return rows.length > 0
}

/** A letter in doubt: its Message-ID, when it was claimed, and the Date that it bears. */
export interface Doubtful {
  id: number
  messageId: string
  claimedAt: number
  date: number
}
/** A copy in doubt, and the letter that it is a copy of. */
export interface DoubtfulCopy {
  id: number
  letter: number
  claimedAt: number
}

/** The letters and copies of a round that are in doubt and ask the writer. */
export async function askingDoubts(
  db: Database,
  roundId: number,
): Promise<{ letters: Doubtful[]; copies: DoubtfulCopy[] }> {
  return {
    letters: await db.query<Doubtful>(
      `SELECT ${doubtfulColumns} FROM messages WHERE round_id = $1 AND state = 'inDoubt' AND looked_at IS NOT NULL ORDER BY id`,
      [roundId],
    ),
    copies: await db.query<DoubtfulCopy>(
      `SELECT c.id, c.message_id AS letter, c.claimed_at AS "claimedAt" FROM copies c JOIN messages m ON m.id = c.message_id WHERE m.round_id = $1 AND c.state = 'inDoubt' ORDER BY c.id`,
      [roundId],
    ),
  }
}

/** The round that a copy belongs to. Throws a refusal when there is no such copy. */
export async function roundOfCopy(db: Database, id: number): Promise<number> {
  const [found] = await db.query<{ roundId: number }>(
    'SELECT m.round_id AS "roundId" FROM copies c JOIN messages m ON m.id = c.message_id WHERE c.id = $1',
    [id],
  )
  if (!found) throw notFound('copy')
  return found.roundId
}

/** By the writer's word a copy in doubt is to be sent. */
export async function sendCopyAgain(db: Database, id: number): Promise<void> {
  await db.query(
    `UPDATE copies SET state = 'waiting', planned_at = NULL, reason = NULL WHERE id = $1 AND state = 'inDoubt'`,
    [id],
  )
}

/**
 * Withdraws what has not left of a round, copies too; what is being handed over goes on. Returns how many of each.
 * @param only letters of it, or null for all.
 */
export async function withdraw(
  db: Database,
  roundId: number,
  only: readonly number[] | null,
  now: number,
): Promise<{ letters: number; copies: number }> {
  return db.transaction(async (tx) => {
    const letters = await tx.query<{ id: number }>(
      `UPDATE messages SET state = 'withdrawn', planned_at = NULL, reason = 'Withdrawn by the writer.' WHERE round_id = $1 AND ($2::jsonb IS NULL OR id IN (SELECT jsonb_array_elements_text($2::jsonb)::int)) AND (state IN ('waiting', 'retrying') OR (state = 'inDoubt' AND looked_at IS NOT NULL)) RETURNING id`,
      [roundId, only && json(only)],
    )
    const copies = await tx.query<{ gone: boolean }>(
      `UPDATE copies c SET state = 'withdrawn', planned_at = NULL,
         reason = CASE WHEN m.state = 'sent' THEN 'Withdrawn by the writer; the letter itself had gone.' ELSE 'Withdrawn by the writer.' END
       FROM messages m WHERE m.id = c.message_id AND m.round_id = $1 AND (m.id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) OR ($3 AND m.state = 'sent')) AND c.state IN ('waiting', 'retrying') RETURNING m.state = 'sent' AS gone`,
      // Copies of letters that have left go on, when it was only some letters that were meant.
      [roundId, json(letters.map(({ id }) => id)), only === null],
    )
    if (letters.length > 0) await noteEvent(tx, roundId, now, 'withdrawn', { letters: letters.length, paper: 0 })
    return { letters: letters.length, copies: copies.filter((c) => c.gone).length }
  })
}

/**
 * Holds a round by the writer's word, or lets it go on. One that is being amended goes on by posting the change, and not before.
 * @param now (ms since 1970): what went wrong until it is carried on holds it no more.
 * @returns whether it was done.
 */
export async function setHeld(db: Database, roundId: number, held: boolean, now: number): Promise<boolean> {
  return db.transaction(async (tx) => {
    const rows = await tx.query<{ was: boolean }>(
      `UPDATE rounds r SET held = $2, held_why = NULL, brake_since = CASE WHEN $2 THEN r.brake_since ELSE $3 END
       FROM (SELECT held FROM rounds WHERE id = $1 FOR NO KEY UPDATE) old WHERE r.id = $1 AND ($2 OR r.amending_since IS NULL) RETURNING old.held AS was`,
      [roundId, held, now],
    )
    if (rows.length > 0 && rows[0].was !== held) await noteEvent(tx, roundId, now, held ? 'held' : 'carriedOn', {})
    return rows.length > 0
  })
}

/**
 * Keeps with each round of a mailbox that letters of it were due and have not left until now, and why.
 * @param longer by how much (ms) the first of them must be late.
 */
export async function noteLate(
  db: Database,
  mailboxId: number,
  now: number,
  longer: number,
  why: string,
): Promise<void> {
  await db.query(
    `WITH overdue AS (
       SELECT m.round_id AS id, min(m.planned_at) AS due, count(*)::int AS letters FROM messages m JOIN rounds r ON r.id = m.round_id
       WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND m.planned_at < $2 AND NOT r.held
       GROUP BY m.round_id HAVING min(m.planned_at) < $2 - $3::bigint)
     UPDATE rounds r SET late = jsonb_build_object('from', o.due, 'until', $2::bigint, 'letters', o.letters, 'why', $4::text) FROM overdue o WHERE r.id = o.id`,
    [mailboxId, now, longer, why],
  )
}

/** Keeps with each round of a mailbox that has letters due in a time that none of them can leave in it, and why. */
export async function notePutOff(
  db: Database,
  mailboxId: number,
  from: number,
  until: number,
  why: string,
): Promise<void> {
  await db.query(
    `UPDATE rounds r SET late = jsonb_build_object('from', $2::bigint, 'until', $3::bigint, 'letters', NULL, 'why', $4::text)
     WHERE NOT r.held AND EXISTS (SELECT 1 FROM messages m WHERE m.round_id = r.id AND m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND m.planned_at < $3)`,
    [mailboxId, from, until, why],
  )
}

/** Notes that a mailbox goes on now, sooner than was thought. */
export async function noteOnAgain(db: Database, mailboxId: number, now: number): Promise<void> {
  await db.query(
    `UPDATE rounds SET late = late || jsonb_build_object('until', $2::bigint) WHERE mailbox_id = $1 AND (late->>'until')::bigint > $2`,
    [mailboxId, now],
  )
}

/** How many letters of a round are being handed over, or were claimed for it. */
export async function sendingOf(db: Database, roundId: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM messages WHERE round_id = $1 AND state = 'sending'`,
    [roundId],
  )
  return n
}

/** Those of some rounds by which answers to others leave. */
export async function roundsOfAnswers(db: Database, rounds: readonly number[]): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT id FROM rounds WHERE answers_of IS NOT NULL AND id = ANY ($1::int[])',
    [rounds],
  )
  return rows.map(({ id }) => id)
}

/** Those rounds whose chasers are among some. */
export async function chasedBy(db: Database, rounds: readonly number[]): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT DISTINCT chases AS id FROM rounds WHERE chases IS NOT NULL AND id = ANY ($1::int[])',
    [rounds],
  )
  return rows.map(({ id }) => id)
}

/** Has a round hold itself, with why. Returns whether it did: one that is held already stays as it is. */
export function holdItself(db: Database, roundId: number, why: string, now: number): Promise<boolean> {
  return db.transaction(async (tx) => {
    const rows = await tx.query(
      'UPDATE rounds SET held = true, held_why = $2 WHERE id = $1 AND NOT held RETURNING id',
      [roundId, why],
    )
    if (rows.length > 0) await noteEvent(tx, roundId, now, 'heldItself', { why })
    return rows.length > 0
  })
}

/** After how often its host has asked a round to go slower it goes at half its pace. */
const slowerTwice = 2

/**
 * Takes note that a round's host has asked to go slower; at the second time its pace is halved, unless the writer wants it otherwise.
 * @param most messages a minute that the mailbox sends at all.
 * @returns the pace before and now, in letters a minute; null where it stays.
 */
export function noteSlower(db: Database, roundId: number, most: number): Promise<{ was: number; is: number } | null> {
  return db.transaction(async (tx) => {
    const [round] = await tx.query<{ said: number; was: number; wanted: boolean }>(
      `UPDATE rounds SET slower_said = slower_said + 1 WHERE id = $1
       RETURNING slower_said AS said, least((dispatch->>'perMinute')::float8, $2::float8) AS was, (dispatch->>'goSlower')::boolean AS wanted`,
      [roundId, most],
    )
    if (!round?.wanted || round.said < slowerTwice || round.was <= slowestPace) return null
    const is = Math.max(slowestPace, round.was / 2)
    const shown = (perMinute: number) => perMinute.toLocaleString('en-GB', { maximumFractionDigits: 3 })
    await tx.query(
      `UPDATE rounds SET slower_said = 0, dispatch = dispatch || jsonb_build_object('perMinute', $2::float8), slowed = $3 WHERE id = $1`,
      [
        roundId,
        is,
        `The mail host asked twice to go slower, so the round goes at ${shown(is)} letters a minute now instead of ${shown(round.was)}.`,
      ],
    )
    return { was: round.was, is }
  })
}

/** A round's brake and mailbox, while it is not held and something of it waits; null else. */
export async function brakeOf(
  db: Database,
  roundId: number,
): Promise<{ share: number; mailboxId: number; since: number } | null> {
  const [found] = await db.query<{ share: number | null; mailboxId: number; since: number }>(
    `SELECT (dispatch->>'brake')::float8 AS share, mailbox_id AS "mailboxId", brake_since AS since FROM rounds r
     WHERE id = $1 AND NOT held AND EXISTS (SELECT 1 FROM messages m WHERE m.round_id = r.id AND m.state IN ('waiting', 'retrying'))`,
    [roundId],
  )
  return found && found.share !== null ? { ...found, share: found.share } : null
}

/**
 * What became of the letters of a round that left around one of them: as many before it, and after it, as are looked at together with it.
 * Of a long round that is little, however often it is asked for.
 * @param since only letters that left after it (ms since 1970).
 * @returns them in the order of leaving, and the place of the one among them.
 */
export async function fatesAround(
  db: Database,
  roundId: number,
  messageId: number,
  since: number,
): Promise<{ fates: Fate[]; place: number }> {
  const at = 'coalesce(m.sent_at, m.claimed_at)'
  const some = (compare: string, way: string) => `(
    SELECT m.id, ${at} AS at, m.address, m.state, m.reason FROM messages m, one
    WHERE m.round_id = $1 AND m.state IN ('sent', 'refused') AND ${at} > $3 AND (${at}, m.id) ${compare} (one.at, one.id)
    ORDER BY 2 ${way}, 1 ${way} LIMIT ${brakeWindow})`
  const rows = await db.query<Fate & { id: number }>(
    `WITH one AS (SELECT m.id, ${at} AS at FROM messages m WHERE m.id = $2),
     around AS (${some('<=', 'DESC')} UNION ALL ${some('>', 'ASC')})
     SELECT a.id, a.at, a.address, CASE WHEN a.state = 'refused' THEN coalesce(a.reason, '') ELSE (
         SELECT coalesce(q.details->>'words', '') FROM responses q
         WHERE q.message_id = a.id AND q.kind = 'bounce' AND q.of = 'person' ORDER BY q.at LIMIT 1) END AS bad
     FROM around a ORDER BY a.at, a.id`,
    [roundId, messageId, since],
  )
  return { fates: rows, place: rows.findIndex((one) => one.id === messageId) }
}

/** A letter that was sent and is not in Sent yet. */
export interface Unfiled {
  id: number
  roundId: number
  messageId: string
  sentAt: number
  filingAttempts: number
}

/** Sent letters of a mailbox whose copy is not in Sent yet and may be tried now. */
export function unfiled(db: Database, mailboxId: number, now: number, most: number): Promise<Unfiled[]> {
  return db.query(
    `SELECT m.id, m.round_id AS "roundId", m.message_id AS "messageId", m.sent_at AS "sentAt", m.filing_attempts AS "filingAttempts" FROM messages m
     WHERE m.mailbox_id = $1 AND m.state = 'sent' AND m.filed_at IS NULL AND m.file_after <= $2 ORDER BY m.sent_at LIMIT $3`,
    [mailboxId, now, most],
  )
}

/** When the next copy that Sent did not take is tried again, or null. */
export async function nextFiling(db: Database, mailboxId: number): Promise<number | null> {
  const [{ at }] = await db.query<{ at: number | null }>(
    `SELECT min(file_after) AS at FROM messages WHERE mailbox_id = $1 AND state = 'sent' AND filed_at IS NULL`,
    [mailboxId],
  )
  return at
}

/** The rounds of a mailbox that something was sent of, and nothing filed. */
export async function roundsNotFiled(db: Database, mailboxId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    `SELECT round_id AS id FROM messages WHERE mailbox_id = $1 AND state = 'sent' GROUP BY round_id HAVING count(filed_at) = 0`,
    [mailboxId],
  )
  return rows.map((r) => r.id)
}

export async function markFiled(db: Database, ids: number[], at: number): Promise<void> {
  await db.query('UPDATE messages SET filed_at = $2, filing_fault = NULL WHERE id = ANY ($1::int[])', [ids, at])
}

/** Notes that Sent did not take a copy, in the host's words, and when it is tried again. */
export async function noteNotFiled(db: Database, id: number, fault: string, after: number): Promise<void> {
  await db.query(
    'UPDATE messages SET filing_fault = $2, file_after = $3, filing_attempts = filing_attempts + 1 WHERE id = $1',
    [id, fault, after],
  )
}

/** Notes why nothing of a mailbox can be filed just now. */
export async function noteNoFiling(db: Database, mailboxId: number, fault: string): Promise<void> {
  await db.query(
    `UPDATE messages SET filing_fault = $2 WHERE mailbox_id = $1 AND state = 'sent' AND filed_at IS NULL AND file_after = 0`,
    [mailboxId, fault],
  )
}

/** The departures of a round, in the order of leaving: gone ones at their time, others as planned. */
export function departuresOfRound(db: Database, roundId: number): Promise<TimetableEntry[]> {
  return db.query(
    `SELECT coalesce(sent_at, planned_at) AS at, recipients, row_id AS "rowId", sent_at IS NOT NULL AS gone,
       CASE WHEN sent_at IS NULL THEN planned_by END AS by FROM messages
     WHERE round_id = $1 AND coalesce(sent_at, planned_at) IS NOT NULL ORDER BY 1, id`,
    [roundId],
  )
}

/** When other rounds' letters leave a mailbox by the plan, and when they left it since a time, to how many. */
export function departuresOfOthers(
  db: Database,
  mailboxId: number,
  roundId: number,
  since: number,
): Promise<Departure[]> {
  return db.query(
    `SELECT coalesce(m.sent_at, m.planned_at) AS at, m.recipients FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.round_id <> $2 AND coalesce(m.sent_at, m.planned_at) >= $3 AND NOT (r.held AND m.sent_at IS NULL) ORDER BY 1`,
    [mailboxId, roundId, since],
  )
}

/**
 * Letters of a round that wait and have no time: how many because it is held, how many because they were not planned yet, and how many that can
 * never leave, by why.
 */
export async function withoutTime(
  db: Database,
  roundId: number,
  isHeld: boolean,
): Promise<{ held: number; unplanned: number; never: { by: NeverReason; letters: number }[] }> {
  const rows = await db.query<{ by: NeverReason | null; letters: number }>(
    `SELECT m.planned_by AS by, count(*)::int AS letters FROM messages m
     WHERE m.round_id = $1 AND m.state IN ('waiting', 'retrying') AND m.planned_at IS NULL AND ${mayFollow} GROUP BY m.planned_by`,
    [roundId],
  )
  const letters = rows.reduce((sum, row) => sum + row.letters, 0)
  if (isHeld) return { held: letters, unplanned: 0, never: [] }
  const unplanned = rows.find(({ by }) => by === null)?.letters ?? 0
  return { held: 0, unplanned, never: rows.flatMap(({ by, letters }) => (by === null ? [] : { by, letters })) }
}

/**
 * Mailboxes in which letters wait for a time that no plan has given them, nor said that there is none: how many, and how often each was
 * planned.
 */
export function unplannedIn(db: Database): Promise<{ mailboxId: number; planned: number; letters: number }[]> {
  return db.query(
    `SELECT b.id AS "mailboxId", b.planned, count(*)::int AS letters FROM mailboxes b JOIN messages m ON m.mailbox_id = b.id JOIN rounds r ON r.id = m.round_id
     WHERE m.state IN ('waiting', 'retrying') AND m.planned_at IS NULL AND m.planned_by IS NULL AND NOT r.held AND ${mayFollow} GROUP BY b.id`,
  )
}
