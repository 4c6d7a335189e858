import { asWords, phraseIn, phrasesOf } from './habits.ts'
import type { IncomingKind } from './incoming.ts'
import type { NamedDay } from './namedDays.ts'
import { piles as say } from './words.ts'

/** What the in-tray sorts by: what an entry wants of the writer. The most pressing first. */
export const piles = ['question', 'answer', 'returned', 'perhaps', 'automatic', 'thanks', 'choice', 'receipt'] as const
export type Pile = (typeof piles)[number]
/** How each pile is called over its entries, and beside one of them. */
export const pileNames: Readonly<Record<Pile, string>> = say.names
export const pileWords: Readonly<Record<Pile, string>> = say.one

/** The pile that a rule proposes, with the rule as it is shown. */
export interface Sorted {
  pile: Pile
  why: string
}

/** Words that a short thanks has at most. */
const fewWords = 14
/** Characters of an answer that the rules look at, and of a sentence that is shown. */
const maxRead = 5000
const maxShown = 120

const thanks = phrasesOf('thanks')
const requests = phrasesOf('requests')
const hesitates = phrasesOf('hesitates')

/**
 * What somebody wrote beside the choice that their prepared answer says.
 * @example besideChoice('I shall come\n\nWith my sister.', 'I shall come') // 'With my sister.'
 */
export function besideChoice(newText: string, choice: string): string {
  const lines = newText.split(/\r?\n/)
  const at = lines.findIndex((line) => line.trim() === choice)
  return (at < 0 ? lines : [...lines.slice(0, at), ...lines.slice(at + 1)]).join('\n').trim()
}

/** The first sentence that ends with a question mark, without addresses of pages: what stands in them asks nothing. */
function asks(text: string): string | null {
  const plain = text.replace(/\bhttps?:\S{1,2000}/gi, ' ')
  const end = plain.search(/[?？]/)
  if (end < 0) return null
  const sentence = plain.slice(Math.max(0, end - 400), end + 1)
  const begin = Math.max(...['. ', '! ', '\n', ': '].map((mark) => sentence.lastIndexOf(mark)))
  const words = sentence
    .slice(begin + 1)
    .replace(/\s+/g, ' ')
    .trim()
  return words.length > maxShown ? `… ${words.slice(-maxShown)}` : words
}

/**
 * Proposes the pile of a piece of incoming mail, by plain rules, each of which says why; null for what nobody need look at: a report of
 * delay or of delivery.
 * @param newText the words that it adds, without what it quotes.
 * @param days the days that it names.
 * @param certain whether it is known which letter it answers.
 * @param chosen the choice of the letter that it makes, where it makes one.
 */
export function pileOf(
  { kind, newText }: { kind: IncomingKind; newText: string },
  days: readonly NamedDay[],
  certain: boolean,
  chosen: string | null = null,
): Sorted | null {
  if (kind === 'delayed' || kind === 'delivered') return null
  if (!certain) return { pile: 'perhaps', why: say.notSure }
  if (kind === 'bounce') return { pile: 'returned', why: say.report }
  if (kind === 'receipt') return { pile: 'receipt', why: say.receipt }
  if (kind === 'automatic')
    return { pile: 'automatic', why: days.length > 0 ? say.awayUntil(days[0].words) : say.sentByItself }
  const text = (chosen === null ? newText : besideChoice(newText, chosen)).slice(0, maxRead)
  if (chosen !== null && text.trim() === '') return { pile: 'choice', why: say.choiceOnly(chosen) }
  const said = asWords(text)
  const question = asks(text)
  if (question !== null) return { pile: 'question', why: say.questionMark(question) }
  const request = phraseIn(said, requests)
  if (request !== null) return { pile: 'question', why: say.request(request) }
  const words = said.trim().split(' ').filter(Boolean).length
  if (words === 0) return { pile: 'answer', why: say.empty }
  const thank = phraseIn(said, thanks)
  if (thank !== null && words <= fewWords && days.length === 0 && phraseIn(said, hesitates) === null)
    return { pile: 'thanks', why: say.thanksOnly(thank, words) }
  return { pile: 'answer', why: say.rest }
}
