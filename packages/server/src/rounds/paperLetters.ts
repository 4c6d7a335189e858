import type { PaperLetter } from '@hand-post/contract'
import { type PaperState, paperMayBecome } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import type { Contents } from '../mailboxes/contents.ts'

/** What stands on a posted letter on paper, and the files behind it. */
type PaperContents = Pick<Contents, 'from' | 'subject' | 'html' | 'files' | 'pictures'>

/** A letter on paper ready to be written down as posted. */
export interface NewPaperLetter {
  rowId: number
  position: number
  person: string
  lines: string[]
  contents: PaperContents
}

/** A posted letter on paper. */
export interface StoredPaperLetter extends NewPaperLetter, Pick<PaperLetter, 'id' | 'state' | 'printedAt' | 'version'> {
  /** When it was posted, or amended (ms since 1970): the day that stands on it. */
  madeAt: number
}

/** Writes posted letters on paper down: nobody gets two of a round. */
export async function insertPaperLetters(
  db: Database,
  roundId: number,
  letters: readonly NewPaperLetter[],
  now: number,
): Promise<void> {
  for (let at = 0; at < letters.length; at += 200)
    await db.query(
      `INSERT INTO paper_letters (round_id, row_id, position, person, lines, contents, made_at, version)
       SELECT $1, x."rowId", x.position, x.person, x.lines, x.contents, $3, (SELECT coalesce(max(v.number), 1) FROM posted_versions v WHERE v.round_id = $1)
       FROM jsonb_to_recordset($2::jsonb) AS x ("rowId" int, position float8, person text, lines jsonb, contents jsonb)`,
      [roundId, json(letters.slice(at, at + 200)), now],
    )
}

/** Puts other contents in the place of those with which letters on paper were posted, while they are not printed. Returns how many that was. */
export async function amendPaperLetters(
  db: Database,
  roundId: number,
  version: number,
  letters: readonly NewPaperLetter[],
  now: number,
): Promise<number> {
  let amended = 0
  for (let at = 0; at < letters.length; at += 200)
    amended += (
      await db.query(
        `UPDATE paper_letters p SET person = x.person, lines = x.lines, contents = x.contents, made_at = $4, version = $2
         FROM jsonb_to_recordset($3::jsonb) AS x ("rowId" int, person text, lines jsonb, contents jsonb)
         WHERE p.round_id = $1 AND p.row_id = x."rowId" AND p.state = 'toPrint' RETURNING p.id`,
        [roundId, version, json(letters.slice(at, at + 200)), now],
      )
    ).length
  return amended
}

const letterSelect = `SELECT id, row_id AS "rowId", position, person, lines, contents, state, made_at AS "madeAt", printed_at AS "printedAt", version FROM paper_letters`

/** The letters on paper of a posted round, in the order of its list. */
export function paperLettersOf(db: Database, roundId: number): Promise<StoredPaperLetter[]> {
  return db.query(`${letterSelect} WHERE round_id = $1 ORDER BY position, id`, [roundId])
}

/** Somebody's letter on paper of a posted round; null when they have none, or while it is being amended. */
export async function paperAsPosted(
  db: Database,
  round: { id: number; amendingSince: number | null },
  rowId: number,
): Promise<StoredPaperLetter | null> {
  const [found] = await db.query<StoredPaperLetter>(`${letterSelect} WHERE round_id = $1 AND row_id = $2`, [
    round.id,
    rowId,
  ])
  return found && !(round.amendingSince !== null && found.state === 'toPrint') ? found : null
}

/** Whose the letters on paper of a posted round are, and what has become of them: without what stands in them. */
export function paperLinesOf(
  db: Database,
  roundId: number,
): Promise<Pick<StoredPaperLetter, 'rowId' | 'person' | 'state' | 'printedAt'>[]> {
  return db.query(
    `SELECT row_id AS "rowId", person, state, printed_at AS "printedAt" FROM paper_letters WHERE round_id = $1 ORDER BY position, id`,
    [roundId],
  )
}

const idsOf = async (rows: Promise<{ id: number }[]>) => new Set((await rows).map((r) => r.id))

/** The rows whose letters on paper of a round are still to be printed. */
export const rowsToPrint = (db: Database, roundId: number): Promise<Set<number>> =>
  idsOf(db.query(`SELECT row_id AS id FROM paper_letters WHERE round_id = $1 AND state = 'toPrint'`, [roundId]))

/** The rows that have a letter of a round, as a message or on paper, whatever has become of it. */
export const rowsWithLetter = (db: Database, roundId: number): Promise<Set<number>> =>
  idsOf(
    db.query(
      'SELECT row_id AS id FROM messages WHERE round_id = $1 UNION SELECT row_id AS id FROM paper_letters WHERE round_id = $1',
      [roundId],
    ),
  )

/**
 * Passes letters on paper of a round into another state, those that may.
 * @param only their ids; null is all of the round.
 * @returns how many that was.
 */
export async function markPaper(
  db: Database,
  roundId: number,
  only: readonly number[] | null,
  to: PaperState,
  now: number,
): Promise<number> {
  const rows = await db.query(
    `UPDATE paper_letters SET state = $3, printed_at = CASE WHEN $3 = 'printed' THEN $5::bigint END
     WHERE round_id = $1 AND ($2::jsonb IS NULL OR id IN (SELECT jsonb_array_elements_text($2::jsonb)::int))
       AND state IN (SELECT jsonb_array_elements_text($4::jsonb)) RETURNING id`,
    [roundId, only && json(only), to, json(paperMayBecome[to]), now],
  )
  return rows.length
}
