import { type Hours, type Opening, Openings, OpenTogether } from '../mailboxes/hours.ts'
import { ZoneDays } from '../mailboxes/zone.ts'

/** Times are milliseconds since 1970 throughout. */
const day = 24 * 60 * 60 * 1000
const hour = 60 * 60 * 1000
const minute = 60_000

/**
 * What wants a time. A letter with copies takes two transactions of SMTP: the person's at its time, and, when that was taken, the
 * copies' a host's gap later.
 */
export interface ToPlan {
  id: number
  /** Recipients of the transaction that it begins with. */
  recipients: number
  /** Recipients of the transaction that follows; 0 when there is none. */
  copies: number
  /** The earliest time it may leave; null is by the round's pace. What has a time of its own goes before what goes by the pace. */
  notBefore: number | null
  /** Tells its gap from others' where the pace is uneven: the same before posting and after it. */
  seed: number
}

/** What a mailbox lets through. */
export interface Limits {
  /** The mailbox's time zone (IANA). */
  zone: string
  hours: Hours
  /** Recipients a day. */
  perDay: number
  /** The zone (IANA) whose calendar days those are, or null for any 24 hours. */
  dayZone: string | null
  /** Recipients in any hour, and in any minute. */
  perHour: number | null
  recipientsPerMinute: number | null
  /** Messages a minute. */
  perMinute: number
  /** Recipients of one message. */
  perMessage: number | null
  gentle: GentleStart | null
}

/** The gentle start of a mailbox that is new, or was quiet for long: how many recipients it writes to on its first days of sending. */
export interface GentleStart {
  /** Recipients on the first day, the second …; from then on the mailbox's limits alone count. */
  days: number[]
  /** The last day on which anything left, in days since 1970 by the mailbox's zone, and how many such days came before it. */
  last: { number: number; before: number } | null
}

/** After so many days without sending a mailbox counts as new. Common practice, no source. */
export const quietDays = 30

/** How many days of sending come before a day, with no long quiet between them. */
function daysBefore(last: GentleStart['last'], number: number): number {
  if (last === null || number - last.number > quietDays) return 0
  return number === last.number ? last.before : last.before + 1
}

/**
 * Where a mailbox stands in its gentle start.
 * @param days on which anything left, in days since 1970, in order, each once.
 * @example sendingUntil([100, 101, 102]) // { number: 102, before: 2 }
 */
export const sendingUntil = (days: readonly number[]): GentleStart['last'] =>
  days.reduce<GentleStart['last']>((last, number) => ({ number, before: daysBefore(last, number) }), null)

/** What already left the mailbox: when, and to how many recipients. */
export interface Departure {
  at: number
  recipients: number
}

/** The writer's own pace for a round. */
export interface Pace {
  /** The first letter leaves no earlier; null is at once. */
  startAt: number | null
  perMinute: number
  /** Recipients on one day of the mailbox's zone. */
  perDay: number | null
  /** Letters of a group, and the minutes of rest between one group and the next. */
  groups: { of: number; rest: number } | null
  /** Letters are spread evenly over the open hours, so that the last has left by then. */
  until: number | null
  /** Gaps are uneven: up to half as long again. */
  uneven: boolean
  /** The round's own hours; null are the mailbox's. With `instead`, the mailbox's own do not count. */
  hours: (Hours & { instead: boolean }) | null
}

/** What waits of one round. */
export interface Lane {
  id: number
  /** In the order in which they are to leave. */
  letters: ToPlan[]
  /** Copies of letters that have gone: nothing leaves before these when they are due, and the allowance is kept for them. */
  copies: ToPlan[]
  pace: Pace
  /** How many of its letters have left. */
  gone: number
  /** The last of them: when it left, and to how many recipients the round wrote on that day of the mailbox's zone. */
  last: { at: number; onItsDay: number } | null
  /** The last of them that went by the pace: when it left, and its seed. */
  lastByPace: { at: number; seed: number } | null
}

/** What a mailbox has to send. */
export interface Waiting {
  /** Rounds in the order in which they take turns. */
  lanes: readonly Lane[]
  /** Whether rounds share evenly instead: whichever has waited longest goes first. */
  evenly: boolean
}

/** Why something leaves at its time and not sooner. */
export const reasons = [
  'now',
  'paused',
  'start',
  'time',
  'pace',
  'groups',
  'roundDay',
  'until',
  'hours',
  'messages',
  'day',
  'hour',
  'minute',
  'gentle',
] as const
export type Reason = (typeof reasons)[number]

/** Why something can never leave. */
export const neverReasons = ['day', 'hour', 'minute', 'roundDay', 'message', 'hours'] as const
export type NeverReason = (typeof neverReasons)[number]

/** What a plan gives one letter, or the copies of one. */
export type Planned = { id: number; of: 'letter' | 'copies'; lane: number; recipients: number } & (
  | { at: number; by: Reason }
  | { at: null; by: NeverReason }
)

/** The slowest pace, in messages a minute: one an hour, however it is rounded. */
export const slowestPace = 0.0166

/**
 * The gap in milliseconds that a pace in messages a minute keeps; less than one a minute is a pace too.
 * @example gapOf(30) // 2000
 */
export function gapOf(perMinute: number): number {
  return Math.ceil(minute / perMinute)
}

/** A fraction of 1 that a number always gives, and that looks like chance from one number to the next. */
export function chanceOf(seed: number): number {
  let x = (seed ^ 0x9e3779b9) >>> 0
  x = Math.imul(x ^ (x >>> 16), 0x45d9f3b)
  x = Math.imul(x ^ (x >>> 16), 0x45d9f3b)
  return ((x ^ (x >>> 16)) >>> 0) / 2 ** 32
}

/** Recipients allowed within any stretch of a length. */
interface Window {
  ms: number
  most: number
  by: 'day' | 'hour' | 'minute'
}

/** Limits over calendar days of a zone. */
interface DayCap {
  days: ZoneDays
  allows: (number: number) => number
  used: (number: number) => number
  by: 'day' | 'gentle' | 'roundDay'
}

const windowsOf = ({ perDay, dayZone, perHour, recipientsPerMinute }: Limits): Window[] => [
  ...(dayZone === null ? [{ ms: day, most: perDay, by: 'day' as const }] : []),
  ...(perHour === null ? [] : [{ ms: hour, most: perHour, by: 'hour' as const }]),
  ...(recipientsPerMinute === null ? [] : [{ ms: minute, most: recipientsPerMinute, by: 'minute' as const }]),
]

/** What has left a mailbox and what a plan lets leave, and what its limits make of that. */
class Traffic {
  /** Times in order, and the recipients up to each of them. */
  private readonly times: number[] = []
  private readonly sums: number[] = [0]
  private readonly windows: Window[]
  private readonly windowStarts: number[]
  private readonly caps: DayCap[] = []
  private readonly counted: { days: ZoneDays; used: Map<number, number> }[] = []
  private sending: GentleStart['last'] = null
  last = Number.NEGATIVE_INFINITY
  readonly zoneDays: ZoneDays

  constructor(
    private readonly limits: Limits,
    history: readonly Departure[],
  ) {
    this.windows = windowsOf(limits)
    this.windowStarts = this.windows.map(() => 0)
    this.zoneDays = new ZoneDays(limits.zone)
    if (limits.dayZone !== null)
      this.caps.push({ ...this.countedBy(new ZoneDays(limits.dayZone)), allows: () => limits.perDay, by: 'day' })
    const { gentle } = limits
    if (gentle) {
      const counted = this.countedBy(this.zoneDays)
      this.caps.push({
        ...counted,
        // A day's first letter always fits: else one with many copies would wait for ever.
        allows: (number) =>
          counted.used(number) === 0
            ? Number.POSITIVE_INFINITY
            : (gentle.days[daysBefore(this.sending, number)] ?? Number.POSITIVE_INFINITY),
        by: 'gentle',
      })
    }
    for (const { at, recipients } of [...history].sort((a, b) => a.at - b.at)) this.leave(at, recipients)
    this.sending = gentle?.last ?? null
  }

  private countedBy(days: ZoneDays) {
    const used = new Map<number, number>()
    this.counted.push({ days, used })
    return { days, used: (number: number) => used.get(number) ?? 0 }
  }

  leave(at: number, recipients: number): void {
    this.times.push(at)
    this.sums.push(this.sums[this.sums.length - 1] + recipients)
    for (const { days, used } of this.counted) {
      const { number } = days.of(at)
      used.set(number, (used.get(number) ?? 0) + recipients)
    }
    if (this.limits.gentle) {
      const { number } = this.zoneDays.of(at)
      if (number !== this.sending?.number) this.sending = { number, before: daysBefore(this.sending, number) }
    }
    this.last = at
  }

  /** Why so many recipients can never be written to at once, or null. */
  neverFits(recipients: number, copies: number): NeverReason | null {
    const { perDay, perMessage } = this.limits
    if (perMessage !== null && Math.max(recipients, copies) > perMessage) return 'message'
    if (recipients + copies > perDay) return 'day'
    return this.windows.find(({ most }) => recipients + copies > most)?.by ?? null
  }

  /** Puts a moment off until the windows let so many recipients go: for ever while what is promised takes up all there is. */
  byWindows(moment: Moment, recipients: number): void {
    const sum = this.sums[this.sums.length - 1]
    for (let i = 0; i < this.windows.length; i++) {
      const { most, ms, by } = this.windows[i]
      const room = most - recipients
      if (room < 0) return moment.putOff(Number.POSITIVE_INFINITY, by)
      // The first departure that may still be within the window: from one question to the next it is near to where it was.
      let start = this.windowStarts[i]
      while (sum - this.sums[start] > room) start++
      while (start > 0 && sum - this.sums[start - 1] <= room) start--
      this.windowStarts[i] = start
      if (start > 0) moment.putOff(this.times[start - 1] + ms, by)
    }
  }

  /**
   * Puts a moment off to the first day that has room for so many beside what is promised: for ever while that takes up all there is.
   * @param promised null for what was promised itself: the gentle start is not asked again for copies of letters that have gone.
   * @param ofRound the round's own limit, which knows nothing of what the mailbox has promised.
   */
  byDays(moment: Moment, recipients: number, promised: number | null, ofRound: DayCap | null): void {
    for (let i = 0; i <= this.caps.length; ) {
      const cap = i < this.caps.length ? this.caps[i] : ofRound
      i++
      if (cap === null || (promised === null && cap.by === 'gentle')) continue
      const { number, end } = cap.days.of(moment.at)
      const used = cap.used(number)
      const wanted = recipients + (cap === ofRound ? 0 : (promised ?? 0))
      if (used + wanted <= cap.allows(number)) continue
      moment.putOff(used === 0 ? Number.POSITIVE_INFINITY : end, cap.by)
      if (used === 0) return
      // Another day, by which all of them are asked again.
      i = 0
    }
  }
}

/** A moment that one rule after another puts off, and the last of them to do so. */
class Moment {
  at = 0
  by: Reason = 'now'

  begin(at: number, by: Reason): void {
    this.at = at
    this.by = by
  }

  putOff(until: number, by: Reason): void {
    if (until <= this.at) return
    this.at = until
    this.by = by
  }
}

/** Those of a round that leave by one order: what stands first is next. */
class Queue {
  private done = 0
  constructor(private readonly all: readonly ToPlan[]) {}
  get next(): ToPlan | undefined {
    return this.all[this.done]
  }
  get length(): number {
    return this.all.length - this.done
  }
  take(): void {
    this.done++
  }
}

const byTime = (some: readonly ToPlan[]) =>
  [...some].sort((a, b) => (a.notBefore ?? Number.NEGATIVE_INFINITY) - (b.notBefore ?? Number.NEGATIVE_INFINITY))

/**
 * When the letters of a round may leave: at the mailbox's hours and its own together, or at its own alone.
 * @param zone the mailbox's (IANA), by whose clock both are meant.
 */
export function roundOpen(mailbox: Openings, { hours }: Pick<Pace, 'hours'>, zone: string): OpenTogether {
  if (hours === null) return new OpenTogether([mailbox])
  return new OpenTogether([...(hours.instead ? [] : [mailbox]), new Openings(hours, zone)])
}

/** A round as it is being planned. */
class Running {
  readonly id: number
  readonly pace: Pace
  readonly copies: Queue
  /** Letters that go by the pace, in their order, and those that have a time of their own, by that. */
  readonly byPace: Queue
  readonly timed: Queue
  readonly queues: readonly Queue[]
  readonly cap: DayCap | null
  last: number
  private readonly open: OpenTogether
  private opening: Opening | null = null
  private readonly gap: number
  /** When the next is wanted where letters are spread, and the open time between two of them. */
  private target: number | null = null
  private between = 0
  /** How much open time is left until the last is to have left, and since when that is so. */
  private openLeft = 0
  private openSince: number | null = null
  private gone: number
  /** Whether a letter that goes by the pace has left. */
  private begun: boolean
  private readonly usedOn = new Map<number, number>()

  constructor(
    private readonly lane: Lane,
    zone: string,
    base: number,
    mailboxOpen: Openings,
    private readonly days: ZoneDays,
  ) {
    const { pace, letters } = lane
    this.id = lane.id
    this.pace = pace
    this.copies = new Queue(byTime(lane.copies))
    this.byPace = new Queue(letters.filter((l) => l.notBefore === null))
    this.timed = new Queue(byTime(letters.filter((l) => l.notBefore !== null)))
    // What has a time of its own goes at that time, whatever else might.
    this.queues = [this.timed, this.byPace]
    this.gap = gapOf(pace.perMinute)
    this.gone = lane.gone
    this.begun = lane.lastByPace !== null
    this.last = lane.last?.at ?? Number.NEGATIVE_INFINITY
    this.open = roundOpen(mailboxOpen, pace, zone)
    if (lane.last !== null) this.usedOn.set(days.of(lane.last.at).number, lane.last.onItsDay)
    const { perDay } = pace
    this.cap =
      perDay === null
        ? null
        : { days, allows: () => perDay, used: (number) => this.usedOn.get(number) ?? 0, by: 'roundDay' }
    this.spread(Math.max(base, pace.startAt ?? base))
  }

  /** Where letters are spread until a moment: works out when the next of them is wanted, from now or from when the last one left. */
  private spread(start: number): void {
    const { until } = this.pace
    const wanted = this.byPace.length
    if (until === null || wanted === 0 || until <= start) return
    const { lastByPace: last } = this.lane
    if (last !== null) return this.spreadFrom(last.at, last.seed)
    this.openLeft = this.open.openBetween(start, until)
    this.between = this.openLeft / wanted
    this.target = this.between > 0 ? start : null
    this.openSince = start
  }

  /**
   * Spreads those that are left evenly from the last that left, which did so a part of the gap later than it might: so a plan that is made
   * anew halfway is the same plan.
   */
  private spreadFrom(last: number, seed: number): void {
    const until = this.pace.until!
    const later = this.lateness(seed)
    this.openLeft =
      this.openSince === null
        ? this.open.openBetween(last, until)
        : this.openLeft - this.open.openBetween(this.openSince, Math.min(last, until))
    this.openSince = last
    this.between = Math.max(0, this.openLeft) / (this.byPace.length + 1 - later)
    this.target = this.between > 0 ? this.open.after(last, (1 - later) * this.between) : null
  }

  /** By what part of the gap a letter leaves later than it might. */
  private lateness(seed: number): number {
    return this.pace.uneven ? chanceOf(seed) / 2 : 0
  }

  /** Puts a moment off until a letter may leave by what the round itself wants. */
  byWishes(moment: Moment, letter: ToPlan): void {
    const { startAt, groups } = this.pace
    if (startAt !== null) moment.putOff(startAt, 'start')
    if (letter.notBefore !== null) moment.putOff(letter.notBefore, 'time')
    const later = this.lateness(letter.seed)
    if (this.target !== null && letter.notBefore === null)
      // The first leaves at once: put off by a part of the gap, it would be put off again by each plan that is made before it has left.
      moment.putOff(
        Math.ceil(this.open.after(this.target, this.begun ? later * this.between : 0) ?? this.target),
        'until',
      )
    moment.putOff(this.last + Math.ceil(this.gap * (1 + later)), 'pace')
    if (groups !== null && this.gone > 0 && this.gone % groups.of === 0)
      moment.putOff(this.last + Math.max(this.gap, groups.rest * minute), 'groups')
  }

  /** The opening in which a moment lies, or the first after it. */
  openFrom(at: number): Opening | null {
    if (this.opening === null || at < this.opening.from || at >= this.opening.to) this.opening = this.open.next(at)
    return this.opening
  }

  /** Takes note that what is next in a queue leaves. */
  leave(queue: Queue, at: number): void {
    const letter = queue.next!
    queue.take()
    if (queue === this.copies) return
    if (queue === this.byPace && this.target !== null) this.spreadFrom(at, letter.seed)
    this.gone++
    this.begun ||= queue === this.byPace
    this.last = at
    if (this.cap === null) return
    const { number } = this.days.of(at)
    this.usedOn.set(number, (this.usedOn.get(number) ?? 0) + letter.recipients + letter.copies)
  }

  /** Why a letter can never leave by the round's own wishes, or null. */
  neverFits({ recipients, copies }: ToPlan): NeverReason | null {
    return this.pace.perDay !== null && recipients + copies > this.pace.perDay ? 'roundDay' : null
  }
}

/** Limits that hold over a day or so: what waits for one of these waits for it, though the hours may add to that. */
const holdsLong = (by: Reason) => by === 'day' || by === 'hour' || by === 'gentle' || by === 'roundDay'

/**
 * Gives everything that waits in one mailbox its time: the earliest that keeps hours, limits and the rounds' own paces. Each moment
 * goes to the first round in order that can use it. A letter leaves only when the allowance covers its copies too.
 * This is the computation that draws the timetable and that the dispatcher follows.
 * @param now no earlier than that; with `paused`, since the host asked to wait until then.
 * @param history what left in the last two days.
 * @returns each with its time, in the order of leaving; those that can never leave last.
 */
export function plan(
  now: number,
  { lanes, evenly }: Waiting,
  limits: Limits,
  history: readonly Departure[],
  paused = false,
): Planned[] {
  const traffic = new Traffic(limits, history)
  const mailboxOpen = new Openings(limits.hours, limits.zone)
  const hostGap = gapOf(limits.perMinute)
  const rounds = lanes.map((lane) => new Running(lane, limits.zone, now, mailboxOpen, traffic.zoneDays))
  const planned: Planned[] = []
  const never: Planned[] = []
  let promised = lanes.reduce((sum, lane) => sum + lane.copies.reduce((n, c) => n + c.recipients, 0), 0)
  const moment = new Moment()

  /** Puts the moment off until a mailbox and its round let so many recipients go. Whether the hours ever do. */
  const settle = (round: Running, recipients: number, kept: number | null, follow: boolean): boolean => {
    moment.putOff(traffic.last + hostGap, 'messages')
    traffic.byWindows(moment, recipients + (kept ?? 0))
    while (moment.at !== Number.POSITIVE_INFINITY) {
      traffic.byDays(moment, recipients, kept, kept === null ? null : round.cap)
      if (moment.at === Number.POSITIVE_INFINITY) break
      const opening = round.openFrom(moment.at)
      if (opening === null) return false
      let from = Math.max(moment.at, opening.from)
      // Copies follow before it closes, where there is time enough for that at all.
      if (follow && from + hostGap >= opening.to && opening.to - opening.from > hostGap) from = opening.to
      if (from === moment.at) break
      moment.putOff(from, holdsLong(moment.by) ? moment.by : 'hours')
    }
    return true
  }
  /** Sets the moment to the earliest for what is next in a queue, or for so many recipients of it. Whether there ever is one. */
  const earliest = (round: Running, queue: Queue, item: ToPlan, recipients: number): boolean => {
    moment.begin(now, paused ? 'paused' : 'now')
    if (queue === round.copies) {
      moment.putOff(item.notBefore ?? now, 'time')
      return settle(round, recipients, null, false)
    }
    round.byWishes(moment, item)
    return settle(round, recipients, promised, item.copies > 0)
  }

  let bestAt = 0
  let bestBy: Reason = 'now'
  let bestRound: Running | null = null
  let bestQueue: Queue | null = null
  const take = (round: Running, queue: Queue) => {
    bestAt = moment.at
    bestBy = moment.by
    bestRound = round
    bestQueue = queue
  }
  /** Looks at what is next in a queue. Where that can never leave, it is taken out, and what comes after it is looked at. */
  const look = (round: Running, queue: Queue) => {
    for (let item = queue.next; item; item = queue.next) {
      const unfit =
        traffic.neverFits(item.recipients, item.copies) ?? (queue === round.copies ? null : round.neverFits(item))
      if (unfit === null && earliest(round, queue, item, item.recipients + item.copies)) {
        const isSooner =
          bestRound === null || moment.at < bestAt || (evenly && moment.at === bestAt && round.last < bestRound.last)
        if (isSooner) take(round, queue)
        return
      }
      queue.take()
      if (queue === round.copies) promised -= item.recipients
      never.push({
        id: item.id,
        of: queue === round.copies ? 'copies' : 'letter',
        lane: round.id,
        recipients: item.recipients + item.copies,
        at: null,
        by: unfit ?? 'hours',
      })
    }
  }

  for (;;) {
    bestRound = null
    bestQueue = null
    for (const round of rounds) look(round, round.copies)
    for (const round of rounds) for (const queue of round.queues) look(round, queue)
    const [chosen, from] = [bestRound as Running | null, bestQueue as Queue | null]
    if (chosen === null || from === null) break
    // A round before it in order that waits only until there is room for a letter with copies keeps that room.
    if (!evenly && from !== chosen.copies)
      for (const round of rounds) {
        if (round === chosen) break
        const queue = round.byPace
        const item = queue.next
        if (!item || item.copies === 0 || !earliest(round, queue, item, 1) || moment.at > bestAt) continue
        if (earliest(round, queue, item, item.recipients + item.copies) && moment.at !== Number.POSITIVE_INFINITY) {
          take(round, queue)
          break
        }
      }
    // What is promised is placed before anything waits for ever for it.
    if (bestAt === Number.POSITIVE_INFINITY) throw new Error('The plan has come to no end.')
    const round = bestRound as unknown as Running
    const queue = bestQueue as unknown as Queue
    const item = queue.next!
    const isCopies = queue === round.copies
    planned.push({
      id: item.id,
      of: isCopies ? 'copies' : 'letter',
      lane: round.id,
      recipients: item.recipients + item.copies,
      at: bestAt,
      by: bestBy,
    })
    traffic.leave(bestAt, item.recipients)
    if (isCopies) promised -= item.recipients
    round.leave(queue, bestAt)
    if (item.copies > 0) traffic.leave(bestAt + hostGap, item.copies)
  }
  for (const one of never) planned.push(one)
  return planned
}

/**
 * What the limits of a mailbox leave it at a moment: since when what left counts (not included), and the most recipients since then.
 * All of them hold, but that of the gentle start lets a day's first letter go whatever its copies are; its hours do not count.
 */
export function capsAt(now: number, limits: Limits): { since: number; most: number; by: Window['by'] | 'gentle' }[] {
  const caps: ReturnType<typeof capsAt> = windowsOf(limits).map(({ ms, most, by }) => ({ since: now - ms, most, by }))
  if (limits.dayZone !== null)
    caps.push({ since: new ZoneDays(limits.dayZone).of(now).start - 1, most: limits.perDay, by: 'day' })
  const today = new ZoneDays(limits.zone).of(now)
  const most = limits.gentle?.days[daysBefore(limits.gentle.last, today.number)]
  if (most) caps.push({ since: today.start - 1, most, by: 'gentle' })
  return caps
}

/** How many recipients the mailbox may still write to at a moment: what the strictest of {@link capsAt} leaves. */
export function allowanceAt(now: number, limits: Limits, history: readonly Departure[]): number {
  const left = capsAt(now, limits).map(({ since, most }) =>
    history.reduce((rest, d) => (d.at > since && d.at <= now ? rest - d.recipients : rest), most),
  )
  return Math.max(0, Math.min(...left))
}
