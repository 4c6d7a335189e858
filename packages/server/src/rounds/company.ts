import { type Company, penIsAnothers, type StageId } from '@hand-post/contract'
import type { Letter } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { keepLeft } from '../letter/shelfStore.ts'
import { Refusal } from '../problem.ts'
import { whoActs } from '../who.ts'

// Who has a round open together, and who of them writes its letter: one at a time has the pen.

/** For how long (ms) a window counts as open that says nothing more, and how long the pen stays with whoever writes nothing more. */
const hereFor = 45_000
const penFor = 60_000
/** How many windows are named. */
const maxNamed = 200

/** Whether a window has a round open at the moment `$now`. */
const isOpenIn = (round: string, window: string, now: string) =>
  `EXISTS (SELECT 1 FROM company c WHERE c.round = ${round} AND c.window_id = ${window} AND c.seen > ${now}::bigint - ${hereFor})`

/**
 * Whether the pen `p` is held at the moment `$now`: whoever wrote last did so within the last minute, has an account, and is still there.
 */
const isHeld = (p: string, now: string) =>
  `(${p}.account IS NOT NULL AND ${p}.written > ${now}::bigint - ${penFor}
    AND ${isOpenIn(`${p}.round`, `${p}.window_id`, now)})`

/** Who has a round open, and who has its pen. */
export async function companyOf(db: Database, round: number, now: number): Promise<Company> {
  const here = await db.query<{ window: string; id: number; name: string; stage: StageId }>(
    `SELECT c.window_id AS window, a.id, a.name, c.stage FROM company c JOIN accounts a ON a.id = c.account
     WHERE c.round = $1 AND c.seen > $2::bigint - ${hereFor} AND a.ended_at IS NULL ORDER BY a.name, c.window_id LIMIT ${maxNamed}`,
    [round, now],
  )
  const [pen] = await db.query<{
    window: string
    account: number
    name: string
    written: number
    askedWindow: string | null
    askedAccount: number | null
    askedName: string | null
  }>(
    `SELECT window_id AS window, account, name, written,
       CASE WHEN ${isOpenIn('p.round', 'p.asked_window', '$2')} THEN asked_window END AS "askedWindow", asked_account AS "askedAccount", asked_name AS "askedName"
     FROM pens p WHERE round = $1 AND ${isHeld('p', '$2')}`,
    [round, now],
  )
  return {
    here: here.map(({ window, stage, ...account }) => ({ window, account, stage })),
    pen:
      pen === undefined
        ? null
        : {
            window: pen.window,
            account: { id: pen.account, name: pen.name },
            heldFor: Math.max(0, Number(pen.written) + penFor - now),
            asked:
              pen.askedWindow === null
                ? null
                : { window: pen.askedWindow, account: { id: pen.askedAccount!, name: pen.askedName! } },
          },
  }
}

/**
 * Notes that somebody has a round open. Where nobody signs in there is nobody to be told from others, and nothing is noted.
 * @returns whether the others see something new by it.
 */
export async function isHere(
  db: Database,
  { round, window, stage }: { round: number; window: string; stage: StageId },
  now: number,
): Promise<boolean> {
  const who = whoActs()
  if (who === null) return false
  await db.query(`DELETE FROM company WHERE seen <= $1::bigint - ${hereFor}`, [now])
  const [was] = await db.query<{ stage: string }>('SELECT stage FROM company WHERE round = $1 AND window_id = $2', [
    round,
    window,
  ])
  // A window is whoever's has it: nobody speaks for another's.
  await db.query(
    `INSERT INTO company (round, window_id, account, stage, seen) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (round, window_id) DO UPDATE SET stage = $4, seen = $5 WHERE company.account = $3`,
    [round, window, who.id, stage, now],
  )
  return was?.stage !== stage
}

/** Notes that a round is not open in a window any more. */
export async function hasLeft(db: Database, round: number, window: string): Promise<boolean> {
  const gone = await db.query(
    'DELETE FROM company WHERE round = $1 AND window_id = $2 AND account = $3 RETURNING round',
    [round, window, whoActs()?.id ?? null],
  )
  return gone.length > 0
}

/**
 * Takes the pen, in the transaction that writes the letter. Refused, by throwing, where somebody else has it, or has written since.
 * @param writing the window that writes, '' for a program; and the version of the letter that it has written on, where it says so.
 * @returns whether it was not with that window already.
 */
export async function takePen(
  tx: Database,
  round: number,
  writing: { window: string; writtenOn: number | undefined },
  now: number,
): Promise<boolean> {
  const who = whoActs()
  const [before] = await tx.query<{ window: string; written: number }>(
    'SELECT window_id AS window, written FROM pens WHERE round = $1',
    [round],
  )
  const taken = await tx.query(
    `INSERT INTO pens (round, window_id, wrote, account, name, written) VALUES ($1, $2, $2, $3, $4, $5)
     ON CONFLICT (round) DO UPDATE SET window_id = $2, wrote = $2, account = $3, name = $4, written = $5, version = pens.version + 1,
       asked_window = CASE WHEN pens.account IS NOT DISTINCT FROM $3 AND pens.asked_account IS DISTINCT FROM $3 THEN pens.asked_window END,
       asked_account = CASE WHEN pens.account IS NOT DISTINCT FROM $3 AND pens.asked_account IS DISTINCT FROM $3 THEN pens.asked_account END,
       asked_name = CASE WHEN pens.account IS NOT DISTINCT FROM $3 AND pens.asked_account IS DISTINCT FROM $3 THEN pens.asked_name END
     WHERE (pens.account IS NOT DISTINCT FROM $3 OR NOT ${isHeld('pens', '$5')})
       AND ($6::int IS NULL OR pens.version = $6 OR (pens.wrote = $2 AND $2 <> ''))
     RETURNING round`,
    [round, writing.window, who?.id ?? null, who?.name ?? null, now, writing.writtenOn ?? null],
  )
  if (taken.length === 0) throw new PenIsAnothers()
  return before?.window !== writing.window || Number(before.written) <= now - penFor
}

/** Thrown where a letter is not taken over because the pen is another's. */
export class PenIsAnothers extends Error {}

/**
 * The refusal of a letter because the pen is another's, and keeps what was written, so that nothing of it is lost.
 * @param round with the letter as it stands.
 */
export async function refuseLetter(
  db: Database,
  round: { id: number; title: string },
  letter: Letter,
  now: number,
): Promise<Refusal> {
  const [pen] = await db.query<{ name: string | null; held: boolean }>(
    `SELECT name, ${isHeld('p', '$2')} AS held FROM pens p WHERE round = $1`,
    [round.id, now],
  )
  const kept = await keepLeft(db, round.id, letter, whoActs()?.name ?? '', now)
  const who = pen?.name ?? null
  const why =
    who === null
      ? `The letter of “${round.title}” was changed in another window since`
      : pen.held
        ? `${who} is writing the letter of “${round.title}”`
        : `${who} has written in the letter of “${round.title}” since`
  const yours = kept
    ? ' What you wrote was not taken over; it is kept among the letter’s versions, to be looked at and put back.'
    : ''
  return new Refusal(409, `${why}.${yours} The letter is as it was.`, penIsAnothers)
}

/** Asks for the pen; where nobody has it, or somebody has it in another window of their own, it is taken at once. */
export async function askForPen(db: Database, round: number, window: string, now: number): Promise<void> {
  const who = whoActs()
  const asked = await db.query(
    `UPDATE pens SET asked_window = $2, asked_account = $3, asked_name = $4
     WHERE round = $1 AND account IS DISTINCT FROM $3 AND ${isHeld('pens', '$5')} RETURNING round`,
    [round, window, who?.id ?? null, who?.name ?? null, now],
  )
  if (asked.length > 0) return
  await db.query(
    `INSERT INTO pens (round, window_id, account, name, written, version) VALUES ($1, $2, $3, $4, $5, 0)
     ON CONFLICT (round) DO UPDATE SET window_id = $2, account = $3, name = $4, written = $5, asked_window = NULL, asked_account = NULL, asked_name = NULL
     WHERE pens.account IS NOT DISTINCT FROM $3 OR NOT ${isHeld('pens', '$5')}`,
    [round, window, who?.id ?? null, who?.name ?? null, now],
  )
}

/** Gives the pen to whoever has asked for it, or keeps it for now. Refused to whoever has not got it. */
export async function answerAsking(db: Database, round: number, give: boolean, now: number): Promise<void> {
  const who = whoActs()
  const mine = `round = $1 AND account IS NOT DISTINCT FROM $2 AND ${isHeld('pens', '$3')} AND ${isOpenIn('pens.round', 'pens.asked_window', '$3')}`
  const answered = give
    ? await db.query(
        `UPDATE pens SET window_id = asked_window, account = asked_account, name = asked_name, written = $3::bigint, asked_window = NULL, asked_account = NULL, asked_name = NULL
         WHERE ${mine} RETURNING round`,
        [round, who?.id ?? null, now],
      )
    : await db.query(
        `UPDATE pens SET asked_window = NULL, asked_account = NULL, asked_name = NULL WHERE ${mine} RETURNING round`,
        [round, who?.id ?? null, now],
      )
  if (answered.length === 0)
    throw new Refusal(
      409,
      'Nobody asks you for the pen of this letter any more, or you have not got it. Nothing was changed.',
      'Nobody asks',
    )
}
