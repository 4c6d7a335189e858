import { workbookLanguages } from './languages.ts'

/** Which languages call a month or a weekday by a word (Unicode CLDR, through `Intl`), made when it is first asked for. */
let known: Map<string, Set<string>> | undefined
function wordsOfDates(): Map<string, Set<string>> {
  if (known) return known
  known = new Map()
  const plain = (text: string) => text.toLowerCase().replace(/\.$/, '')
  for (const language of new Set(workbookLanguages.map((tag) => tag.split('-')[0]))) {
    const forms: Intl.DateTimeFormatOptions[] = (['long', 'short'] as const).flatMap((way) => [
      { month: way },
      // Beside a day months are declined in many languages.
      { month: way, day: 'numeric' },
      { weekday: way },
    ])
    for (const form of forms) {
      const format = new Intl.DateTimeFormat(language, { ...form, timeZone: 'UTC', calendar: 'gregory' })
      for (let i = 0; i < 12; i++) {
        const day = form.weekday ? Date.UTC(2024, 0, 1 + i) : Date.UTC(2024, i, 15)
        for (const { type, value } of format.formatToParts(day)) {
          if (type !== 'month' && type !== 'weekday') continue
          for (const word of plain(value).match(/[\p{L}\p{M}]{3,30}/gu) ?? []) {
            const languages = known.get(word) ?? new Set()
            languages.add(language)
            known.set(word, languages)
          }
        }
      }
    }
  }
  return known
}

/** Lists repeat their months: what was found of some words is kept. */
const found = new Map<string, ReadonlySet<string> | null>()

/**
 * The languages in which a text with a day or a month in words may be written, as BCP 47 tags without a country.
 * @returns none in the set where no language has all the names in it; null when the text is no such date.
 */
export function languagesOfDate(text: string): ReadonlySet<string> | null {
  // A name alone is no date: May and Jan are people, too.
  if (text.length > 60 || !/\d/.test(text) || !/\p{L}/u.test(text)) return null
  const words = text.toLowerCase().match(/[\p{L}\p{M}]{3,30}/gu) ?? []
  const key = words.join(' ')
  const before = found.get(key)
  if (before !== undefined) return before
  const named = words.flatMap((word) => wordsOfDates().get(word) ?? [])
  // Other words may be "the" or "clock".
  const languages =
    named.length === 0 || words.length > 6
      ? null
      : new Set([...named[0]].filter((language) => named.every((set) => set.has(language))))
  if (found.size < 5000) found.set(key, languages)
  return languages
}
