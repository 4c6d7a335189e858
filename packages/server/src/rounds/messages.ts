import { sameAddressKey } from '@hand-post/core'
import { copiedLine, inParts, whileWriting } from '../db/copied.ts'
import { type Database, json } from '../db/database.ts'
import type { Contents, Frozen } from '../mailboxes/contents.ts'
import { postedVersion } from './postedVersions.ts'

/** A message ready to be written as waiting. */
export interface NewMessage {
  rowId: number
  position: number
  key: string
  messageId: string
  person: string
  address: string
  recipients: number
  /** A time of the person's own (ms since 1970); null is by the round's pace. */
  notBefore: number | null
  /** Its place in the order in which the round's letters leave. */
  turn: number
  contents: Contents
}

/** How many messages are written at one time. */
const atOnce = 500

/**
 * Writes the frozen messages of a round as waiting, within a transaction. They are taken one after another, as they are written, so that a
 * round need not be held whole.
 * @param round `notBefore`: a time for all of them; null is that of each, or by the round's pace.
 * @param count how many there are: with another number nothing is written.
 */
export async function insertMessages(
  tx: Database,
  round: { id: number; mailboxId: number; notBefore: number | null; again?: number },
  count: number,
  messages: Iterable<NewMessage>,
): Promise<void> {
  const version = await postedVersion(tx, round.id)
  const [{ ids }] = await tx.query<{ ids: number[] }>(
    `SELECT coalesce(array_agg(nextval('messages_id_seq')), '{}') AS ids FROM generate_series(1, $1::int)`,
    [count],
  )
  let next = 0
  function* lines() {
    for (const part of inParts(messages, atOnce)) {
      const some = { messages: '', contents: '', copies: '' }
      for (const m of part) {
        const id = ids[next++]
        const { notBefore = null, again = 0 } = round
        some.messages += copiedLine([
          id,
          round.id,
          round.mailboxId,
          notBefore ?? m.notBefore,
          'waiting',
          m.rowId,
          m.position,
          m.key,
          m.messageId,
          m.person,
          m.address,
          sameAddressKey(m.address),
          m.recipients,
          m.contents.subject,
          again,
          m.turn,
          version,
        ])
        some.contents += copiedLine([id, json(m.contents)])
        for (const { address, addressKey, role } of copiesIn(m.contents))
          some.copies += copiedLine([id, address, addressKey, role, 'waiting'])
      }
      yield some
    }
  }
  await whileWriting(lines(), async (some) => {
    // One after another there, in this order; all are handed over before the next messages are made.
    await Promise.all([
      tx.copyIn(
        'messages (id, round_id, mailbox_id, not_before, state, row_id, position, key, message_id, person, address, address_key, recipients, subject, again, turn, version)',
        some.messages,
      ),
      tx.copyIn('message_contents (message_id, contents)', some.contents),
      some.copies === '' ? null : tx.copyIn('copies (message_id, address, address_key, role, state)', some.copies),
    ])
  })
  if (next !== count) throw new Error(`${next} messages were made, and not ${count}`)
}

/** The Cc and Bcc of a letter, as they are written down. */
const copiesIn = ({ cc, bcc }: Contents) =>
  [...cc.map((address) => ({ address, role: 'cc' })), ...bcc.map((address) => ({ address, role: 'bcc' }))].map(
    (copy) => ({
      ...copy,
      addressKey: sameAddressKey(copy.address),
    }),
  )

const insertCopies = `INSERT INTO copies (message_id, address, address_key, role, state)
  SELECT made.id, c.address, c."addressKey", c.role, 'waiting' FROM made JOIN given ON given.key = made.key
  CROSS JOIN LATERAL jsonb_to_recordset(given.copies) AS c (address text, "addressKey" text, role text)`

/** What has become of a person's latest letter of a round: whether it was refused or came back; null when they have none. */
export async function fateOf(
  db: Database,
  roundId: number,
  rowId: number,
): Promise<{ person: string; addressKey: string; again: number; position: number; failed: boolean } | null> {
  const [found] = await db.query<{
    person: string
    addressKey: string
    again: number
    position: number
    failed: boolean
  }>(
    `SELECT m.person, m.address_key AS "addressKey", m.again, m.position,
       (m.state = 'refused' OR (m.state = 'sent' AND EXISTS (SELECT 1 FROM responses q WHERE q.message_id = m.id AND q.kind = 'bounce' AND q.of = 'person'))) AS failed
     FROM messages m WHERE m.round_id = $1 AND m.row_id = $2 ORDER BY m.again DESC LIMIT 1`,
    [roundId, rowId],
  )
  return found ?? null
}

/** Whoever has, or is to have, a letter of a round: row, name and address, the latest of each. */
export function havingLetter(
  db: Database,
  roundId: number,
): Promise<{ rowId: number; person: string; address: string; addressKey: string }[]> {
  return db.query(
    `SELECT DISTINCT ON (row_id) row_id AS "rowId", person, address, address_key AS "addressKey" FROM messages
     WHERE round_id = $1 AND state NOT IN ('withdrawn', 'setAside') ORDER BY row_id, again DESC`,
    [roundId],
  )
}

/**
 * Writes the very message that people have had as waiting once more, under a key and Message-ID of its own.
 * @param people how often the caller says each has had it: with another number, nothing is written.
 * @returns how many were written; fewer than asked when one of the numbers was not right.
 */
export async function insertOnceMore(
  db: Database,
  roundId: number,
  people: { row: number; hadTimes: number; key: string; messageId: string; contents: Contents }[],
  now: number,
): Promise<number> {
  const made = await db.query(
    `WITH given AS (
       SELECT * FROM jsonb_to_recordset($2::jsonb) AS x (row int, "hadTimes" int, key text, "messageId" text, contents jsonb, copies jsonb)
     ), had AS (
       SELECT m.*, row_number() OVER (PARTITION BY m.row_id ORDER BY m.again DESC) AS newest, count(*) FILTER (WHERE m.state = 'sent') OVER (PARTITION BY m.row_id) AS times,
         count(*) FILTER (WHERE m.state IN ('waiting', 'sending', 'retrying', 'inDoubt')) OVER (PARTITION BY m.row_id) AS open
       FROM messages m WHERE m.round_id = $1
     ), made AS (
       INSERT INTO messages (round_id, mailbox_id, not_before, state, row_id, position, key, message_id, person, address, address_key, recipients, subject, again, turn, version)
       SELECT h.round_id, h.mailbox_id, $3, 'waiting', h.row_id, h.position, g.key, g."messageId", h.person, h.address, h.address_key, h.recipients, h.subject, h.again + 1, h.turn, h.version
       FROM had h JOIN given g ON g.row = h.row_id AND h.newest = 1 AND h.times = g."hadTimes" AND h.open = 0
       RETURNING id, key
     ), held AS (
       INSERT INTO message_contents SELECT made.id, given.contents FROM made JOIN given ON given.key = made.key
     ), copied AS (${insertCopies})
     SELECT id FROM made`,
    [roundId, json(people.map((one) => ({ ...one, copies: copiesIn(one.contents) }))), now],
  )
  return made.length
}

/** A letter that waits, as an amendment finds it. */
export interface WaitingLetter extends Frozen {
  id: number
  rowId: number
  person: string
}

/** The letters of a round that wait, as they are frozen. */
export function waitingLetters(db: Database, roundId: number): Promise<WaitingLetter[]> {
  return db.query(
    `SELECT m.id, m.row_id AS "rowId", m.person, m.key, m.message_id AS "messageId", c.contents
     FROM messages m JOIN message_contents c ON c.message_id = m.id WHERE m.round_id = $1 AND m.state IN ('waiting', 'retrying') ORDER BY m.position`,
    [roundId],
  )
}

/** By what the letters of a round that wait are known: of some rows, or of all. */
export function waitingKeys(
  db: Database,
  roundId: number,
  rows: readonly number[] | null,
): Promise<Pick<WaitingLetter, 'id' | 'rowId' | 'key' | 'messageId'>[]> {
  return db.query(
    `SELECT id, row_id AS "rowId", key, message_id AS "messageId" FROM messages
     WHERE round_id = $1 AND state IN ('waiting', 'retrying') AND ($2::jsonb IS NULL OR row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int))`,
    [roundId, rows && json(rows)],
  )
}

/** The letters of a round that wait, in the order of the list, each with whose it is. */
export function waitingOf(db: Database, roundId: number): Promise<{ id: number; rowId: number }[]> {
  return db.query(
    `SELECT id, row_id AS "rowId" FROM messages WHERE round_id = $1 AND state IN ('waiting', 'retrying') ORDER BY position`,
    [roundId],
  )
}

/** The rows whose letters of a round wait. */
export async function waitingRows(db: Database, roundId: number): Promise<Set<number>> {
  return new Set((await waitingOf(db, roundId)).map(({ rowId }) => rowId))
}

/**
 * Puts other contents in the place of those that letters were posted with, while they wait: the same letters under the same
 * Message-IDs, so that nobody can get two.
 * @param version that they are of from now on; null leaves the one that they have.
 * @returns how many letters that was: what does not wait any more stays as it is.
 */
export async function amendMessages(
  db: Database,
  roundId: number,
  version: number | null,
  messages: readonly NewMessage[],
): Promise<number> {
  let amended = 0
  for (let at = 0; at < messages.length; at += 200) {
    const given = messages
      .slice(at, at + 200)
      .map((m) => ({ ...m, addressKey: sameAddressKey(m.address), copies: copiesIn(m.contents) }))
    const rows = await db.query<{ id: number }>(
      `WITH given AS (
         SELECT * FROM jsonb_to_recordset($3::jsonb) AS x (key text, person text, address text, "addressKey" text, recipients int, contents jsonb)
       ), made AS (
         UPDATE messages m SET version = coalesce($2, m.version), person = g.person, address = g.address, address_key = g."addressKey", recipients = g.recipients, subject = g.contents->>'subject'
         FROM given g WHERE m.round_id = $1 AND m.key = g.key AND m.state IN ('waiting', 'retrying') RETURNING m.id, m.key
       ), held AS (
         UPDATE message_contents c SET contents = given.contents FROM made JOIN given ON given.key = made.key WHERE c.message_id = made.id
       ), gone AS (
         DELETE FROM copies c USING made WHERE c.message_id = made.id
       )
       SELECT id FROM made`,
      [roundId, version, json(given)],
    )
    await db.query(
      `WITH given AS (
         SELECT * FROM jsonb_to_recordset($2::jsonb) AS x (key text, copies jsonb)
       ), made AS (SELECT m.id, m.key FROM messages m WHERE m.id IN (SELECT jsonb_array_elements_text($1::jsonb)::int))
       ${insertCopies}`,
      [json(rows.map((r) => r.id)), json(given)],
    )
    amended += rows.length
  }
  return amended
}

/** A person's message in a round as it is frozen, and when it left. */
type FrozenOfRow = Frozen & { id: number; sentAt: number | null }

/** The frozen contents of a person's message in a round, or null when the round has none for them. */
export async function frozenOfRow(db: Database, roundId: number, rowId: number): Promise<FrozenOfRow | null> {
  const [found] = await db.query<FrozenOfRow>(
    `SELECT m.id, m.key, m.message_id AS "messageId", c.contents, m.sent_at AS "sentAt"
     FROM messages m JOIN message_contents c ON c.message_id = m.id WHERE m.round_id = $1 AND m.row_id = $2 ORDER BY m.again DESC LIMIT 1`,
    [roundId, rowId],
  )
  return found ?? null
}

/** The same, where it is frozen: while a round is amended, what waits of it is not. */
export async function asPosted(
  db: Database,
  round: { id: number; amendingSince: number | null },
  rowId: number,
): Promise<FrozenOfRow | null> {
  if (round.amendingSince !== null && (await waitingRows(db, round.id)).has(rowId)) return null
  return frozenOfRow(db, round.id, rowId)
}

/** What other rounds than this one have sent since a time (ms since 1970), the latest last. */
export function sentSince(
  db: Database,
  roundId: number,
  since: number,
): Promise<{ address: string; subject: string; at: number; title: string }[]> {
  return db.query(
    `SELECT m.address, m.subject, m.sent_at AS at, r.title FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.state = 'sent' AND m.sent_at > $2 AND r.answers_of IS NULL
       AND r.family <> (SELECT o.family FROM rounds o WHERE o.id = $1) ORDER BY m.sent_at`,
    [roundId, since],
  )
}

/**
 * Addresses that other rounds' letters bounced from for good, or that were refused, and that no later letter reached: by the form under
 * which addresses count as the same. A mailbox that was full may have room again.
 */
export async function deadAddresses(
  db: Database,
  roundId: number,
): Promise<Map<string, { at: number; title: string; how: 'bounced' | 'refused'; why: string }>> {
  const rows = await db.query<{
    key: string
    at: number
    title: string
    how: 'bounced' | 'refused'
    why: string | null
  }>(
    `WITH fates AS (
       SELECT m.address_key AS key, m.round_id, coalesce(m.sent_at, m.claimed_at) AS at, m.reason,
         CASE WHEN m.state = 'refused' THEN 'refused' WHEN b.words IS NOT NULL THEN 'bounced' END AS how, coalesce(b.words, m.reason) AS why
       FROM messages m LEFT JOIN LATERAL (
         SELECT coalesce(q.details->>'words', '') AS words FROM responses q
         WHERE q.message_id = m.id AND q.kind = 'bounce' AND q.of = 'person' AND coalesce(q.details->>'words', '') !~ '[(]4[.]|[(][45][.]2[.]2[)]' ORDER BY q.at DESC LIMIT 1
       ) b ON true
       WHERE m.state IN ('sent', 'refused') AND m.round_id NOT IN (SELECT o.id FROM rounds o WHERE o.family = (SELECT t.family FROM rounds t WHERE t.id = $1))
     ), newest AS (SELECT DISTINCT ON (key) * FROM fates ORDER BY key, at DESC NULLS LAST, how NULLS FIRST)
     SELECT n.key, n.at, r.title, n.how, n.why FROM newest n JOIN rounds r ON r.id = n.round_id WHERE n.how IS NOT NULL AND n.at IS NOT NULL`,
    [roundId],
  )
  return new Map(rows.map(({ key, why, ...rest }) => [key, { ...rest, why: (why ?? '').slice(0, 300) }]))
}

/** All messages of a posted round as they were frozen, in the order of the list. */
export function frozenOfRound(db: Database, roundId: number): Promise<(Frozen & { sentAt: number | null })[]> {
  return db.query(
    `SELECT m.key, m.message_id AS "messageId", m.sent_at AS "sentAt", c.contents FROM messages m JOIN message_contents c ON c.message_id = m.id
     WHERE m.round_id = $1 ORDER BY m.position, m.again`,
    [roundId],
  )
}
