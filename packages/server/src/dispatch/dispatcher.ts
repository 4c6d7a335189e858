import type { DeskEvent } from '@hand-post/contract'
import { judgeFailure, nextTry, plan, type Verdict } from '@hand-post/core'
import type { Logger } from 'pino'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { FileStore } from '../enclosures/fileStore.ts'
import { type Access, SendError, SmtpLine, sentPath, usingImap } from '../mailboxes/connections.ts'
import { departuresOf, type MailboxRecord, mailboxById, mailboxRecords, pauseMailbox } from '../mailboxes/store.ts'
import type { Secrets } from '../secrets.ts'
import { composeRaw } from './compose.ts'
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
  files: FileStore
  secrets: Secrets
  tell: (event: DeskEvent) => void
  log: Logger
}

/** How many connections a mailbox is given when many messages are due at once. */
const mostLines = 5
/** How long a connection that is not needed is kept open. */
const keepLine = 30_000
/** A message that is this much later than planned means that time was lost; what waits is planned anew then. */
const lateness = 60_000
/** How long after a doubt the Sent folder of a host that files by itself is looked at once more. */
const lookAgain = 60_000

/** The address and password by which a mailbox is used. */
export function accessOf(mailbox: MailboxRecord, secrets: Secrets): Access {
  const { smtp, imap, user } = mailbox.settings
  return { smtp, imap, user, password: secrets.unlock(mailbox.secret) }
}

/** Sends what is due, mailbox by mailbox: plans, claims, hands over, writes the outcome, and files in Sent. */
export class Dispatcher {
  private readonly running = new Map<number, { again: boolean; done: Promise<void> }>()
  private readonly timers = new Map<number, { timer: NodeJS.Timeout; at: number }>()
  private readonly filing = new Map<number, Promise<void>>()
  /** Mailboxes for which filing was asked while it went on: what was sent meanwhile may have been missed. */
  private readonly fileAgain = new Set<number>()
  private readonly lines = new Map<number, { lines: SmtpLine[]; closing?: NodeJS.Timeout }>()
  /** What this process sent and never tried to file: its copy cannot be in Sent yet. */
  private readonly sentHere = new Set<number>()
  private ended = false

  constructor(private readonly parts: DispatcherParts) {}

  /** Takes up the work where it was left: settles what was cut off, plans what waits from now, and begins. */
  async start(): Promise<void> {
    for (const { id } of await mailboxRecords(this.parts.db)) {
      await store.settleCutOff(this.parts.db, id)
      await this.replan(id)
      this.wake(id)
    }
  }

  /** Lets a mailbox look for what is due. Safe to call at any time. */
  wake(mailboxId: number): void {
    if (this.ended) return
    const run = this.running.get(mailboxId)
    if (run) {
      run.again = true
      return
    }
    const state = { again: false, done: Promise.resolve() }
    this.running.set(mailboxId, state)
    state.done = (async () => {
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

  /** Lets every mailbox look for what is due. */
  async wakeAll(): Promise<void> {
    for (const { id } of await mailboxRecords(this.parts.db)) this.wake(id)
  }

  /** Waits until nothing is being sent or filed just now. */
  async settled(): Promise<void> {
    while (this.running.size > 0 || this.filing.size > 0)
      await Promise.all([...[...this.running.values()].map((r) => r.done), ...this.filing.values()])
  }

  async close(): Promise<void> {
    this.ended = true
    for (const { timer } of this.timers.values()) clearTimeout(timer)
    await this.settled()
    for (const { lines, closing } of this.lines.values()) {
      clearTimeout(closing)
      for (const line of lines) line.close()
    }
  }

  /** Plans everything that waits in a mailbox from now, by the computation that draws the timetable. */
  async replan(mailboxId: number): Promise<void> {
    const { db, clock } = this.parts
    const now = clock.now()
    const { settings, pausedUntil } = await mailboxById(db, mailboxId)
    const waiting = await store.unplanned(db, mailboxId)
    const times = plan(
      Math.max(now, pausedUntil ?? 0),
      waiting,
      { perDay: settings.perDay, perMinute: settings.perMinute },
      await departuresOf(db, mailboxId, now),
    )
    await store.writePlan(
      db,
      mailboxId,
      waiting.map((m, i) => ({ id: m.id, at: times[i] })),
    )
    this.parts.tell({ topic: 'messages', id: null })
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
    const { db, clock } = this.parts
    // Nobody else works at this mailbox: what still stands as being sent was cut off by a failure of the last run.
    await store.settleCutOff(db, mailboxId)
    await this.lookForDoubtful(mailboxId)
    this.file(mailboxId)
    for (;;) {
      if (this.ended) return
      const mailbox = await mailboxById(db, mailboxId)
      const now = clock.now()
      if (mailbox.stopped) return
      if (mailbox.pausedUntil !== null && mailbox.pausedUntil > now)
        return this.wakeAt(mailboxId, mailbox.pausedUntil - now)
      if (mailbox.pausedUntil !== null) {
        await pauseMailbox(db, mailboxId, { until: null, stopped: false, reason: null })
        this.parts.tell({ topic: 'mailboxes', id: mailboxId })
      }
      const due = await store.nextDue(db, mailboxId)
      if (due === null) return
      if (due > now) return this.wakeAt(mailboxId, due - now)
      if (now - due > lateness) {
        await this.replan(mailboxId)
        const replanned = await store.nextDue(db, mailboxId)
        if (replanned !== null && replanned > clock.now()) continue
      }
      const claimed = await store.claimDue(db, mailboxId, clock.now(), mailbox.settings.perDay, mostLines * 10)
      if (claimed.length === 0) {
        // Due by the plan but not covered by the allowance: copies or another round took it. Plan anew around it.
        await this.replan(mailboxId)
        const next = await store.nextDue(db, mailboxId)
        return next === null ? undefined : this.wakeAt(mailboxId, Math.max(1000, next - clock.now()))
      }
      this.parts.tell({ topic: 'messages', id: claimed[0].roundId })
      await this.sendAll(mailbox, claimed)
    }
  }

  /** Hands over claimed messages on as many lines as are worth it. When the mailbox is held back, the rest goes back to waiting. */
  private async sendAll(mailbox: MailboxRecord, claimed: store.Claimed[]): Promise<void> {
    const { db, clock, secrets } = this.parts
    const held = this.lines.get(mailbox.id) ?? { lines: [] }
    clearTimeout(held.closing)
    this.lines.set(mailbox.id, held)
    const wanted = Math.min(mostLines, claimed.length)
    const access = accessOf(mailbox, secrets)
    while (held.lines.length < wanted) held.lines.push(new SmtpLine(access))

    const queue = [...claimed]
    let pause: Extract<Verdict, { do: 'pause' | 'stop' }> | null = null
    const note = together<store.Progress>((some) => store.writeProgress(db, some, clock.now()))
    // A message is made while the one before it is on its way.
    const take = () => {
      const message = queue.shift()
      return message && { message, made: this.make(message) }
    }
    const serve = async (line: SmtpLine) => {
      let accepted: store.Accepted | undefined
      for (let next = take(); next; ) {
        const { message, made } = next
        if (pause || this.ended) {
          await store.putBack(db, message.id, pause?.words ?? '')
          next = take()
          continue
        }
        const ready = await made
        if ('fault' in ready) {
          await store.markRefused(db, message.id, ready.fault)
          next = take()
          continue
        }
        try {
          await line.open()
          // One statement says that the last one was taken and that this one is in hand from now on.
          await note({ accepted, handing: message.id })
          accepted = undefined
          next = take()
          accepted = await this.handOver(line, message, ready)
        } catch (error) {
          if (!(error instanceof SendError)) throw error
          if (next?.message === message) next = take()
          const verdict = await this.noteFailure(mailbox.id, message, error)
          if (verdict.do === 'pause' || verdict.do === 'stop') pause ??= verdict
          if (error.failure.code !== null) await line.reset()
        }
      }
      if (accepted) await note({ accepted })
    }
    const ends = await Promise.allSettled(held.lines.slice(0, wanted).map(serve))
    const failed = ends.find((end) => end.status === 'rejected')
    if (failed) throw failed.reason
    for (const roundId of new Set(claimed.map((m) => m.roundId))) this.parts.tell({ topic: 'messages', id: roundId })
    this.file(mailbox.id)
    held.closing = setTimeout(() => {
      this.lines.delete(mailbox.id)
      for (const line of held.lines) line.close()
    }, keepLine)
    held.closing.unref()
    const said = pause as Extract<Verdict, { do: 'pause' | 'stop' }> | null
    if (said) {
      await pauseMailbox(db, mailbox.id, {
        until: said.do === 'pause' ? clock.now() + said.minutes * 60_000 : null,
        stopped: said.do === 'stop',
        reason: said.words,
      })
      this.lines.delete(mailbox.id)
      for (const line of held.lines) line.close()
      await this.replan(mailbox.id)
      this.parts.tell({ topic: 'mailboxes', id: mailbox.id })
    }
  }

  /** Makes a message's bytes. The time of this is its Date, and is kept: the copy in Sent is to be the same to the byte. */
  private async make(message: store.Claimed): Promise<{ raw: Buffer; at: number } | { fault: string }> {
    const at = this.parts.clock.now()
    try {
      return { raw: await composeRaw(message, at, this.parts.files), at }
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error)
      return { fault: `The message could not be made: ${why} Nothing was sent to this person.` }
    }
  }

  /** Hands over one message. Throws SendError when it is not taken. */
  private async handOver(
    line: SmtpLine,
    { id, contents: { from, to, cc, bcc }, copiesGone }: store.Claimed,
    { raw, at }: { raw: Buffer; at: number },
  ): Promise<store.Accepted> {
    const answer = await line.send(
      { from: from.address, to: to.address, copies: copiesGone ? [] : [...cc, ...bcc] },
      raw,
    )
    this.sentHere.add(id)
    return { id, at, answer }
  }

  /** Writes what became of a message that was not taken. Returns what is to be done about it and about the mailbox. */
  private async noteFailure(mailboxId: number, message: store.Claimed, error: SendError): Promise<Verdict> {
    const { db, clock } = this.parts
    const verdict = judgeFailure(error.failure)
    if (error.copiesGone) await store.noteCopiesGone(db, message.id)
    switch (verdict.do) {
      case 'refuse':
        await store.markRefused(db, message.id, verdict.words)
        break
      case 'doubt':
        await store.markInDoubt(db, message.id, verdict.words)
        this.wakeAt(mailboxId, 2000)
        break
      case 'retry': {
        const at = nextTry(clock.now(), message.attempts)
        if (at === null)
          await store.markRefused(
            db,
            message.id,
            `Tried ${message.attempts} times, and put off each time. ${verdict.words}`,
          )
        else await store.markRetrying(db, message.id, at, verdict.words)
        break
      }
      default:
        await store.putBack(db, message.id, verdict.words)
    }
    return verdict
  }

  /** Looks in Sent for the messages in doubt: found, they were sent; not found, they ask the writer. */
  private async lookForDoubtful(mailboxId: number): Promise<void> {
    const { db, clock, secrets, log } = this.parts
    const doubtful = await store.doubtful(db, mailboxId)
    if (doubtful.length === 0) return
    const mailbox = await mailboxById(db, mailboxId)
    if (mailbox.settings.imap === null) {
      for (const { id } of doubtful) await store.noteLooked(db, id, clock.now())
      return
    }
    try {
      await usingImap(accessOf(mailbox, secrets), async (client) => {
        const path = await sentPath(client)
        const lock = path === null ? null : await client.getMailboxLock(path, { readOnly: true })
        for (const { id, messageId, claimedAt } of doubtful) {
          const found =
            lock === null ? [] : (await client.search({ header: { 'message-id': messageId } }, { uid: true })) || []
          if (found.length > 0) {
            await store.markSent(db, [{ id, at: claimedAt, answer: 'Found in Sent: it had gone.' }])
            await store.markFiled(db, [id], clock.now())
          } else if (mailbox.settings.hostFilesSent && clock.now() - claimedAt < lookAgain)
            this.wakeAt(mailboxId, lookAgain - (clock.now() - claimedAt))
          else await store.noteLooked(db, id, clock.now())
        }
        lock?.release()
      })
      this.parts.tell({ topic: 'messages', id: null })
    } catch (error) {
      log.warn({ mailboxId, error: String(error) }, 'Sent could not be looked into; trying again in a minute')
      this.wakeAt(mailboxId, 60_000)
    }
  }

  /** Files copies in Sent, beside the sending. A copy that may be there already is looked for first. */
  private file(mailboxId: number): void {
    if (this.ended) return
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
    const { db, clock, files, secrets } = this.parts
    const mailbox = await mailboxById(db, mailboxId)
    if (mailbox.settings.imap === null) return
    let some = await store.unfiled(db, mailboxId, 50)
    if (some.length === 0) return
    if (mailbox.settings.hostFilesSent) {
      for (; some.length > 0; some = await store.unfiled(db, mailboxId, 50))
        await store.markFiled(
          db,
          some.map((m) => m.id),
          clock.now(),
        )
      return
    }
    await usingImap(accessOf(mailbox, secrets), async (client) => {
      const path = await sentPath(client)
      if (path === null) throw new Error('The mailbox has no folder for sent mail.')
      for (; some.length > 0 && !this.ended; some = await store.unfiled(db, mailboxId, 50)) {
        for (const message of some) {
          if (!this.sentHere.delete(message.id)) {
            // Sent by an earlier process, or tried before: it may have been filed without our noting so.
            const lock = await client.getMailboxLock(path, { readOnly: true })
            const found = (await client.search({ header: { 'message-id': message.messageId } }, { uid: true })) || []
            lock.release()
            if (found.length > 0) {
              await store.markFiled(db, [message.id], clock.now())
              continue
            }
          }
          await client.append(
            path,
            await composeRaw(message, message.sentAt, files),
            ['\\Seen'],
            new Date(message.sentAt),
          )
          await store.markFiled(db, [message.id], clock.now())
        }
        this.parts.tell({ topic: 'messages', id: null })
      }
    })
  }
}
