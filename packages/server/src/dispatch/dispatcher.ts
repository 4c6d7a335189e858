import { createHash } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import {
  braking,
  brakingWords,
  capsAt,
  gapOf,
  isOfThisAlone,
  judgeFailure,
  type Limits,
  momentWords,
  nextTry,
  restAfter,
  restsUntilBehind,
  type SendFailure,
  saidLimit,
  type Verdict,
} from '@hand-post/core'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { contentsOfCopies } from '../mailboxes/contents.ts'
import { imapWords, sentPath, usingImap } from '../mailboxes/imap.ts'
import { limitsOf } from '../mailboxes/limits.ts'
import { SendError, SmtpConnection, type Taken } from '../mailboxes/smtp.ts'
import {
  afterClockWentBack,
  type MailboxRecord,
  mailboxById,
  mailboxRecords,
  noteHostFiles,
  noteSaidLimit,
  noteTaking,
  pauseMailbox,
  usedSince,
} from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import type { Leases } from '../processes/leases.ts'
import type { Peers } from '../processes/peers.ts'
import type { Guard } from '../processes/store.ts'
import type { Computes } from '../threads/job.ts'
import type { Chasers } from './chasers.ts'
import type { Notices } from './notices.ts'
import type { OtherMailReader } from './otherMail.ts'
import type { PlanJobs } from './planJobs.ts'
import * as store from './store.ts'

/** Writes what comes in singly together: whatever comes while one statement is being written goes into the next. */
function together<T>(write: (some: T[]) => Promise<void>): (one: T) => Promise<void> {
  const waiting: T[] = []
  let writing: Promise<void> | null = null
  return (one) => {
    waiting.push(one)
    writing ??= (async () => {
      await Promise.resolve()
      try {
        while (waiting.length > 0) await write(waiting.splice(0))
      } finally {
        // Whoever waited is told of a failure by the one promise.
        waiting.length = 0
        writing = null
      }
    })()
    return writing
  }
}

export interface DispatcherParts {
  db: Database
  clock: Clock
  compute: Computes<PlanJobs>
  files: FileStore
  keys: MailboxKeys
  publish: Publish
  log: Logger
  /** Which mailboxes are worked here. */
  leases: Pick<Leases, 'mine' | 'guardOf' | 'isFresh'>
  /** Tells whichever process works a mailbox. */
  peers: Pick<Peers, 'want' | 'tell'>
  /** This process, as others know it. */
  self: string
  /** Reads what left a mailbox by other ways. */
  otherMail?: Pick<OtherMailReader, 'read'>
  /** Sees to it that chasers go only to whom they are meant for. */
  chasers?: Pick<Chasers, 'judge' | 'clear' | 'nextUnfit'>
  /** Tells the writer without being looked at. */
  notices?: Pick<Notices, 'whenDone' | 'held' | 'whenInDoubt' | 'settleCutOff' | 'send'>
  /** How long (ms) a host that files sent mail itself is given for doing so. */
  hostFilesWithin?: number
}

/** How many connections a mailbox is given when many messages are due at once. */
const maxLines = 5
const day = 24 * 60 * 60 * 1000
/** How many messages are claimed for each connection at once. */
const claimedForEach = 20
/** How often (ms) it is told what has become of letters while they leave. */
const tellEvery = 1000
/** How long a connection that is not needed is kept open. */
const keepLine = 30_000
/** How long (ms) limits that were worked out hold while letters leave. */
const limitsHold = 10_000
/** A message that is this much later than planned means that time was lost; what waits is planned anew then. */
const lateness = 60_000
/** How many letters are planned where others wait for it. */
const few = 5000
/** From which rest (ms) on it is kept with the rounds that nothing could leave. */
const longRest = 10 * 60_000
/** Why letters have left late. */
const notRunning = 'Hand Post was not running then.'
const asleep = 'This machine was asleep then, or its clock was put forward.'
const hostSlow = 'The mail host takes longer for each letter than the pace gives it.'
/** How many letters are filed until it is looked for more, on how many connections, and for how many one more is worth opening. */
const atOnce = 200
const maxFilingLines = 3
const worthALine = 15
/** Octets of letters that have gone which are kept in memory until they are filed. */
const maxOctetsKept = 50_000_000
/** How often (ms) it is looked whether more has gone, while letters leave. */
const lookForMore = 40
/** How often (ms) it is looked whether letters wait for a time that nobody gives them: planning a million takes most of that. */
const lookForUnplanned = 60_000
/** How often (ms) it is looked whether something is due that nobody has told of: before it counts as late, for no machine was asleep then. */
const lookForDue = lateness / 2
/** How long (ms) after something has come it is looked at who is chased. */
const judgeAfter = 500
/** Minutes until a copy that Sent did not take is tried again. */
const filingGaps = [1, 5, 30, 120, 720]
/** How long (ms) a host that files sent mail itself is given for the first letter of a round. */
const hostFilesWithin = 4000
/** How long after a doubt the Sent folder of a host that files by itself is looked at once more. */
const lookAgain = 60_000

/** How often (ms), and how many times, it is looked whether a round that was held is at rest. */
const restEvery = 50
/** How long (ms) letters of a round are set aside at most, should whoever did so be gone. */
const maxAside = 5 * 60_000
const restTries = 60

/** What a host asks of a whole mailbox. */
type Rest = Extract<Verdict, { do: 'pause' | 'stop' }>

/** Whether a host said something of the very message: an answer to its envelope or to itself, and not to the line. */
const isOfMessage = ({ stage, code }: SendFailure) =>
  (stage === 'envelope' || stage === 'message') && code !== null && code !== 421

/** What a host wants, told by what became of others: see {@link isOfThisAlone}. */
const judged = (failure: SendFailure, address: string, ofMessage: number, ofMailbox: number): Verdict => {
  const verdict = judgeFailure(failure, [address])
  return verdict.do === 'pause' && isOfMessage(failure) && isOfThisAlone(ofMessage, ofMailbox)
    ? {
        do: 'retry',
        minutes: verdict.minutes,
        words: `The others were taken, so this one waits alone. ${verdict.words}`,
      }
    : verdict
}

const recipientsOf = ({ copies, contents }: store.Claimed): string[] =>
  copies ? copies.map((c) => c.address) : [contents.to.address]

const ordinal = (n: number) => (n === 2 ? 'second' : n === 3 ? 'third' : `${n}th`)

/** Sends what is due, mailbox by mailbox: plans, claims, hands over, writes the outcome, and files in Sent. */
export class Dispatcher {
  private readonly running = new Map<number, { again: boolean; done: Promise<void> }>()
  /** What is done first at a mailbox: whoever wakes it waits for that. */
  private readonly begun = new Map<number, Promise<void>>()
  private readonly timers = new Map<number, { timer: NodeJS.Timeout; at: number }>()
  private readonly filing = new Map<number, Promise<void>>()
  /** Mailboxes for which filing was asked while it went on: what was sent meanwhile may have been missed. */
  private readonly fileAgain = new Set<number>()
  private readonly lines = new Map<number, { lines: SmtpConnection[]; closing?: NodeJS.Timeout }>()
  /** What this process sent and never tried to file: its copy cannot be in Sent yet. With its bytes, as long as there is room for them. */
  private readonly sentHere = new Map<number, Buffer | null>()
  private octetsKept = 0
  /** Mailboxes that letters leave from just now, with how many were claimed. */
  private readonly sending = new Map<number, number>()
  /** Rounds that were held while letters of theirs may have been claimed, each with which hold that was: what was not begun goes back. */
  private readonly holding = new Map<number, number>()
  private holds = 0
  /** The last hold that may have been of any round. */
  private allHeld = 0
  /** Rounds of each mailbox of which something has changed since it was looked whether they are done. */
  private readonly touched = new Map<number, Set<number>>()
  private judging: NodeJS.Timeout | null = null
  /** Mailboxes in which something was changed that could not be planned. */
  private readonly toPlan = new Set<number>()
  /** How many letters of each mailbox had no time when it was last looked, and how often it had been planned by then. */
  private unplanned = new Map<number, string>()
  private looking: NodeJS.Timeout[] = []
  private ended = false

  constructor(private readonly parts: DispatcherParts) {}

  /** Takes up the work at a mailbox where it was left: settles what was cut off, plans what waits from now, and begins. */
  async begin(mailboxId: number): Promise<void> {
    const guard = this.parts.leases.guardOf(mailboxId)
    if (this.ended || guard === undefined) return
    const begun = this.takeUp(mailboxId, guard)
    this.begun.set(
      mailboxId,
      begun.catch(() => this.wakeAt(mailboxId, 5000)),
    )
    await begun
  }

  private async takeUp(mailboxId: number, guard: Guard): Promise<void> {
    await this.parts.notices?.settleCutOff(mailboxId)
    await store.noteFollowing(this.parts.db, mailboxId)
    await store.settleCutOff(this.parts.db, mailboxId, guard)
    await this.late(mailboxId, notRunning)
    await this.replan(mailboxId)
    this.wake(mailboxId)
  }

  /** Leaves a mailbox to another process: fulfilled when nothing is being sent or filed any more. */
  async leave(mailboxId: number): Promise<void> {
    clearTimeout(this.timers.get(mailboxId)?.timer)
    this.timers.delete(mailboxId)
    await this.running.get(mailboxId)?.done
    for (let filing = this.filing.get(mailboxId); filing; filing = this.filing.get(mailboxId)) await filing
    this.closeLines(mailboxId)
  }

  private closeLines(mailboxId: number): void {
    const held = this.lines.get(mailboxId)
    this.lines.delete(mailboxId)
    clearTimeout(held?.closing)
    for (const line of held?.lines ?? []) line.close()
  }

  /** Lets a mailbox look for what is due, wherever it is worked. Safe to call at any time. */
  wake(mailboxId: number): void {
    if (this.ended) return
    if (!this.parts.leases.mine(mailboxId)) return this.parts.peers.want(mailboxId, { do: 'wake' })
    const run = this.running.get(mailboxId)
    if (run) {
      run.again = true
      return
    }
    const state = { again: false, done: Promise.resolve() }
    this.running.set(mailboxId, state)
    state.done = (async () => {
      await this.begun.get(mailboxId)
      do {
        state.again = false
        await this.work(mailboxId).catch((error) => {
          this.parts.log.error({ mailboxId, error: String(error) }, 'dispatch')
          this.wakeAt(mailboxId, 5000)
        })
      } while (state.again && !this.ended)
      this.running.delete(mailboxId)
    })()
  }

  /** Lets every mailbox that is worked here look for what is due. */
  async wakeAll(): Promise<void> {
    for (const { id } of await mailboxRecords(this.parts.db)) if (this.parts.leases.mine(id)) this.wake(id)
  }

  /** Has it looked at who is chased, a moment later: answers come by the dozen. */
  judgeSoon(): void {
    if (this.judging || this.ended) return
    this.judging = setTimeout(() => {
      this.judging = null
      store.mailboxesOfChasers(this.parts.db).then(
        (some) => {
          for (const id of some) if (this.parts.leases.mine(id)) this.wake(id)
        },
        (error) => this.parts.log.warn({ error: String(error) }, 'chasers could not be looked at'),
      )
    }, judgeAfter)
    this.judging.unref()
  }

  /** Waits until nothing is being sent or filed just now. */
  async settled(): Promise<void> {
    while (this.running.size > 0 || this.filing.size > 0)
      await Promise.all([...[...this.running.values()].map((r) => r.done), ...this.filing.values()])
  }

  async close(): Promise<void> {
    this.ended = true
    if (this.judging) clearTimeout(this.judging)
    for (const timer of this.looking) clearInterval(timer)
    for (const { timer } of this.timers.values()) clearTimeout(timer)
    await this.settled()
    for (const id of [...this.lines.keys()]) this.closeLines(id)
  }

  /** Keeps what was due in a mailbox and has not left until now, with why: before it is planned anew. */
  async late(mailboxId: number, why: string): Promise<void> {
    const now = this.parts.clock.now()
    await store.noteLate(this.parts.db, mailboxId, now, lateness, why)
    await store.noteOnAgain(this.parts.db, mailboxId, now)
  }

  /** Plans everything that waits in a mailbox from now. */
  async replan(mailboxId: number): Promise<void> {
    const { db, clock, compute, publish } = this.parts
    const waiting = await store.waitingUpTo(db, mailboxId, few + 1)
    if (waiting > 0) await compute.run(waiting > few ? 'planMany' : 'planFew', { mailboxId, now: clock.now() })
    publish({ topic: 'messages', id: null })
  }

  /**
   * Plans what waits in a mailbox, once it was changed, and lets it look for what is due. What was changed stands: should planning fail, that
   * is said in the log, and it is tried again.
   */
  async planAnew(mailboxId: number): Promise<void> {
    await this.replan(mailboxId).catch((error) => {
      this.parts.log.error({ mailboxId, error: String(error) }, 'could not be planned, which is tried again')
      this.toPlan.add(mailboxId)
    })
    this.wake(mailboxId)
  }

  /** Looks again and again for letters that nobody has told this process of. */
  start(): void {
    const again = (ms: number, look: () => Promise<void>) =>
      setInterval(() => {
        look().catch((error) => this.parts.log.warn({ error: String(error) }, 'not looked for what is forgotten'))
      }, ms).unref()
    this.looking = [again(lookForUnplanned, () => this.planForgotten()), again(lookForDue, () => this.wakeForgotten())]
  }

  /**
   * Plans what could not be planned, and mailboxes worked here in which letters have waited for a time since the last look, while nothing was
   * planned there: a process that writes letters and ends before it has planned them leaves nobody who knows of them.
   */
  async planForgotten(): Promise<void> {
    const { db, leases } = this.parts
    const before = this.unplanned
    const found = (await store.unplannedIn(db)).filter(({ mailboxId }) => leases.mine(mailboxId))
    this.unplanned = new Map(found.map(({ mailboxId, planned, letters }) => [mailboxId, `${planned} ${letters}`]))
    const forgotten = [...this.unplanned].filter(([id, lacking]) => before.get(id) === lacking).map(([id]) => id)
    const wanted = new Set([...this.toPlan, ...forgotten])
    this.toPlan.clear()
    for (const id of wanted) if (!this.ended) await this.planAnew(id)
  }

  /**
   * Wakes mailboxes worked here in which something is due and nothing is being done: a process that plans letters and ends before it has told
   * whoever works their mailbox leaves nobody who knows when they leave.
   */
  async wakeForgotten(): Promise<void> {
    const { db, clock, leases } = this.parts
    for (const { id, stopped } of await mailboxRecords(db)) {
      if (stopped || !leases.mine(id) || this.running.has(id)) continue
      const due = store.earlier(await store.nextDue(db, id))
      if (due !== null && due <= clock.now()) this.wake(id)
    }
  }

  /** Has a round hold itself when too many of its letters were refused or came back, one of them just now. */
  async brake(roundId: number, messageId: number): Promise<void> {
    const { db, log, publish } = this.parts
    const brake = await store.brakeOf(db, roundId)
    if (brake === null) return
    const { fates, place } = await store.fatesAround(db, roundId, messageId, brake.since)
    if (place < 0) return
    const found = braking(fates, brake.share, place)
    if (found === null || !(await store.holdItself(db, roundId, brakingWords(found), this.parts.clock.now()))) return
    log.warn({ round: roundId, bad: found.bad.length, of: found.of }, 'the round holds itself')
    this.letGo(roundId)
    await this.parts.notices?.held(roundId)
    await this.planAnew(brake.mailboxId)
    publish({ topic: 'round', id: roundId })
    publish({ topic: 'rounds', id: null })
  }

  /** Has letters of a round that were claimed and are not in hand yet go back to waiting: it is held, or about to be changed. */
  letGo(roundId: number): void {
    this.letGoHere(roundId)
    this.parts.peers.tell({ do: 'letGo', round: roundId })
  }

  /** The same where another process has said so, or where one may have: of any round then. */
  letGoHere(roundId: number | null): void {
    this.holds++
    if (roundId === null) this.allHeld = this.holds
    else this.holding.set(roundId, this.holds)
  }

  /**
   * Does something to letters of a round that wait: what was claimed and is not in hand comes back first, and none is claimed meanwhile.
   * Whether the round is held is nobody's business here: it may be held, or carried on, in the midst of it.
   */
  async whileAside<T>(roundId: number, work: () => Promise<T>): Promise<T> {
    const { db, self } = this.parts
    const aside = await store.setRoundAside(db, roundId, self, maxAside)
    this.letGo(roundId)
    try {
      await this.atRest(roundId)
      return await work()
    } finally {
      await store.endAside(db, aside)
    }
  }

  /** Waits until nothing of a round is being handed over, but no longer than a while: what a host takes its time for is in hand. */
  async atRest(roundId: number): Promise<void> {
    for (let tries = 0; tries < restTries; tries++) {
      if ((await store.sendingOf(this.parts.db, roundId)) === 0) return
      await sleep(restEvery)
    }
  }

  /** Wakes a mailbox after `wait` milliseconds, unless it is woken sooner anyway: waking early does no harm. */
  private wakeAt(mailboxId: number, wait: number): void {
    // A timer holds at most 2^31 ms.
    const at = Date.now() + Math.min(Math.max(wait, 10), 2_000_000_000)
    const before = this.timers.get(mailboxId)
    if (before && before.at <= at) return
    clearTimeout(before?.timer)
    const timer = setTimeout(() => {
      this.timers.delete(mailboxId)
      this.wake(mailboxId)
    }, at - Date.now())
    timer.unref()
    this.timers.set(mailboxId, { timer, at })
  }

  private async work(mailboxId: number): Promise<void> {
    await this.letters(mailboxId)
    await this.tell(mailboxId)
  }

  /** Tells the writer of what has come to an end, and of what wants an answer. */
  private async tell(mailboxId: number): Promise<void> {
    const { db, notices, publish } = this.parts
    if (!notices || this.ended) return
    const rounds = new Set(this.touched.get(mailboxId))
    this.touched.delete(mailboxId)
    // Answers are seen where they were written.
    for (const id of await store.roundsOfAnswers(db, [...rounds])) {
      rounds.delete(id)
      publish({ topic: 'responses', id })
    }
    // Who was chased, and how often, is told of the round that was chased.
    for (const id of await store.chasedBy(db, [...rounds])) publish({ topic: 'responses', id })
    for (const id of rounds) await notices.whenDone(id)
    await notices.whenInDoubt(mailboxId)
    const mailbox = await mailboxById(db, mailboxId)
    if (mailbox.stopped || (mailbox.pausedUntil ?? 0) > this.parts.clock.now()) return
    const next = await notices.send(mailbox)
    if (next !== null) this.wakeAt(mailboxId, Math.max(1000, next - this.parts.clock.now()))
  }

  /** Has it looked whether a round of a mailbox is done, when its letters have been seen to. */
  touch(mailboxId: number, roundId: number): void {
    if (!this.parts.leases.mine(mailboxId)) return this.parts.peers.want(mailboxId, { do: 'touch', round: roundId })
    const rounds = this.touched.get(mailboxId)
    if (rounds) rounds.add(roundId)
    else this.touched.set(mailboxId, new Set([roundId]))
  }

  /** Sends what is due of a mailbox, as long as anything is. */
  private async letters(mailboxId: number): Promise<void> {
    const { db, clock, leases } = this.parts
    // The same for all of this run: should another process have worked at the mailbox in between, it is over.
    const guard = leases.guardOf(mailboxId)
    if (guard === undefined) return
    // Nobody else works at this mailbox: what still stands as being sent was cut off by a failure of the last run.
    await store.settleCutOff(db, mailboxId, guard)
    await this.lookForDoubtful(mailboxId)
    this.file(mailboxId)
    if (await afterClockWentBack(db, mailboxId, clock.now())) await this.replan(mailboxId)
    if (await this.parts.chasers?.judge(mailboxId)) await this.replan(mailboxId)
    // Worked out from all that has left: the same for as long as letters leave one after another.
    let limits: { value: Limits; at: number } | null = null
    let workedUntil: number | null = null
    for (;;) {
      if (this.ended || !leases.mine(mailboxId)) return
      const mailbox = await mailboxById(db, mailboxId)
      const now = clock.now()
      if (mailbox.stopped) return
      if (mailbox.pausedUntil !== null && mailbox.pausedUntil > now)
        return this.wakeAt(mailboxId, mailbox.pausedUntil - now)
      if (mailbox.pausedUntil !== null) {
        await pauseMailbox(db, mailboxId, { until: null, stopped: false, reason: null })
        this.parts.publish({ topic: 'mailboxes', id: mailboxId })
      }
      const next = await store.nextDue(db, mailboxId)
      const due = store.earlier(next)
      const unfit = (await this.parts.chasers?.nextUnfit(mailboxId)) ?? null
      if (unfit !== null) this.wakeAt(mailboxId, unfit - now)
      if (due === null) return
      if (due > now) return this.wakeAt(mailboxId, due - now)
      // The host counts other mail too: what of it is new takes from the allowance, and what waits is planned around it.
      if (next.letter !== null && (await this.parts.otherMail?.read(mailboxId))) {
        limits = null
        await this.replan(mailboxId)
        continue
      }
      if (now - due > lateness) {
        await this.late(mailboxId, workedUntil !== null && now - workedUntil < lateness ? hostSlow : asleep)
        await this.replan(mailboxId)
        const replanned = store.earlier(await store.nextDue(db, mailboxId))
        if (replanned !== null && replanned > clock.now()) continue
      }
      if (next.letter !== null && (await this.parts.chasers?.clear(mailbox))) {
        await this.replan(mailboxId)
        for (const id of await store.chaserRounds(db, mailboxId)) this.touch(mailboxId, id)
        continue
      }
      if (limits === null || Math.abs(clock.now() - limits.at) > limitsHold)
        limits = { value: await limitsOf(db, mailbox, clock.now()), at: clock.now() }
      const { holds } = this
      // Copies of letters that have gone first: they are the older ones, and the allowance is kept for them.
      const copies =
        next.copy !== null && next.copy <= clock.now()
          ? await store.claimCopies(db, mailboxId, clock.now(), maxLines * claimedForEach, guard)
          : []
      const claimed =
        copies.length > 0
          ? copies
          : await store.claimDue(
              db,
              mailboxId,
              clock.now(),
              capsAt(clock.now(), limits.value),
              maxLines * claimedForEach,
              guard,
            )
      if (claimed.length === 0) {
        // Due by the plan but not covered by the allowance: copies or another round took it. Plan anew around it.
        await this.replan(mailboxId)
        const later = store.earlier(await store.nextDue(db, mailboxId))
        return later === null ? undefined : this.wakeAt(mailboxId, Math.max(1000, later - clock.now()))
      }
      this.parts.publish({ topic: 'messages', id: claimed[0].roundId })
      await this.sendAll(mailbox, claimed, holds, guard)
      workedUntil = clock.now()
    }
  }

  /**
   * Hands over what was claimed on as many lines as are worth it. When the mailbox is held back, the rest goes back to waiting.
   * @param holdsBefore how many holds there were before it was claimed: what is held since is not begun.
   * @param guard that it was claimed by.
   */
  private async sendAll(
    mailbox: MailboxRecord,
    claimed: store.Claimed[],
    holdsBefore: number,
    guard: Guard,
  ): Promise<void> {
    const { db, clock, keys } = this.parts
    const held = this.lines.get(mailbox.id) ?? { lines: [] }
    clearTimeout(held.closing)
    this.lines.set(mailbox.id, held)
    const wanted = Math.min(maxLines, claimed.length)
    const access = keys.accessOf(mailbox)
    while (held.lines.length < wanted) held.lines.push(new SmtpConnection(access))

    const queue = [...claimed]
    const hostGap = gapOf(mailbox.settings.perMinute)
    let rest: Rest | null = null
    let anyTaken = false
    /** The mailbox rests, as the first answer of this lot asks for. */
    const restFor = async ({ roundId }: store.Claimed, asked: Rest) => {
      if (rest) return
      rest = asked
      if (asked.do === 'pause' && asked.slower) await this.slowDown(mailbox, roundId)
    }
    const note = together<store.Progress>((some) => store.writeProgress(db, some, clock.now(), guard))
    // A message is made while the one before it is on its way.
    const take = () => {
      const message = queue.shift()
      return message && { message, made: this.make(message) }
    }
    const serve = async (line: SmtpConnection) => {
      // What the host took is written at once, beside the next that is begun, and before it is written that that one is in hand.
      let written: Promise<void> = Promise.resolve()
      let lost: { error: unknown } | null = null
      for (let next = take(); next; ) {
        const { message, made } = next
        const held = Math.max(this.allHeld, this.holding.get(message.roundId) ?? 0) > holdsBefore
        if (rest || held || this.ended || !this.parts.leases.mine(mailbox.id)) {
          await this.putBack(message, rest?.words ?? '', guard)
          next = take()
          continue
        }
        const ready = await made
        if ('fault' in ready) {
          await this.noteFault(message, ready.fault, guard)
          next = take()
          continue
        }
        try {
          await line.open()
          next = take()
          const taken = await line.send(
            { from: message.contents.from.address, to: recipientsOf(message) },
            ready.raw,
            async () => {
              if (lost) throw lost.error
              await note(
                message.copies
                  ? { handingCopies: { ids: message.copies.map((c) => c.id), hash: ready.hash } }
                  : { handing: { id: message.id, date: ready.at, hash: ready.hash } },
              )
              // This process may have been stopped since the database has said so: what another has taken up is not sent here.
              if (!this.parts.leases.isFresh(guard))
                throw new Error('The mailbox may be worked by another process by now.')
            },
          )
          anyTaken = true
          if (!message.copies && mailbox.settings.imap && !mailbox.settings.hostFilesSent)
            this.keepForFiling(message.id, ready.raw)
          written = note(this.progressOf(message, ready.at, taken, hostGap))
          this.tellLog(message, 'taken by the host')
          written.catch((error) => {
            lost = { error }
          })
          for (const [address, failure] of taken.refused) {
            const asked = await this.noteCopyFailure(mailbox, message, address, failure, guard)
            if (asked) await restFor(message, asked)
          }
        } catch (error) {
          if (!(error instanceof SendError)) throw error
          if (next?.message === message) next = take()
          const asked = await this.noteFailure(mailbox, message, error, guard)
          if (asked) await restFor(message, asked)
          if (error.failure.code !== null) await line.reset()
        }
      }
      await written
    }
    this.sending.set(mailbox.id, claimed.length)
    // Filed beside the sending, as soon as the first has gone.
    this.file(mailbox.id)
    // What is shown of a long round keeps up with it: rows, slip and board are told in the same moment.
    const rounds = new Set(claimed.map((m) => m.roundId))
    for (const id of rounds) this.touch(mailbox.id, id)
    const telling = setInterval(() => {
      for (const id of rounds) this.parts.publish({ topic: 'messages', id })
    }, tellEvery)
    const ends = await Promise.allSettled(held.lines.slice(0, wanted).map(serve))
    clearInterval(telling)
    this.sending.delete(mailbox.id)
    const failed = ends.find((end) => end.status === 'rejected')
    if (failed) throw failed.reason
    if (anyTaken && mailbox.rests > 0) await noteTaking(db, mailbox.id)
    for (const id of rounds) this.parts.publish({ topic: 'messages', id })
    this.file(mailbox.id)
    held.closing = setTimeout(() => this.closeLines(mailbox.id), keepLine)
    held.closing.unref()
    if (rest) {
      await this.rest(mailbox, rest, anyTaken ? 0 : mailbox.rests)
      this.closeLines(mailbox.id)
      await this.replan(mailbox.id)
      this.parts.publish({ topic: 'mailboxes', id: mailbox.id })
    }
  }

  /** Takes note that the host asks a round to go slower: at the second time it goes at half its pace. */
  private async slowDown({ id, settings }: MailboxRecord, roundId: number): Promise<void> {
    const pace = await store.noteSlower(this.parts.db, roundId, settings.perMinute)
    if (pace === null) return
    this.parts.log.warn({ mailbox: id, round: roundId, ...pace }, 'the round goes slower')
    this.parts.publish({ topic: 'round', id: roundId })
  }

  /** Lets a mailbox rest as its host asked for, longer each time that nothing was taken between, and says how often that was. */
  private async rest({ id, settings, restingSince }: MailboxRecord, asked: Rest, before: number): Promise<void> {
    const { db, clock } = this.parts
    const now = clock.now()
    const since = before > 0 ? (restingSince ?? now) : now
    const often =
      before > 0
        ? ` This is the ${ordinal(before + 1)} time in a row, since ${momentWords(since, settings.timeZone)}; Hand Post waits longer each time.`
        : ''
    const until = asked.do === 'pause' ? now + restAfter(asked.minutes, before) * 60_000 : null
    if (until !== null && until - since > longRest) await store.notePutOff(db, id, since, until, asked.words)
    await pauseMailbox(db, id, {
      until,
      stopped: asked.do === 'stop',
      reason: `${asked.words}${often}`,
      rests: before + 1,
      since,
    })
  }

  /** Makes a message's bytes. The time of this is a letter's Date, and is kept: the copy in Sent is to be the same to the byte. */
  private async make(message: store.Claimed): Promise<{ raw: Buffer; at: number; hash: string } | { fault: string }> {
    const at = message.sentAt ?? this.parts.clock.now()
    try {
      const frozen = message.copies ? { ...message, contents: contentsOfCopies(message.contents) } : message
      const raw = await composeRaw(frozen, at, this.parts.files)
      return { raw, at, hash: createHash('sha256').update(raw).digest('hex') }
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error)
      return { fault: `The message could not be made: ${why}` }
    }
  }

  /** Keeps what was sent until it is filed, so that it need not be made twice. */
  private keepForFiling(id: number, raw: Buffer): void {
    const fits = this.octetsKept + raw.length <= maxOctetsKept
    if (fits) this.octetsKept += raw.length
    this.sentHere.set(id, fits ? raw : null)
  }

  /** Takes back what was kept of a letter for filing: its bytes, null where there was no room, undefined where it was not sent here. */
  private takeKept(id: number): Buffer | null | undefined {
    const kept = this.sentHere.get(id)
    this.sentHere.delete(id)
    this.octetsKept -= kept?.length ?? 0
    return kept
  }

  /** What is to be written of a message that the host took. */
  private progressOf(message: store.Claimed, at: number, { answer, refused }: Taken, hostGap: number): store.Progress {
    const now = this.parts.clock.now()
    if (message.copies)
      return {
        copies: message.copies.filter((c) => !refused.has(c.address)).map(({ id }) => ({ id, at: now, answer })),
      }
    const { cc, bcc } = message.contents
    return { accepted: { id: message.id, at, answer, copiesAt: cc.length + bcc.length > 0 ? now + hostGap : null } }
  }

  /** One line in the log for what became of a letter, or of its copies: by numbers, for a log is no place for addresses. */
  private tellLog({ id, roundId, copies }: store.Claimed, what: string): void {
    this.parts.log.info({ round: roundId, letter: id, ...(copies && { copies: copies.map((c) => c.id) }) }, what)
  }

  /** Puts back what was claimed and not begun. */
  private async putBack(message: store.Claimed, words: string, guard: Guard): Promise<void> {
    const { db } = this.parts
    if (!message.copies) return store.putBack(db, message.id, { reason: words, rests: message.rests }, guard)
    for (const { id, rests } of message.copies) await store.putCopyBack(db, id, { reason: words, rests }, guard)
  }

  /** What is written of a message that its host answered with a rest for the whole mailbox. */
  private restsOf(rests: number, failure: SendFailure, verdict: Rest) {
    const often = rests + (isOfMessage(failure) ? 1 : 0)
    const behind = verdict.do === 'pause' && often >= restsUntilBehind
    return {
      reason: verdict.words,
      rests: often,
      notBefore: behind ? this.parts.clock.now() + verdict.minutes * 60_000 : undefined,
    }
  }

  /** Writes that a message could not be made. */
  private async noteFault(message: store.Claimed, fault: string, guard: Guard): Promise<void> {
    const { db } = this.parts
    this.tellLog(message, 'could not be made')
    if (!message.copies) return store.markRefused(db, message.id, `${fault} Nothing was sent to this person.`, guard)
    for (const { id } of message.copies)
      await store.markCopy(db, id, { state: 'refused', reason: `${fault} This copy was not sent.` }, guard)
  }

  /** Writes that a letter's host does not take it, and looks whether that has happened too often. */
  private async refuse({ id, roundId }: store.Claimed, words: string, guard: Guard): Promise<void> {
    await store.markRefused(this.parts.db, id, words, guard)
    await this.brake(roundId, id)
  }

  /** Writes what became of a message that was not taken. Returns what it asks of the whole mailbox, if it does. */
  private async noteFailure(
    mailbox: MailboxRecord,
    message: store.Claimed,
    error: SendError,
    guard: Guard,
  ): Promise<Rest | null> {
    const { db, clock } = this.parts
    if (message.copies) {
      let asked: Rest | null = null
      for (const { address } of message.copies)
        asked =
          (await this.noteCopyFailure(mailbox, message, address, error.refused.get(address) ?? error.failure, guard)) ??
          asked
      return asked
    }
    const verdict = judged(error.failure, message.contents.to.address, message.rests, mailbox.rests)
    this.tellLog(message, `not taken: ${verdict.do}`)
    switch (verdict.do) {
      case 'refuse':
        await this.refuse(message, verdict.words, guard)
        return null
      case 'doubt':
        await store.markInDoubt(db, message.id, verdict.words, guard)
        this.wakeAt(mailbox.id, 2000)
        return null
      case 'retry': {
        const at = nextTry(clock.now(), message.attempts, verdict.minutes)
        if (at === null)
          await this.refuse(message, `Tried ${message.attempts} times, and put off each time. ${verdict.words}`, guard)
        else await store.markRetrying(db, message.id, at, verdict.words, guard)
        return null
      }
      default:
        await store.putBack(db, message.id, this.restsOf(message.rests, error.failure, verdict), guard)
        await this.noteSaid(mailbox, error.failure.text, message.contents.to.address, verdict)
        return verdict
    }
  }

  /** Keeps what a host has said of its limits, where it is less than the mailbox's own: it is offered as the new one. */
  private async noteSaid({ id, settings }: MailboxRecord, text: string, address: string, verdict: Rest): Promise<void> {
    if (verdict.do !== 'pause') return
    const { db, clock } = this.parts
    const now = clock.now()
    const named = saidLimit(text, [address])
    // Where it names none, what had left when it was used up is the limit that there is.
    const counted = named === null && verdict.usedUp ? await usedSince(db, id, now - day, now) : 0
    const said = named ?? { limit: 'perDay' as const, n: counted }
    if (said.n < 1 || said.n >= (settings[said.limit] ?? Number.POSITIVE_INFINITY)) return
    await noteSaidLimit(db, id, { ...said, at: now, words: text.slice(0, 300), counted: named === null })
    this.parts.publish({ topic: 'mailboxes', id })
  }

  /** Writes what became of one copy that was not taken. Returns what it asks of the whole mailbox, if it does. */
  private async noteCopyFailure(
    mailbox: MailboxRecord,
    message: store.Claimed,
    address: string,
    failure: SendFailure,
    guard: Guard,
  ): Promise<Rest | null> {
    const { db, clock } = this.parts
    const copy = message.copies?.find((c) => c.address === address)
    if (!copy) return null
    const verdict = judged(failure, address, copy.rests, mailbox.rests)
    this.tellLog({ ...message, copies: [copy] }, `copy not taken: ${verdict.do}`)
    switch (verdict.do) {
      case 'refuse':
        await store.markCopy(db, copy.id, { state: 'refused', reason: verdict.words }, guard)
        return null
      case 'doubt':
        await store.markCopy(
          db,
          copy.id,
          {
            state: 'inDoubt',
            reason: `${verdict.words} It is not known whether this copy went. Ask whoever it is for, then say here whether it went.`,
          },
          guard,
        )
        return null
      case 'retry': {
        const at = nextTry(clock.now(), copy.attempts, verdict.minutes)
        await store.markCopy(
          db,
          copy.id,
          at === null
            ? { state: 'refused', reason: `Tried ${copy.attempts} times, and put off each time. ${verdict.words}` }
            : { state: 'retrying', at, reason: verdict.words },
          guard,
        )
        return null
      }
      default:
        await store.putCopyBack(db, copy.id, this.restsOf(copy.rests, failure, verdict), guard)
        return verdict
    }
  }

  /** Which of some letters lie in a mailbox's Sent folder, by their Message-IDs, each with the Date that it bears there. */
  private async inSent(mailbox: MailboxRecord, letters: readonly store.Doubtful[]): Promise<Map<number, number>> {
    const there = new Map<number, number>()
    await usingImap(this.parts.keys.accessOf(mailbox), async (client) => {
      const path = await sentPath(client)
      if (path === null) return
      const lock = await client.getMailboxLock(path, { readOnly: true })
      try {
        for (const { id, messageId, date } of letters) {
          const found = (await client.search({ header: { 'message-id': messageId } }, { uid: true })) || []
          if (found.length === 0) continue
          const one = await client.fetchOne(String(found[0]), { envelope: true }, { uid: true })
          const written = one ? new Date(one.envelope?.date ?? Number.NaN).getTime() : Number.NaN
          // A Date has no fractions of a second; where ours is the same but for them, it is the one.
          const isOurs = Math.floor(written / 1000) === Math.floor(date / 1000)
          // Nothing has gone later than now, whatever the clock said where it went: what follows would wait for that.
          there.set(id, isOurs || Number.isNaN(written) ? date : Math.min(written, this.parts.clock.now()))
        }
      } finally {
        lock.release()
      }
    })
    return there
  }

  /**
   * Looks once more into Sent, before letters in doubt are sent by the writer's word.
   * @returns those that lie there, with their Dates.
   * @throws a refusal when it cannot be looked into.
   */
  async lookOnceMore(mailboxId: number, letters: readonly store.Doubtful[]): Promise<Map<number, number>> {
    const mailbox = await mailboxById(this.parts.db, mailboxId)
    if (mailbox.settings.imap === null || letters.length === 0) return new Map()
    try {
      return await this.inSent(mailbox, letters)
    } catch (error) {
      throw new Refusal(
        502,
        `Sent could not be looked into once more: ${(error as Error).message} Nothing was sent. Try again when the mailbox can be read.`,
        'Sent not read',
      )
    }
  }

  /** Looks in Sent for the letters in doubt: found, they were sent; not found, they ask the writer. */
  private async lookForDoubtful(mailboxId: number): Promise<void> {
    const { db, clock, log } = this.parts
    const doubtful = await store.doubtful(db, mailboxId)
    if (doubtful.length === 0) return
    const mailbox = await mailboxById(db, mailboxId)
    if (mailbox.settings.imap === null) {
      for (const { id } of doubtful) await store.noteLooked(db, id, clock.now())
      return
    }
    try {
      const there = await this.inSent(mailbox, doubtful)
      for (const { id, claimedAt, date } of doubtful) {
        if (there.has(id)) {
          await store.markSent(db, [
            { id, at: there.get(id) ?? date, answer: 'Found in Sent: it had gone.', copiesAt: clock.now() },
          ])
          await store.markFiled(db, [id], clock.now())
        } else if (mailbox.settings.hostFilesSent && clock.now() - claimedAt < lookAgain)
          this.wakeAt(mailboxId, lookAgain - (clock.now() - claimedAt))
        else await store.noteLooked(db, id, clock.now())
      }
      this.parts.publish({ topic: 'messages', id: null })
    } catch (error) {
      log.warn({ mailboxId, error: String(error) }, 'Sent could not be looked into; trying again in a minute')
      this.wakeAt(mailboxId, 60_000)
    }
  }

  /** Files copies in Sent, beside the sending. A copy that may be there already is looked for first. */
  private file(mailboxId: number): void {
    if (this.ended || !this.parts.leases.mine(mailboxId)) return
    if (this.filing.has(mailboxId)) {
      this.fileAgain.add(mailboxId)
      return
    }
    const work = this.fileAll(mailboxId)
      .catch((error) => {
        this.parts.log.warn({ mailboxId, error: String(error) }, 'filing in Sent; trying again in a minute')
        this.wakeAt(mailboxId, 60_000)
      })
      .finally(() => {
        this.filing.delete(mailboxId)
        if (this.fileAgain.delete(mailboxId)) this.file(mailboxId)
      })
    this.filing.set(mailboxId, work)
  }

  private async fileAll(mailboxId: number): Promise<void> {
    const { db } = this.parts
    const mailbox = await mailboxById(db, mailboxId)
    if (mailbox.settings.imap === null) return
    const queue: store.Unfiled[] = []
    const more = this.toFile(mailboxId, queue)
    const first = await more()
    if (first === null) return this.fileLater(mailboxId)
    if (mailbox.settings.hostFilesSent) return this.noteAllFiled(mailboxId)
    try {
      const probe = await this.probeOf(mailbox, [first, ...queue])
      if (probe && (await this.hostFiles(mailbox, probe))) return await this.noteAllFiled(mailboxId)
      let begun = false
      const next = () => {
        if (begun) return more()
        begun = true
        return Promise.resolve(first)
      }
      const expected = 1 + queue.length + (this.sending.get(mailboxId) ?? 0)
      const lines = Math.min(maxFilingLines, Math.ceil(expected / worthALine))
      const ends = await Promise.allSettled(Array.from({ length: lines }, () => this.fileSome(mailbox, next)))
      const faults = ends.filter((end) => end.status === 'rejected')
      // A host may allow fewer connections: as long as one of them works, the work goes on.
      if (faults.length === ends.length) throw faults[0].reason
      this.parts.publish({ topic: 'messages', id: null })
    } catch (error) {
      await store.noteNoFiling(db, mailboxId, `Sent cannot be reached: ${(error as Error).message}`)
      this.parts.publish({ topic: 'mailboxes', id: mailboxId })
      throw error
    }
    await this.fileLater(mailboxId)
  }

  /**
   * Gives one letter after another that is to be filed, to however many ask. While letters leave it waits for more, so that connections
   * stay open; null when there are none.
   */
  private toFile(mailboxId: number, queue: store.Unfiled[]): () => Promise<store.Unfiled | null> {
    const { db, clock } = this.parts
    const given = new Set<number>()
    let asking: Promise<void> | null = null
    const fill = async () => {
      const found = await store.unfiled(db, mailboxId, clock.now(), atOnce + given.size)
      queue.push(...found.filter(({ id }) => !given.has(id)))
      // What is filed by now is not found any more.
      const open = new Set(found.map(({ id }) => id))
      for (const id of given) if (!open.has(id)) given.delete(id)
    }
    return async () => {
      for (;;) {
        if (this.ended || !this.parts.leases.mine(mailboxId)) return null
        const message = queue.shift()
        if (message && given.has(message.id)) continue
        if (message) {
          given.add(message.id)
          return message
        }
        const leaving = this.sending.has(mailboxId)
        asking ??= fill().finally(() => {
          asking = null
        })
        await asking
        if (queue.length > 0) continue
        if (!leaving) return null
        await sleep(lookForMore)
      }
    }
  }

  /** Comes back when a copy that Sent did not take is to be tried again. */
  private async fileLater(mailboxId: number): Promise<void> {
    const next = await store.nextFiling(this.parts.db, mailboxId)
    if (next !== null) this.wakeAt(mailboxId, Math.max(1000, next - this.parts.clock.now()))
  }

  private async noteAllFiled(mailboxId: number): Promise<void> {
    const { db, clock } = this.parts
    for (;;) {
      const some = await store.unfiled(db, mailboxId, clock.now(), atOnce)
      if (some.length === 0) return
      for (const { id } of some) this.takeKept(id)
      await store.markFiled(
        db,
        some.map((m) => m.id),
        clock.now(),
      )
    }
  }

  /** The first letter of a round that nothing was filed of yet: by it is found whether the host files sent mail itself. */
  private async probeOf({ id, builtIn }: MailboxRecord, queue: store.Unfiled[]): Promise<store.Unfiled | null> {
    if (builtIn) return null
    const fresh = new Set(await store.roundsNotFiled(this.parts.db, id))
    return queue.find((message) => fresh.has(message.roundId)) ?? null
  }

  /** Whether a host has put a letter into Sent by itself. When it has, that is kept with the mailbox, and Hand Post files none. */
  private async hostFiles(mailbox: MailboxRecord, letter: store.Unfiled): Promise<boolean> {
    const { db, clock, publish } = this.parts
    await sleep(this.parts.hostFilesWithin ?? hostFilesWithin)
    const there = await this.inSent(mailbox, [{ ...letter, claimedAt: letter.sentAt, date: letter.sentAt }])
    if (there.size === 0) return false
    if (!this.sentHere.has(letter.id)) {
      // Filed by an earlier run of ours that did not come to noting it.
      await store.markFiled(db, [letter.id], clock.now())
      return false
    }
    await noteHostFiles(db, mailbox.id, clock.now())
    publish({ topic: 'mailboxes', id: mailbox.id })
    return true
  }

  /** Files copies on one connection, taking one after another from what there is. A copy that Sent does not take blocks no other. */
  private async fileSome(mailbox: MailboxRecord, next: () => Promise<store.Unfiled | null>): Promise<void> {
    const { db, clock, files, keys } = this.parts
    const filed = together<number>((ids) => store.markFiled(db, ids, clock.now()))
    await usingImap(keys.accessOf(mailbox), async (client) => {
      const path = await sentPath(client)
      if (path === null)
        throw new Error('The mailbox has no folder for sent mail. Make one called Sent; it is tried again by itself.')
      // Kept open for all of them: opening it anew for each letter would take as long as filing it.
      const lock = await client.getMailboxLock(path, { readOnly: true })
      let written: Promise<void> = Promise.resolve()
      try {
        for (let message = await next(); message; message = await next()) {
          const { id, messageId, sentAt } = message
          try {
            const kept = this.takeKept(id)
            // Sent by an earlier process, or tried before: it may have been filed without our noting so.
            const found =
              kept === undefined
                ? (await client.search({ header: { 'message-id': messageId } }, { uid: true })) || []
                : []
            if (found.length === 0)
              await client.append(
                path,
                kept ?? (await composeRaw(await store.frozenById(db, id), sentAt, files)),
                ['\\Seen'],
                new Date(sentAt),
              )
            written = filed(id)
            written.catch(() => {})
          } catch (error) {
            // What it was doing is looked for in Sent the next time.
            if (!client.usable) throw error
            const gap = filingGaps[Math.min(message.filingAttempts, filingGaps.length - 1)] * 60_000
            await store.noteNotFiled(db, id, imapWords(error, keys.accessOf(mailbox)), clock.now() + gap)
            this.parts.publish({ topic: 'mailboxes', id: mailbox.id })
          }
        }
        await written
      } finally {
        lock.release()
      }
    })
  }
}
