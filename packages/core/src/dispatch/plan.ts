/** Times are milliseconds since 1970 throughout. */
const day = 24 * 60 * 60 * 1000

/**
 * What wants a time. A letter with copies takes two transactions of SMTP: the person's at its time, and, when that was taken, the
 * copies' a host's gap later.
 */
export interface ToPlan {
  id: number
  /** A letter, or the copies of one that has gone already. */
  of: 'letter' | 'copies'
  /** Recipients of the transaction that it begins with. */
  recipients: number
  /** Recipients of the transaction that follows; 0 when there is none. */
  copies: number
  /** The earliest time it may leave. */
  notBefore: number
  /** Milliseconds kept between this letter and the one before it. */
  gap: number
}

/** What a mailbox lets through. */
export interface Limits {
  /** Recipients in any 24 hours. */
  perDay: number
  /** Messages a minute. */
  perMinute: number
}

/** What already left the mailbox: when, and to how many recipients. */
export interface Departure {
  at: number
  recipients: number
  /** Whether it was the copies of a letter only: the next letter keeps its own gap from letters, the host's from everything. */
  copies?: boolean
}

/** How many recipients the mailbox may still write to at a moment, by its rolling 24 hours. */
export function allowanceAt(now: number, perDay: number, history: readonly Departure[]): number {
  let used = 0
  for (const { at, recipients } of history) if (at > now - day && at <= now) used += recipients
  return Math.max(0, perDay - used)
}

/** The slowest pace, in messages a minute: one an hour, however it is rounded. */
export const slowestPace = 0.0166

/**
 * The gap in milliseconds that a pace in messages a minute keeps; less than one a minute is a pace too.
 * @example gapOf(30) // 2000
 */
export function gapOf(perMinute: number): number {
  return Math.ceil(60_000 / perMinute)
}

/**
 * Gives every message of one mailbox its time: the earliest that keeps order, pace and the allowance of any 24 hours.
 * This is the computation that draws the timetable and that the dispatcher follows.
 * A letter leaves only when the allowance covers its copies too.
 * @param items in the order in which they are to leave.
 * @param history what left in the last 24 hours.
 * @returns a time for each, in the same order; null for a message that alone exceeds the day's limit.
 */
export function plan(
  now: number,
  items: readonly ToPlan[],
  limits: Limits,
  history: readonly Departure[],
): (number | null)[] {
  const departures = history.filter((d) => d.at > now - day).sort((a, b) => a.at - b.at)
  let oldest = 0
  let used = departures.reduce((sum, d) => sum + d.recipients, 0)
  let last = departures.at(-1)?.at ?? Number.NEGATIVE_INFINITY
  let lastLetter = departures.findLast((d) => !d.copies)?.at ?? Number.NEGATIVE_INFINITY
  const hostGap = gapOf(limits.perMinute)
  const leave = (at: number, recipients: number) => {
    departures.push({ at, recipients })
    used += recipients
    last = at
  }
  return items.map(({ of, recipients, copies, notBefore, gap }) => {
    if (recipients + copies > limits.perDay) return null
    let at = Math.max(now, notBefore, lastLetter + gap, last + hostGap)
    for (;;) {
      while (oldest < departures.length && departures[oldest].at <= at - day) used -= departures[oldest++].recipients
      if (used + recipients + copies <= limits.perDay) break
      at = departures[oldest].at + day
    }
    leave(at, recipients)
    if (of === 'letter') lastLetter = at
    if (copies > 0) leave(at + hostGap, copies)
    return at
  })
}
