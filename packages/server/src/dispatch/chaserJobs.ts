import { type Chaser, judgeChaser, nothingCame, proofRound } from '@hand-post/core'
import { type Database, json } from '../db/database.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { acceptedOf } from '../proof/store.ts'
import { sameContents, wholly } from '../proof/whole.ts'
import { cameOfChased, fewRows } from '../rounds/chasers.ts'
import { freezeMessages, type PublicAddress } from '../rounds/freeze.ts'
import { loadRound, onlySome } from '../rounds/loadRound.ts'
import { amendMessages, waitingKeys } from '../rounds/messages.ts'
import type { JobContext } from '../threads/job.ts'
import { whyNot } from './amendJobs.ts'

/** A chaser's letter that waits, with what decides whether it goes. */
interface Judged {
  id: number
  rowId: number
  roundId: number
  chases: number
  chaser: Chaser
  /** The state of the letter that it follows. */
  first: string
}

/** The letter that a chaser follows has not gone, and will not. */
const notSent = ['refused', 'withdrawn', 'setAside']
const firstNotSent = 'The letter that it follows was not sent.'
const sayUnfit = (why: string) => `No chaser to this person: ${why}`

/** Which of a mailbox's chasers go. */
export const chaserJobs = {
  /**
   * Judges chasers of a mailbox by what is known now: those of which anything was touched since they were last judged, or with `ids` these,
   * which are about to leave. Of the latter, those that go stay under judgement: see {@link clearFits}.
   * @returns whether any is judged otherwise than before, and with `ids` those that go.
   */
  async judgeChasers(
    { mailboxId, ids, now }: { mailboxId: number; ids: number[] | null; now: number },
    { db }: JobContext,
  ): Promise<{ changed: boolean; fits: number[] }> {
    // Marked first: whatever comes in from here on takes the mark away, and nothing is claimed by what was known before it.
    await db.query(
      `UPDATE messages m SET judged_at = -$2::bigint FROM messages p WHERE p.id = m.follows AND m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying')
         AND ${ids ? 'm.id = ANY ($3::int[])' : `$3::int[] IS NULL AND (m.judged_at IS NULL OR (m.unfit IS NULL AND p.state IN (${notSent.map((state) => `'${state}'`).join(', ')})))`}`,
      [mailboxId, now, ids],
    )
    const letters = await db.query<Judged>(
      `SELECT m.id, m.row_id AS "rowId", m.round_id AS "roundId", r.chases, r.chaser, p.state AS first
       FROM messages m JOIN rounds r ON r.id = m.round_id JOIN messages p ON p.id = m.follows
       WHERE m.mailbox_id = $1 AND m.state IN ('waiting', 'retrying') AND m.judged_at = -$2::bigint`,
      [mailboxId, now],
    )
    if (letters.length === 0) return { changed: false, fits: [] }
    const zone = (await mailboxById(db, mailboxId)).settings.timeZone
    const verdicts: { id: number; unfit: string | null; yet: boolean }[] = []
    for (const parent of new Set(letters.map((one) => one.chases))) {
      const some = letters.filter((one) => one.chases === parent)
      const came = await cameOfChased(db, parent, some.length < fewRows ? some.map((one) => one.rowId) : null)
      for (const { id, rowId, chaser, first } of some) {
        const not = notSent.includes(first)
          ? { why: firstNotSent, yet: false }
          : judgeChaser(chaser, came.get(rowId) ?? nothingCame, zone)
        verdicts.push({ id, unfit: not && sayUnfit(not.why), yet: not?.yet ?? false })
      }
    }
    // What waits for the writer's word is judged anew at every look; what is about to leave stays marked until it may be claimed.
    const rows = await db.query<{ changed: boolean }>(
      `WITH x AS (SELECT * FROM jsonb_to_recordset($1::jsonb) AS x (id int, unfit text, yet boolean)),
       was AS (SELECT m.id, m.unfit FROM messages m JOIN x ON x.id = m.id),
       done AS (
         UPDATE messages m SET unfit = x.unfit, planned_at = CASE WHEN x.unfit IS NULL THEN m.planned_at END,
           planned_by = CASE WHEN x.unfit IS NULL THEN m.planned_by END,
           judged_at = CASE WHEN x.yet THEN NULL WHEN x.unfit IS NULL AND $3 THEN m.judged_at ELSE 1 END
         FROM x WHERE m.id = x.id AND m.state IN ('waiting', 'retrying') AND m.judged_at = -$2::bigint RETURNING m.id, m.unfit
       ) SELECT done.unfit IS DISTINCT FROM was.unfit AS changed FROM done JOIN was ON was.id = done.id WHERE done.unfit IS DISTINCT FROM was.unfit LIMIT 1`,
      [json(verdicts), now, ids !== null],
    )
    return { changed: rows.length > 0, fits: verdicts.flatMap(({ id, unfit }) => (unfit === null ? [id] : [])) }
  },

  /**
   * Makes letters of a chaser that wait anew, of the rows as they are now and of the letters that they follow, under the Message-IDs that
   * they have; and proofs them once more.
   * @returns whose letters cannot be made any more, with why; and what is to be settled first, in words: then nothing was changed.
   */
  async renewChasers(
    {
      roundId,
      rows,
      now,
      publicAddress,
    }: { roundId: number; rows: number[] | null; now: number; publicAddress: PublicAddress },
    { db, files }: JobContext,
  ): Promise<{ gone: { id: number; why: string }[]; open: string | null }> {
    const waiting = await waitingKeys(db, roundId, rows)
    const whole = await loadRound(db, roundId, now, true)
    const known = new Map(waiting.map((one) => [one.rowId, one]))
    const chosen = whole.people.chosen.filter((row) => known.has(row.id))
    const makes = new Set(chosen.map((row) => row.id))
    const gone = waiting
      .filter(({ rowId }) => !makes.has(rowId))
      .map(({ id, rowId }) => {
        const standing = whole.people.standing.get(rowId)
        return { id, why: sayUnfit(whyNot[standing === undefined || standing === 'in' ? 'gone' : standing]) }
      })
    if (chosen.length === 0) return { gone, open: null }
    const loaded = onlySome(
      whole,
      chosen,
      whole.people.chosen.filter((row) => !makes.has(row.id)),
    )
    const accepted = await acceptedOf(db, roundId)
    const open = proofRound(await wholly(db, files, loaded, publicAddress)).filter(
      (f) => f.grade === 'stop' || (f.grade === 'ask' && !accepted.has(f.key)),
    )
    if (open.length > 0)
      return {
        gone,
        open: open
          .slice(0, 3)
          .map((f) => f.message)
          .join(' '),
      }
    try {
      await sameContents(loaded, files)
    } catch (error) {
      if (error instanceof Refusal) return { gone, open: error.message }
      throw error
    }
    const made = await freezeMessages(db, loaded, publicAddress, { known })
    await db.transaction((tx) => amendMessages(tx, roundId, null, made))
    return { gone, open: null }
  },
}

/** Lets those that were judged to go be claimed from now on, unless anything has come of them since they were judged. */
export const clearFits = (db: Database, ids: readonly number[], judged: number, now: number): Promise<unknown> =>
  db.query('UPDATE messages SET judged_at = $3::bigint WHERE id = ANY ($1::int[]) AND judged_at = -$2::bigint', [
    ids,
    judged,
    now,
  ])
