/** Times are milliseconds since 1970 throughout. */
const day = 24 * 60 * 60 * 1000

/** A message that wants a time. */
export interface ToPlan {
  id: number
  /** To, Cc and Bcc together. */
  recipients: number
  /** The earliest time it may leave. */
  notBefore: number
  /** Milliseconds kept between this message and the one before it. */
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
}

/** How many recipients the mailbox may still write to at a moment, by its rolling 24 hours. */
export function allowanceAt(now: number, perDay: number, history: readonly Departure[]): number {
  let used = 0
  for (const { at, recipients } of history) if (at > now - day && at <= now) used += recipients
  return Math.max(0, perDay - used)
}

/** The gap in milliseconds that a pace in messages a minute keeps. */
export function gapOf(perMinute: number): number {
  return Math.ceil(60_000 / Math.max(1, perMinute))
}

/**
 * Gives every message of one mailbox its time: the earliest that keeps order, pace and the allowance of any 24 hours.
 * This is the computation that draws the timetable and that the dispatcher follows.
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
  const hostGap = gapOf(limits.perMinute)
  return items.map(({ recipients, notBefore, gap }) => {
    if (recipients > limits.perDay) return null
    let at = Math.max(now, notBefore, last + Math.max(gap, hostGap))
    for (;;) {
      while (oldest < departures.length && departures[oldest].at <= at - day) used -= departures[oldest++].recipients
      if (used + recipients <= limits.perDay) break
      at = departures[oldest].at + day
    }
    departures.push({ at, recipients })
    used += recipients
    last = at
    return at
  })
}

/** The timetable in figures: who leaves when, in all and on each day. */
export interface TimetableFacts {
  messages: number
  recipients: number
  first: number
  last: number
  /** Messages that can never leave because they alone exceed the day's limit. */
  impossible: number
}

/** Sums up planned times. Null when nothing is planned. */
export function timetableFacts(
  items: readonly Pick<ToPlan, 'recipients'>[],
  times: readonly (number | null)[],
): TimetableFacts | null {
  const planned = times.filter((t): t is number => t !== null)
  if (planned.length === 0) return null
  return {
    messages: planned.length,
    recipients: items.reduce((sum, item, i) => sum + (times[i] === null ? 0 : item.recipients), 0),
    first: planned.reduce((a, b) => Math.min(a, b)),
    last: planned.reduce((a, b) => Math.max(a, b)),
    impossible: times.length - planned.length,
  }
}
