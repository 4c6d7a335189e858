import { Refusal } from '../problem.ts'

/** How many attempts of a caller are looked at at once, before each has to wait its turn. */
const freeAttempts = 5
/** The longest wait (ms). With at most eight attempts of a caller waiting, it has one looked at a second. */
const longestWait = 8000
/** How many attempts of one caller wait at a time; the last places are kept for a password that it has tried before. */
const maxWaiting = 8
const keptForTried = 2
/** How many attempts wait at a time, of all callers together. */
const maxWaitingOverall = 64
/** After how long without an attempt (ms) a caller is forgotten, and how many are remembered. */
const forgetAfter = 15 * 60_000
const maxCallers = 10_000

interface Caller {
  attempts: number
  last: number
  waiting: number
  /** What it tried lately: prints of passwords, the oldest first. */
  tried: Set<string>
}

/**
 * Makes guessing of a password slow, without ever shutting out who knows it: no caller is refused for a time, but each attempt
 * beyond the first few waits, and only so many wait at once. Whoever tries a thousand passwords meets full places; whoever tries
 * the one they know once more finds some kept for them. A browser that signed in before is a caller of its own, which no
 * stranger can slow down, whatever address they share.
 */
export class Guesses {
  private readonly callers = new Map<string, Caller>()
  private waiting = 0

  constructor(
    private readonly now: () => number = Date.now,
    private readonly wait: (ms: number) => Promise<unknown> = (ms) => new Promise((done) => setTimeout(done, ms)),
  ) {}

  /**
   * Waits until an attempt may be looked at.
   * @param caller whose it is: an address, or a browser that is known.
   * @param print what stands for the password that is tried.
   * @throws Refusal (429) when too many attempts wait already.
   */
  async turn(caller: string, print: string): Promise<void> {
    const known = this.callerOf(caller)
    const triedBefore = known.tried.has(print)
    known.tried.delete(print)
    known.tried.add(print)
    for (const old of known.tried) if (known.tried.size > 100) known.tried.delete(old)
    known.attempts++
    known.last = this.now()
    if (known.attempts <= freeAttempts) return
    if (known.waiting >= (triedBefore ? maxWaiting : maxWaiting - keptForTried) || this.waiting >= maxWaitingOverall)
      throw new Refusal(
        429,
        'Too many wrong passwords are being tried just now, so each has to wait. Nobody is shut out: try yours again in a few seconds.',
        'Wait a moment',
      )
    known.waiting++
    this.waiting++
    try {
      await this.wait(Math.min(longestWait, 1000 * 2 ** (known.attempts - freeAttempts - 1)))
    } finally {
      known.waiting--
      this.waiting--
    }
  }

  /** Notes that a caller knew the password: it was no guess. */
  right(caller: string): void {
    const known = this.callers.get(caller)
    if (known) known.attempts--
  }

  private callerOf(name: string): Caller {
    const now = this.now()
    const before = this.callers.get(name)
    const caller =
      before && (before.waiting > 0 || now - before.last < forgetAfter)
        ? before
        : { attempts: 0, last: now, waiting: 0, tried: new Set<string>() }
    this.callers.delete(name)
    this.callers.set(name, caller)
    for (const [old, { waiting }] of this.callers) {
      if (this.callers.size <= maxCallers) break
      if (waiting === 0) this.callers.delete(old)
    }
    return caller
  }
}
