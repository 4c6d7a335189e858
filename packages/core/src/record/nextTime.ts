import { changeBlocks, changeLines, eachLine, type Letter } from '../letter/document.ts'
import { parseTemplate, serializeTemplate } from '../letter/field.ts'
import { withoutEnd } from '../people/plainText.ts'
import { namedDays } from '../responses/namedDays.ts'

/** A day, or a year, that a letter names in words that are the same for all. */
export interface DayInLetter {
  /** As it stands there. */
  words: string
  /** The day as ISO text; null for a year by itself. */
  day: string | null
  /** What is offered in its place a year later: the same with the next year, or as it is where it names none. */
  next: string
}

const years = /(?<![\p{L}\p{N}])20\d\d(?![\p{L}\p{N}])/gu
const aYearOn = (words: string) => words.replace(years, (year) => String(Number(year) + 1))

/** The runs of text of a letter that are the same for all, its choices too: what is found in one can be put into its place there. */
function textsOf(letter: Letter): string[] {
  const texts = [letter.subject, letter.firstLine ?? ''].flatMap((typed) =>
    parseTemplate(typed).filter((segment) => typeof segment === 'string'),
  )
  eachLine(letter.body.content, (line) => {
    for (const inline of line) if (inline.type === 'text') texts.push(inline.text)
  })
  changeBlocks(letter.body, (part) => {
    if (part.type === 'choices') texts.push(...part.attrs.choices)
    return part
  })
  return texts
}

/**
 * The days and years that a letter names, each once, in the order in which they stand there: what is most often forgotten when a letter is
 * used again.
 * @param at when it was written (ms since 1970): days are read as they were meant then.
 * @param timeZone IANA.
 */
export function daysInLetter(letter: Letter, at: number, timeZone: string): DayInLetter[] {
  const found = new Map<string, DayInLetter>()
  for (const text of textsOf(letter)) {
    let rest = text
    for (const { words: read, day } of namedDays(text, at, timeZone)) {
      // A comma behind a day is not of it.
      const words = withoutEnd(read, ',; ')
      found.set(words, { words, day, next: aYearOn(words) })
      rest = rest.replaceAll(words, ' ')
    }
    for (const [year] of rest.matchAll(years)) found.set(year, { words: year, day: null, next: aYearOn(year) })
  }
  return [...found.values()]
}

const isOfWord = (character: string | undefined) => character !== undefined && /[\p{L}\p{N}]/u.test(character)

/** A letter in which some words stand in the place of others, wherever those stand by themselves in a run of text. Longer ones go first. */
export function withOtherWords(letter: Letter, changes: readonly { words: string; to: string }[]): Letter {
  const wanted = changes
    .filter(({ words, to }) => words !== '' && words !== to)
    .sort((a, b) => b.words.length - a.words.length)
  const changed = (text: string): string => {
    let out = ''
    let at = 0
    while (at < text.length) {
      const one = wanted.find(
        ({ words }) =>
          text.startsWith(words, at) &&
          !(isOfWord(words[0]) && isOfWord(text[at - 1])) &&
          !(isOfWord(words.at(-1)) && isOfWord(text[at + words.length])),
      )
      out += one ? one.to : text[at]
      at += one ? one.words.length : 1
    }
    return out
  }
  const inTemplate = (typed: string) =>
    serializeTemplate(parseTemplate(typed).map((segment) => (typeof segment === 'string' ? changed(segment) : segment)))
  const lines = changeLines(letter.body, (line) =>
    line.map((inline) => (inline.type === 'text' ? { ...inline, text: changed(inline.text) } : inline)),
  )
  return {
    ...letter,
    subject: inTemplate(letter.subject),
    ...(letter.firstLine !== undefined && { firstLine: inTemplate(letter.firstLine) }),
    body: changeBlocks(lines, (part) =>
      part.type === 'choices' ? { ...part, attrs: { choices: part.attrs.choices.map(changed) } } : part,
    ),
  }
}
