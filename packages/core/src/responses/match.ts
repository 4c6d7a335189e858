import { sameAddressKey } from '../people/address.ts'
import { asWords, automaticSubjects } from './habits.ts'
import { match as say } from './words.ts'

/** By what a piece of mail was found to belong to a letter; in the order in which it is looked for. */
export const foundBy = {
  header: { words: say.header, certain: true },
  report: { words: say.report, certain: true },
  token: { words: say.token, certain: true },
  page: { words: say.page, certain: true },
  quoted: { words: say.quoted, certain: true },
  names: { words: say.names, certain: true },
  senderSubject: { words: say.senderSubject, certain: false },
  nameSubject: { words: say.nameSubject, certain: false },
  subjectOnly: { words: say.subjectOnly, certain: false },
  addressOnly: { words: say.addressOnly, certain: false },
  taken: { words: say.taken, certain: true },
} as const satisfies Record<string, { words: string; certain: boolean }>
export type FoundBy = keyof typeof foundBy
export const waysFound = Object.keys(foundBy) as [FoundBy, ...FoundBy[]]

/** How long (ms) after a letter has left mail without its headers may be an answer to it. Common practice, no source. */
export const answersWithin = 90 * 24 * 60 * 60 * 1000
/** How much (ms) earlier than its letter, by the clocks of two hosts, an answer may seem to have come. */
export const clocksDiffer = 24 * 60 * 60 * 1000

/** What mail programs put before the subject of what is answered, sent on, or answered by itself. Common practice, no source. */
const prefixes = new Set([
  ...'re aw antw antwoord sv vs r ref rif res odp ynt fw fwd wg tr rv i enc vb doorst pd fs'.split(' '),
  ...'undeliverable|undelivered|unzustellbar|non remis|no se puede entregar|non recapitabile|onbestelbaar|returned mail|delayed'.split(
    '|',
  ),
  ...automaticSubjects,
])

/**
 * A subject without what mail programs put before it, and without the choice that a prepared answer puts behind it, with one space where it
 * has several; and whether anything stood before it.
 * @example bareSubject('RE: AW: Your berth').subject // 'Your berth'
 */
export function bareSubject(subject: string): { subject: string; answers: boolean } {
  let bare = subject.replace(/\s+/g, ' ').trim()
  let answers = false
  for (let n = 0; n < 10; n++) {
    const colon = bare.slice(0, 40).search(/[:：]/)
    // "Re[2]:", "AW (3):" count how often it went to and fro.
    const name = colon < 1 ? '' : asWords(bare.slice(0, colon).replace(/[[(]\d{1,3}[\])]/, '')).trim()
    if (!prefixes.has(name)) break
    bare = bare.slice(colon + 1).trim()
    answers = true
  }
  return { subject: bare.replace(preparedEnd, '$1'), answers }
}
/** What a prepared answer has behind the letter's subject: the choice, and a token that may have come to harm on its way. */
const preparedEnd = /^(.{1,150}): .{1,80} \[[\w.\s-]{15,120}\]?$/

/** A letter that mail without its headers may belong to. */
export interface Candidate {
  id: number
  address: string
  /** Further addresses from which its person was found to write. */
  also: readonly string[]
  person: string
  subject: string
  /** When it left (ms since 1970). */
  sentAt: number
}

/** What is known of mail without headers that name a letter. */
export interface Stray {
  from: { name: string; address: string }
  subject: string
  /** Whether it is a report on delivery in plain words, with the addresses that it names and its text. */
  returned: { named: readonly string[]; text: string } | null
}

const latest = (some: Candidate[]): Candidate | null =>
  some.reduce<Candidate | null>((best, one) => (best === null || one.sentAt > best.sentAt ? one : best), null)
/** How many words a subject must have to be known by alone. */
const tellingWords = 3

/**
 * The letter that mail may belong to, with by what; null when there is none. Only what a report names together with the subject is
 * certain: everything else is proposed, and counts for nobody until the writer has taken it.
 * @param candidates letters from the same mailbox, of the time in which it may be answered, with its subject or to its addresses.
 */
export function propose(mail: Stray, candidates: readonly Candidate[]): { letter: Candidate; by: FoundBy } | null {
  const found = (letter: Candidate | null, by: FoundBy) => (letter === null ? null : { letter, by })
  if (mail.returned !== null) {
    const named = new Set(mail.returned.named.map(sameAddressKey))
    const about = candidates.filter((one) => named.has(sameAddressKey(one.address)))
    const said = asWords(`${mail.subject} ${mail.returned.text}`)
    const withSubject = about.filter(({ subject }) => subject.trim() !== '' && said.includes(asWords(subject)))
    return found(latest(withSubject), 'names') ?? found(latest(about), 'addressOnly')
  }
  const { subject, answers } = bareSubject(mail.subject)
  const key = asWords(subject)
  if (key.trim() === '') return null
  const same = candidates.filter((one) => asWords(bareSubject(one.subject).subject) === key)
  const sender = sameAddressKey(mail.from.address)
  const bySender = same.filter((one) =>
    [one.address, ...one.also].some((address) => sameAddressKey(address) === sender),
  )
  if (bySender.length > 0) return found(latest(bySender), 'senderSubject')
  if (!answers) return null
  const name = asWords(mail.from.name)
  const people = (some: Candidate[]) => new Set(some.map((one) => sameAddressKey(one.address))).size
  const byName = name.trim() === '' ? [] : same.filter((one) => asWords(one.person) === name)
  if (people(byName) === 1) return found(latest(byName), 'nameSubject')
  if (people(same) === 1 && key.trim().split(' ').length >= tellingWords) return found(latest(same), 'subjectOnly')
  return null
}
