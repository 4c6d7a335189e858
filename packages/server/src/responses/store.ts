import {
  type Fetched,
  fetchedAsResponses,
  type MessageState,
  type ResponseKind,
  sumFetched,
  trayKinds,
  type Whose,
} from '@hand-post/core'
import { type Database, json } from '../db/database.ts'

/** What is kept of a response beside its kind and time. */
export interface ResponseDetails {
  from?: string
  subject?: string
  /** The new words of an answer, or the reason of a bounce. */
  words?: string
  /** The whole text. */
  text?: string
  agent?: string
  link?: number
}

export interface StoredResponse {
  id: number
  messageId: number
  kind: ResponseKind
  at: number
  details: ResponseDetails
  /** Whose it is. Only what is the person's counts for their outcome. */
  of: Whose
  /** The address that it came from, or, for a report, that it is about. */
  address: string | null
}

/** A message with what the board needs of it. */
export interface BoardMessage {
  id: number
  rowId: number
  person: string
  address: string
  state: MessageState
  sentAt: number | null
  reason: string | null
  version: number
}

/** Appends what the public address was told; what came by the same way before is not added again. Returns whether it was added. */
export async function addResponse(
  db: Database,
  response: { messageId: number; kind: ResponseKind; at: number; details: ResponseDetails; source: string | null },
): Promise<boolean> {
  const rows = await db.query(
    'INSERT INTO responses (message_id, kind, at, details, source) VALUES ($1, $2, $3, $4, $5) ON CONFLICT (source) DO NOTHING RETURNING id',
    [response.messageId, response.kind, response.at, json(response.details), response.source],
  )
  return rows.length > 0
}

/**
 * Appends what a piece of mail says about a letter. Mail is known by its own Message-ID, wherever it lies in the mailbox: what was
 * read before is not added again. Mail that was read before mail had its Message-ID kept is known by what it said and when, and is
 * given it.
 * @returns whether anything was added.
 */
export function addMail(
  db: Database,
  mail: {
    messageId: number
    mailId: string
    at: number
    said: { kind: ResponseKind; of: Whose; address: string; details: ResponseDetails }[]
  },
): Promise<boolean> {
  return db.transaction(async (tx) => {
    let added = false
    for (const { kind, of, address, details } of mail.said) {
      const known = await tx.query(
        `UPDATE responses SET mail_id = $2, address = $6 WHERE id = (
           SELECT id FROM responses WHERE message_id = $1 AND mail_id IS NULL AND kind = $3 AND at = $4 AND details->>'from' = $5 LIMIT 1
         ) RETURNING id`,
        [mail.messageId, mail.mailId, kind, mail.at, details.from ?? '', address],
      )
      if (known.length > 0) continue
      const rows = await tx.query(
        `INSERT INTO responses (message_id, kind, at, details, of, address, mail_id) VALUES ($1, $2, $3, $4, $5, $6, $7)
         ON CONFLICT (message_id, mail_id, address) WHERE mail_id IS NOT NULL DO NOTHING RETURNING id`,
        [mail.messageId, kind, mail.at, json(details), of, address, mail.mailId],
      )
      added ||= rows.length > 0
    }
    return added
  })
}

/** By the writer's word a response of an address that is neither the person's nor a copy's is the person's, or is not. */
export async function setWhose(db: Database, responseId: number, of: 'person' | 'other'): Promise<number | null> {
  const [found] = await db.query<{ roundId: number }>(
    `UPDATE responses q SET of = $2 FROM messages m WHERE q.id = $1 AND m.id = q.message_id AND q.of IN ('person', 'other') RETURNING m.round_id AS "roundId"`,
    [responseId, of],
  )
  return found?.roundId ?? null
}

/** A letter that mail answers, with whom it went to. */
export interface Answerable {
  id: number
  roundId: number
  address: string
  copies: string[]
}

/** The letter that one of some Message-IDs names, the first that is known. */
export async function messageByIds(db: Database, mailboxId: number, messageIds: string[]): Promise<Answerable | null> {
  const [found] = await db.query<Answerable>(
    `SELECT m.id, m.round_id AS "roundId", m.address, coalesce((SELECT jsonb_agg(c.address) FROM copies c WHERE c.message_id = m.id), '[]') AS copies
     FROM jsonb_array_elements_text($2::jsonb) WITH ORDINALITY AS x (message_id, n)
     JOIN messages m ON m.message_id = x.message_id AND m.mailbox_id = $1 ORDER BY n LIMIT 1`,
    [mailboxId, json(messageIds)],
  )
  return found ?? null
}

/** The message that a public address belongs to. */
export interface MessageOfKey {
  id: number
  roundId: number
  roundTitle: string
  address: string
  links: string[]
}

/** A sent message by its public key, with its links; null when there is none. */
export async function messageByKey(db: Database, key: string): Promise<MessageOfKey | null> {
  const [found] = await db.query<MessageOfKey>(
    `SELECT m.id, m.round_id AS "roundId", m.address, r.title AS "roundTitle", c.contents->'links' AS links FROM messages m JOIN rounds r ON r.id = m.round_id JOIN message_contents c ON c.message_id = m.id WHERE m.key = $1`,
    [key],
  )
  return found ?? null
}

export function boardMessages(db: Database, roundId: number): Promise<BoardMessage[]> {
  return db.query(
    'SELECT id, row_id AS "rowId", person, address, state, sent_at AS "sentAt", reason, version FROM messages WHERE round_id = $1 ORDER BY position, again',
    [roundId],
  )
}

/** What was fetched of one message: `what` is -1 for its picture, else the number of the link. */
export interface FetchedOf extends Fetched {
  key: string
  what: number
}

/**
 * Adds to what was fetched of messages. Keys that no message has are passed over.
 * @returns the rounds that are touched.
 */
export function addFetched(db: Database, some: FetchedOf[]): Promise<number[]> {
  return db.transaction(async (tx) => {
    const before = await tx.query<FetchedOf & { messageId: number; roundId: number; known: boolean }>(
      `SELECT m.id AS "messageId", m.round_id AS "roundId", x.key, x.what, f.message_id IS NOT NULL AS known, f.first_at AS first, f.last_at AS last, f.times, f.sample
       FROM jsonb_to_recordset($1::jsonb) AS x (key text, what int) JOIN messages m ON m.key = x.key
       LEFT JOIN fetched f ON f.message_id = m.id AND f.what = x.what`,
      [json(some.map(({ key, what }) => ({ key, what })))],
    )
    const added = new Map(some.map((one) => [`${one.key} ${one.what}`, one]))
    const sums = before.map(({ messageId, key, what, known, ...was }) => ({
      messageId,
      what,
      ...(known ? sumFetched(was, added.get(`${key} ${what}`)!) : added.get(`${key} ${what}`)!),
    }))
    await tx.query(
      `INSERT INTO fetched (message_id, what, first_at, last_at, times, sample)
       SELECT "messageId", what, first, last, times, sample FROM jsonb_to_recordset($1::jsonb) AS x ("messageId" int, what int, first bigint, last bigint, times int, sample jsonb)
       ON CONFLICT (message_id, what) DO UPDATE SET first_at = excluded.first_at, last_at = excluded.last_at, times = excluded.times, sample = excluded.sample`,
      [json(sums)],
    )
    return [...new Set(before.map((one) => one.roundId))]
  })
}

interface FetchedRow {
  messageId: number
  what: number
  times: number
  sample: Fetched['sample']
}
const selectFetched = 'SELECT f.message_id AS "messageId", f.what, f.times, f.sample FROM fetched f'

/** Fetches as the responses that they are, each with a number of its own that no stored response has. */
function asStored(rows: FetchedRow[]): StoredResponse[] {
  let id = -rows.reduce((sum, { sample }) => sum + sample.length, 0)
  return rows.flatMap(({ messageId, what, times, sample }) =>
    fetchedAsResponses(what < 0 ? 'picture' : what, { sample }).map(({ kind, at, agent, link }, i) => ({
      id: id++,
      messageId,
      kind,
      at,
      // Only the person's letter has a picture and links that are counted.
      of: 'person' as const,
      address: null,
      details: {
        agent,
        link,
        ...(i === 0 && times > sample.length ? { words: `${times.toLocaleString('en-GB')} times in all` } : {}),
      },
    })),
  )
}
const inOrder = (all: StoredResponse[]) => all.sort((a, b) => a.at - b.at || a.id - b.id)

/** Everything that came back for a round's messages, in the order in which it came. */
export async function responsesOfRound(db: Database, roundId: number): Promise<StoredResponse[]> {
  const fetched = await db.query<FetchedRow>(
    `${selectFetched} JOIN messages m ON m.id = f.message_id WHERE m.round_id = $1 ORDER BY f.message_id, f.what DESC`,
    [roundId],
  )
  const stored = await db.query<StoredResponse>(
    `SELECT q.id, q.message_id AS "messageId", q.kind, q.at, q.details - 'text' AS details, q.of, q.address FROM responses q JOIN messages m ON m.id = q.message_id
     WHERE m.round_id = $1 ORDER BY q.at, q.id`,
    [roundId],
  )
  return inOrder([...stored, ...asStored(fetched)])
}

/** What came back for one message. */
export async function responsesOfMessage(db: Database, messageId: number): Promise<StoredResponse[]> {
  const stored = await db.query<StoredResponse>(
    'SELECT id, message_id AS "messageId", kind, at, details, of, address FROM responses WHERE message_id = $1 ORDER BY at, id',
    [messageId],
  )
  return inOrder([
    ...stored,
    ...asStored(await db.query(`${selectFetched} WHERE f.message_id = $1 ORDER BY f.what DESC`, [messageId])),
  ])
}

/** The kinds that want a person: an answer to read, or mail that came back. */
const inTray = `(${trayKinds.map((kind) => `'${kind}'`).join(', ')})`

export interface TrayRecord extends Omit<StoredResponse, 'address'> {
  /** The address that it came from, or is about. */
  fromAddress: string | null
  roundId: number
  round: string
  mailboxId: number
  rowId: number
  person: string
  address: string
  subject: string
  html: string
  letterText: string
  sentAt: number | null
  doneAt: number | null
}

/** The in-tray, newest first. */
export function tray(db: Database, done: boolean, most: number): Promise<TrayRecord[]> {
  return db.query(
    `SELECT q.id, q.message_id AS "messageId", q.kind, q.at, q.details, q.of, q.address AS "fromAddress", m.round_id AS "roundId", r.title AS round, m.mailbox_id AS "mailboxId", m.row_id AS "rowId", m.person, m.address,
       m.subject, c.contents->>'html' AS html, c.contents->>'text' AS "letterText", m.sent_at AS "sentAt", d.at AS "doneAt"
     FROM responses q JOIN messages m ON m.id = q.message_id JOIN message_contents c ON c.message_id = m.id JOIN rounds r ON r.id = m.round_id LEFT JOIN tray_done d ON d.response_id = q.id
     WHERE q.kind IN ${inTray} AND (d.at IS NOT NULL) = $1 ORDER BY q.at DESC, q.id DESC LIMIT $2`,
    [done, most],
  )
}

export async function trayOpen(db: Database): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM responses q LEFT JOIN tray_done d ON d.response_id = q.id WHERE q.kind IN ${inTray} AND d.at IS NULL`,
  )
  return n
}

export async function setTrayDone(db: Database, responseId: number, done: boolean, now: number): Promise<void> {
  if (done)
    await db.query('INSERT INTO tray_done VALUES ($1, $2) ON CONFLICT (response_id) DO NOTHING', [responseId, now])
  else await db.query('DELETE FROM tray_done WHERE response_id = $1', [responseId])
}
