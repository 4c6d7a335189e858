import { type Hours, isWorkingDay } from '../mailboxes/hours.ts'
import { dayWritten, instantOf, momentWords, wallOf, type ZoneDays } from '../mailboxes/zone.ts'
import { z } from '../schema.ts'
import { chaser as say } from './words.ts'

/** Whom a chaser may go to: each is a choice of its own, and several may be made. */
export const chasedKinds = [
  /** Of whom nothing has come: no answer, no choice, no returned mail, no outcome word. */
  'silent',
  /** Whose letter came back for a while only: their mailbox was full, their host could not be reached. */
  'softBounce',
  /** Who has made none of the letter's choices, though they may have written. */
  'noChoice',
  /** Who has sent no file back, though they may have written. */
  'noFile',
  /** Who has one of some outcome words. */
  'word',
  /** Who was chosen on the board, of whom nothing has come since. */
  'chosen',
] as const
export type ChasedKind = (typeof chasedKinds)[number]

/** How long after the first letter a chaser leaves. */
const afterSchema = z.object({
  n: z.number().int().min(1, say.tooSoon).max(366, say.tooLate),
  of: z.enum(['workingDays', 'days']),
})
export type ChaserAfter = z.infer<typeof afterSchema>

/** What makes a round a chaser of another. */
export const chaserSchema = z.object({
  /** After their first letter; null is at once, as the round's own pace has it. */
  after: afterSchema.nullable(),
  who: z.array(z.enum(chasedKinds)).min(1, say.nobody).max(chasedKinds.length),
  /** The outcome words of `word`. */
  words: z.array(z.string().max(60)).max(9),
  /** Only these rows; null is whoever has the letter. */
  rows: z.array(z.number().int()).max(200_000).nullable(),
  /** What was known when `rows` were chosen: the last response by its number, and the moment (ms since 1970). */
  since: z.object({ response: z.number().int(), at: z.number() }).nullable(),
  /** In the thread of the first letter, under its subject (RFC 5322, section 3.6.4); else a letter of its own. */
  thread: z.boolean(),
  /** Below it stands what the first letter said. */
  quote: z.boolean(),
  /** Each letter is made of the row as it was when it was posted; else as the row is when it leaves. */
  asPosted: z.boolean(),
})
export type Chaser = z.infer<typeof chaserSchema>

/** What is offered first: one chaser after five working days to those of whom nothing has come, in the thread. */
export const usualChaser: Chaser = {
  after: { n: 5, of: 'workingDays' },
  who: ['silent'],
  words: [],
  rows: null,
  since: null,
  thread: true,
  quote: true,
  asPosted: false,
}

/**
 * When a chaser may leave: so many days after the letter, at the same time by the clock. Working days are those of the mailbox's hours,
 * but for its days off: see {@link isWorkingDay}.
 * @param leftAt when the letter left (ms since 1970).
 * @returns ms since 1970; null where there are not so many working days in three years.
 */
export function chaserDue(leftAt: number, after: ChaserAfter, hours: Hours, days: ZoneDays): number | null {
  const wall = wallOf(leftAt, days.zone)
  const first = days.of(leftAt).number
  let number = first
  if (after.of === 'days') number += after.n
  else
    for (let left = after.n; left > 0; ) {
      if (++number - first > horizonDays) return null
      if (isWorkingDay(hours, number)) left--
    }
  return instantOf(wall + (number - first) * day, days.zone)
}
const day = 24 * 60 * 60 * 1000
const horizonDays = 3 * 366

/** What is known of a person and a round: of its letter, and of what chased it already. Times in ms since 1970. */
export interface ChasedFacts {
  /** Their latest answer, and the number of the last thing they sent: an answer, a choice or opting out. */
  replied: number | null
  lastResponse: number | null
  /** Something that may be an answer of theirs, and of which the writer has not said whether it is. */
  proposed: boolean
  optedOut: number | null
  bounced: { at: number; hard: boolean } | null
  chose: number | null
  sentFile: boolean
  word: string | null
  wordAt: number | null
}

/** Nothing has come of the letter. */
export const nothingCame: ChasedFacts = {
  replied: null,
  lastResponse: null,
  proposed: false,
  optedOut: null,
  bounced: null,
  chose: null,
  sentFile: false,
  word: null,
  wordAt: null,
}

const fits: Readonly<Record<ChasedKind, (came: ChasedFacts, chaser: Chaser) => boolean>> = {
  silent: ({ replied, chose, word, bounced }) => replied === null && chose === null && word === null && !bounced,
  softBounce: ({ replied, chose, word, bounced }) =>
    bounced !== null && replied === null && chose === null && word === null,
  noChoice: ({ chose, word, bounced }) => chose === null && word === null && !bounced,
  noFile: ({ sentFile, word, bounced }) => !sentFile && word === null && !bounced,
  // Whoever has written since they were given the word has something new to say.
  word: ({ word, wordAt, replied }, { words }) =>
    word !== null && words.includes(word) && (replied === null || replied <= (wordAt ?? 0)),
  chosen: ({ lastResponse, wordAt, bounced }, { since }) =>
    since !== null &&
    (lastResponse ?? 0) <= since.response &&
    (wordAt ?? 0) <= since.at &&
    (bounced?.at ?? 0) <= since.at,
}

/** Why a chaser does not go to somebody, in words; `yet`: it may, when the writer has said what they know. */
export interface NotChased {
  why: string
  yet: boolean
}

/**
 * Whether a chaser goes to somebody, by what is known of them now.
 * @param zone (IANA) by which times are told.
 * @returns null where it goes.
 * @example judgeChaser(usualChaser, nothingCame, 'Europe/London') // null
 */
export function judgeChaser(chaser: Chaser, came: ChasedFacts, zone: string): NotChased | null {
  const out = (why: string): NotChased => ({ why, yet: false })
  if (came.optedOut !== null) return out(say.optedOut(momentWords(came.optedOut, zone)))
  if (came.bounced?.hard) return out(say.cameBack(momentWords(came.bounced.at, zone)))
  if (chaser.who.some((kind) => fits[kind](came, chaser)))
    return came.proposed ? { why: say.proposed, yet: true } : null
  if (came.replied !== null) return out(say.answered(momentWords(came.replied, zone)))
  if (came.word !== null) return out(say.hasWord(came.word))
  if (came.bounced) return out(say.cameBackSoftly(momentWords(came.bounced.at, zone)))
  return out(say.notMeant)
}

/** When a chaser leaves, in words: "5 working days after the letter". */
export const chaserAfterWords = ({ after }: Pick<Chaser, 'after'>): string =>
  after === null ? say.atOnce : say.after(after.n, after.of)

/** Whom a chaser goes to, in words, as the end of a sentence: "who have not answered". */
export const chasedWords = ({ who, words }: Pick<Chaser, 'who' | 'words'>): string => say.who(who, words)

/**
 * Several chasers of one round, looked at together: two may not be due on one day.
 * @returns what is wrong, in words; null where nothing is.
 */
export function chasersFault(chasers: readonly Pick<Chaser, 'after'>[]): string | null {
  const seen = new Set<string>()
  for (const { after } of chasers) {
    if (after === null) continue
    const key = `${after.n} ${after.of}`
    if (seen.has(key)) return say.sameDay(after.n, after.of)
    seen.add(key)
  }
  return null
}

/** How many chasers leave on which days, in words: "up to 58 chasers on Thu 3 December". */
export function chaserDaysWords(letters: number, first: number | null, last: number | null, zone: ZoneDays): string {
  if (first === null || last === null) return say.never(letters)
  const [from, to] = [first, last].map((at) => say.dayOf(dayWritten(zone.of(at).number)))
  return say.upTo(letters, from, from === to ? null : to)
}
