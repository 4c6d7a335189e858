import {
  type Life,
  lifeParts,
  type Made,
  type PaperCounts,
  type Round,
  type RoundLine,
  type RoundOverview,
  type StateCounts,
} from '@hand-post/contract'
import type { Chaser, Letter, SameAddress, Selection } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'
import { openInTray } from './openInTray.ts'

/** A round as it stands in the database, without what is counted from elsewhere. */
export interface RoundRecord {
  id: number
  title: string
  mailboxId: number
  listId: number | null
  letter: Letter
  selection: Selection
  sameAddress: SameAddress | null
  addressColumn: string | null
  nameColumns: string[]
  filesColumn: string | null
  filePattern: string | null
  sentAs: string | null
  /** Whether somebody else than whoever changed it last is to read and post it. */
  secondEyes: boolean
  made: Made | null
  /** Goes up with every change of its files. */
  filesVersion: number
  sender: Round['sender']
  cc: string[]
  bcc: string[]
  dispatch: Round['dispatch']
  /** Who gets the letter on paper, and how that is printed. */
  paper: Round['paper']
  tracking: Round['tracking']
  /** The writer's own words for what comes of it. */
  outcomeWords: string[]
  postedAt: number | null
  /** Since when what waits of it is being amended; null while it is not. */
  amendingSince: number | null
  /** Since when nothing more is counted or read for it; null while it is. */
  endedAt: number | null
  /** After how many months what it keeps of people is forgotten; null: it is kept. And when it was. */
  forgetAfter: number | null
  forgottenAt: number | null
  held: boolean
  heldWhy: string | null
  slowed: string | null
  /** When nothing of it could leave at its times, and why. */
  late: Round['late']
  createdAt: number
  changedAt: number
  version: number
  letterVersion: number
  /** Of a chaser: the round whose letters it follows, and what makes it one. */
  chases: number | null
  chaser: Chaser | null
}

const roundSelect = `SELECT id, title, mailbox_id AS "mailboxId", list_id AS "listId", letter, selection, same_address AS "sameAddress", address_column AS "addressColumn",
  name_columns AS "nameColumns", files_column AS "filesColumn", file_pattern AS "filePattern", sent_as AS "sentAs", made, files_version AS "filesVersion", sender, cc, bcc, dispatch, paper, tracking, outcome_words AS "outcomeWords", posted_at AS "postedAt", amending_since AS "amendingSince", ended_at AS "endedAt", forget_after AS "forgetAfter", forgotten_at AS "forgottenAt", held, held_why AS "heldWhy", slowed, late,
  created_at AS "createdAt", changed_at AS "changedAt", version, coalesce((SELECT p.version FROM pens p WHERE p.round = rounds.id), 0) AS "letterVersion", chases, chaser, second_eyes AS "secondEyes" FROM rounds`

/** One round. Throws a refusal when it is not there. */
export async function roundById(db: Database, id: number): Promise<RoundRecord> {
  const [round] = await db.query<RoundRecord>(`${roundSelect} WHERE id = $1`, [id])
  if (!round) throw notFound('round')
  return round
}

/** Has a second pair of eyes wanted for a round, or not any more. */
export async function wantSecondEyes(db: Database, id: number, wanted: boolean): Promise<void> {
  await db.query('UPDATE rounds SET second_eyes = $2 WHERE id = $1', [id, wanted])
}

/** A round that may still be changed. Throws a refusal when it is posted. */
export async function draftById(db: Database, id: number): Promise<RoundRecord> {
  const round = await roundById(db, id)
  if (round.postedAt !== null)
    throw new Refusal(
      409,
      `“${round.title}” is posted: what was posted is frozen, and nothing of it was changed.`,
      'Posted already',
    )
  return round
}

/** Said of a round that is ended, when something is to be begun for it. */
export const endedAlready = ({ title }: Pick<RoundRecord, 'title'>): Refusal =>
  new Refusal(
    409,
    `“${title}” is ended: nothing more is counted or read for it. Open it again at Responses first. Nothing was done.`,
    'Ended',
  )

/** A round whose letter and enclosures may be changed: one that is not posted, or one that is being amended. Throws a refusal for others. */
export async function openById(db: Database, id: number): Promise<RoundRecord> {
  const round = await roundById(db, id)
  return round.amendingSince !== null ? round : draftById(db, id)
}

/**
 * A round in which something may still be done for some people: any that is not posted, and a posted one for those of its list who
 * have no letter of it, or while it is amended for whoever's letter waits. Throws a refusal for whoever has one: it is frozen.
 */
export async function openFor(db: Database, id: number, rows: readonly number[]): Promise<RoundRecord> {
  const round = await roundById(db, id)
  if (round.postedAt === null) return round
  const had = await db.query<{ person: string }>(
    `SELECT person FROM (
       SELECT row_id, person, state IN ('waiting', 'retrying') AS open FROM messages WHERE round_id = $1
       UNION ALL SELECT row_id, person, state = 'toPrint' FROM paper_letters WHERE round_id = $1
     ) had WHERE row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) AND NOT ($3 AND open) LIMIT 1`,
    [id, json(rows), round.amendingSince !== null],
  )
  if (had.length > 0)
    throw new Refusal(
      409,
      `“${round.title}” is posted, and ${had[0].person} has a letter of it: what was posted is frozen. Nothing was changed.`,
      'Posted already',
    )
  return round
}

/** The rounds that use a list and whose letters may still be changed. */
export function openWithList(db: Database, listId: number): Promise<RoundRecord[]> {
  return db.query<RoundRecord>(
    `${roundSelect} WHERE list_id = $1 AND (posted_at IS NULL OR amending_since IS NOT NULL)`,
    [listId],
  )
}

/** Starts a round. */
export async function insertRound(
  db: Database,
  round: { title: string; mailboxId: number; letter: Letter; dispatch: Round['dispatch']; now: number },
): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO rounds (title, mailbox_id, letter, dispatch, created_at, changed_at) VALUES ($1, $2, $3, $4, $5, $5) RETURNING id',
    [round.title, round.mailboxId, json(round.letter), json(round.dispatch), round.now],
  )
  return id
}

const columnOf = {
  title: 'title',
  mailboxId: 'mailbox_id',
  listId: 'list_id',
  letter: 'letter',
  selection: 'selection',
  sameAddress: 'same_address',
  addressColumn: 'address_column',
  nameColumns: 'name_columns',
  filesColumn: 'files_column',
  filePattern: 'file_pattern',
  sentAs: 'sent_as',
  made: 'made',
  sender: 'sender',
  cc: 'cc',
  bcc: 'bcc',
  dispatch: 'dispatch',
  paper: 'paper',
  tracking: 'tracking',
} as const
const asJson = new Set([
  'made',
  'letter',
  'selection',
  'nameColumns',
  'sender',
  'cc',
  'bcc',
  'dispatch',
  'paper',
  'tracking',
])

/**
 * Forgets everything of a round that is about the people of its list: the rows of another list are other people, whatever their
 * numbers, and nobody must get another's words.
 * @returns what was lost by it, in words.
 */
export async function forgetPeople(db: Database, roundId: number): Promise<string[]> {
  const said: string[] = []
  await db.query('UPDATE rounds SET same_address = NULL WHERE id = $1', [roundId])
  for (const table of ['set_aside', 'on_paper', 'accepted', 'file_matches', 'messages_read'])
    await db.query(`DELETE FROM ${table} WHERE round_id = $1`, [roundId])
  const drafts = (await db.query('DELETE FROM drafts WHERE round_id = $1 RETURNING row_id', [roundId])).length
  if (drafts > 0)
    said.push(
      `${drafts === 1 ? 'A draft' : `${drafts} drafts`} for people of the list before ${drafts === 1 ? 'lies' : 'lie'} in the mailbox still. Take ${drafts === 1 ? 'it' : 'them'} away there.`,
    )
  const notes = (await db.query('DELETE FROM notes WHERE round_id = $1 RETURNING row_id', [roundId])).length
  if (notes > 0)
    said.push(
      `${notes === 1 ? 'One personal note was' : `${notes} personal notes were`} for people of the list before, and ${notes === 1 ? 'was' : 'were'} taken away.`,
    )
  return said
}

/** Writes some parts of a round. Returns false, and writes nothing, when it is not open (any more), unless only its title is written. */
export async function updateRound(
  db: Database,
  id: number,
  changes: Partial<Pick<RoundRecord, keyof typeof columnOf>>,
  now: number,
): Promise<boolean> {
  const names = Object.keys(changes).filter(
    (name) => changes[name as keyof typeof changes] !== undefined,
  ) as (keyof typeof columnOf)[]
  const values = names.map((name) => (asJson.has(name) ? json(changes[name]) : changes[name]))
  const sets = names.map((name, i) => `${columnOf[name]} = $${i + 3}`)
  const always = names.every((name) => name === 'title')
  const rows = await db.query(
    `UPDATE rounds SET ${['changed_at = $2', 'version = version + 1', ...sets].join(', ')} WHERE id = $1 ${always ? '' : 'AND (posted_at IS NULL OR amending_since IS NOT NULL)'} RETURNING id`,
    [id, now, ...values],
  )
  return rows.length > 0
}

/** Changes the pace of a posted round, and only what is given of it: what waits is planned anew by it. */
export async function changeDispatch(
  db: Database,
  id: number,
  changes: Partial<RoundRecord['dispatch']>,
  now: number,
): Promise<void> {
  await db.query(
    'UPDATE rounds SET dispatch = dispatch || $2, changed_at = $3, version = version + 1, slowed = NULL, slower_said = 0 WHERE id = $1',
    [id, json(changes), now],
  )
}

/** The number by which locks of rounds that are being posted are taken on the database (PostgreSQL's documentation, 9.27.10). */
const beingPosted = 47_104_711

/**
 * Takes the lock of a round that is being posted, to the transaction's end: while its messages are written, others go on.
 * @returns false where another has it.
 */
export async function lockForPosting(tx: Database, id: number): Promise<boolean> {
  const [{ has }] = await tx.query<{ has: boolean }>('SELECT pg_try_advisory_xact_lock($1, $2) AS has', [
    beingPosted,
    id,
  ])
  return has
}

/** Whether a round is posted. */
export async function isPosted(db: Database, id: number): Promise<boolean> {
  const [found] = await db.query<{ posted: boolean }>(
    'SELECT posted_at IS NOT NULL AS posted FROM rounds WHERE id = $1',
    [id],
  )
  if (!found) throw notFound('round')
  return found.posted
}

/** Deletes a round, within a transaction that has the lock of its posting; its row must never have been posted. */
export async function deleteRound(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM rounds WHERE id = $1 AND posted_at IS NULL', [id])
}

/** The rows that were chosen by hand to get the letter on paper. */
export async function onPaperByHand(db: Database, roundId: number): Promise<number[]> {
  const rows = await db.query<{ id: number }>('SELECT row_id AS id FROM on_paper WHERE round_id = $1 ORDER BY row_id', [
    roundId,
  ])
  return rows.map((r) => r.id)
}

/** Chooses by hand who of the round's list gets the letter on paper, or not. Rows that the list has not are passed over. */
export async function putOnPaper(
  db: Database,
  roundId: number,
  rows: readonly number[],
  onPaper: boolean,
): Promise<void> {
  await db.query(
    onPaper
      ? `INSERT INTO on_paper SELECT r.id, x.id FROM rounds r JOIN list_rows x ON x.list_id = r.list_id
         WHERE r.id = $1 AND x.id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) ON CONFLICT DO NOTHING`
      : 'DELETE FROM on_paper WHERE round_id = $1 AND row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int)',
    [roundId, json(rows)],
  )
}

/** Changes how the letters on paper of a round are printed, posted or not: no word of them changes by it. */
export async function changePaperForm(
  db: Database,
  roundId: number,
  changes: Partial<RoundRecord['paper']>,
  now: number,
): Promise<void> {
  await db.query(
    'UPDATE rounds SET paper = paper || $2, changed_at = $3, version = version + CASE WHEN posted_at IS NULL THEN 1 ELSE 0 END WHERE id = $1',
    [roundId, json(changes), now],
  )
}

/** The rows set aside by hand. */
export function setAsideOf(db: Database, roundId: number): Promise<{ rowId: number; reason: string }[]> {
  return db.query('SELECT row_id AS "rowId", reason FROM set_aside WHERE round_id = $1 ORDER BY row_id', [roundId])
}

export async function setAside(db: Database, roundId: number, rowId: number, reason: string): Promise<void> {
  await db.query('INSERT INTO set_aside VALUES ($1, $2, $3) ON CONFLICT (round_id, row_id) DO UPDATE SET reason = $3', [
    roundId,
    rowId,
    reason,
  ])
}

export async function takeBack(db: Database, roundId: number, rowId: number): Promise<void> {
  await db.query('DELETE FROM set_aside WHERE round_id = $1 AND row_id = $2', [roundId, rowId])
}

/** The personal notes of a round, by row id. */
export async function notesOf(db: Database, roundId: number): Promise<Map<number, string>> {
  const notes = await db.query<{ row: number; words: string }>(
    'SELECT row_id AS row, words FROM notes WHERE round_id = $1 ORDER BY row_id',
    [roundId],
  )
  return new Map(notes.map(({ row, words }) => [row, words]))
}

/** Writes a person's note; blank words take it away. */
export async function writeNote(db: Database, roundId: number, rowId: number, words: string): Promise<void> {
  if (words.trim() === '') await db.query('DELETE FROM notes WHERE round_id = $1 AND row_id = $2', [roundId, rowId])
  else
    await db.query('INSERT INTO notes VALUES ($1, $2, $3) ON CONFLICT (round_id, row_id) DO UPDATE SET words = $3', [
      roundId,
      rowId,
      words,
    ])
}

/** How many messages `m` are in each state, as columns. */
export const stateCountColumns = [
  'waiting',
  'sending',
  'sent',
  'retrying',
  'refused',
  'inDoubt',
  'setAside',
  'withdrawn',
]
  .map((state) => `count(*) FILTER (WHERE m.state = '${state}')::int AS "${state}"`)
  .join(', ')

/** How many messages of a round are in each state. */
export async function statesOf(db: Database, roundId: number): Promise<StateCounts> {
  const [counts] = await db.query<StateCounts>(`SELECT ${stateCountColumns} FROM messages m WHERE m.round_id = $1`, [
    roundId,
  ])
  return counts
}

const paperCountColumns = (round: string) =>
  `(SELECT jsonb_build_object('toPrint', count(*) FILTER (WHERE p.state = 'toPrint'), 'printed', count(*) FILTER (WHERE p.state = 'printed'),
     'withdrawn', count(*) FILTER (WHERE p.state = 'withdrawn'), 'printedAt', max(p.printed_at)) FROM paper_letters p WHERE p.round_id = ${round})`

/** How many letters on paper of a round are in each state. */
export async function paperCountsOf(db: Database, roundId: number): Promise<PaperCounts> {
  const [{ counts }] = await db.query<{ counts: PaperCounts }>(`SELECT ${paperCountColumns('$1')} AS counts`, [roundId])
  return counts
}

/** Which rounds stand on the desk: no answers, and no chasers that are not posted, which are found with their round. */
const onTheDesk = 'r.answers_of IS NULL AND (r.chases IS NULL OR r.posted_at IS NOT NULL)'

/** All rounds with their lives, for the page of all rounds; newest change first. */
export async function roundOverviews(db: Database, now: number): Promise<RoundOverview[]> {
  const lines = await roundLines(db)
  const more = await db.query<Pick<RoundOverview, 'id' | 'subject' | 'inTray' | 'outcomeWords' | 'choices'>>(
    `SELECT r.id, coalesce(r.letter->>'subject', '') AS subject, r.outcome_words AS "outcomeWords",
       jsonb_path_query_array(r.letter, 'strict $.body.**?(@.type == "choices").attrs.choices[*]', '{}', true) AS choices,
       (SELECT count(*)::int FROM responses q JOIN messages m ON m.id = q.message_id LEFT JOIN tray t ON t.response_id = q.id
        WHERE r.chases IS NULL AND m.round_id IN (SELECT a.id FROM rounds a WHERE a.family = r.family) AND ${openInTray('$1')}) AS "inTray"
     FROM rounds r WHERE ${onTheDesk}`,
    [now],
  )
  const of = new Map(more.map(({ id, ...rest }) => [id, rest]))
  const lives = await livesOf(db)
  return lines.map((line) => ({
    ...line,
    ...(of.get(line.id) ?? { subject: '', inTray: 0, outcomeWords: [], choices: [] }),
    life: lives.get(line.id) ?? null,
  }))
}

/** The life of every posted round, by its id. */
async function livesOf(db: Database): Promise<Map<number, Life>> {
  const counted = await db.query<{ id: number; from: number; to: number; what: string; part: number; n: number }>(
    `WITH letters AS (
       SELECT round_id, id, state = 'sent' AS gone, CASE WHEN state = 'sent' THEN sent_at ELSE planned_at END AS at FROM messages
       WHERE state IN ('sent', 'waiting', 'retrying', 'sending')
     ), answers AS (
       SELECT m.round_id, min(q.at) AS at FROM responses q JOIN messages m ON m.id = q.message_id
       WHERE q.kind = 'reply' AND q.of = 'person' GROUP BY m.round_id, m.id
     ), events AS (
       SELECT round_id, CASE WHEN gone THEN 'gone' ELSE 'toGo' END AS what, at FROM letters WHERE at IS NOT NULL
       UNION ALL SELECT round_id, 'answered', at FROM answers
     ), spans AS (
       SELECT round_id, min(at) AS began, greatest(max(at), min(at) + 1) AS ended FROM events GROUP BY round_id
     )
     SELECT s.round_id AS id, s.began AS "from", s.ended AS "to", e.what,
       least(width_bucket(e.at, s.began, s.ended, ${lifeParts}), ${lifeParts}) - 1 AS part, count(*)::int AS n
     FROM spans s JOIN events e ON e.round_id = s.round_id GROUP BY 1, 2, 3, 4, 5`,
  )
  const none = () => Array<number>(lifeParts).fill(0)
  const lives = new Map<number, Life>()
  for (const { id, from, to, what, part, n } of counted) {
    const life = lives.get(id) ?? { from, to, gone: none(), toGo: none(), answered: none() }
    life[what as 'gone' | 'toGo' | 'answered'][part] = n
    lives.set(id, life)
  }
  return lives
}

/** All rounds with what their line on the desk says, newest change first. */
export async function roundLines(db: Database): Promise<RoundLine[]> {
  const rows = await db.query<Omit<RoundLine, 'states'> & StateCounts>(
    `SELECT r.id, r.title, r.mailbox_id AS "mailboxId", l.name AS "listName", r.posted_at AS "postedAt", r.held, r.changed_at AS "changedAt",
       coalesce((SELECT count(*)::int FROM list_rows x WHERE x.list_id = r.list_id), 0) AS "rowCount",
       ${paperCountColumns('r.id')} AS "paperLetters",
       min(coalesce(m.sent_at, m.planned_at)) AS "firstAt", max(coalesce(m.sent_at, m.planned_at)) AS "lastAt",
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'reply' AND q.of = 'person') AS replied,
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'bounce' AND q.of = 'person') AS bounced,
       ${stateCountColumns}
     FROM rounds r LEFT JOIN lists l ON l.id = r.list_id LEFT JOIN messages m ON m.round_id = r.id WHERE ${onTheDesk}
     GROUP BY r.id, l.name ORDER BY r.changed_at DESC`,
  )
  return rows.map(({ waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn, ...line }) => ({
    ...line,
    states: { waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn },
  }))
}
