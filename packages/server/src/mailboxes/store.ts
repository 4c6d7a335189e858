import type { Mailbox, MailboxSettings } from '@hand-post/contract'
import { allowanceAt, capsAt, type DaysOff, type Departure, dayNumber, isLoopback, type Limits } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound } from '../problem.ts'
import { limitsOf } from './limits.ts'

type StoredSettings = Omit<MailboxSettings, 'password' | 'flow'>

/** A mailbox as it stands in the database. `secret` is the locked password. */
export interface MailboxRecord {
  id: number
  settings: StoredSettings
  secret: string
  /** The practice mailbox that is there from the start. */
  builtIn: boolean
  pausedUntil: number | null
  stopped: boolean
  pauseReason: string | null
  /** How often in a row the host has asked to rest with nothing taken between, and since when. */
  rests: number
  restingSince: number | null
  /** When the host was found to put sent mail into Sent by itself. */
  foundFiling: number | null
  readingFault: string | null
  /** How far its Sent folder was read for other mail, when it was looked into last, and what kept it from being read then. */
  sentUidValidity: number | null
  sentLastUid: number | null
  sentReadAt: number | null
  sentFault: string | null
  /** Whether the rounds that wait in it share it evenly. */
  evenly: boolean
  /** What its host said last of its limits. */
  saidLimit: Mailbox['saidLimit']
}

const select = `SELECT id, settings, secret, practice AS "builtIn", paused_until AS "pausedUntil", stopped, pause_reason AS "pauseReason", rests, resting_since AS "restingSince", found_filing AS "foundFiling",
  reading_fault AS "readingFault",
  sent_uid_validity AS "sentUidValidity", sent_last_uid AS "sentLastUid", sent_read_at AS "sentReadAt", sent_fault AS "sentFault", evenly, said_limit AS "saidLimit" FROM mailboxes`

/** Every mailbox, in the order in which they were added. */
export function mailboxRecords(db: Database): Promise<MailboxRecord[]> {
  return db.query<MailboxRecord>(`${select} ORDER BY id`)
}

/** One mailbox. Throws a refusal when it is not there. */
export async function mailboxById(db: Database, id: number): Promise<MailboxRecord> {
  const [found] = await db.query<MailboxRecord>(`${select} WHERE id = $1`, [id])
  if (!found) throw notFound('mailbox')
  return found
}

export async function insertMailbox(
  db: Database,
  settings: StoredSettings,
  secret: string,
  builtIn: boolean,
): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO mailboxes (settings, secret, practice) VALUES ($1, $2, $3) RETURNING id',
    [json(settings), secret, builtIn],
  )
  return id
}

export async function updateMailbox(db: Database, id: number, settings: StoredSettings, secret: string): Promise<void> {
  await db.query('UPDATE mailboxes SET settings = $2, secret = $3 WHERE id = $1', [id, json(settings), secret])
}

/** Stores what a mailbox's sign-in service has given anew, sealed. */
export async function updateSecret(db: Database, id: number, secret: string): Promise<void> {
  await db.query('UPDATE mailboxes SET secret = $2 WHERE id = $1', [id, secret])
}

export async function deleteMailbox(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM mailboxes WHERE id = $1', [id])
}

/** Holds a mailbox back until a time, or, with `stopped`, until the writer mends it. */
export async function pauseMailbox(
  db: Database,
  id: number,
  pause: { until: number | null; stopped: boolean; reason: string | null; rests?: number; since?: number },
): Promise<void> {
  await db.query(
    'UPDATE mailboxes SET paused_until = $2, stopped = $3, pause_reason = $4, rests = coalesce($5, rests), resting_since = coalesce($6, resting_since) WHERE id = $1',
    [id, pause.until, pause.stopped, pause.reason, pause.rests ?? null, pause.since ?? null],
  )
}

/** Keeps what a host said of a limit; null forgets it. */
export async function noteSaidLimit(db: Database, id: number, said: Mailbox['saidLimit']): Promise<void> {
  await db.query('UPDATE mailboxes SET said_limit = $2 WHERE id = $1', [id, said && json(said)])
}

/** Takes the limit that a host has said as the mailbox's own. Returns false where there is none (any more). */
export async function takeSaidLimit(db: Database, id: number): Promise<boolean> {
  const rows = await db.query(
    `UPDATE mailboxes SET settings = settings || jsonb_build_object(said_limit->>'limit', said_limit->'n'), said_limit = NULL
     WHERE id = $1 AND said_limit IS NOT NULL RETURNING id`,
    [id],
  )
  return rows.length > 0
}

/** Why the newest message to the writer was not sent; null when it was. */
async function tellFault(db: Database, id: number): Promise<string | null> {
  const [newest] = await db.query<{ fault: string | null }>(
    `SELECT CASE WHEN state = 'failed' OR attempts > 0 AND state = 'waiting' THEN reason END AS fault FROM notices
     WHERE mailbox_id = $1 AND state <> 'notWanted' ORDER BY id DESC LIMIT 1`,
    [id],
  )
  return newest?.fault ?? null
}

/** How many recipients a mailbox has written to after a time and until `now`, in doubt or not, by whatever way. */
export async function usedSince(db: Database, id: number, since: number, now: number): Promise<number> {
  return (await departuresOf(db, id, now)).reduce((n, d) => (d.at > since ? n + d.recipients : n), 0)
}

/** Notes that a host takes messages again. */
export async function noteTaking(db: Database, id: number): Promise<void> {
  await db.query('UPDATE mailboxes SET rests = 0, resting_since = NULL WHERE id = $1', [id])
}

/** Notes that a host was found to put sent mail into Sent by itself: Hand Post files none there from now on. */
export async function noteHostFiles(db: Database, id: number, now: number): Promise<void> {
  await db.query(
    `UPDATE mailboxes SET settings = settings || '{"hostFilesSent":true}', found_filing = $2 WHERE id = $1`,
    [id, now],
  )
}

/** Letters that were sent and that Sent did not take: how many, why, and when the next is tried again. */
async function notFiled(db: Database, id: number): Promise<Mailbox['notFiled']> {
  const [{ count, fault, next }] = await db.query<{ count: number; fault: string | null; next: number | null }>(
    `SELECT count(*)::int AS count, (array_agg(filing_fault ORDER BY sent_at DESC))[1] AS fault, min(nullif(file_after, 0)) AS next
     FROM messages WHERE mailbox_id = $1 AND state = 'sent' AND filed_at IS NULL AND filing_fault IS NOT NULL`,
    [id],
  )
  return count === 0 ? null : { count, fault: fault ?? '', next }
}

/** How far a folder has been read: IMAP's UIDVALIDITY and the last UID; null where it was not opened yet. */
export async function readUpTo(
  db: Database,
  id: number,
  path: string,
): Promise<{ validity: number; lastUid: number } | null> {
  const [found] = await db.query<{ validity: number; lastUid: number }>(
    'SELECT uid_validity AS validity, last_uid AS "lastUid" FROM read_folders WHERE mailbox_id = $1 AND path = $2 AND last_uid IS NOT NULL',
    [id, path],
  )
  return found ?? null
}

/** Notes how far a folder has been read. */
export async function noteRead(
  db: Database,
  id: number,
  path: string,
  validity: number,
  lastUid: number,
): Promise<void> {
  await db.query(
    `INSERT INTO read_folders (mailbox_id, path, uid_validity, last_uid) VALUES ($1, $2, $3, $4)
     ON CONFLICT (mailbox_id, path) DO UPDATE SET uid_validity = excluded.uid_validity, last_uid = excluded.last_uid`,
    [id, path, validity, lastUid],
  )
}

/** Notes what kept a folder beside the inbox from being read, or that nothing does. Returns whether that is news. */
export async function noteFolderFault(db: Database, id: number, path: string, fault: string | null): Promise<boolean> {
  const rows = await db.query(
    fault === null
      ? 'UPDATE read_folders SET fault = NULL WHERE mailbox_id = $1 AND path = $2 AND fault IS NOT NULL RETURNING 1'
      : `INSERT INTO read_folders (mailbox_id, path, fault) VALUES ($1, $2, $3)
         ON CONFLICT (mailbox_id, path) DO UPDATE SET fault = excluded.fault WHERE read_folders.fault IS DISTINCT FROM excluded.fault RETURNING 1`,
    fault === null ? [id, path] : [id, path, fault],
  )
  return rows.length > 0
}

/** What keeps folders that are wanted from being read; null when nothing does. */
export async function folderFaults(db: Database, id: number): Promise<string | null> {
  const rows = await db.query<{ path: string; fault: string }>(
    'SELECT path, fault FROM read_folders WHERE mailbox_id = $1 AND fault IS NOT NULL ORDER BY path LIMIT 5',
    [id],
  )
  return rows.length === 0
    ? null
    : rows.map(({ path, fault }) => `The folder “${path}” could not be looked into for answers: ${fault}`).join(' ')
}

/** Forgets the faults of folders that are not to be read any more. */
export async function keepFolders(db: Database, id: number, folders: readonly string[]): Promise<void> {
  await db.query(
    'UPDATE read_folders SET fault = NULL WHERE mailbox_id = $1 AND path NOT IN (SELECT jsonb_array_elements_text($2::jsonb))',
    [id, json(folders)],
  )
}

/** Notes what kept the answers from being read; null when nothing does. */
export async function noteReadingFault(db: Database, id: number, fault: string | null): Promise<void> {
  await db.query('UPDATE mailboxes SET reading_fault = $2 WHERE id = $1', [id, fault])
}

/**
 * What left a mailbox in the two days before `now`, more than any day that a host may count, copies and messages in doubt included: those may have gone. What stands as later
 * than now, by a clock that was put back since, counts as of now.
 */
export function departuresOf(db: Database, id: number, now: number): Promise<Departure[]> {
  return db.query<Departure>(
    `SELECT least(at, $3) AS at, recipients FROM (
       SELECT at, recipients FROM ledger WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT at, recipients FROM copies_sent WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT at, recipients FROM other_mail WHERE mailbox_id = $1 AND at > $2
       UNION ALL SELECT claimed_at, recipients FROM messages WHERE mailbox_id = $1 AND state IN ('sending', 'inDoubt') AND claimed_at > $2
       UNION ALL SELECT c.claimed_at, 1 FROM copies c JOIN messages m ON m.id = c.message_id
         WHERE m.mailbox_id = $1 AND c.state IN ('sending', 'inDoubt') AND c.claimed_at > $2
     ) departures ORDER BY at`,
    [id, now - 2 * 24 * hour, now],
  )
}

const hour = 60 * 60 * 1000

/** A message that left a mailbox by another way: where it is known by, when, and to how many. */
export interface OtherMail {
  source: string
  at: number
  recipients: number
}

/** Takes note of other mail; what is one of our own letters, or known, is not. Returns how many were added. */
export async function addOtherMail(db: Database, id: number, found: OtherMail[]): Promise<number> {
  let added = 0
  for (let i = 0; i < found.length; i += 500) {
    const some = found.slice(i, i + 500)
    const rows = await db.query(
      `INSERT INTO other_mail (mailbox_id, source, at, recipients)
       SELECT $1, x.source, x.at, x.recipients FROM jsonb_to_recordset($2::jsonb) AS x (source text, at bigint, recipients int)
       WHERE NOT EXISTS (SELECT 1 FROM messages m WHERE m.message_id = x.source)
         AND NOT EXISTS (SELECT 1 FROM notices n WHERE n.message_id = x.source)
       ON CONFLICT DO NOTHING RETURNING 1`,
      [id, json(some)],
    )
    added += rows.length
  }
  return added
}

/** Forgets other mail of a folder that was laid out anew: it is read again. */
export async function forgetOtherMail(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM other_mail WHERE mailbox_id = $1', [id])
}

/** Notes how far a Sent folder was read, and what kept it from being read. */
export async function noteSentRead(
  db: Database,
  id: number,
  read: { at: number; validity: number | null; lastUid: number | null; fault: string | null },
): Promise<void> {
  await db.query(
    'UPDATE mailboxes SET sent_read_at = $2, sent_uid_validity = $3, sent_last_uid = $4, sent_fault = $5 WHERE id = $1',
    [id, read.at, read.validity, read.lastUid, read.fault],
  )
}

/** How many recipients other mail went to since a time (ms since 1970, not included). */
async function otherSince(db: Database, id: number, since: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    'SELECT coalesce(sum(recipients), 0)::int AS n FROM other_mail WHERE mailbox_id = $1 AND at > $2',
    [id, since],
  )
  return n
}

/** What leaves a mailbox by the hour: in the 24 hours before `now`, and in the 24 after it, in order. */
export async function useOf(
  db: Database,
  id: number,
  now: number,
): Promise<{ at: number; gone: number; other: number; planned: number }[]> {
  const hours = Array.from({ length: 48 }, (_, i) => ({ at: now + (i - 24) * hour, gone: 0, other: 0, planned: 0 }))
  const at = (when: number) => hours[Math.min(47, Math.max(0, Math.floor((when - hours[0].at) / hour)))]
  for (const departure of (await departuresOf(db, id, now)).filter((d) => d.at > hours[0].at))
    at(Math.min(departure.at, now - 1)).gone += departure.recipients
  const others = await db.query<{ at: number; recipients: number }>(
    'SELECT at, recipients FROM other_mail WHERE mailbox_id = $1 AND at > $2 AND at <= $3',
    [id, hours[0].at, now],
  )
  for (const { at: when, recipients } of others) {
    const one = at(Math.min(when, now - 1))
    one.gone -= recipients
    one.other += recipients
  }
  const planned = await db.query<{ at: number; recipients: number }>(
    `SELECT m.planned_at AS at, m.recipients FROM messages m JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND m.planned_at < $2 AND NOT r.held`,
    [id, now + 24 * hour],
  )
  // What is due and has not left yet leaves in the next hour.
  for (const letter of planned) at(Math.max(letter.at, now)).planned += letter.recipients
  return hours
}

/**
 * Where the clock was put back, what left by the clock of before is taken to have left now: its allowance comes back a day from now,
 * and not when that clock would have said so, which may be in years.
 * @returns whether there was any.
 */
export async function afterClockWentBack(db: Database, id: number, now: number): Promise<boolean> {
  const [{ n }] = await db.query<{ n: number }>(
    `WITH letters AS (UPDATE ledger SET at = $2 WHERE mailbox_id = $1 AND at > $2 RETURNING 1),
     copied AS (UPDATE copies_sent SET at = $2 WHERE mailbox_id = $1 AND at > $2 RETURNING 1),
     doubted AS (UPDATE messages SET claimed_at = $2 WHERE mailbox_id = $1 AND state = 'inDoubt' AND claimed_at > $2 RETURNING 1),
     doubtedCopies AS (UPDATE copies c SET claimed_at = $2 FROM messages m
       WHERE m.id = c.message_id AND m.mailbox_id = $1 AND c.state = 'inDoubt' AND c.claimed_at > $2 RETURNING 1)
     SELECT ((SELECT count(*) FROM letters) + (SELECT count(*) FROM copied)
           + (SELECT count(*) FROM doubted) + (SELECT count(*) FROM doubtedCopies))::int AS n`,
    [id, now],
  )
  return n > 0
}

/** How many recipients a mailbox may write to just now, beside the copies that are promised to letters that have gone. */
export async function allowanceOf(db: Database, id: number, limits: Limits, now: number): Promise<number> {
  return Math.max(0, allowanceAt(now, limits, await departuresOf(db, id, now)) - (await waitingCopies(db, id)))
}

/** Copies that wait in a mailbox while their letters have gone. */
async function waitingCopies(db: Database, id: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    `SELECT count(*)::int AS n FROM copies c JOIN messages m ON m.id = c.message_id
     WHERE m.mailbox_id = $1 AND c.follows AND c.state IN ('waiting', 'retrying')`,
    [id],
  )
  return n
}

export async function noteCopies(db: Database, id: number, at: number, recipients: number): Promise<void> {
  await db.query('INSERT INTO copies_sent (mailbox_id, at, recipients) VALUES ($1, $2, $3)', [id, at, recipients])
}

/** How many messages that could not be read are shown one by one. */
const maxUnread = 20

/** Notes a message that could not be read; one that lies at the same place is noted once. Returns whether it is new. */
export async function noteUnread(
  db: Database,
  mailboxId: number,
  mail: { source: string; sender: string; subject: string; at: number; why: string },
): Promise<boolean> {
  const rows = await db.query(
    'INSERT INTO unread_mail (mailbox_id, source, sender, subject, at, why) VALUES ($1, $2, $3, $4, $5, $6) ON CONFLICT (source) DO NOTHING RETURNING id',
    [mailboxId, mail.source, mail.sender, mail.subject, mail.at, mail.why],
  )
  return rows.length > 0
}

export async function noteUnreadSeen(db: Database, mailboxId: number): Promise<void> {
  await db.query('UPDATE unread_mail SET seen = true WHERE mailbox_id = $1', [mailboxId])
}

async function unreadMail(db: Database, mailboxId: number): Promise<Mailbox['unreadMail']> {
  const newest = await db.query<Mailbox['unreadMail']['newest'][number] & { count: number }>(
    `SELECT id, sender, subject, at, why, (count(*) OVER ())::int AS count FROM unread_mail WHERE mailbox_id = $1 AND NOT seen ORDER BY at DESC, id DESC LIMIT ${maxUnread}`,
    [mailboxId],
  )
  return { count: newest[0]?.count ?? 0, newest: newest.map(({ count: _, ...mail }) => mail) }
}

/** How many days off lie within the year after `now`. */
function daysOffWithin(off: readonly DaysOff[], now: number): number {
  const today = Math.floor(now / (24 * hour))
  const days = new Set<number>()
  for (const { from, to } of off)
    for (let day = Math.max(today, dayNumber(from)); day <= Math.min(today + 365, dayNumber(to)); day++) days.add(day)
  return days.size
}

/**
 * The mailbox as the API gives it: without its password.
 * @param practicePort where the practice host of this machine takes letters.
 */
export async function toMailbox(
  db: Database,
  record: MailboxRecord,
  now: number,
  practicePort: number,
): Promise<Mailbox> {
  const { host, port } = record.settings.smtp
  const limits = await limitsOf(db, record, now)
  const { since } = capsAt(now, limits).find(({ by }) => by === 'day')!
  const history = await departuresOf(db, record.id, now)
  const used = history.reduce((n, d) => (d.at > since ? n + d.recipients : n), 0)
  const other = await otherSince(db, record.id, since)
  return {
    ...record.settings,
    id: record.id,
    practice: isLoopback(host) && port === practicePort,
    builtIn: record.builtIn,
    allowance: Math.max(0, allowanceAt(now, limits, history) - (await waitingCopies(db, record.id))),
    used: { ours: used - other, other },
    sentFault: record.sentFault,
    tellFault: await tellFault(db, record.id),
    // What the writer has set lower meanwhile is not offered.
    saidLimit:
      record.saidLimit && record.saidLimit.n < (record.settings[record.saidLimit.limit] ?? Number.POSITIVE_INFINITY)
        ? record.saidLimit
        : null,
    daysOff: daysOffWithin(limits.hours.off, now),
    gentleToday: capsAt(now, limits).find(({ by }) => by === 'gentle')?.most ?? null,
    pausedUntil: record.pausedUntil !== null && record.pausedUntil > now ? record.pausedUntil : null,
    stopped: record.stopped,
    pauseReason: record.stopped || (record.pausedUntil ?? 0) > now ? record.pauseReason : null,
    readingFault: record.readingFault ?? (await folderFaults(db, record.id)),
    unreadMail: await unreadMail(db, record.id),
    foundFiling: record.foundFiling,
    notFiled: await notFiled(db, record.id),
  }
}
