import { type StatesToTell, notices as say } from './words.ts'

/** What a writer is told without looking. */
export const noticeKinds = ['done', 'held', 'doubt'] as const
export type NoticeKind = (typeof noticeKinds)[number]

/** What there is to tell of a round. */
export interface NoticeOf {
  title: string
  /** How many of its letters are in each of these states. */
  states: StatesToTell
  /** Why it has held itself, in words; null where it has not. */
  why: string | null
  /** Where it stands on the desk. */
  address: string
}

/** A notice in words: one line, and what stands below it. */
export function noticeWords(
  kind: NoticeKind,
  { title, states, why, address }: NoticeOf,
): { subject: string; words: string } {
  const counts = say.counts(states)
  const middle = kind === 'held' ? (why ?? '') : kind === 'doubt' ? say.doubtMeans : ''
  return {
    subject: say.subject[kind](title, states.inDoubt),
    words: [middle, counts, say.where(address)].filter(Boolean).join('\n\n'),
  }
}
