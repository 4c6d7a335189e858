import type { Amendment } from '@hand-post/contract'
import { mayPost, proofRound, type Standing, timetableOf, timetableSentence } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import type { Contents } from '../mailboxes/contents.ts'
import { Refusal } from '../problem.ts'
import { standsBehind } from '../proof/readLetters.ts'
import { needsSecondEyes } from '../proof/secondEyes.ts'
import { acceptedOf } from '../proof/store.ts'
import { sameContents, unreadOf, wholly } from '../proof/whole.ts'
import { noteEvent } from '../rounds/events.ts'
import { postingFingerprint } from '../rounds/fingerprint.ts'
import { freezeMessages, type PublicAddress } from '../rounds/freeze.ts'
import { freezePaper } from '../rounds/freezePaper.ts'
import { type LoadedRound, loadRound } from '../rounds/loadRound.ts'
import { amendMessages, type NewMessage, type WaitingLetter, waitingLetters } from '../rounds/messages.ts'
import { amendPaperLetters, type NewPaperLetter, paperLinesOf } from '../rounds/paperLetters.ts'
import { closeAmending, notAmending } from '../rounds/postedVersions.ts'
import { statesOf } from '../rounds/store.ts'
import type { JobContext } from '../threads/job.ts'
import { planGiven } from './planRound.ts'

/** How many people are named at most. */
const maxNamed = 200

/** Why a letter cannot be made anew, by how its row stands now. */
export const whyNot: Record<Exclude<Standing, 'in'> | 'gone', string> = {
  gone: 'Their row is not in the list any more.',
  onPaper: 'As the list is now, their letter goes on paper.',
  byRule: 'A rule leaves them out as their row is now.',
  setAside: 'They are set aside.',
  doNotWrite: 'They are on the do-not-write list.',
  joined: 'As the list is now, their message goes with that of another row of the same address.',
  notChased: 'They have no letter of the round that this one follows.',
  sameAddress: 'As the list is now, another row of the same address has the message.',
}

/** A round that is being amended, with what waits of it and as it would be now. */
interface Amended {
  loaded: LoadedRound
  waiting: WaitingLetter[]
  made: NewMessage[]
  /** Letters on paper that are not printed yet. */
  onPaper: NewPaperLetter[]
  cannot: Amendment['cannot']
}

/** Makes every letter that waits anew, under the Message-ID that it has. */
async function amended(
  db: Database,
  roundId: number,
  now: number,
  publicAddress: PublicAddress,
  onProgress: (made: number, of: number) => void,
): Promise<Amended> {
  const loaded = await loadRound(db, roundId, now, true)
  const { round, people } = loaded
  if (round.amendingSince === null) throw notAmending()
  const waiting = await waitingLetters(db, roundId)
  const known = new Map(waiting.map((one) => [one.rowId, one]))
  const made =
    round.addressColumn === null
      ? []
      : await freezeMessages(db, loaded, publicAddress, { onProgress: (n) => onProgress(n, waiting.length), known })
  const makes = new Set(made.map((one) => one.rowId))
  const cannot = waiting
    .filter(({ rowId }) => !makes.has(rowId))
    .map(({ rowId, person }) => {
      const standing = people.standing.get(rowId)
      return { rowId, person, why: whyNot[standing === undefined || standing === 'in' ? 'gone' : standing] }
    })
  const onPaper = await freezePaper(db, loaded)
  const remade = new Set(onPaper.map((one) => one.rowId))
  for (const { rowId, person, state } of await paperLinesOf(db, roundId))
    if (state === 'toPrint' && !remade.has(rowId)) {
      const standing = people.standing.get(rowId)
      const why =
        standing === 'in' ? notOnPaper : whyNot[standing === undefined || standing === 'onPaper' ? 'gone' : standing]
      cannot.push({ rowId, person, why })
    }
  return { loaded, waiting, made, onPaper, cannot }
}

const notOnPaper = 'As the list is now, they get a message, and their letter was posted on paper.'

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const files = ({ files }: Contents) => files.map(({ name, hash }) => [name, hash])
const person = ({ name, address }: Contents['to']) => [name, address]

/** In what a letter differs from the one that it takes the place of. */
const differences: Record<keyof Amendment['differ'], (was: Contents, is: Contents) => boolean> = {
  subject: (was, is) => was.subject !== is.subject,
  words: (was, is) =>
    was.html !== is.html ||
    was.text !== is.text ||
    was.to.name !== is.to.name ||
    !same(
      was.pictures.map((p) => p.hash),
      is.pictures.map((p) => p.hash),
    ),
  enclosures: (was, is) => !same(files(was), files(is)),
  sender: (was, is) => !same([person(was.from), was.replyTo ?? []], [person(is.from), is.replyTo ?? []]),
  copies: (was, is) => !same([was.cc, was.bcc], [is.cc, is.bcc]),
  address: (was, is) => was.to.address !== is.to.address,
}
const kinds = Object.keys(differences) as (keyof Amendment['differ'])[]

/** A print of what is amended: of the round, and of which letters wait. */
const printOf = async (db: Database, roundId: number) => {
  const [{ letters }] = await db.query<{ letters: string }>(
    `SELECT md5(concat_ws('|', (SELECT string_agg(id::text, ',' ORDER BY id) FROM messages WHERE round_id = $1 AND state IN ('waiting', 'retrying')),
       (SELECT string_agg(id::text, ',' ORDER BY id) FROM paper_letters WHERE round_id = $1 AND state = 'toPrint'))) AS letters`,
    [roundId],
  )
  return `${await postingFingerprint(db, roundId)}-${letters}`
}

/** Amending what waits of a posted round. */
export const amendJobs = {
  /** What is said before an amendment is posted. */
  async amendment(
    { roundId, now, publicAddress }: { roundId: number; now: number; publicAddress: PublicAddress },
    { db, progress }: JobContext,
  ): Promise<Amendment> {
    const print = await printOf(db, roundId)
    const { loaded, waiting, made, onPaper, cannot } = await amended(db, roundId, now, publicAddress, (n, of) =>
      progress(n, of, 'Comparing letters'),
    )
    const was = new Map(waiting.map((one) => [one.rowId, one.contents]))
    const differ = { subject: 0, words: 0, enclosures: 0, sender: 0, copies: 0, address: 0 }
    const addresses: Amendment['addresses'] = []
    let unchanged = 0
    for (const { rowId, person, contents } of made) {
      const before = was.get(rowId)!
      const found = kinds.filter((kind) => differences[kind](before, contents))
      for (const kind of found) differ[kind]++
      if (found.length === 0) unchanged++
      if (found.includes('address') && addresses.length < maxNamed)
        addresses.push({ rowId, person, was: before.to.address, is: contents.to.address })
    }
    const states = await statesOf(db, roundId)
    const given = await planGiven(db, loaded, now)
    const { afterwards: _, ...planned } = timetableOf(given)
    return {
      print,
      letters: made.length,
      paper: onPaper.length,
      same: unchanged,
      differ,
      addresses,
      sent: states.sent,
      inDoubt: states.inDoubt + states.sending,
      cannot: cannot.slice(0, maxNamed),
      sentence: timetableSentence(
        { ...planned, limits: given.limits, pace: loaded.round.dispatch, held: 0, unplanned: 0 },
        now,
      ),
    }
  },

  /** Posts an amendment: proofs what waits once more, and puts the letters made anew in the place of those that were posted. */
  async amend(
    {
      roundId,
      expected,
      print,
      now,
      publicAddress,
    }: { roundId: number; expected: number; print: string; now: number; publicAddress: PublicAddress },
    { db, files, progress }: JobContext,
  ): Promise<number> {
    const changedMeanwhile = () =>
      new Refusal(
        409,
        'The round, its list, or what waits of it was changed since you saw it. Nothing was posted, and everything is still held; look at it once more.',
        'Changed meanwhile',
      )
    if ((await printOf(db, roundId)) !== print) throw changedMeanwhile()
    const { loaded, made, onPaper, cannot } = await amended(db, roundId, now, publicAddress, (n, of) =>
      progress(n, of, 'Making messages'),
    )
    if (cannot.length > 0)
      throw new Refusal(
        409,
        `${cannot[0].person}’s letter waits and cannot be made anew${cannot.length > 1 ? `, nor can ${cannot.length - 1} more` : ''}: ${cannot[0].why} Withdraw it, or bring the row back. Nothing was posted.`,
        'Cannot be amended',
      )
    if (made.length !== expected || made.length + onPaper.length === 0) throw changedMeanwhile()
    const findings = proofRound(await wholly(db, files, loaded, publicAddress))
    if (unreadOf(loaded.toProof) > 0)
      throw new Refusal(
        409,
        'Some of the files are still being examined. Nothing was posted; try again in a moment.',
        'Not examined yet',
      )
    if (!mayPost(findings, new Set((await acceptedOf(db, roundId)).keys())))
      throw new Refusal(
        409,
        'The proof has something to settle. Nothing was posted; look at Proof first.',
        'Not settled',
      )
    await sameContents(loaded, files)
    const changedBy = await needsSecondEyes(db, loaded)
    const behind = { ...(await standsBehind(db, loaded, findings)), ...(changedBy === null ? {} : { changedBy }) }
    return db.transaction(async (tx) => {
      if ((await printOf(tx, roundId)) !== print) throw changedMeanwhile()
      const version = await closeAmending(tx, roundId, now)
      if ((await amendMessages(tx, roundId, version, made)) !== made.length) throw changedMeanwhile()
      if ((await amendPaperLetters(tx, roundId, version, onPaper, now)) !== onPaper.length) throw changedMeanwhile()
      await noteEvent(tx, roundId, now, 'amended', {
        ...behind,
        version,
        letters: made.length,
        paper: onPaper.length,
      })
      return version
    })
  },
}
