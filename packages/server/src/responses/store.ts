import {
  type Candidate,
  type Fetched,
  type FoundBy,
  fetchedAsResponses,
  type NamedDay,
  type Pile,
  type ResponseKind,
  type ReturnReason,
  type Sorted,
  sumFetched,
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
  country?: string
  /** The pile that its words propose, with the rule; whether it is certain whose it is or not. */
  sorted?: Sorted
  /** The days that its new words name and, of an automatic reply, the one on which its owner is back. */
  days?: NamedDay[]
  back?: NamedDay | null
  /** For returned mail: by RFC 3463, and why. */
  status?: string
  reason?: ReturnReason | null
  /** The choice of the letter that it makes: its number and its words. */
  choice?: { n: number; choice: string }
  /** The junk folder that it lies in: of such mail only the headers were read. */
  junk?: string
  /** All else was forgotten, with what its round kept of people. */
  forgotten?: true
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

/** What a piece of mail says about a letter. */
export interface MailSaid {
  messageId: number
  /** The mail's own Message-ID, wherever it lies in the mailbox. */
  mailId: string
  at: number
  foundBy: FoundBy
  kind: ResponseKind
  of: Whose
  pile: Pile | null
  address: string
  details: ResponseDetails
}

/**
 * Appends what some mail says about letters. Mail is known by its own Message-ID: what was read before is not added again. Mail that was
 * read before mail had its Message-ID kept is known by what it said and when, and is given it. What lay in Junk was known by its headers
 * only: read whole, once it was moved, it takes the place of that. A receipt asks nothing of anybody, and is done with;
 * so is a choice with no words besides.
 * @returns the Message-IDs of the mail of which anything was added.
 */
export async function addMail(db: Database, said: MailSaid[]): Promise<Set<string>> {
  // The same mail may lie there twice.
  const once = [...new Map(said.map((one) => [`${one.messageId}\n${one.mailId}\n${one.address}`, one])).values()]
  const rows = await db.query<{ mailId: string }>(
    `WITH given AS (
       SELECT * FROM jsonb_to_recordset($1::jsonb)
         AS x ("messageId" int, "mailId" text, at bigint, "foundBy" text, kind text, of text, pile text, address text, details jsonb)),
     before AS (
       UPDATE responses r SET mail_id = g."mailId", address = g.address FROM given g
       WHERE r.message_id = g."messageId" AND r.mail_id IS NULL AND r.kind = g.kind AND r.at = g.at AND r.details->>'from' = coalesce(g.details->>'from', '')
       RETURNING g."messageId", g."mailId"),
     added AS (
       INSERT INTO responses (message_id, kind, at, details, of, address, mail_id, found_by, pile)
       SELECT "messageId", kind, at, details, of, address, "mailId", "foundBy", pile FROM given g
       WHERE NOT EXISTS (SELECT 1 FROM before b WHERE b."messageId" = g."messageId" AND b."mailId" = g."mailId")
       ON CONFLICT (message_id, mail_id, address) WHERE mail_id IS NOT NULL DO UPDATE
         SET kind = excluded.kind, details = excluded.details, of = excluded.of, found_by = excluded.found_by, pile = excluded.pile
         WHERE responses.details ? 'junk' AND NOT excluded.details ? 'junk'
       RETURNING id, mail_id, pile, of, at),
     receipts AS (
       INSERT INTO tray (response_id, done_at) SELECT id, at FROM added WHERE pile = 'receipt' OR (pile = 'choice' AND of = 'person') ON CONFLICT DO NOTHING)
     SELECT mail_id AS "mailId" FROM added`,
    [json(once)],
  )
  return new Set(rows.map(({ mailId }) => mailId))
}

/** A letter that mail answers, with whom it went to. */
export interface Answerable {
  id: number
  roundId: number
  address: string
  copies: string[]
}

const answerable = `m.id, m.round_id AS "roundId", m.address, coalesce((SELECT jsonb_agg(c.address) FROM copies c WHERE c.message_id = m.id), '[]') AS copies`

/** A letter by its id; null when there is none. */
export async function messageById(db: Database, id: number): Promise<Answerable | null> {
  const [found] = await db.query<Answerable>(`SELECT ${answerable} FROM messages m WHERE m.id = $1`, [id])
  return found ?? null
}

/** The letters of a mailbox that some Message-IDs name, each by its own. */
export async function messagesByIds(
  db: Database,
  mailboxId: number,
  messageIds: string[],
): Promise<Map<string, Answerable>> {
  if (messageIds.length === 0) return new Map()
  const found = await db.query<Answerable & { messageId: string }>(
    `SELECT m.message_id AS "messageId", ${answerable}
     FROM jsonb_array_elements_text($2::jsonb) AS x (message_id)
       CROSS JOIN LATERAL (SELECT * FROM messages WHERE message_id = x.message_id OFFSET 0) m WHERE m.mailbox_id = $1`,
    [mailboxId, json([...new Set(messageIds)])],
  )
  return new Map(found.map(({ messageId, ...letter }) => [messageId, letter]))
}

/** The letter that one of some Message-IDs names, the first that is known. */
export async function messageByIds(db: Database, mailboxId: number, messageIds: string[]): Promise<Answerable | null> {
  const found = await messagesByIds(db, mailboxId, messageIds)
  return messageIds.map((id) => found.get(id)).find((letter) => letter !== undefined) ?? null
}

/** The same form of a subject on both sides of a comparison: one space, no capitals. */
const subjectForm = (subject: string) => `md5(lower(regexp_replace(btrim(${subject}), '\\s+', ' ', 'g')))`
const lettersOf = `SELECT m.id, m.address, m.person, m.subject, m.sent_at AS "sentAt",
    (SELECT coalesce(jsonb_agg(a.address), '[]') FROM also_addresses a WHERE a.person_address = m.address_key) AS also
  FROM messages m WHERE m.mailbox_id = $1 AND m.state = 'sent' AND m.sent_at BETWEEN $2 AND $3`
/** The address that somebody is known by who writes from `$4`, their own or one that was taught. */
const senderIs = `m.address_key IN ($4, (SELECT person_address FROM also_addresses WHERE address = $4))`

/** Mail without headers that name a letter, as far as letters are looked for by it. */
export interface StrayMail {
  /** The form under which addresses count as the same. */
  sender: string
  senderName: string
  /** Without what stands before an answer's. */
  subject: string
  /** Addresses that a report in plain words names, in that form. */
  named: string[]
}

/** A stretch of time (ms since 1970), both ends included. */
export interface Within {
  from: number
  to: number
}

/** The letters of a mailbox that left in a time and went to the sender of some mail with its subject, or to whom it names. */
export function lettersTo(
  db: Database,
  mailboxId: number,
  { from, to }: Within,
  { sender, subject, named }: StrayMail,
): Promise<Candidate[]> {
  return db.query<Candidate>(
    `(${lettersOf} AND ${senderIs} AND ${subjectForm('m.subject')} = ${subjectForm('$5')} ORDER BY m.sent_at DESC LIMIT 20)
     UNION (${lettersOf} AND m.address_key IN (SELECT jsonb_array_elements_text($6::jsonb)) ORDER BY m.sent_at DESC LIMIT 100)`,
    [mailboxId, from, to, sender, subject, json(named)],
  )
}

/**
 * Letters of a mailbox that left in a time with the subject of some mail, whomever they went to: those to people of the sender's name,
 * and as many others as it takes to see that there are several.
 */
export function lettersWithSubject(
  db: Database,
  mailboxId: number,
  { from, to }: Within,
  { senderName, subject }: StrayMail,
): Promise<Candidate[]> {
  const withSubject = `${lettersOf} AND ${subjectForm('m.subject')} = ${subjectForm('$4')}`
  return db.query<Candidate>(
    `(${withSubject} AND lower(m.person) = lower($5) ORDER BY m.sent_at DESC LIMIT 5) UNION (SELECT * FROM (${withSubject} LIMIT 5) few)`,
    [mailboxId, from, to, subject, senderName],
  )
}

/** The letters that answers sent from here were about, by the answer's id; of what is no such answer there is none. */
export async function lettersAnswered(db: Database, ids: readonly number[]): Promise<Map<number, Answerable>> {
  if (ids.length === 0) return new Map()
  const found = await db.query<Answerable & { answer: number }>(
    `SELECT a.message_id AS answer, ${answerable} FROM sent_answers a JOIN responses q ON q.id = a.response_id JOIN messages m ON m.id = q.message_id
     WHERE a.message_id IN (SELECT jsonb_array_elements_text($1::jsonb)::int)`,
    [json(ids)],
  )
  return new Map(found.map(({ answer, ...letter }) => [answer, letter]))
}

/**
 * Which of some mail, by its headers, may have to do with letters of a mailbox: it names one, or comes from somebody who was written to
 * in a time, or bears the subject of a letter of that time. `n`: the place in what is given.
 */
export async function mayBeOurs(
  db: Database,
  mailboxId: number,
  within: Within,
  heads: { ids: string[]; sender: string; subject: string }[],
): Promise<Set<number>> {
  const rows = await db.query<{ n: number }>(
    // One by one, by their indexes: taken together, all letters of the mailbox would be gone through for each part of a mailbox.
    `WITH heads AS MATERIALIZED (
       SELECT (x.n - 1)::int AS n, x.head->'ids' AS ids, x.head->>'sender' AS sender, x.head->>'subject' AS subject
       FROM jsonb_array_elements($4::jsonb) WITH ORDINALITY AS x (head, n)),
     known AS MATERIALIZED (
       SELECT h.n FROM heads h CROSS JOIN LATERAL jsonb_array_elements_text(h.ids) i
         CROSS JOIN LATERAL (SELECT 1 FROM messages m WHERE m.message_id = i.value AND m.mailbox_id = $1 LIMIT 1) named
       UNION SELECT h.n FROM heads h
         CROSS JOIN LATERAL (SELECT 1 FROM messages m WHERE m.address_key = h.sender AND m.mailbox_id = $1 AND m.sent_at BETWEEN $2 AND $3 LIMIT 1) written
       UNION SELECT h.n FROM heads h JOIN also_addresses a ON a.address = h.sender)
     SELECT n FROM known
     UNION SELECT h.n FROM heads h CROSS JOIN LATERAL (
       SELECT 1 FROM messages m WHERE m.mailbox_id = $1 AND m.state = 'sent' AND ${subjectForm('m.subject')} = ${subjectForm('h.subject')} AND m.sent_at BETWEEN $2 AND $3 LIMIT 1
     ) called WHERE h.subject <> '' AND h.n NOT IN (SELECT n FROM known)`,
    [mailboxId, within.from, within.to, json(heads)],
  )
  return new Set(rows.map(({ n }) => n))
}

/** Which of some mail was taken into account already, for whichever letter: by its Message-ID. */
export async function knownMail(db: Database, mailboxId: number, mailIds: string[]): Promise<Set<string>> {
  const rows = await db.query<{ mailId: string }>(
    `SELECT x.mail_id AS "mailId" FROM jsonb_array_elements_text($2::jsonb) AS x (mail_id) CROSS JOIN LATERAL (
       -- First the few responses of that Message-ID: a planner that knows nothing of the tables yet would begin with all letters.
       SELECT 1 FROM (SELECT message_id FROM responses WHERE mail_id = x.mail_id AND NOT details ? 'junk' OFFSET 0) q
         JOIN messages m ON m.id = q.message_id AND m.mailbox_id = $1 LIMIT 1
     ) known`,
    [mailboxId, json(mailIds)],
  )
  return new Set(rows.map(({ mailId }) => mailId))
}

/**
 * Notes that the writer has answered mail elsewhere, as Sent has it.
 * @returns the rounds whose entries are touched.
 */
export async function noteAnswered(
  db: Database,
  mailboxId: number,
  sent: { at: number; answers: string[] }[],
): Promise<number[]> {
  const rows = await db.query<{ roundId: number }>(
    `WITH seen AS (
       SELECT q.id, min(x.at) AS at, min(m.round_id) AS round_id FROM jsonb_to_recordset($2::jsonb) AS x (at bigint, answers jsonb)
       JOIN LATERAL jsonb_array_elements_text(x.answers) i ON true JOIN responses q ON q.mail_id = i.value
       JOIN messages m ON m.id = q.message_id AND m.mailbox_id = $1 GROUP BY q.id),
     noted AS (
       INSERT INTO tray (response_id, answered_at) SELECT id, at FROM seen
       ON CONFLICT (response_id) DO UPDATE SET answered_at = excluded.answered_at WHERE tray.answered_at IS NULL RETURNING response_id)
     SELECT DISTINCT seen.round_id AS "roundId" FROM seen JOIN noted ON noted.response_id = seen.id`,
    [mailboxId, json(sent)],
  )
  return rows.map(({ roundId }) => roundId)
}

/** The message that a public address belongs to. */
export interface MessageOfKey {
  id: number
  roundId: number
  roundTitle: string
  mailboxId: number
  person: string
  address: string
  subject: string
  from: string
  links: string[]
  /** The sets of choices of its letter. */
  choices: string[][]
  /** The versions of a choice that were made on its page: how many, and the last. */
  chosen: { times: number; choice: string | null; at: number | null }
  /** Whether its round is ended: an answer would not be taken any more. */
  ended: boolean
}

// What the public address does goes by functions of the database (migration 045), for it may run as somebody who may do nothing else there.

/** A sent message by its public key, with its links and choices; null when there is none. */
export async function messageByKey(db: Database, key: string): Promise<MessageOfKey | null> {
  const [{ found }] = await db.query<{ found: MessageOfKey | null }>('SELECT public_message($1) AS found', [key])
  return found
}

/** Opts out the person of a letter: their address is not written to any more, and it is a response of the letter. */
export async function optOutByKey(db: Database, key: string, agent: string, now: number): Promise<void> {
  await db.query('SELECT public_opt_out($1, $2, $3)', [key, agent, now])
}

/**
 * Adds an answer that was chosen on the page of a letter.
 * @param answer the name of this one answer: sent twice by an impatient hand, it is one.
 */
export async function addChosen(
  db: Database,
  key: string,
  { answer, at, pile, details }: { answer: string; at: number; pile: Pile; details: ResponseDetails },
): Promise<void> {
  await db.query('SELECT public_choose($1, $2, $3, $4, $5)', [key, answer, at, pile, json(details)])
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
export function addFetched(db: Database, some: FetchedOf[], journals: readonly string[] = []): Promise<number[]> {
  return db.transaction(async (tx) => {
    const [{ before }] = await tx.query<{ before: (FetchedOf & { roundId: number; known: boolean })[] }>(
      'SELECT public_fetched($1) AS before',
      [json(some.map(({ key, what }) => ({ key, what })))],
    )
    const added = new Map(some.map((one) => [`${one.key} ${one.what}`, one]))
    const sums = before.map(({ key, what, known, roundId: _, ...was }) => ({
      key,
      what,
      ...(known ? sumFetched(was, added.get(`${key} ${what}`)!) : added.get(`${key} ${what}`)!),
    }))
    await tx.query('SELECT public_add_fetched($1, $2)', [json(sums), json(journals)])
    return [...new Set(before.map((one) => one.roundId))]
  })
}

/** Which of some journals of fetches the database has taken in. */
export async function journalsWritten(db: Database, names: readonly string[]): Promise<Set<string>> {
  if (names.length === 0) return new Set()
  const [{ written }] = await db.query<{ written: string[] }>('SELECT public_journals($1) AS written', [json(names)])
  return new Set(written)
}

/** Forgets the journals of fetches, of those whose name begins so, that are not there any more. */
export async function forgetJournals(db: Database, begins: string, there: readonly string[]): Promise<void> {
  await db.query('SELECT public_forget_journals($1, $2)', [begins, json(there)])
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
    fetchedAsResponses(what < 0 ? 'picture' : what, { sample }).map(({ kind, at, agent, link, country }, i) => ({
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
        ...(country === undefined ? {} : { country }),
        ...(i === 0 && times > sample.length ? { words: `${times.toLocaleString('en-GB')} times in all` } : {}),
      },
    })),
  )
}
/** A response as core takes it: what fetched stands beside what it is. */
export const asHeard = (r: StoredResponse) => ({
  ...r,
  link: r.details.link,
  agent: r.details.agent,
  country: r.details.country,
})
const inOrder = (all: StoredResponse[]) => all.sort((a, b) => a.at - b.at || a.id - b.id)

/** Where the links of some messages lead, by message, in their order. */
export async function linksOfMessages(db: Database, messageIds: number[]): Promise<Map<number, string[]>> {
  if (messageIds.length === 0) return new Map()
  const rows = await db.query<{ id: number; links: string[] | null }>(
    `SELECT message_id AS id, contents->'links' AS links FROM message_contents WHERE message_id IN (SELECT jsonb_array_elements_text($1::jsonb)::int)`,
    [json(messageIds)],
  )
  return new Map(rows.map(({ id, links }) => [id, links ?? []]))
}

/** Everything that came back for some messages, by message, in the order in which it came; without the whole texts. */
export async function responsesOfMessages(
  db: Database,
  messageIds: number[],
  chasers = true,
): Promise<Map<number, StoredResponse[]>> {
  const these = 'IN (SELECT jsonb_array_elements_text($1::jsonb)::int)'
  const ids = json(messageIds)
  const fetched = await db.query<FetchedRow>(
    `${selectFetched} WHERE f.message_id ${these} ORDER BY f.message_id, f.what DESC`,
    [ids],
  )
  const stored = await db.query<StoredResponse>(
    `SELECT id, message_id AS "messageId", kind, at, details - 'text' AS details, of, address FROM responses WHERE message_id ${these}
     UNION ALL
     SELECT q.id, c.follows, q.kind, q.at, q.details - 'text', q.of, q.address FROM messages c JOIN responses q ON q.message_id = c.id
     WHERE $2 AND c.follows ${these} AND q.kind IN ('reply', 'optOut') ORDER BY at, id`,
    [ids, chasers],
  )
  const byMessage = new Map<number, StoredResponse[]>()
  for (const r of inOrder([...stored, ...asStored(fetched)])) {
    const same = byMessage.get(r.messageId)
    if (same) same.push(r)
    else byMessage.set(r.messageId, [r])
  }
  return byMessage
}
