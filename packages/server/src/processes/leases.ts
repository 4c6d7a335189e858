import { setTimeout as sleep } from 'node:timers/promises'
import type { Logger } from 'pino'
import type { Database } from '../db/database.ts'
import * as store from './store.ts'

/** The mailboxes that are to be worked, and what is done when one is had, or is not had any more. */
export interface WorkGiven {
  mailboxes: () => Promise<number[]>
  /** The mailbox is worked here from now on, and nowhere else. */
  begin: (mailboxId: number) => Promise<void>
  /** Ends what is being done at it; fulfilled when nothing is any more. */
  leave: (mailboxId: number) => Promise<void>
}

export interface LeasesParts {
  db: Database
  log: Logger
  /** This process, as others see it. */
  self: store.ProcessLine
  /** Whether others may work with the database: where they cannot, everything is had without asking. */
  shared: boolean
  /** How long (ms) a lease holds; it is renewed three times within that. */
  ms: number
}

/** A lease, with until when it holds by this machine's two clocks: the one that nobody puts, and the one that goes on in its sleep. */
interface Had {
  what: string
  token: number
  until: { steady: number; clock: number }
}

/**
 * How many mailboxes one process works of those that there are: each as many, and of what is left over the first of them one more.
 * @param place which of the processes it is, in an order that all know; -1 where it is none of them (yet).
 */
export function shareOf(mailboxes: number, processes: number, place: number): number {
  if (place < 0) return 0
  return Math.floor(mailboxes / processes) + (place < mailboxes % processes ? 1 : 0)
}

const nameOf = (mailboxId: number) => `mailbox ${mailboxId}`

/**
 * Which mailboxes this process works. Each is worked by one process at a time: the one that has its lease in the database, until a time
 * by the database's clock, renews it, and shows its token with whatever it writes. Mailboxes are shared out evenly among the processes
 * that work any.
 */
export class Leases {
  private readonly had = new Map<number, Had>()
  /** Mailboxes that are being given back: nothing new is begun at them. */
  private readonly leaving = new Set<number>()
  /** Mailboxes that were lost, and at which something is still coming to its end: they are not taken again before it has. */
  private readonly ending = new Set<number>()
  private looking: Promise<void> = Promise.resolve()
  private timer: NodeJS.Timeout | null = null
  private given: WorkGiven | null = null
  private ended = false

  constructor(private readonly parts: LeasesParts) {}

  /** Whether a mailbox is worked here. */
  mine(mailboxId: number): boolean {
    if (!this.parts.shared) return true
    return this.had.has(mailboxId) && !this.leaving.has(mailboxId)
  }

  /** Whether any process works a mailbox. */
  async isWorked(mailboxId: number): Promise<boolean> {
    if (this.mine(mailboxId)) return true
    return (await store.leasesHeld(this.parts.db)).some(({ what }) => what === nameOf(mailboxId))
  }

  /** What is shown with all that is written of a mailbox; undefined where it is not worked here. */
  guardOf(mailboxId: number): store.Guard | undefined {
    if (!this.parts.shared) return null
    const had = this.had.get(mailboxId)
    return had && !this.leaving.has(mailboxId) ? { what: had.what, token: had.token } : undefined
  }

  /**
   * Whether a guard is good by this machine's own clocks: asked in the last moment before something is done that cannot be called back,
   * for between what the database has said and that moment this process may have been stopped.
   */
  isFresh(guard: store.Guard): boolean {
    if (guard === null) return true
    const had = [...this.had.values()].find(({ what, token }) => what === guard.what && token === guard.token)
    return had !== undefined && performance.now() < had.until.steady && Date.now() < had.until.clock
  }

  /** Ends what an earlier process of this place had: it has ended, for its folder is ours now, and need not be waited for. */
  async takeOver(begins: string): Promise<void> {
    if (this.parts.shared) await store.endLeases(this.parts.db, begins)
  }

  /** Begins to work mailboxes. */
  async start(given: WorkGiven): Promise<void> {
    this.given = given
    if (!this.parts.shared) {
      for (const id of await given.mailboxes()) await given.begin(id)
      return
    }
    await this.look()
    this.timer = setInterval(() => void this.look(), this.parts.ms / 3)
    this.timer.unref()
  }

  /** Looks now whether there is something to take, renew or give back. */
  look(): Promise<void> {
    if (!this.parts.shared) return Promise.resolve()
    this.looking = this.looking
      .then(() => this.lookNow())
      .catch((error) => this.parts.log.warn({ error: String(error) }, 'leases could not be looked at'))
    return this.looking
  }

  private async lookNow(): Promise<void> {
    const { db, self, ms } = this.parts
    if (this.ended) return
    await store.noteProcess(db, self)
    if (!this.given || !self.roles.includes('mail')) return
    await this.renew()
    const mailboxes = await this.given.mailboxes()
    for (const id of this.had.keys()) if (!mailboxes.includes(id)) await this.give(id)
    const working = (await store.processesSeen(db, ms)).filter(({ roles }) => roles.includes('mail'))
    const share = shareOf(
      mailboxes.length,
      working.length,
      working.findIndex(({ id }) => id === self.id),
    )
    for (const id of mailboxes) {
      if (this.had.size >= share || this.ended) break
      if (!this.had.has(id) && !this.ending.has(id)) await this.take(id)
    }
    // Others have come: they are given theirs, when what is in hand has gone.
    for (const id of [...this.had.keys()].slice(share)) await this.give(id)
  }

  private until(asked: { steady: number; clock: number }): Had['until'] {
    return { steady: asked.steady + this.parts.ms, clock: asked.clock + this.parts.ms }
  }

  private async renew(): Promise<void> {
    // Counted from before it was asked for: by the database's clock it holds longer, and not shorter.
    const asked = { steady: performance.now(), clock: Date.now() }
    const still = new Set(await store.renewLeases(this.parts.db, [...this.had.values()], this.parts.ms))
    for (const [id, had] of this.had) {
      if (still.has(had.what)) had.until = this.until(asked)
      else await this.lose(id)
    }
  }

  private async take(mailboxId: number): Promise<void> {
    const { db, self, ms, log } = this.parts
    const asked = { steady: performance.now(), clock: Date.now() }
    const what = nameOf(mailboxId)
    const token = await store.takeLease(db, what, self.id, ms)
    if (token === null) return
    this.had.set(mailboxId, { what, token, until: this.until(asked) })
    log.info({ mailbox: mailboxId, token }, 'the mailbox is worked here')
    // Not waited for: what there is to do first may take long, and what is had wants to be renewed.
    void this.given!.begin(mailboxId).catch((error) =>
      log.error({ mailbox: mailboxId, error: String(error) }, 'the mailbox could not be taken up; it is tried again'),
    )
  }

  /** Another has it already: whatever is being done at it here is refused by the database, and comes to its end. */
  private async lose(mailboxId: number): Promise<void> {
    this.had.delete(mailboxId)
    this.parts.log.warn({ mailbox: mailboxId }, 'the mailbox is worked by another process now')
    this.ending.add(mailboxId)
    void this.given!.leave(mailboxId)
      .catch(() => {})
      .finally(() => this.ending.delete(mailboxId))
  }

  private async give(mailboxId: number): Promise<void> {
    const had = this.had.get(mailboxId)!
    this.leaving.add(mailboxId)
    try {
      // What is in hand may take its time: until it has gone, the lease is renewed as ever.
      const left = this.given!.leave(mailboxId)
      let done = false
      void left.finally(() => {
        done = true
      })
      for (;;) {
        await Promise.race([left, sleep(this.parts.ms / 3, undefined, { ref: false })])
        if (done) break
        await store.noteProcess(this.parts.db, this.parts.self)
        await this.renew()
        if (!this.had.has(mailboxId)) return
      }
      await store.giveBack(this.parts.db, had)
      this.parts.log.info({ mailbox: mailboxId }, 'the mailbox is given to another process')
    } finally {
      this.had.delete(mailboxId)
      this.leaving.delete(mailboxId)
    }
  }

  /** Gives everything back, when nothing is being done at it any more; fulfilled also when the database is not there. */
  async close(): Promise<void> {
    this.ended = true
    if (this.timer) clearInterval(this.timer)
    await this.looking
    if (!this.parts.shared) return
    try {
      for (const had of this.had.values()) await store.giveBack(this.parts.db, had)
      await store.forgetProcess(this.parts.db, this.parts.self.id)
    } catch (error) {
      this.parts.log.warn({ error: String(error) }, 'leases could not be given back; they end by themselves')
    }
    this.had.clear()
  }

  /**
   * Does something that one process at a time may do, whichever that is.
   * @param what the name of it.
   */
  async alone<T>(what: string, work: () => Promise<T>): Promise<T> {
    const { db, self, ms, shared } = this.parts
    if (!shared) return work()
    for (;;) {
      const token = await store.takeLease(db, what, self.id, ms)
      if (token !== null)
        try {
          return await work()
        } finally {
          await store.giveBack(db, { what, token }).catch(() => {})
        }
      await sleep(200)
    }
  }
}
