import type { Made, Round, RoundFileEntry, RoundLine, StateCounts } from '@hand-post/contract'
import type { FileFacts, Letter, SameAddress, Selection } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
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
  filePattern: string | null
  sentAs: string | null
  made: Made | null
  /** Goes up with every change of its files. */
  filesVersion: number
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
  name_columns AS "nameColumns", files_column AS "filesColumn", file_pattern AS "filePattern", sent_as AS "sentAs", made, files_version AS "filesVersion", sender, cc, bcc, dispatch, tracking, posted_at AS "postedAt", held,
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

/**
 * A round in which something may still be done for some people: any that is not posted, and a posted one for those of its list who
 * have no letter of it. Throws a refusal for whoever has one: it is frozen.
 */
export async function openFor(db: Database, id: number, rows: readonly number[]): Promise<RoundRecord> {
  const round = await roundById(db, id)
  if (round.postedAt === null) return round
  const had = await db.query<{ person: string }>(
    'SELECT person FROM messages WHERE round_id = $1 AND row_id IN (SELECT jsonb_array_elements_text($2::jsonb)::int) LIMIT 1',
    [id, json(rows)],
  )
  if (had.length > 0)
    throw new Refusal(
      409,
      `“${round.title}” is posted, and ${had[0].person} has a letter of it: what was posted is frozen. Nothing was changed.`,
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
  tracking: 'tracking',
} as const
const asJson = new Set(['made', 'letter', 'selection', 'nameColumns', 'sender', 'cc', 'bcc', 'dispatch', 'tracking'])

/**
 * Forgets everything of a round that is about the people of its list: the rows of another list are other people, whatever their
 * numbers, and nobody must get another's words.
 * @returns what was lost by it, in words.
 */
export async function forgetPeople(db: Database, roundId: number): Promise<string[]> {
  const said: string[] = []
  await db.query('UPDATE rounds SET same_address = NULL WHERE id = $1', [roundId])
  for (const table of ['set_aside', 'accepted', 'file_matches', 'messages_read'])
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

/** Writes some parts of a round. Returns false, and writes nothing, when it was posted meanwhile, unless only its title is written. */
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
    `UPDATE rounds SET ${['changed_at = $2', 'version = version + 1', ...sets].join(', ')} WHERE id = $1 ${always ? '' : 'AND posted_at IS NULL'} RETURNING id`,
    [id, now, ...values],
  )
  return rows.length > 0
}

/**
 * A print of everything that a round's messages are made of and chosen by, as it stands in the database: two that are the same say that
 * nothing was changed between them.
 */
export async function postingPrint(db: Database, roundId: number): Promise<string> {
  const of = (columns: string, table: string) =>
    `(SELECT md5(coalesce(string_agg(concat_ws(':', ${columns}), ',' ORDER BY ${columns}), '')) FROM ${table})`
  const ofRound = (columns: string, table: string) => of(columns, `${table} x WHERE x.round_id = r.id`)
  const [{ print }] = await db.query<{ print: string }>(
    `SELECT md5(concat_ws('|', r.version, r.files_version, r.list_id, l.version, b.settings::text,
       ${ofRound('x.row_id, x.words', 'notes')}, ${ofRound('x.row_id', 'set_aside')}, ${ofRound('x.row_id, x.file_id', 'file_matches')},
       ${ofRound('x.row_id, x.print', 'made_files')}, ${ofRound('x.key', 'accepted')}, ${of('address', 'do_not_write')})) AS print
     FROM rounds r JOIN mailboxes b ON b.id = r.mailbox_id LEFT JOIN lists l ON l.id = r.list_id WHERE r.id = $1`,
    [roundId],
  )
  return print
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

/** The files of a round, in the order in which they were added; or one of them only, by its id. */
export async function filesOf(db: Database, roundId: number, only: number | null = null): Promise<RoundFileEntry[]> {
  // As one text: row by row, ten thousand take ten times as long.
  const [{ files }] = await db.query<{ files: string }>(
    `SELECT coalesce(json_agg(x ORDER BY x.id), '[]')::text AS files FROM (
       SELECT rf.id, rf.name, rf.hash, f.size, f.type, rf.role, rf.folder FROM round_files rf JOIN files f ON f.hash = rf.hash
       WHERE rf.round_id = $1 AND ($2::int IS NULL OR rf.id = $2)) x`,
    [roundId, only],
  )
  return JSON.parse(files)
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
    'SELECT size::float8 AS size, type FROM files WHERE hash = $1',
    [hash],
  )
  return found ?? null
}

const filesChanged = (db: Database, roundId: number) =>
  db.query('UPDATE rounds SET files_version = files_version + 1 WHERE id = $1', [roundId])

/** Adds a file to a round; a file of the same name in the same folder is replaced. */
export async function addRoundFile(
  db: Database,
  roundId: number,
  file: { name: string; folder: string; hash: string; role: string },
): Promise<RoundFileEntry & { replaced: boolean }> {
  const [before] = await db.query<{ hash: string }>(
    'SELECT hash FROM round_files WHERE round_id = $1 AND folder = $2 AND name = $3',
    [roundId, file.folder, file.name],
  )
  const [{ id }] = await db.query<{ id: number }>(
    `INSERT INTO round_files (round_id, name, hash, role, folder) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (round_id, folder, name) DO UPDATE SET hash = $3, role = $4 RETURNING id`,
    [roundId, file.name, file.hash, file.role, file.folder],
  )
  await filesChanged(db, roundId)
  const [added] = await filesOf(db, roundId, id)
  return { ...added, replaced: before !== undefined && before.hash !== file.hash }
}

export async function setFileRole(
  db: Database,
  roundId: number,
  fileId: number,
  role: string,
): Promise<RoundFileEntry> {
  await db.query('UPDATE round_files SET role = $3 WHERE round_id = $1 AND id = $2', [roundId, fileId, role])
  await filesChanged(db, roundId)
  const [file] = await filesOf(db, roundId, fileId)
  if (!file) throw notFound('file')
  return file
}

export async function removeRoundFile(db: Database, roundId: number, fileId: number): Promise<void> {
  await db.query('DELETE FROM round_files WHERE round_id = $1 AND id = $2', [roundId, fileId])
  await filesChanged(db, roundId)
}

/** Files given to people by hand. */
export function matchesOf(db: Database, roundId: number): Promise<{ rowId: number; fileId: number }[]> {
  return db.query(
    'SELECT row_id AS "rowId", file_id AS "fileId" FROM file_matches WHERE round_id = $1 ORDER BY row_id, file_id',
    [roundId],
  )
}

/** Gives files to people, or with `take` takes them back. Files of other rounds are passed over. */
export async function matchFiles(
  db: Database,
  roundId: number,
  matches: { rowId: number; fileId: number }[],
  take = false,
): Promise<void> {
  const given = `SELECT (x->>'rowId')::int AS row_id, (x->>'fileId')::int AS file_id FROM jsonb_array_elements($2::jsonb) AS x`
  await db.query(
    take
      ? `DELETE FROM file_matches m USING (${given}) g WHERE m.round_id = $1 AND m.row_id = g.row_id AND m.file_id = g.file_id`
      : `INSERT INTO file_matches SELECT $1, g.row_id, g.file_id FROM (${given}) g JOIN round_files f ON f.id = g.file_id AND f.round_id = $1 ON CONFLICT DO NOTHING`,
    [roundId, json(matches)],
  )
}

/** The files made for people, with what they were made of. */
export function madeFilesOf(
  db: Database,
  roundId: number,
): Promise<{ rowId: number; fileId: number; print: string }[]> {
  return db.query(
    'SELECT row_id AS "rowId", file_id AS "fileId", print FROM made_files WHERE round_id = $1 ORDER BY row_id',
    [roundId],
  )
}

export async function noteMadeFile(
  db: Database,
  roundId: number,
  { rowId, fileId, print }: { rowId: number; fileId: number; print: string },
): Promise<void> {
  await db.query(
    'INSERT INTO made_files VALUES ($1, $2, $3, $4) ON CONFLICT (round_id, row_id) DO UPDATE SET file_id = $3, print = $4',
    [roundId, rowId, fileId, print],
  )
}

/** The folder that made files lie in. */
export const madeFolder = 'made'

/** Takes all made files out of a round. */
export async function removeMadeFiles(db: Database, roundId: number): Promise<void> {
  await db.query('DELETE FROM round_files WHERE id IN (SELECT file_id FROM made_files WHERE round_id = $1)', [roundId])
  await filesChanged(db, roundId)
}

/** What was found in contents when they were examined, by hash; those that were not are missing. */
export async function fileFactsOf(db: Database, hashes: string[]): Promise<Map<string, FileFacts>> {
  const rows = await db.query<{ hash: string } & FileFacts>(
    'SELECT hash, kind, fault, detail, words AS text FROM file_facts WHERE hash IN (SELECT jsonb_array_elements_text($1::jsonb))',
    [json(hashes)],
  )
  return new Map(rows.map(({ hash, ...facts }) => [hash, facts]))
}

/** The contents of a round's files that were not examined yet. */
export async function notExamined(db: Database, roundId: number): Promise<string[]> {
  const rows = await db.query<{ hash: string }>(
    'SELECT DISTINCT hash FROM round_files f WHERE round_id = $1 AND NOT EXISTS (SELECT 1 FROM file_facts x WHERE x.hash = f.hash)',
    [roundId],
  )
  return rows.map((row) => row.hash)
}

/** Rounds that may still be posted, or topped up, with contents that were not examined. */
export async function roundsToExamine(db: Database): Promise<number[]> {
  const rows = await db.query<{ id: number }>(
    'SELECT DISTINCT round_id AS id FROM round_files f WHERE NOT EXISTS (SELECT 1 FROM file_facts x WHERE x.hash = f.hash)',
  )
  return rows.map((row) => row.id)
}

/** Notes that a content is about to be examined. Gives how often it was begun without having ended, this time included. */
export async function beginExamining(db: Database, hash: string): Promise<number> {
  const [{ begun }] = await db.query<{ begun: number }>(
    'INSERT INTO examining VALUES ($1, 1) ON CONFLICT (hash) DO UPDATE SET begun = examining.begun + 1 RETURNING begun',
    [hash],
  )
  return begun
}

/** Forgets what was being examined: it was broken off for another reason. */
export async function forgetExamining(db: Database): Promise<void> {
  await db.query('DELETE FROM examining')
}

/** Keeps what was found in a content, whose examining has ended with it. */
export async function noteFileFacts(
  db: Database,
  hash: string,
  { kind, fault, detail, text }: FileFacts,
): Promise<void> {
  await db.query(
    'INSERT INTO file_facts VALUES ($1, $2, $3, $4, $5) ON CONFLICT (hash) DO UPDATE SET kind = $2, fault = $3, detail = $4, words = $5',
    [hash, kind, fault, detail, text],
  )
  await db.query('DELETE FROM examining WHERE hash = $1', [hash])
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

export async function forgetRead(db: Database, roundId: number, rowId: number): Promise<void> {
  await db.query('DELETE FROM messages_read WHERE round_id = $1 AND row_id = $2', [roundId, rowId])
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
    [roundId, json(keys), reason, now],
  )
}

export async function unaccept(db: Database, roundId: number, keys: string[]): Promise<void> {
  await db.query('DELETE FROM accepted WHERE round_id = $1 AND key IN (SELECT jsonb_array_elements_text($2::jsonb))', [
    roundId,
    json(keys),
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
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'reply' AND q.of = 'person') AS replied,
       (SELECT count(DISTINCT q.message_id)::int FROM responses q JOIN messages n ON n.id = q.message_id WHERE n.round_id = r.id AND q.kind = 'bounce' AND q.of = 'person') AS bounced,
       ${stateCountColumns}
     FROM rounds r LEFT JOIN lists l ON l.id = r.list_id LEFT JOIN messages m ON m.round_id = r.id
     GROUP BY r.id, l.name ORDER BY r.changed_at DESC`,
  )
  return rows.map(({ waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn, ...line }) => ({
    ...line,
    states: { waiting, sending, sent, retrying, refused, inDoubt, setAside, withdrawn },
  }))
}
