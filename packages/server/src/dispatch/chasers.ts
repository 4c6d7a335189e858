import { type Chaser, chaserDue, type Hours, momentWords, ZoneDays } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import { type Database, json } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { type MailboxRecord, mailboxById } from '../mailboxes/store.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import type { Computes } from '../threads/job.ts'
import { type chaserJobs, clearFits } from './chaserJobs.ts'
import * as store from './store.ts'

export interface ChaserParts {
  db: Database
  clock: Clock
  compute: Computes<typeof chaserJobs>
  publicAddress: () => PublicAddress
  publish: Publish
  log: Logger
  /** Reads everything that lies in a mailbox now. Returns what kept it from being read, in words; null where nothing did. */
  readUpToNow: (mailboxId: number) => Promise<string | null>
  /** Tells the writer that a round holds itself. */
  held: (roundId: number) => Promise<void>
}

/** How many chasers are looked at together before they leave: so few that they leave within moments of it. */
const atOnce = 20
/** How long (ms) chasers wait until the mailbox is tried again that could not be read. */
const readAgain = 5 * 60_000

/** How long (ms) reading the mailbox may keep its letters waiting. */
const maxToRead = 60_000

/** A chaser that is due. */
interface Due {
  id: number
  rowId: number
  roundId: number
  chaser: Chaser
  /** When the letter left that it follows; null while that is not known. */
  firstAt: number | null
  /** Whether another letter of the round, or of its chasers, went to the same row since a time. */
  hadToday: boolean
}

/** Sees to it that a chaser goes only to whom it is meant for: a moment before it leaves, by everything that lies in the mailbox then. */
export class Chasers {
  constructor(private readonly parts: ChaserParts) {}

  /** Judges those of which something was touched. Returns whether the plan is another by it. */
  async judge(mailboxId: number): Promise<boolean> {
    const { db, clock, compute } = this.parts
    if (!(await store.anyChaserWaits(db, mailboxId))) return false
    const { changed } = await compute.run('judgeChasers', { mailboxId, ids: null, now: clock.now() })
    // The day of those that are not to go has come: from now on they do not.
    const settled = await store.setUnfitAside(db, mailboxId, clock.now())
    return changed || settled > 0
  }

  /** When the day of the next comes that is not to go; null where there is none. */
  nextUnfit(mailboxId: number): Promise<number | null> {
    return store.nextUnfit(this.parts.db, mailboxId)
  }

  /**
   * Looks at the chasers that are due, before any is claimed: the mailbox is read, and those that go are made of what is so now. Those
   * that do not are put off or set aside, with why.
   * @returns whether anything is to be planned anew.
   */
  async clear(mailbox: MailboxRecord): Promise<boolean> {
    const { db, clock, publish, log } = this.parts
    const { timeZone } = mailbox.settings
    const begun = clock.now()
    const days = new ZoneDays(timeZone)
    const due = await dueChasers(db, mailbox.id, begun, days.of(begun).start)
    if (due.length === 0) return false
    const { hours } = await limitsOf(db, mailbox, begun)

    const early = due.filter((one) => !isDue(one, begun, hours, days))
    if (early.length > 0) return true
    // Nobody gets two of one round on one day, whatever has come late.
    const twice = due.filter((one) => one.hadToday && one.chaser.after !== null)
    if (twice.length > 0) {
      const later = chaserDue(begun, { n: 1, of: 'workingDays' }, hours, days) ?? begun + 24 * 60 * 60_000
      await store.putOffChasers(
        db,
        twice.map(({ id }) => id),
        later,
        `Another letter of this round went to them today, so this one waits until ${momentWords(later, timeZone)}.`,
      )
      return true
    }
    const putOff = async (words: string) => {
      await store.putOffAllDue(db, mailbox.id, begun, begun + readAgain, words)
      for (const id of new Set(due.map((one) => one.roundId))) publish({ topic: 'round', id })
      return true
    }
    const fault = await withinTime(this.parts.readUpToNow(mailbox.id))
    if (fault !== null) {
      log.warn({ mailbox: mailbox.id, chasers: due.length }, 'chasers wait: the mailbox could not be read')
      return putOff(`Chasers wait, for it cannot be known who has answered. ${fault}`)
    }
    try {
      return await this.lookAt(mailbox.id, due)
    } catch (error) {
      // Whatever breaks over chasers keeps no other letter of the mailbox waiting.
      log.error({ mailbox: mailbox.id, error: String(error) }, 'chasers could not be looked at')
      return putOff('Chasers wait, for something broke while they were looked at. It was noted in the log.')
    }
  }

  /** Judges chasers that are due, makes those that go of what is so now, and lets them be claimed. Returns whether to plan anew. */
  private async lookAt(mailboxId: number, due: readonly Due[]): Promise<boolean> {
    const { db, clock, compute, publish } = this.parts
    const now = clock.now()
    const { fits } = await compute.run('judgeChasers', { mailboxId, ids: due.map(({ id }) => id), now })
    const fit = new Set(fits)
    let planAnew = (await store.setUnfitAside(db, mailboxId, now)) > 0 || fits.length < due.length
    for (const roundId of new Set(due.map((one) => one.roundId))) {
      const some = due.filter((one) => one.roundId === roundId && fit.has(one.id))
      if (some.length === 0 || some[0].chaser.asPosted) continue
      const { gone, open } = await compute.run('renewChasers', {
        roundId,
        rows: some.map(({ rowId }) => rowId),
        now,
        publicAddress: this.parts.publicAddress(),
      })
      for (const { id } of gone) fit.delete(id)
      if (gone.length > 0) await store.setAsideWith(db, gone)
      if (open !== null) {
        for (const { id } of some) fit.delete(id)
        if (await store.holdItself(db, roundId, openWords(open), now)) await this.parts.held(roundId)
        publish({ topic: 'round', id: roundId })
      }
      planAnew ||= gone.length > 0 || open !== null
    }
    await clearFits(db, [...fit], now, clock.now())
    return planAnew
  }
}

/** What kept a mailbox from being read, where it takes longer than others of its letters should wait for that. */
async function withinTime(reading: Promise<string | null>): Promise<string | null> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<string>((resolve) => {
    timer = setTimeout(() => resolve('Reading the mailbox takes longer than a minute.'), maxToRead)
  })
  try {
    return await Promise.race([reading, late])
  } finally {
    clearTimeout(timer)
  }
}

/** Why a chaser holds itself, when the proof of its letters as they would be now has something to settle. */
export const openWords = (open: string) =>
  `The chaser holds itself: as the list is now, the proof has something to settle. ${open} Amend what waits, or carry on when the rows are right.`

/** Whether its day has come by the letter that it follows, as that has really left. */
const isDue = ({ chaser, firstAt }: Due, now: number, hours: Hours, days: ZoneDays): boolean => {
  if (firstAt === null) return false
  const due = chaser.after === null ? firstAt : chaserDue(firstAt, chaser.after, hours, days)
  return due !== null && due <= now
}

/** The chasers of a mailbox that are due and not cleared yet, in the order in which they leave. */
function dueChasers(db: Database, mailboxId: number, now: number, today: number): Promise<Due[]> {
  return db.query<Due>(
    `SELECT m.id, m.row_id AS "rowId", m.round_id AS "roundId", r.chaser, p.sent_at AS "firstAt",
       EXISTS (SELECT 1 FROM rounds f JOIN messages o ON o.round_id = f.id AND o.row_id = m.row_id
         WHERE f.family = r.family AND f.answers_of IS NULL AND o.id <> m.id AND o.state IN ('sending', 'sent', 'inDoubt') AND coalesce(o.sent_at, o.claimed_at) >= $3) AS "hadToday"
     FROM messages m JOIN rounds r ON r.id = m.round_id JOIN messages p ON p.id = m.follows
     WHERE m.mailbox_id = $1 AND m.follows IS NOT NULL AND m.state IN ('waiting', 'retrying') AND m.planned_at <= $2 AND NOT r.held AND (m.judged_at IS NULL OR m.judged_at <= $2 - ${store.clearedFor})
     ORDER BY m.planned_at, m.id LIMIT ${atOnce}`,
    [mailboxId, now, today],
  )
}

/**
 * Writes when the chasers of a mailbox may leave, by the letters that they follow: by when these left or, until they have, by when they
 * are planned to.
 * @returns whether any is another than before.
 */
export async function writeFollowTimes(db: Database, mailboxId: number, now: number): Promise<boolean> {
  if (!(await store.anyChaserWaits(db, mailboxId))) return false
  const mailbox = await mailboxById(db, mailboxId)
  const { hours } = await limitsOf(db, mailbox, now)
  const days = new ZoneDays(mailbox.settings.timeZone)
  const waiting = await db.query<{ id: number; was: number | null; firstAt: number | null; after: Chaser['after'] }>(
    `SELECT m.id, m.follows_at AS was, coalesce(p.sent_at, p.planned_at) AS "firstAt", r.chaser->'after' AS after
     FROM messages m JOIN messages p ON p.id = m.follows JOIN rounds r ON r.id = m.round_id
     WHERE m.mailbox_id = $1 AND m.follows IS NOT NULL AND m.state IN ('waiting', 'retrying')`,
    [mailboxId],
  )
  const changed = waiting.flatMap(({ id, was, firstAt, after }) => {
    // At once is by the pace of its own round, and no time of its own.
    const at = firstAt === null ? null : after === null ? 0 : chaserDue(firstAt, after, hours, days)
    return at === was ? [] : [{ id, at }]
  })
  if (changed.length === 0) return false
  await db.query(
    `UPDATE messages m SET follows_at = x.at, planned_at = CASE WHEN x.at IS NULL THEN NULL ELSE m.planned_at END
     FROM jsonb_to_recordset($1::jsonb) AS x (id int, at bigint) WHERE m.id = x.id AND m.state IN ('waiting', 'retrying')`,
    [json(changed)],
  )
  return true
}
