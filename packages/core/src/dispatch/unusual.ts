import { countSentence, type PeopleOfRound } from '../people/selection.ts'
import { sentence, some } from '../words.ts'
import { unusual as say } from './words.ts'

/** What is looked at once more before a round is posted. */
export interface LastLook {
  /** When each letter leaves (ms since 1970). */
  departures: readonly number[]
  /** The time zone of the mailbox (IANA). */
  zone: string
  counts: PeopleOfRound['counts']
  /** How many messages show every variation of the letter, and how many of them were read. */
  readingSet: number
  read: number
}

/** Between these hours an office writes no letters, nor on a Saturday or Sunday. Common practice, no source. */
const nightFrom = 21
const nightTo = 7
/** From which share of the list on it is said that people are left out. */
const manyLeftOut = 1 / 3

const n = (count: number) => count.toLocaleString('en-GB')

/**
 * What is unusual about a round that is to be posted, each in a sentence, and none where all is as usual: letters that leave at night
 * or at the weekend, that no message was read, that a third of the people or more are left out.
 */
export function unusualThings({ departures, zone, counts, readingSet, read }: LastLook): string[] {
  const clock = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    hour: 'numeric',
    hourCycle: 'h23',
  })
  // Every zone is off by quarters of an hour: of the letters of one quarter the first tells for all.
  const known = new Map<number, boolean>()
  const isOdd = (at: number) => {
    const quarter = Math.floor(at / 900_000)
    let odd = known.get(quarter)
    if (odd === undefined) {
      const parts = clock.formatToParts(at)
      const part = (type: string) => parts.find((p) => p.type === type)!.value
      const hour = Number(part('hour'))
      odd = ['Sat', 'Sun'].includes(part('weekday')) || hour >= nightFrom || hour < nightTo
      known.set(quarter, odd)
    }
    return odd
  }
  const odd = departures.filter(isOdd)
  const said: string[] = []
  if (odd.length > 0) {
    const first = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      weekday: 'long',
      day: 'numeric',
      month: 'long',
      hour: '2-digit',
      minute: '2-digit',
    }).format(odd.reduce((earliest, at) => Math.min(earliest, at)))
    const which = sentence(some(odd.length, departures.length, 'letter'))
    said.push(say.nightOrWeekend(which, odd.length, first))
  }
  if (readingSet > 0 && read === 0)
    said.push(readingSet === 1 ? say.nobodyHasReadMessage : say.nobodyHasReadAny(n(readingSet)))
  const out = counts.byRule + counts.setAside + counts.doNotWrite
  if (counts.list > 0 && out >= manyLeftOut * counts.list)
    said.push(say.peopleListGetNo(n(out), n(counts.list), countSentence(counts)))
  return said
}
