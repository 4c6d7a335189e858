import { domainOf } from '../people/address.ts'
import { listed, times } from '../words.ts'
import { brake as say } from './words.ts'

/** What became of a letter that has left: null while nothing bad is known, else that it was refused or came back, and why in words. */
export interface Fate {
  at: number
  address: string
  bad: string | null
}

/** How many letters are looked at together, and how many of them must have gone wrong at least. Common practice, no source. */
export const brakeWindow = 50
export const brakeLeast = 3
/** The share of them, in percent, from which on a round holds itself, where the writer has chosen no other. */
export const usualBrake = 8

/** Letters among which too many went wrong: how many of how many, with those that did. */
export interface Braking {
  bad: Fate[]
  of: number
}

/**
 * Whether a round holds itself: because of its first letters, or of any fifty that left one after another, more than a share was refused
 * or came back, and three at least.
 * @param fates in the order of leaving.
 * @param from the place of a letter of them: only stretches that end there or later are looked at.
 * @param share in percent.
 * @returns the letters for which it does, the latest of them; null when it does not.
 */
export function braking(fates: readonly Fate[], share: number, from = 0): Braking | null {
  let bad = 0
  let found: Braking | null = null
  for (let end = 0; end < fates.length; end++) {
    if (fates[end].bad !== null) bad++
    if (end >= brakeWindow && fates[end - brakeWindow].bad !== null) bad--
    const of = Math.min(end + 1, brakeWindow)
    if (end < from || bad < brakeLeast || bad * 100 <= share * of) continue
    const letters = fates.slice(end + 1 - of, end + 1)
    found = { bad: letters.filter((one) => one.bad !== null), of }
  }
  return found
}

/** What is said of it in words; what the host said after that stands at the letter. */
const firstSentence = (words: string) => {
  const start = words.slice(0, 120)
  const end = start.search(/[.!?](?:\s|$)/)
  return end < 0 ? start : start.slice(0, end)
}

/** How many domains are named. */
const maxNamed = 4

/** Says why a round holds itself: how many of how many, by domain, with what was said of the most of each. */
export function brakingWords({ bad, of }: Braking): string {
  const byDomain = new Map<string, Fate[]>()
  for (const one of bad) {
    const domain = domainOf(one.address)
    byDomain.set(domain, [...(byDomain.get(domain) ?? []), one])
  }
  const most = [...byDomain].sort((a, b) => b[1].length - a[1].length || a[0].localeCompare(b[0]))
  const named = most
    .slice(0, maxNamed)
    .map(([domain, some]) => say.atDomain(some.length, domain, firstSentence(some[some.length - 1].bad ?? '')))
  const more = most.slice(maxNamed).reduce((n, [, some]) => n + some.length, 0)
  return say.holdsItself(bad.length, of, listed([...named, ...(more > 0 ? [times(more, 'letter')] : [])]))
}
