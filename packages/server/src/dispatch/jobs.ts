import type { Timetable } from '@hand-post/contract'
import {
  type AcceptedFinding,
  bareAddress,
  cellIn,
  compileSelection,
  displayName,
  type LeftOut,
  mayPost,
  type PlanGiven,
  proofRound,
  type Selection,
  sameAddressKey,
  selectionFaults,
  shown,
  standingSentence,
} from '@hand-post/core'
import { tellPlanner } from '../db/copied.ts'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../files/fileStore.ts'
import { groupMembers } from '../people/bookStore.ts'
import { notFound, Refusal } from '../problem.ts'
import { standsBehind } from '../proof/readLetters.ts'
import { needsOtherHand, needsSecondEyes } from '../proof/secondEyes.ts'
import { acceptedOf } from '../proof/store.ts'
import { onlyLate, sameContents, unreadOf, wholly } from '../proof/whole.ts'
import { chasersOfAll, linkChasers, openChasers } from '../rounds/chasers.ts'
import { noteEvent } from '../rounds/events.ts'
import { postingFingerprint } from '../rounds/fingerprint.ts'
import { asFirst, freezeMessages, freezing, type PublicAddress } from '../rounds/freeze.ts'
import { freezePaper } from '../rounds/freezePaper.ts'
import { type LoadedRound, loadPeople, loadRound, onlySome } from '../rounds/loadRound.ts'
import { fateOf, insertMessages, type NewMessage, waitingOf } from '../rounds/messages.ts'
import { insertPaperLetters } from '../rounds/paperLetters.ts'
import { postedVersion } from '../rounds/postedVersions.ts'
import { isPosted, lockForPosting, type RoundRecord, roundById, setAsideOf } from '../rounds/store.ts'
import type { JobContext } from '../threads/job.ts'
import { amendJobs } from './amendJobs.ts'
import { chaserJobs } from './chaserJobs.ts'
import { openWords } from './chasers.ts'
import { lastWordJobs } from './lastWordJob.ts'
import { planJobs } from './planJobs.ts'
import { planGiven, planRound } from './planRound.ts'
import { holdItself } from './store.ts'

/** Planning and posting. */
export const dispatchJobs = {
  ...lastWordJobs,
  ...amendJobs,
  ...chaserJobs,
  ...planJobs,
  async timetable({ roundId, now }: { roundId: number; now: number }, { db }: JobContext): Promise<Timetable> {
    return (await planRound(db, await loadRound(db, roundId, now), now)).table
  },

  /** The letters of a round that wait and whose rows fit rules. Rules that are not finished fit nobody: what is chosen by them is withdrawn. */
  async waitingBy(
    { roundId, selection, now }: { roundId: number; selection: Selection; now: number },
    { db }: JobContext,
  ): Promise<number[]> {
    const { rows, columns, choice, people } = await loadPeople(db, roundId, now)
    if (selection.rules.length === 0 || selectionFaults(selection, columns).length > 0) return []
    const fits = compileSelection(selection, columns, { ...choice.context, members: await groupMembers(db) })
    const chosen = new Set(rows.filter(fits).map((row) => row.id))
    // A letter for several rows is meant where one of them is.
    const isMeant = (rowId: number) =>
      chosen.has(rowId) || (people.rowsOf.get(rowId) ?? []).some((row) => chosen.has(row.id))
    return (await waitingOf(db, roundId)).filter(({ rowId }) => isMeant(rowId)).map(({ id }) => id)
  },

  /** All that a round's timetable is computed from. */
  async planGiven({ roundId, now }: { roundId: number; now: number }, { db }: JobContext): Promise<PlanGiven> {
    return planGiven(db, await loadRound(db, roundId, now), now)
  },

  /**
   * Posts a round, or with `late` a posted one to those who came late to its list: proofs it once more, freezes every message
   * and writes them as waiting, all in one transaction. Its chasers are posted with it.
   * @returns why those who came late are not chased, in words, where that is so: their letters were posted.
   */
  async post(
    { roundId, expected, onPaper, print, late = false, now, publicAddress }: Posting,
    { db, files, progress }: JobContext,
  ): Promise<{ chasersNot: string | null }> {
    const before = await postingFingerprint(db, roundId)
    const changedMeanwhile = () =>
      new Refusal(
        409,
        'The round or its list was changed since you saw it, here or in another window. Nothing was posted; look at it once more.',
        'Changed meanwhile',
      )
    if (print !== undefined && print !== before) throw changedMeanwhile()
    const whole = await loadRound(db, roundId, now, true)
    const { round } = whole
    refuseUnless(late, round.postedAt !== null)
    if (!late && round.chases !== null && (await roundById(db, round.chases)).postedAt === null)
      throw new Refusal(
        409,
        'A chaser is posted together with the round that it follows. Post that one. Nothing was posted.',
        'Posted with its round',
      )
    const loaded = late ? await onlyLate(db, whole) : whole
    const { people } = loaded
    const changedBy = await needsSecondEyes(db, loaded)
    const behind = {
      ...(await settledProof(db, files, loaded, publicAddress)),
      ...(changedBy === null ? {} : { changedBy }),
    }
    if (people.chosen.length !== expected)
      throw new Refusal(
        409,
        `The round has ${people.chosen.length} messages, not the ${expected} you saw: it was changed meanwhile. Nothing was posted; look at it once more.`,
        'Changed meanwhile',
      )
    if (people.onPaper.length !== onPaper)
      throw new Refusal(
        409,
        `The round has ${people.onPaper.length} letters on paper, not the ${onPaper} you saw: it was changed meanwhile. Nothing was posted; look at it once more.`,
        'Changed meanwhile',
      )
    await sameContents(loaded, files)
    const made = await freezing(db, loaded, publicAddress, {
      onProgress: (n) => progress(n, expected, 'Making messages'),
    })
    const letters = await freezePaper(db, loaded)
    const chased = late ? [] : await openChasers(db, roundId)
    // What chasers follow is wanted as a whole; else each is written as it is made.
    const messages = chased.length > 0 ? [...made] : made
    const chasers = await readyChasers(db, files, chased, messages, now, publicAddress, progress)
    const rows = people.chosen.map((row) => row.id)
    await db.longTransaction(async (tx, takeTurn) => {
      // Others go on while the messages are written; of what is posted meanwhile nobody else posts anything, nor takes it away.
      const posted = [round, ...chasers.map((one) => one.round)]
      for (const { id } of posted)
        if (!(await lockForPosting(tx, id)))
          throw new Refusal(
            409,
            'This round is being posted just now, here or in another window. Nothing was posted by this.',
            'Being posted',
          )
      for (const { id } of posted) refuseUnless(late && id === roundId, await isPosted(tx, id))
      if ((await postingFingerprint(tx, roundId)) !== before) throw changedMeanwhile()
      const version = await postedVersion(tx, roundId)
      await insertMessages(tx, { ...round, notBefore: null }, expected, messages)
      await insertPaperLetters(tx, roundId, letters, now)
      for (const one of chasers)
        await insertMessages(tx, { ...one.round, notBefore: null }, one.messages.length, one.messages)
      const left = late ? null : await leftOutOf(tx, loaded)
      await takeTurn()
      // What was proofed and frozen is what stands there, to the last moment.
      if ((await postingFingerprint(tx, roundId)) !== before || (await postedVersion(tx, roundId)) !== version)
        throw changedMeanwhile()
      await markPosted(tx, round, expected, late ? rows : null, now)
      for (const one of chasers) {
        await markPosted(tx, one.round, one.messages.length, null, now)
        await noteEvent(tx, one.round.id, now, 'posted', {
          ...(await leftOutOf(tx, one.loaded)),
          ...one.behind,
          letters: one.messages.length,
          paper: 0,
          chasers: 0,
        })
      }
      const counted = { ...behind, letters: expected, paper: letters.length }
      if (left === null) await noteEvent(tx, roundId, now, 'toppedUp', counted)
      else await noteEvent(tx, roundId, now, 'posted', { ...left, ...counted, chasers: chasers.length })
    })
    return { chasersNot: late ? await chaseLate(db, files, roundId, rows, now, publicAddress) : null }
  },
  /** The same of so many that it takes long. */
  postMany(posting: Posting, context: JobContext): Promise<{ chasersNot: string | null }> {
    return dispatchJobs.post(posting, context)
  },

  /** Posts one person's letter anew, to the address that stands in the list now, when the one before was refused or came back. */
  async sendToNew(
    {
      roundId,
      rowId,
      now,
      publicAddress,
    }: { roundId: number; rowId: number; now: number; publicAddress: PublicAddress },
    context: JobContext,
  ): Promise<void> {
    const { db, files } = context
    const whole = await loadRound(db, roundId, now, true)
    const row = whole.rows.find((r) => r.id === rowId)
    const had = await fateOf(db, roundId, rowId)
    if (!row || !had) throw notFound('letter')
    if (!had.failed)
      throw new Refusal(
        409,
        `The letter to ${had.person} was neither refused nor did it come back, so it is not sent to another address. Nothing was sent.`,
        'Nothing to mend',
      )
    await needsOtherHand(db, whole.round)
    const address = bareAddress(shown(cellIn(row, whole.round.addressColumn ?? '')))
    if (sameAddressKey(address) === had.addressKey)
      throw new Refusal(
        409,
        `${address || 'A blank'} is still the address of ${had.person} in the list. Put the right one there first. Nothing was sent.`,
        'Same address',
      )
    const others = whole.people.chosen.filter((one) => one.id !== rowId)
    const only = onlySome(whole, [row], others)
    const accepted = await acceptedOf(db, roundId)
    const open = proofRound(await wholly(db, files, only, publicAddress)).filter(
      (f) => f.grade === 'stop' || (f.grade === 'ask' && !accepted.has(f.key)),
    )
    // On the do-not-write list, or set aside: then nobody chose them.
    if (whole.people.standing.get(rowId) === 'doNotWrite')
      throw new Refusal(409, `${address} is on the do-not-write list. Nothing was sent.`, 'Do not write')
    if (open.length > 0)
      throw new Refusal(
        409,
        `Nothing was sent, for the proof has something to settle: ${open
          .slice(0, 3)
          .map((f) => f.message)
          .join(' ')}`,
        'Not settled',
      )
    await sameContents(only, files)
    const [message] = await freezeMessages(db, only, publicAddress)
    await db.transaction(async (tx) => {
      const again = await fateOf(tx, roundId, rowId)
      if (!again?.failed || again.again !== had.again)
        throw new Refusal(
          409,
          'This letter was sent again meanwhile. Nothing was sent a second time.',
          'Changed meanwhile',
        )
      await insertMessages(
        tx,
        {
          id: roundId,
          mailboxId: whole.round.mailboxId,
          notBefore: now,
          again: had.again + 1,
        },
        1,
        [{ ...message, position: had.position }],
      )
      await noteEvent(tx, roundId, now, 'sentToNew', { person: message.person, address: message.address })
    })
    // What is to chase it goes to the new address too, and follows the new letter.
    for (const id of await chasersOfAll(db, roundId)) {
      await linkChasers(db, id, [rowId])
      const { open } = await chaserJobs.renewChasers({ roundId: id, rows: [rowId], now, publicAddress }, context)
      if (open !== null) await holdItself(db, id, openWords(open), now)
    }
  },
}
export type DispatchJobs = typeof dispatchJobs

/** What is posted, as the writer saw it. */
interface Posting {
  roundId: number
  expected: number
  /** How many letters on paper the writer saw. */
  onPaper: number
  /** What the writer saw, as the last word gave it; without it only what is changed while it is being posted counts. */
  print?: string
  late?: boolean
  now: number
  publicAddress: PublicAddress
}

/** What stands behind a posting. */
type Behind = { accepted: AcceptedFinding[]; read: number }

/** Who of a round's list is not written to: by name, but for those whom the rules leave out, who are counted. */
async function leftOutOf(
  db: Database,
  { round, rows, people }: LoadedRound,
): Promise<{ leftOut: LeftOut[]; byRule: number }> {
  const aside = new Map((await setAsideOf(db, round.id)).map(({ rowId, reason }) => [rowId, reason]))
  const leftOut = rows.flatMap((row, i): LeftOut[] => {
    const standing = people.standing.get(row.id)
    if (standing === undefined || standing === 'in' || standing === 'onPaper' || standing === 'byRule') return []
    const address = round.addressColumn === null ? '' : shown(cellIn(row, round.addressColumn))
    const person = displayName(row, round.nameColumns, round.addressColumn)
    return [{ row: row.number ?? i + 1, person, address, why: standingSentence(standing, aside.get(row.id) ?? '') }]
  })
  return { leftOut, byRule: people.counts.byRule }
}

/**
 * Refuses to post what was not examined, or of which the proof has something to settle.
 * @param words `of`: whose proof that is, in words.
 * @returns what stands behind the posting.
 */
async function settledProof(
  db: Database,
  files: FileStore,
  loaded: LoadedRound,
  publicAddress: PublicAddress,
  { of, nothing } = { of: 'The proof', nothing: 'Nothing was posted' },
): Promise<Behind> {
  const findings = proofRound(await wholly(db, files, loaded, publicAddress))
  if (unreadOf(loaded.toProof) > 0)
    throw new Refusal(
      409,
      `Some of the files are still being examined. ${nothing}; try again in a moment.`,
      'Not examined yet',
    )
  if (!mayPost(findings, new Set((await acceptedOf(db, loaded.round.id)).keys())))
    throw new Refusal(409, `${of} has something to settle. ${nothing}; look at Proof first.`, 'Not settled')
  return standsBehind(db, loaded, findings)
}

/** Posts the chasers of a round to those who came late to it. Returns why that cannot be, in words. */
async function chaseLate(
  db: Database,
  files: FileStore,
  roundId: number,
  rows: readonly number[],
  now: number,
  publicAddress: PublicAddress,
): Promise<string | null> {
  for (const id of await chasersOfAll(db, roundId)) {
    const whole = await loadRound(db, id, now, true, rows)
    const late = new Set(rows)
    const only = onlySome(
      whole,
      whole.people.chosen.filter((row) => late.has(row.id)),
    )
    if (only.people.chosen.length === 0) continue
    let behind: Behind
    try {
      behind = await settledProof(db, files, only, publicAddress, lateChasers)
      await sameContents(only, files)
    } catch (error) {
      if (error instanceof Refusal) return error.message
      throw error
    }
    const made = await freezeMessages(db, only, publicAddress)
    await db.transaction(async (tx) => {
      await insertMessages(tx, { ...only.round, notBefore: null }, made.length, made)
      const rows = made.map((one) => one.rowId)
      await markPosted(tx, only.round, made.length, rows, now)
      await noteEvent(tx, id, now, 'toppedUp', { ...behind, letters: made.length, paper: 0 })
    })
  }
  return null
}
const lateChasers = {
  of: 'The letters were posted; the proof of a chaser',
  nothing: 'The chasers to those who came late were not posted',
}

/**
 * The chasers of a round that is being posted, proofed and frozen: each letter in the thread of the one that it follows.
 * @param messages what they follow; taken only where there are chasers.
 */
async function readyChasers(
  db: Database,
  files: FileStore,
  chasers: readonly number[],
  messages: Iterable<NewMessage>,
  now: number,
  publicAddress: PublicAddress,
  progress: JobContext['progress'],
): Promise<{ round: RoundRecord; loaded: LoadedRound; messages: NewMessage[]; behind: Behind }[]> {
  if (chasers.length === 0) return []
  const first = asFirst([...messages])
  const ready = []
  for (const id of chasers) {
    const loaded = await loadRound(db, id, now, true)
    const { title } = loaded.round
    const behind = await settledProof(db, files, loaded, publicAddress, {
      of: `The proof of “${title}”`,
      nothing: 'Nothing was posted',
    })
    if (loaded.people.chosen.length === 0)
      throw new Refusal(
        409,
        `“${title}” would go to nobody. Choose whom it goes to, or take it away. Nothing was posted.`,
        'Nobody to chase',
      )
    await sameContents(loaded, files)
    const { length } = loaded.people.chosen
    const made = await freezeMessages(db, loaded, publicAddress, {
      first,
      onProgress: (n) => progress(n, length, 'Making chasers'),
    })
    ready.push({ round: loaded.round, loaded, messages: made, behind })
  }
  return ready
}

/** Refuses what is posted already, or of which those who came late are to be posted before all others are. */
function refuseUnless(late: boolean, posted: boolean): void {
  if (late === posted) return
  if (posted)
    throw new Refusal(409, 'This round is posted already. Nothing was posted a second time.', 'Already posted')
  throw new Refusal(409, 'This round is not posted yet, so nobody can come late to it. Post it first.', 'Not posted')
}

/**
 * Writes a round as posted, whose messages are written. The transaction has its turn: what the database is told here locks the table to the end.
 * @param count how many messages that was.
 * @param late the rows of those who came late to it; null is of one that is posted first. With the other, it is refused.
 */
async function markPosted(
  tx: Database,
  { id, chases }: RoundRecord,
  count: number,
  late: number[] | null,
  now: number,
): Promise<void> {
  const taken = await tx.query(
    `UPDATE rounds SET posted_at = coalesce(posted_at, $2), changed_at = $2,
       turn = CASE WHEN posted_at IS NULL THEN (SELECT coalesce(max(o.turn), 0) + 1 FROM rounds o WHERE o.mailbox_id = rounds.mailbox_id AND o.posted_at IS NOT NULL) ELSE turn END
     WHERE id = $1 AND (posted_at IS NOT NULL) = $3 RETURNING id`,
    [id, now, late !== null],
  )
  if (taken.length === 0) refuseUnless(late !== null, late === null)
  await tellPlanner(tx, 'messages', count)
  if (chases !== null) await linkChasers(tx, id, late)
}
