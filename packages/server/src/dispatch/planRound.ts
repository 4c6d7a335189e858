import type { Timetable } from '@hand-post/contract'
import {
  bareAddress,
  cellIn,
  chaserDue,
  compileCopies,
  type Lane,
  type PlanGiven,
  type PlannedRound,
  shown,
  timetableOf,
  timetableSentence,
  ZoneDays,
} from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { departuresOf, mailboxById } from '../mailboxes/store.ts'
import { type LoadedRound, leavingOrder, loadRound, timeOf } from '../rounds/loadRound.ts'
import { waitingOf } from '../rounds/messages.ts'
import { departuresOfRound, leftOf, waitingLanes } from './store.ts'

/** The letters that a round which is not posted would have waiting: their ids are rows. */
function lettersOf(loaded: LoadedRound, follow: FollowTimes | null): Lane['letters'] {
  const { round, columns, toProof } = loaded
  const copiesOf = compileCopies(toProof.copies, columns)
  return leavingOrder(loaded).flatMap((row) => {
    // A chaser of a letter that has no time has none itself.
    const due = follow === null ? null : follow.get(row.id)
    if (due === undefined) return []
    const { cc, bcc } = copiesOf.of(
      row,
      round.addressColumn ? bareAddress(shown(cellIn(row, round.addressColumn))) : '',
    )
    return {
      id: row.id,
      recipients: 1,
      copies: cc.length + bcc.length,
      notBefore: due ?? timeOf(loaded, row),
      seed: row.id,
    }
  })
}

/** When chasers of rows may leave (ms since 1970), by row; null is at once. Rows whose letter has no time are lacking. */
type FollowTimes = ReadonlyMap<number, number | null>

/** When the letters of a chaser that is not posted yet may leave, by those that they follow as these left, or are planned to. */
export async function followTimes(
  db: Database,
  { round }: Pick<LoadedRound, 'round'>,
  now: number,
): Promise<FollowTimes | null> {
  const { chases, chaser } = round
  if (chases === null || chaser === null) return null
  const parent = await loadRound(db, chases, now)
  const mailbox = await mailboxById(db, round.mailboxId)
  const { hours } = await limitsOf(db, mailbox, now)
  const days = new ZoneDays(mailbox.settings.timeZone)
  const leaves =
    parent.round.postedAt === null
      ? timetableOf(await planGiven(db, parent, now)).departures
      : await departuresOfRound(db, chases)
  const times = new Map<number, number | null>()
  for (const { rowId, at } of leaves) {
    const due = chaser.after === null ? null : chaserDue(at, chaser.after, hours, days)
    if (due !== null || chaser.after === null) times.set(rowId, due)
  }
  return times
}

/** What a mailbox has waiting, with its limits and what has left it; `evenHeld` is a round that counts though it is held. */
export async function mailboxGiven(db: Database, mailboxId: number, now: number, evenHeld: number | null = null) {
  const mailbox = await mailboxById(db, mailboxId)
  const paused = (mailbox.pausedUntil ?? 0) > now
  return {
    now: paused ? mailbox.pausedUntil! : now,
    paused,
    limits: await limitsOf(db, mailbox, now),
    history: await departuresOf(db, mailboxId, now),
    lanes: await waitingLanes(db, mailboxId, mailbox.settings.timeZone, evenHeld),
    evenly: mailbox.evenly,
  }
}

/**
 * All that a round's timetable is computed from: its letters, behind what waits in its mailbox already. A posted round's letters are
 * those that wait, as they would go if it were not held.
 */
export async function planGiven(db: Database, loaded: LoadedRound, now: number): Promise<PlanGiven> {
  const { round } = loaded
  const given = await mailboxGiven(db, round.mailboxId, now, round.id)
  if (round.postedAt === null) {
    const mine = {
      id: round.id,
      letters: lettersOf(loaded, await followTimes(db, loaded, now)),
      copies: [],
      pace: round.dispatch,
    }
    return { ...given, round: round.id, lanes: [...given.lanes, { ...mine, gone: 0, last: null, lastByPace: null }] }
  }
  const rowOf = new Map((await waitingOf(db, round.id)).map(({ id, rowId }) => [id, rowId]))
  const lanes = given.lanes.map((lane) =>
    lane.id === round.id
      ? { ...lane, letters: lane.letters.map((one) => ({ ...one, id: rowOf.get(one.id) ?? one.id })) }
      : lane,
  )
  return { ...given, round: round.id, lanes }
}

/** A round's letters when they come late to what was posted of it: behind those of it that wait still. */
async function withLate(db: Database, given: PlanGiven, loaded: LoadedRound): Promise<PlanGiven> {
  const letters = lettersOf(loaded, null)
  const { id, dispatch } = loaded.round
  if (given.lanes.some((lane) => lane.id === id))
    return {
      ...given,
      lanes: given.lanes.map((lane) => (lane.id === id ? { ...lane, letters: [...lane.letters, ...letters] } : lane)),
    }
  const left = await leftOf(db, id, given.limits.zone)
  return { ...given, lanes: [...given.lanes, { id, letters, copies: [], pace: dispatch, ...left }] }
}

/** When each message of a round, or of its late-comers, would leave its mailbox, behind what waits there already. */
export async function planRound(
  db: Database,
  loaded: LoadedRound,
  now: number,
): Promise<{ table: Timetable; afterwards: PlannedRound['afterwards']; waitingElsewhere: number }> {
  const { round } = loaded
  const mine = await planGiven(db, loaded, now)
  const given = round.postedAt === null ? mine : await withLate(db, mine, loaded)
  const { afterwards, ...planned } = timetableOf(given)
  const table = { ...planned, limits: given.limits, pace: round.dispatch }
  return {
    table: { ...table, sentence: timetableSentence({ ...table, held: 0, unplanned: 0 }, now) },
    afterwards,
    waitingElsewhere: given.lanes
      .filter((lane) => lane.id !== round.id)
      .reduce((sum, lane) => [...lane.letters, ...lane.copies].reduce((n, l) => n + l.recipients + l.copies, sum), 0),
  }
}
