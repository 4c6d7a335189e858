import { randomBytes } from 'node:crypto'
import { routes } from '@hand-post/contract'
import { timetableSentence } from '@hand-post/core'
import { noteDeed } from '../accounts/deeds.ts'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Examiner } from '../enclosures/examiner.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { type Desk, handle } from '../http/handle.ts'
import { keepVersion } from '../letter/shelfStore.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { allowanceOf, mailboxById } from '../mailboxes/store.ts'
import type { PeopleJobs } from '../people/jobs.ts'
import { notFound, Refusal } from '../problem.ts'
import { chasersOf } from '../rounds/chasers.ts'
import { noteEvent } from '../rounds/events.ts'
import { type PublicAddress, underKey } from '../rounds/freeze.ts'
import type { RoundJobs } from '../rounds/jobs.ts'
import { frozenOfRow, insertOnceMore } from '../rounds/messages.ts'
import { markPaper } from '../rounds/paperLetters.ts'
import { beginAmending, giveUpAmending } from '../rounds/postedVersions.ts'
import {
  changeDispatch,
  draftById,
  endedAlready,
  paperCountsOf,
  type RoundRecord,
  roundById,
  statesOf,
} from '../rounds/store.ts'
import { wholeRound } from '../rounds/wholeRound.ts'
import type { Computes, RunOptions } from '../threads/job.ts'
import type { Works } from '../threads/works.ts'
import { calendarOf } from './calendar.ts'
import { openWords } from './chasers.ts'
import type { Dispatcher } from './dispatcher.ts'
import type { DispatchJobs } from './jobs.ts'
import * as lines from './lines.ts'
import { noticesAfter } from './notices.ts'
import * as messages from './store.ts'

/** How many people an event names. */
const maxNamed = 20
/** How many lines the out-tray gives at once. */
const maxInTray = 2000
/** How many letters are posted in the thread of the proof, which has the round at hand; more have one of their own. */
const few = 10_000

/** What the routes of dispatch need. */
export interface DispatchParts {
  db: Database
  clock: Clock
  compute: Computes<PeopleJobs & RoundJobs & DispatchJobs>
  files: FileStore
  dispatcher: Dispatcher
  examiner: Examiner
  publicAddress: PublicAddress
  publish: Publish
  works: Works
}

/** The timetable, posting, and what becomes of each message. */
export function dispatchRoutes(desk: Desk, parts: DispatchParts): void {
  const { db, clock, compute, files, dispatcher, examiner, publicAddress, publish, works } = parts
  const changed = (id: number) => publish({ topic: 'round', id })
  const posted = async (id: number) => {
    const round = await roundById(db, id)
    if (round.postedAt === null)
      throw new Refusal(409, `“${round.title}” is not posted yet, so nothing of it is under way.`, 'Not posted')
    return round
  }
  const amendingNow = ({ title }: RoundRecord) =>
    new Refusal(
      409,
      `“${title}” is being amended. Post the change, or give it up, first. Nothing was done.`,
      'Being amended',
    )
  /** Refuses to begin anything for a round that is ended, or of one that is amended. */
  const goesOn = (round: RoundRecord) => {
    if (round.amendingSince !== null) throw amendingNow(round)
    if (round.endedAt !== null) throw endedAlready(round)
  }
  const again = async (mailboxId: number, roundId: number) => {
    dispatcher.touch(mailboxId, roundId)
    await dispatcher.planAnew(mailboxId)
    publish({ topic: 'messages', id: roundId })
    publish({ topic: 'round', id: roundId })
  }

  handle(desk, routes.messages, ({ params, query }) => lines.messagesOf(db, params.round, query))
  handle(desk, routes.messageLines, ({ params, query }) => lines.partOfMessages(db, params.round, query, query))
  handle(desk, routes.hold, async ({ params }) => {
    const round = await posted(params.round)
    await messages.setHeld(db, round.id, true, clock.now())
    dispatcher.letGo(round.id)
    await again(round.mailboxId, round.id)
    return {}
  })
  handle(desk, routes.carryOn, async ({ params }) => {
    const round = await posted(params.round)
    if (!(await messages.setHeld(db, round.id, false, clock.now()))) throw amendingNow(round)
    await again(round.mailboxId, round.id)
    return {}
  })
  /** Withdraws letters of a round, or all; those too that were claimed and are not in hand. */
  const withdrawn = async (round: RoundRecord, only: number[] | null) => {
    const gone = await dispatcher.whileAside(round.id, () => messages.withdraw(db, round.id, only, clock.now()))
    await again(round.mailboxId, round.id)
    return gone
  }
  handle(desk, routes.withdraw, async ({ params }) => {
    const round = await posted(params.round)
    const paper = await db.transaction(async (tx) => {
      const n = await markPaper(tx, round.id, null, 'withdrawn', clock.now())
      if (n > 0) await noteEvent(tx, round.id, clock.now(), 'withdrawn', { letters: 0, paper: n })
      return n
    })
    const { letters, copies } = await withdrawn(round, null)
    return { withdrawn: letters, copies, paper }
  })
  handle(desk, routes.withdrawSome, async ({ params, body }) => {
    const { letters } = await withdrawn(await posted(params.round), body.letters)
    return { withdrawn: letters }
  })
  handle(desk, routes.waitingBy, async ({ params, body, gone }) => {
    const { id } = await posted(params.round)
    const given = { roundId: id, selection: body.selection, now: clock.now() }
    return { letters: await compute.run('waitingBy', given, { signal: gone }) }
  })

  /** Has what is to chase a round follow its letters as they are now. */
  const renewAll = async (roundId: number, onProgress: RunOptions['onProgress']) => {
    for (const { id, postedAt, amendingSince } of await chasersOf(db, roundId)) {
      if (postedAt === null || amendingSince !== null) continue
      const given = { roundId: id, rows: null, now: clock.now(), publicAddress }
      const { open } = await compute.run('renewChasers', given, { onProgress })
      if (open !== null) await messages.holdItself(db, id, openWords(open), clock.now())
      changed(id)
    }
  }

  handle(desk, routes.beginAmending, async ({ params }) => {
    const round = await posted(params.round)
    const { waiting, retrying, sending } = await statesOf(db, round.id)
    const { toPrint } = await paperCountsOf(db, round.id)
    if (waiting + retrying + sending + toPrint === 0)
      throw new Refusal(
        409,
        `Nothing of “${round.title}” waits any more, so there is nothing to amend.`,
        'Nothing waits',
      )
    const letter = await beginAmending(db, round.id, clock.now())
    await keepVersion(db, { roundId: round.id }, letter, clock.now(), true)
    dispatcher.letGo(round.id)
    await dispatcher.atRest(round.id)
    return leaving(round)
  })
  handle(desk, routes.amendment, async ({ params, gone }) => {
    const { id } = await posted(params.round)
    return compute.run('amendment', { roundId: id, now: clock.now(), publicAddress }, { signal: gone })
  })
  handle(desk, routes.postAmendment, async ({ params, body }) => {
    const round = await posted(params.round)
    await examiner.soon(round.id)
    await works.long({ what: 'amending', round: round.id }, null, async (options) => {
      const given = { expected: body.letters, print: body.print, now: clock.now(), publicAddress }
      await compute.run('amend', { roundId: round.id, ...given }, { ...options, gently: true })
      // Posted by now, it is not stopped any more.
      await renewAll(round.id, options.onProgress)
    })
    return leaving(round)
  })
  handle(desk, routes.giveUpAmendment, async ({ params }) => {
    const round = await posted(params.round)
    await giveUpAmending(db, round.id, clock.now())
    return leaving(round)
  })

  const leftAlready = () =>
    new Refusal(409, 'This letter does not wait any more: it has left, or is leaving. Nothing was changed.', 'Has left')
  handle(desk, routes.moveLetter, async ({ params, body }) => {
    const { roundId } = await lines.messageLine(db, params.message)
    const { mailboxId } = await roundById(db, roundId)
    if (!(await messages.moveLetter(db, params.message, body.to))) throw leftAlready()
    await again(mailboxId, roundId)
    return {}
  })
  handle(desk, routes.withdrawLetter, async ({ params }) => {
    const { roundId } = await lines.messageLine(db, params.message)
    const { letters } = await withdrawn(await roundById(db, roundId), [params.message])
    if (letters === 0) throw leftAlready()
    return {}
  })
  handle(desk, routes.changeTurns, async ({ params, body }) => {
    const { id } = await mailboxById(db, params.mailbox)
    await messages.changeTurns(db, id, body.rounds, body.evenly)
    await dispatcher.planAnew(id)
    publish({ topic: 'mailboxes', id })
    return {}
  })

  const nothingToSettle = () =>
    new Refusal(409, 'Nothing of this is in doubt (any more). Nothing was changed.', 'Nothing to settle')
  /** Settles letters and copies of one mailbox by the writer's word. */
  const settle = async (
    mailboxId: number,
    roundId: number,
    { letters, copies }: { letters: messages.Doubtful[]; copies: messages.DoubtfulCopy[] },
    went: boolean,
  ) => {
    if (letters.length + copies.length === 0) throw nothingToSettle()
    const now = clock.now()
    // What lies in Sent has gone, whatever was meant: nobody gets two.
    const there = went ? new Map<number, number>() : await dispatcher.lookOnceMore(mailboxId, letters)
    await messages.markSent(
      db,
      letters
        .filter(({ id }) => went || there.has(id))
        .map(({ id, date }) => ({
          id,
          at: there.get(id) ?? date,
          copiesAt: now,
          answer: there.has(id) ? 'Found in Sent: it had gone.' : 'The writer says that it went.',
        })),
    )
    if (!went) for (const { id } of letters) if (!there.has(id)) await messages.sendAgain(db, id, now)
    if (went)
      await messages.writeProgress(
        db,
        [
          {
            copies: copies.map(({ id, claimedAt }) => ({ id, at: claimedAt, answer: 'The writer says that it went.' })),
          },
        ],
        now,
        null,
      )
    // Where a letter has gone after all, so may have its copies: they stay in doubt.
    const settled = went ? copies : copies.filter(({ letter }) => !there.has(letter))
    if (!went) for (const { id } of settled) await messages.sendCopyAgain(db, id)
    const counted = letters.length + settled.length - there.size
    if (counted + there.size > 0)
      await noteEvent(db, roundId, now, 'settled', { went, letters: counted, found: there.size })
    await again(mailboxId, roundId)
    return { settled: counted, found: there.size }
  }
  handle(desk, routes.settleDoubt, async ({ params, body }) => {
    const { roundId } = await lines.messageLine(db, params.message)
    const { mailboxId } = await roundById(db, roundId)
    const letters = (await messages.askingDoubts(db, roundId)).letters.filter(({ id }) => id === params.message)
    return settle(mailboxId, roundId, { letters, copies: [] }, body.went)
  })
  handle(desk, routes.settleCopy, async ({ params, body }) => {
    const roundId = await messages.roundOfCopy(db, params.copy)
    const { mailboxId } = await roundById(db, roundId)
    const copies = (await messages.askingDoubts(db, roundId)).copies.filter(({ id }) => id === params.copy)
    return settle(mailboxId, roundId, { letters: [], copies }, body.went)
  })
  handle(desk, routes.settleDoubts, async ({ params, body }) => {
    const round = await posted(params.round)
    return settle(round.mailboxId, round.id, await messages.askingDoubts(db, round.id), body.went)
  })
  handle(desk, routes.rawMessage, async ({ params, res }) => {
    const frozen = await messages.frozenById(db, params.message)
    const raw = await composeRaw(frozen, frozen.sentAt ?? frozen.plannedAt ?? clock.now(), files)
    res.set({ 'content-type': 'message/rfc822', 'content-disposition': 'attachment; filename="message.eml"' }).send(raw)
    return undefined
  })
  handle(desk, routes.notices, async ({ query }) => {
    const away = (await hidden(db)).rounds
    return (await noticesAfter(db, query.after)).filter(({ roundId }) => !away.has(roundId))
  })
  handle(desk, routes.outTray, async () => {
    const away = (await hidden(db)).rounds
    const shown = (one: { rounds: { id: number }[] }) => one.rounds.every(({ id }) => !away.has(id))
    return {
      waiting: await lines.outTrayCount(db, away),
      messages: await lines.outTray(db, maxInTray, away),
      // In which order rounds take turns is for those who see all of them.
      sharing: (await messages.sharing(db)).filter(shown),
    }
  })

  const timetable = async (round: RoundRecord) => {
    const now = clock.now()
    if (round.postedAt === null) return compute.run('timetable', { roundId: round.id, now })
    const mailbox = await mailboxById(db, round.mailboxId)
    const limits = await limitsOf(db, mailbox, now)
    const departures = await messages.departuresOfRound(db, round.id)
    const { held, unplanned, never } = await messages.withoutTime(db, round.id, round.held)
    const table = {
      departures,
      others: await messages.departuresOfOthers(db, round.mailboxId, round.id, departures[0]?.at ?? now),
      never,
      limits,
      pace: round.dispatch,
      allowance: await allowanceOf(db, round.mailboxId, limits, now),
    }
    return { ...table, sentence: timetableSentence({ ...table, held, unplanned }, now) }
  }
  handle(desk, routes.timetable, async ({ params }) => timetable(await roundById(db, params.round)))
  handle(desk, routes.calendar, async ({ params, res }) => {
    const round = await roundById(db, params.round)
    const { departures, limits } = await timetable(round)
    res
      .set({
        'content-type': 'text/calendar; charset=utf-8',
        'content-disposition': 'attachment; filename="timetable.ics"',
      })
      .send(calendarOf({ id: round.id, title: round.title, now: clock.now() }, departures, limits.zone))
    return undefined
  })
  handle(desk, routes.planGiven, async ({ params, gone }) => {
    const round = await roundById(db, params.round)
    return compute.run('planGiven', { roundId: round.id, now: clock.now() }, { signal: gone })
  })
  handle(desk, routes.changePace, async ({ params, body }) => {
    const round = await posted(params.round)
    await changeDispatch(db, round.id, body, clock.now())
    await noteDeed(db, clock.now(), 'pace', {}, round.id)
    await again(round.mailboxId, round.id)
    return wholeRound(parts, round.id)
  })
  handle(desk, routes.lastWord, async ({ params, gone }) => {
    const round = await draftById(db, params.round)
    return compute.run('lastWord', { roundId: round.id, now: clock.now() }, { signal: gone })
  })

  /** Posts a round, or a posted one to its late-comers. It goes on when the caller goes away: done wholly or not at all. */
  const post = async (
    round: RoundRecord,
    { messages: expected, paper: onPaper, print }: { messages: number; paper: number; print?: string },
    late: boolean,
  ) => {
    await examiner.soon(round.id)
    const given = { roundId: round.id, expected, onPaper, print, late, now: clock.now(), publicAddress }
    const { chasersNot } = await works.long({ what: 'posting', round: round.id }, null, (options) =>
      compute.run(expected > few ? 'postMany' : 'post', given, { ...options, gently: true }),
    )
    const whole = await leaving(round)
    if (chasersNot !== null) throw new Refusal(409, chasersNot, 'Chasers not posted')
    return whole
  }
  const leaving = async (round: RoundRecord) => {
    await dispatcher.planAnew(round.mailboxId)
    publish({ topic: 'rounds', id: null })
    changed(round.id)
    return wholeRound(parts, round.id)
  }
  handle(desk, routes.post, async ({ params, body }) => post(await draftById(db, params.round), body, false))
  handle(desk, routes.topUp, async ({ params, body }) => {
    const round = await roundById(db, params.round)
    goesOn(round)
    return post(round, body, true)
  })
  handle(desk, routes.sendToNew, async ({ params }) => {
    const round = await roundById(db, params.round)
    goesOn(round)
    await examiner.soon(round.id)
    await compute.run('sendToNew', {
      roundId: round.id,
      rowId: params.row,
      now: clock.now(),
      publicAddress,
    })
    await leaving(round)
    return {}
  })
  handle(desk, routes.sendOnceMore, async ({ params, body }) => {
    const round = await roundById(db, params.round)
    goesOn(round)
    const people = await Promise.all(
      body.rows.map(async ({ row, hadTimes }) => {
        const frozen = await frozenOfRow(db, round.id, row)
        if (!frozen) throw notFound('message')
        const key = randomBytes(16).toString('base64url')
        return {
          row,
          hadTimes,
          key,
          messageId: `<${key}@${frozen.messageId.replace(/^.*@|>$/g, '')}>`,
          contents: underKey(frozen.contents, frozen.key, key, publicAddress),
        }
      }),
    )
    await db.transaction(async (tx) => {
      const made = await insertOnceMore(tx, round.id, people, clock.now())
      if (made < people.length)
        throw new Refusal(
          409,
          'One of them has not had this letter as often as you saw, or it is on its way just now. Nothing was sent again; look once more.',
          'Changed meanwhile',
        )
      await noteEvent(tx, round.id, clock.now(), 'onceMore', {
        people: people.slice(0, maxNamed).map(({ contents: { to } }) => to.name || to.address),
        more: Math.max(0, people.length - maxNamed),
      })
    })
    await leaving(round)
    return { messages: people.length }
  })
}
