import { momentWords, ZoneDays } from '../mailboxes/zone.ts'
import { times } from '../words.ts'
import {
  allowanceAt,
  type Departure,
  gapOf,
  type Lane,
  type Limits,
  type NeverReason,
  type Pace,
  plan,
  type Reason,
} from './plan.ts'
import { timetable as say } from './words.ts'

/** One letter in a timetable. */
export interface TimetableEntry {
  /** When it leaves or left (ms since 1970). */
  at: number
  recipients: number
  rowId: number
  gone: boolean
  /** Why then and not sooner; null where that is not known (any more). */
  by: Reason | null
}

/** All that a round's timetable is computed from. */
export interface PlanGiven {
  now: number
  /** Its host asked the mailbox to wait until `now`, which has not come yet. */
  paused: boolean
  limits: Limits
  /** What left the mailbox in the last two days. */
  history: Departure[]
  /** The rounds that wait in the mailbox, in the order in which they take turns; the ids of this round's letters are rows. */
  lanes: Lane[]
  evenly: boolean
  /** Which of them this round is. */
  round: number
}

/** What of a timetable is told in its sentence. */
export interface ToTell {
  departures: readonly TimetableEntry[]
  limits: Limits
  pace: Pace
  /** Letters that can never leave, by why. */
  never: readonly { by: NeverReason; letters: number }[]
  /** Letters that wait and have no time, for the round is held. */
  held: number
  /** Letters that wait and have no time yet. */
  unplanned: number
}

/** A round's timetable. */
export interface PlannedRound {
  departures: TimetableEntry[]
  never: { by: NeverReason; letters: number }[]
  /** When other rounds' letters leave the mailbox, and to how many. */
  others: Departure[]
  /** How many recipients the mailbox may still write to when the last has left, or null when none leaves. */
  afterwards: { at: number; left: number } | null
  /** How many recipients the mailbox may write to just now. */
  allowance: number
}

/**
 * Computes a round's timetable.
 * @param pace the writer's pace, where another is tried out than the round has.
 */
export function timetableOf(
  { now, paused, limits, history, lanes, evenly, round }: PlanGiven,
  pace?: Pace,
): PlannedRound {
  const tried = lanes.map((lane) => (lane.id === round && pace ? { ...lane, pace } : lane))
  const planned = plan(now, { lanes: tried, evenly }, limits, history, paused)
  const departures: TimetableEntry[] = []
  const others: Departure[] = []
  const never = new Map<NeverReason, number>()
  const left: Departure[] = [...history]
  for (const one of planned) {
    const isMine = one.lane === round && one.of === 'letter'
    if (one.at === null) {
      if (isMine) never.set(one.by, (never.get(one.by) ?? 0) + 1)
      continue
    }
    left.push({ at: one.at, recipients: one.recipients })
    if (isMine) departures.push({ at: one.at, recipients: one.recipients, rowId: one.id, gone: false, by: one.by })
    else others.push({ at: one.at, recipients: one.recipients })
  }
  const last = departures.at(-1)?.at
  const promised = lanes.reduce((sum, lane) => sum + lane.copies.reduce((n, c) => n + c.recipients, 0), 0)
  const hostGap = gapOf(limits.perMinute)
  return {
    departures,
    others,
    never: [...never].map(([by, letters]) => ({ by, letters })),
    afterwards: last === undefined ? null : { at: last, left: allowanceAt(last + hostGap, limits, left) },
    allowance: Math.max(0, allowanceAt(now, limits, history) - promised),
  }
}

/** What a reason is called where it holds letters up, or null where it holds up nothing. */
function holder(by: Reason | null, { limits, pace }: ToTell): string | null {
  switch (by) {
    case 'day':
      return limits.dayZone === null ? say.in24Hours(limits.perDay) : say.aDay(limits.perDay)
    case 'hour':
      return say.anHour(limits.perHour ?? 0)
    case 'minute':
      return say.aMinute(limits.recipientsPerMinute ?? 0)
    case 'messages':
      return say.messagesAMinute(limits.perMinute)
    case 'gentle':
      return say.gentleStart(limits.gentle?.days ?? [])
    case 'roundDay':
      return say.yourOwn(pace.perDay ?? 0)
    case 'groups':
      return say.rests(pace.groups?.of ?? 0)
    case 'pace':
      return say.pace(pace.perMinute)
    case 'until':
      return say.evenly
    case 'hours':
      return pace.hours === null ? say.hours : say.roundHours
    case 'time':
      return say.ownTimes
    default:
      return null
  }
}

/** Whatever stands most often in a list, or null where it is empty. */
function mostFrequent<T>(all: readonly T[]): T | null {
  const counts = new Map<T, number>()
  for (const one of all) counts.set(one, (counts.get(one) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null
}

/** Says what decides when letters leave: what the most of them wait for over a day's end or, where they all leave on one day, at all. */
function decides(toTell: ToTell, days: readonly number[]): string {
  const waiting = toTell.departures.map((d, i) => ({ ...d, day: days[i] })).filter((d) => !d.gone)
  if (waiting.length < 2) return ''
  const later = waiting.filter((d) => d.day !== waiting[0].day)
  if (later.length > 0) {
    const firsts = waiting.filter((d, i) => i > 0 && d.day !== waiting[i - 1].day)
    // Where a limit lets one letter after another go a day later, all of them wait for it, not only the day's first.
    const name = holder(mostFrequent(firsts.map((d) => d.by)), toTell)
    return name === null ? '' : ` ${say.waitForAnotherDay(later.length, name)}`
  }
  if (waiting[waiting.length - 1].at - waiting[0].at < 60_000) return ''
  const name = holder(mostFrequent(waiting.slice(1).map((d) => d.by)), toTell)
  return name === null ? '' : ` ${say.whatDecides(name)}`
}

/** Says whether the letters have left by the moment that the writer wished for. */
function byThen(toTell: ToTell): string {
  const { departures, pace, limits } = toTell
  if (pace.until === null || departures.length === 0) return ''
  const until = pace.until
  const at = momentWords(until, limits.zone)
  if (pace.startAt !== null && until <= pace.startAt) return ` ${say.lastBeforeFirst(at)}`
  const late = departures.filter((d) => d.at > until)
  if (late.length === 0) return toTell.never.length > 0 ? '' : ` ${say.doneBy(at)}`
  const name = holder(mostFrequent(late.map((d) => (d.by === 'pace' ? 'hours' : d.by))), toTell)
  return ` ${say.notDoneBy(at, late.length, name)}`
}

const neverWords = (by: NeverReason, letters: number, { pace }: ToTell): string => {
  if (by === 'hours') return pace.hours === null ? say.neverOpen(letters) : say.neverOpenTogether(letters)
  return say.never(letters, say.tooMany[by])
}

/** Says a timetable in a few sentences: how many letters, from when to when, what decides that, and what cannot be. */
export function timetableSentence(toTell: ToTell, now: number): string {
  const { departures, limits, never, held, unplanned } = toTell
  const cannot = never.map(({ by, letters }) => ` ${neverWords(by, letters, toTell)}`).join('')
  const waits = `${held === 0 ? '' : ` ${say.held(held)}`}${unplanned === 0 ? '' : ` ${say.unplanned(unplanned)}`}`
  if (departures.length === 0) return `${waits}${cannot}`.trim() || say.nothingPlanned
  const { zone } = limits
  const first = departures[0].at
  const last = departures[departures.length - 1].at
  const start = Math.abs(first - now) < 60_000 ? say.now : momentWords(first, zone)
  const zoneDays = new ZoneDays(zone)
  const days = departures.map((d) => zoneDays.of(d.at).number)
  const recipients = departures.reduce((sum, d) => sum + d.recipients, 0)
  const span = last - first < 60_000 ? say.withinAMinute(start) : say.fromTo(start, momentWords(last, zone))
  const spread = new Set(days).size > 1 ? say.onDays(new Set(days).size) : ''
  return `${say.letters(departures.length)} to ${times(recipients, 'recipient')}, ${span}${spread}.${decides(toTell, days)}${byThen(toTell)}${waits}${cannot}`
}
