import type { TrayLine, TrayMark, TrayShow } from '@hand-post/contract'
import { type FoundBy, type Pile, sameAddressKey, foundBy as ways, waysFound } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { inTray, isBack, isSettled, openInTray } from '../rounds/openInTray.ts'
import type { ResponseDetails } from './store.ts'

/** Characters of an entry's words that its line shows. */
const shownWords = 240
/** Whether an entry is to be looked at, was put by, or is done; and whether it was put by and is back. `$1`: now. */
const isOpen = openInTray('$1')
const isDone = `(t.done_at IS NOT NULL OR (t.put_by_at IS NOT NULL AND coalesce(${isSettled}, false)))`
const showing: Record<TrayShow, string> = {
  open: isOpen,
  putBy: `(t.done_at IS NULL AND NOT ${isOpen} AND NOT ${isDone})`,
  done: isDone,
}
const from = `FROM responses q CROSS JOIN LATERAL jsonb_to_record(q.details) AS d ("from" text, subject text, words text, junk text, sorted jsonb, back jsonb, choice jsonb)
  JOIN messages m ON m.id = q.message_id JOIN rounds r ON r.id = m.round_id LEFT JOIN tray t ON t.response_id = q.id
  LEFT JOIN given_words g ON g.round_id = r.family AND g.row_id = m.row_id`

/** The ways of finding a letter by which mail is only proposed. */
const proposed = waysFound
  .filter((way) => !ways[way].certain)
  .map((way) => `'${way}'`)
  .join(', ')

const columns = `q.id, q.kind, q.pile, (SELECT count(*)::int FROM returned_files f WHERE f.response_id = q.id AND f.hash IS NOT NULL) AS files, coalesce(d.sorted->>'pile', 'answer') AS sorted, q.at, q.of, CASE WHEN q.of = 'person' AND q.found_by IN (${proposed}) THEN 'taken' ELSE q.found_by END AS "foundBy", d.choice->>'choice' AS choice, r.family AS "roundId", r.title AS round, m.mailbox_id AS "mailboxId",
  m.row_id AS "rowId", m.person, m.address, q.address AS "fromAddress", coalesce(d."from", '') AS "from", coalesce(d.subject, '') AS subject,
  left(coalesce(d.words, ''), ${shownWords}) AS words, CASE WHEN d.sorted->>'pile' = q.pile THEN d.sorted->>'why' ELSE '' END AS why, d.junk, d.back->>'day' AS "backDay",
  g.word, t.done_at AS "doneAt", t.answered_at AS "answeredAt", t.back_at AS "backAt", t.back_when AS "backWhen",
  CASE WHEN ${isDone} THEN 'done' WHEN NOT ${isOpen} THEN 'putBy' WHEN t.put_by_at IS NOT NULL AND ${isBack('$1')} THEN 'back' ELSE 'open' END AS state`

const nothing: ReadonlySet<number> = new Set()

/** Entries of the in-tray: what was brought back first, else the newest first. */
export async function trayLines(
  db: Database,
  show: TrayShow,
  now: number,
  most: number,
  { roundId = null, hidden = nothing }: { roundId?: number | null; hidden?: ReadonlySet<number> } = {},
): Promise<TrayLine[]> {
  // Put together by the database: thousands of lines handed over one by one take several times as long.
  const [{ lines }] = await db.query<{ lines: string | null }>(
    `SELECT json_agg(line)::text AS lines FROM (
       SELECT ${columns} ${from} WHERE ${inTray} AND ${showing[show]} AND ($3::int IS NULL OR r.family = $3) AND m.round_id <> ALL ($4::int[])
       ORDER BY (t.put_by_at IS NOT NULL AND t.done_at IS NULL AND ${isBack('$1')}) DESC NULLS LAST, coalesce(t.done_at, q.at) DESC, q.id DESC LIMIT $2
     ) line`,
    [now, most, roundId, [...hidden]],
  )
  return lines === null ? [] : JSON.parse(lines)
}

/** How many entries the in-tray has of each state. */
export async function trayCounts(
  db: Database,
  now: number,
  hidden: ReadonlySet<number>,
): Promise<Record<TrayShow, number>> {
  const [counts] = await db.query<Record<TrayShow, number>>(
    `SELECT count(*) FILTER (WHERE ${showing.open})::int AS open, count(*) FILTER (WHERE ${showing.putBy})::int AS "putBy", count(*) FILTER (WHERE ${showing.done})::int AS done
     FROM responses q ${hidden.size === 0 ? '' : 'JOIN messages m ON m.id = q.message_id'} LEFT JOIN tray t ON t.response_id = q.id
     WHERE ${inTray} ${hidden.size === 0 ? '' : 'AND m.round_id <> ALL ($2::int[])'}`,
    hidden.size === 0 ? [now] : [now, [...hidden]],
  )
  return counts
}

/** How many entries are to be looked at. */
export async function trayOpen(db: Database, now: number, hidden: ReadonlySet<number>): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    // Without anything hidden, as it mostly is, there is no need to look whose each is.
    `SELECT count(*)::int AS n FROM responses q ${hidden.size === 0 ? '' : 'JOIN messages m ON m.id = q.message_id'} LEFT JOIN tray t ON t.response_id = q.id
     WHERE ${isOpen} ${hidden.size === 0 ? '' : 'AND m.round_id <> ALL ($2::int[])'}`,
    hidden.size === 0 ? [now] : [now, [...hidden]],
  )
  return n
}

/** How many entries that were put by have come back between two times, by their day alone. */
export async function cameBackBetween(db: Database, after: number, until: number): Promise<number> {
  const [{ n }] = await db.query<{ n: number }>(
    'SELECT count(*)::int AS n FROM tray WHERE done_at IS NULL AND put_by_at IS NOT NULL AND back_at > $1 AND back_at <= $2',
    [after, until],
  )
  return n
}

/** One entry with all of its words, and the letter that it answers. */
export interface TrayWhole {
  line: TrayLine
  details: ResponseDetails
  listId: number | null
  outcomeWords: string[]
  tracksOpens: boolean
  letter: { subject: string; html: string; text: string; sentAt: number | null }
}

/** An entry of the in-tray; null when it is none. */
export async function trayEntry(db: Database, id: number, now: number): Promise<TrayWhole | null> {
  const [found] = await db.query<TrayLine & Omit<TrayWhole, 'line'>>(
    `SELECT ${columns}, q.details, r.list_id AS "listId", r.outcome_words AS "outcomeWords", coalesce((r.tracking->>'opens')::boolean, false) AS "tracksOpens",
       jsonb_build_object('subject', m.subject, 'html', c.contents->>'html', 'text', c.contents->>'text', 'sentAt', m.sent_at) AS letter
     ${from} JOIN message_contents c ON c.message_id = m.id WHERE q.id = $2 AND q.pile IS NOT NULL`,
    [now, id],
  )
  if (!found) return null
  const { details, listId, outcomeWords, tracksOpens, letter, ...line } = found
  return { line, details, listId, outcomeWords, tracksOpens, letter }
}

/**
 * Marks entries: done, put by, in another pile. What a mark does not name stays.
 * @returns how each that is there was before, so that it can be taken back by marking it so.
 */
export function markTray(db: Database, marks: readonly TrayMark[], now: number): Promise<Required<TrayMark>[]> {
  return db.transaction(async (tx) => {
    const before = await tx.query<Required<TrayMark>>(
      `SELECT q.id AS response, t.done_at IS NOT NULL AS done, q.pile,
         CASE WHEN t.put_by_at IS NOT NULL THEN jsonb_build_object('at', t.back_at, 'when', t.back_when, 'since', t.put_by_at) END AS back
       FROM responses q LEFT JOIN tray t ON t.response_id = q.id
       WHERE q.pile IS NOT NULL AND q.id IN (SELECT jsonb_array_elements_text($1::jsonb)::int) ORDER BY q.id`,
      [json(marks.map((mark) => mark.response))],
    )
    const there = new Map(before.map((one) => [one.response, one]))
    const after = marks
      .filter((mark) => there.has(mark.response))
      .map((mark) => {
        const { done, back, pile } = { ...there.get(mark.response)!, ...mark }
        return {
          response: mark.response,
          pile,
          done_at: done ? now : null,
          put_by_at: back ? (back.since ?? now) : null,
          back_at: back?.at ?? null,
          back_when: back?.when ?? null,
        }
      })
    const table =
      'jsonb_to_recordset($1::jsonb) AS x (response int, pile text, done_at bigint, put_by_at bigint, back_at bigint, back_when text)'
    // Done twice keeps its first time.
    await tx.query(
      `INSERT INTO tray (response_id, done_at, put_by_at, back_at, back_when) SELECT response, done_at, put_by_at, back_at, back_when FROM ${table}
       ON CONFLICT (response_id) DO UPDATE SET done_at = CASE WHEN excluded.done_at IS NULL THEN NULL ELSE coalesce(tray.done_at, excluded.done_at) END,
         put_by_at = excluded.put_by_at, back_at = excluded.back_at, back_when = excluded.back_when`,
      [json(after)],
    )
    await tx.query(`UPDATE responses q SET pile = x.pile FROM ${table} WHERE q.id = x.response AND q.pile <> x.pile`, [
      json(after),
    ])
    return before
  })
}

/**
 * By the writer's word a response that is not certainly the person's is theirs, or another's, or no answer at all; or it is open again.
 * What is the person's teaches the address that it came from; what is taken back, forgets it.
 * @returns its round; null when there is no such entry.
 */
export function setWhose(
  db: Database,
  responseId: number,
  of: 'person' | 'other' | 'perhaps' | 'no',
  now: number,
): Promise<number | null> {
  return db.transaction(async (tx) => {
    const [found] = await tx.query<{
      roundId: number
      before: string
      foundBy: FoundBy
      kind: string
      from: string | null
      address: string
      pile: Pile
      sorted: Pile | null
    }>(
      `SELECT m.round_id AS "roundId", q.of AS before, q.found_by AS "foundBy", q.kind, q.address AS from, m.address_key AS address, q.pile, q.details->'sorted'->>'pile' AS sorted
       FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = $1 AND q.pile IS NOT NULL AND q.of <> 'copy' FOR UPDATE OF q`,
      [responseId],
    )
    if (!found) return null
    const proposed = !ways[found.foundBy].certain
    // Only what was proposed can be no answer, or perhaps one; a header that names the letter vouches for the rest.
    if (!proposed && (of === 'perhaps' || of === 'no')) return null
    const pile = !proposed ? found.pile : of === 'person' ? (found.sorted ?? 'answer') : 'perhaps'
    await tx.query('UPDATE responses SET of = $2, pile = $3 WHERE id = $1', [responseId, of, pile])
    // What is no answer is done with; what is one after all is to be looked at. Of anything else it stays as it is.
    if ((of === 'no') !== (found.before === 'no'))
      await tx.query(
        'INSERT INTO tray (response_id, done_at) VALUES ($1, $2) ON CONFLICT (response_id) DO UPDATE SET done_at = excluded.done_at',
        [responseId, of === 'no' ? now : null],
      )
    const from = found.from === null ? '' : sameAddressKey(found.from)
    if (from !== '' && from !== found.address && found.kind === 'reply') {
      if (of === 'person')
        await tx.query(
          'INSERT INTO also_addresses (address, person_address, at) VALUES ($1, $2, $3) ON CONFLICT (address) DO UPDATE SET person_address = excluded.person_address, at = excluded.at',
          [from, found.address, now],
        )
      // Taken back it is forgotten, unless another answer of theirs from there was taken too.
      else if (found.before === 'person')
        await tx.query(
          `DELETE FROM also_addresses WHERE address = $1 AND person_address = $2 AND NOT EXISTS (
             SELECT 1 FROM messages m JOIN responses q ON q.message_id = m.id
             WHERE m.address_key = $2 AND q.id <> $3 AND q.kind = 'reply' AND q.of = 'person' AND lower(btrim(q.address)) = $1)`,
          [from, found.address, responseId],
        )
    }
    return found.roundId
  })
}

/** All addresses of a person, that given first: the one they are known by, and those from which they were found to write. */
export async function addressesOf(db: Database, address: string): Promise<string[]> {
  const rows = await db.query<{ address: string }>(
    `WITH known AS (SELECT coalesce((SELECT person_address FROM also_addresses WHERE address = $1), $1) AS address)
     SELECT address FROM known UNION SELECT a.address FROM also_addresses a JOIN known k ON a.person_address = k.address`,
    [address],
  )
  return [address, ...rows.map((row) => row.address).filter((one) => one !== address)]
}

/** Forgets whose an address is. Returns whether it was known. */
export async function forgetAddress(db: Database, address: string): Promise<boolean> {
  return (await db.query('DELETE FROM also_addresses WHERE address = $1 RETURNING 1', [address])).length > 0
}

/** How long (ms) the words of mail that the writer has said is no answer are kept, so that this can be taken back. */
const keptFor = 24 * 60 * 60 * 1000

/** Forgets the words of mail that is no answer, a day after this was said: only that it is none is kept, so that it is not proposed anew. */
export async function forgetStrangers(db: Database, now: number): Promise<void> {
  await db.transaction(async (tx) => {
    const forgotten = `SELECT q.id FROM responses q JOIN tray t ON t.response_id = q.id WHERE q.of = 'no' AND q.details <> '{}' AND t.done_at < $1`
    await tx.query(`DELETE FROM returned_files WHERE response_id IN (${forgotten})`, [now - keptFor])
    await tx.query(`DELETE FROM files_to_fetch WHERE response_id IN (${forgotten})`, [now - keptFor])
    await tx.query(`UPDATE responses SET details = '{}' WHERE id IN (${forgotten})`, [now - keptFor])
  })
}

/** Gives some people of a round an outcome word, or takes it from them. Returns what each had before, so that it can be taken back. */
export function giveWords(
  db: Database,
  roundId: number,
  given: readonly { row: number; word: string | null }[],
  now: number,
): Promise<{ row: number; word: string | null }[]> {
  return db.transaction(async (tx) => {
    const rows = json(given)
    const before = await tx.query<{ row: number; word: string | null }>(
      `SELECT x.row, g.word FROM jsonb_to_recordset($2::jsonb) AS x (row int, word text)
       JOIN (SELECT DISTINCT row_id FROM messages WHERE round_id = $1) m ON m.row_id = x.row LEFT JOIN given_words g ON g.round_id = $1 AND g.row_id = x.row`,
      [roundId, rows],
    )
    await tx.query(
      `DELETE FROM given_words g USING jsonb_to_recordset($2::jsonb) AS x (row int, word text) WHERE g.round_id = $1 AND g.row_id = x.row AND x.word IS NULL`,
      [roundId, rows],
    )
    await tx.query(
      `INSERT INTO given_words (round_id, row_id, word, at)
       SELECT DISTINCT $1::int, x.row, x.word, $3::bigint FROM jsonb_to_recordset($2::jsonb) AS x (row int, word text)
       JOIN messages m ON m.round_id = $1 AND m.row_id = x.row WHERE x.word IS NOT NULL
       ON CONFLICT (round_id, row_id) DO UPDATE SET word = excluded.word, at = excluded.at`,
      [roundId, rows, now],
    )
    return before
  })
}

/** What the writer calls what comes of a round. What is no word any more is taken from whoever had it: who that was is given. */
export function setOutcomeWords(
  db: Database,
  roundId: number,
  words: readonly string[],
): Promise<{ row: number; word: string }[]> {
  return db.transaction(async (tx) => {
    await tx.query('UPDATE rounds SET outcome_words = $2 WHERE id = $1', [roundId, json(words)])
    return tx.query<{ row: number; word: string }>(
      `DELETE FROM given_words WHERE round_id = $1 AND word NOT IN (SELECT jsonb_array_elements_text($2::jsonb))
       RETURNING row_id AS row, word`,
      [roundId, json(words)],
    )
  })
}

/** The round to whose letter a response belongs, or null. */
export async function roundOfResponse(db: Database, id: number): Promise<number | null> {
  const [found] = await db.query<{ roundId: number }>(
    'SELECT m.round_id AS "roundId" FROM responses q JOIN messages m ON m.id = q.message_id WHERE q.id = $1',
    [id],
  )
  return found?.roundId ?? null
}
