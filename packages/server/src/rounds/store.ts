import type { Round, RoundFileEntry, RoundLine, StateCounts } from '@hand-post/contract'
import type { Letter, RoundFile, SameAddress, Selection } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'

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
  sender: Round['sender']
  cc: string[]
  bcc: string[]
  dispatch: Round['dispatch']
  tracking: Round['tracking']
  postedAt: number | null
  held: boolean
  createdAt: number
  changedAt: number
  version: number
}

const roundSelect = `SELECT id, title, mailbox_id AS "mailboxId", list_id AS "listId", letter, selection, same_address AS "sameAddress", address_column AS "addressColumn",
  name_columns AS "nameColumns", files_column AS "filesColumn", sender, cc, bcc, dispatch, tracking, posted_at AS "postedAt", held,
  created_at AS "createdAt", changed_at AS "changedAt", version FROM rounds`

/** One round. Throws a refusal when it is not there. */
export async function roundById(db: Database, id: number): Promise<RoundRecord> {
  const [round] = await db.query<RoundRecord>(`${roundSelect} WHERE id = $1`, [id])
  if (!round) throw notFound('round')
  return round
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

/** The rounds that are not posted and use a list. */
export function draftsWithList(db: Database, listId: number): Promise<RoundRecord[]> {
  return db.query<RoundRecord>(`${roundSelect} WHERE list_id = $1 AND posted_at IS NULL`, [listId])
}

/** Starts a round. */
export async function insertRound(
  db: Database,
  round: { title: string; mailboxId: number; letter: Letter; dispatch: Round['dispatch']; now: number },
): Promise<number> {
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO rounds (title, mailbox_id, letter, dispatch, created_at, changed_at) VALUES ($1, $2, $3, $4, $5, $5) RETURNING id',
    [round.title, round.mailboxId, JSON.stringify(round.letter), JSON.stringify(round.dispatch), round.now],
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
  sender: 'sender',
  cc: 'cc',
  bcc: 'bcc',
  dispatch: 'dispatch',
  tracking: 'tracking',
} as const
const asJson = new Set(['letter', 'selection', 'nameColumns', 'sender', 'cc', 'bcc', 'dispatch', 'tracking'])

/** Writes some parts of a round. */
export async function updateRound(
  db: Database,
  id: number,
  changes: Partial<Pick<RoundRecord, keyof typeof columnOf>>,
  now: number,
): Promise<void> {
  const names = Object.keys(changes).filter(
    (name) => changes[name as keyof typeof changes] !== undefined,
  ) as (keyof typeof columnOf)[]
  const values = names.map((name) => (asJson.has(name) ? JSON.stringify(changes[name]) : changes[name]))
  const sets = names.map((name, i) => `${columnOf[name]} = $${i + 3}`)
  await db.query(
    `UPDATE rounds SET ${['changed_at = $2', 'version = version + 1', ...sets].join(', ')} WHERE id = $1`,
    [id, now, ...values],
  )
}

/** Deletes a round; its row must never have been posted. */
export async function deleteRound(db: Database, id: number): Promise<void> {
  await db.query('DELETE FROM rounds WHERE id = $1 AND posted_at IS NULL', [id])
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

/** The files of a round, in the order in which they were added. */
export function filesOf(db: Database, roundId: number): Promise<RoundFileEntry[]> {
  return db.query(
    `SELECT rf.id, rf.name, rf.hash, f.size::int AS size, f.type, rf.role FROM round_files rf JOIN files f ON f.hash = rf.hash
     WHERE rf.round_id = $1 ORDER BY rf.id`,
    [roundId],
  )
}

/** Notes a content in the store. */
export async function noteFile(db: Database, file: { hash: string; size: number; type: string }): Promise<void> {
  await db.query('INSERT INTO files VALUES ($1, $2, $3) ON CONFLICT (hash) DO NOTHING', [
    file.hash,
    file.size,
    file.type,
  ])
}

/** What is known of a stored content, or null. */
export async function fileFacts(db: Database, hash: string): Promise<{ size: number; type: string } | null> {
  const [found] = await db.query<{ size: number; type: string }>(
    'SELECT size::int AS size, type FROM files WHERE hash = $1',
    [hash],
  )
  return found ?? null
}

/** Adds a file to a round; a file of the same name is replaced. */
export async function addRoundFile(
  db: Database,
  roundId: number,
  file: { name: string; hash: string; role: string },
): Promise<RoundFileEntry> {
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO round_files (round_id, name, hash, role) VALUES ($1, $2, $3, $4)
     ON CONFLICT (round_id, name) DO UPDATE SET hash = $3, role = $4 RETURNING id`,
    [roundId, file.name, file.hash, file.role],
  )
  return (await filesOf(db, roundId)).find((f) => f.id === id)!
}

export async function setFileRole(
  db: Database,
  roundId: number,
  fileId: number,
  role: string,
): Promise<RoundFileEntry> {
  await db.query('UPDATE round_files SET role = $3 WHERE round_id = $1 AND id = $2', [roundId, fileId, role])
  const file = (await filesOf(db, roundId)).find((f) => f.id === fileId)
  if (!file) throw notFound('file')
  return file
}

export async function removeRoundFile(db: Database, roundId: number, fileId: number): Promise<void> {
  await db.query('DELETE FROM round_files WHERE round_id = $1 AND id = $2', [roundId, fileId])
}

/** Which messages of a round have been read, as what they were then, by row id. */
export async function readOf(db: Database, roundId: number): Promise<Map<number, string>> {
  const rows = await db.query<{ row: number; print: string }>(
    'SELECT row_id AS row, print FROM messages_read WHERE round_id = $1',
    [roundId],
  )
  return new Map(rows.map(({ row, print }) => [row, print]))
}

export async function noteRead(db: Database, roundId: number, rowId: number, print: string): Promise<void> {
  await db.query(
    'INSERT INTO messages_read VALUES ($1, $2, $3) ON CONFLICT (round_id, row_id) DO UPDATE SET print = $3',
    [roundId, rowId, print],
  )
}

/** The reasons with which findings were accepted, by key. */
export async function acceptedOf(db: Database, roundId: number): Promise<Map<string, string>> {
  const rows = await db.query<{ key: string; reason: string }>('SELECT key, reason FROM accepted WHERE round_id = $1', [
    roundId,
  ])
  return new Map(rows.map((r) => [r.key, r.reason]))
}

export async function accept(
  db: Database,
  roundId: number,
  keys: string[],
  reason: string,
  now: number,
): Promise<void> {
  await db.query(
    `INSERT INTO accepted SELECT $1, key, $3, $4 FROM jsonb_array_elements_text($2::jsonb) AS x (key)
     ON CONFLICT (round_id, key) DO UPDATE SET reason = $3, at = $4`,
    [roundId, JSON.stringify(keys), reason, now],
  )
}

export async function unaccept(db: Database, roundId: number, keys: string[]): Promise<void> {
  await db.query('DELETE FROM accepted WHERE round_id = $1 AND key IN (SELECT jsonb_array_elements_text($2::jsonb))', [
    roundId,
    JSON.stringify(keys),
  ])
}

const stateCountColumns = ['waiting', 'sending', 'sent', 'retrying', 'refused', 'inDoubt', 'setAside', 'withdrawn']
  .map((state) => `count(*) FILTER (WHERE m.state = '${state}')::int AS "${state}"`)
  .join(', ')

/** How many messages of a round are in each state. */
export async function statesOf(db: Database, roundId: number): Promise<StateCounts> {
  const [counts] = await db.query<StateCounts>(`SELECT ${stateCountColumns} FROM messages m WHERE m.round_id = $1`, [
    roundId,
  ])
  return counts
}

/** All rounds with what their line in the overview says, newest change first. */
export async function roundLines(db: Database): Promise<RoundLine[]> {
  const rows = await db.query<Omit<RoundLine, 'states'> & StateCounts>(
    `SELECT r.id, r.title, r.mailbox_id AS "mailboxId", l.name AS "listName", r.posted_at AS "postedAt", r.held, r.changed_at AS "changedAt",
       coalesce((SELECT count(*)::int FROM list_rows x WHERE x.list_id = r.list_id), 0) AS "rowCount",
       min(coalesce(m.sent_at, m.planned_at)) AS "firstAt", max(coalesce(m.sent_at, m.planned_at)) AS "lastAt",
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'reply') AS replied,
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'bounce') AS bounced,
       ${stateCountColumns}
     FROM rounds r LEFT JOIN lists l ON l.id = r.list_id LEFT JOIN messages m ON m.round_id = r.id
     GROUP BY r.id, l.name ORDER BY r.changed_at DESC`,
  )
  return rows.map(({ waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn, ...line }) => ({
    ...line,
    states: { waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn },
  }))
}

/** The core's view of a round's files. */
export const asRoundFiles = (files: RoundFileEntry[]): RoundFile[] =>
  files.map(({ id, name, size, role }) => ({ id, name, size, role }))
