import { tz } from '@date-fns/tz'
import * as chrono from 'chrono-node'
import { format } from 'date-fns'
import { asWords, habits, type Language, languageOf } from './habits.ts'

/** A day that a text names. */
export interface NamedDay {
  /** ISO 8601. */
  day: string
  /** Minutes after midnight, where the text gives an hour; else null. */
  minute: number | null
  /** The words that name it, as they stand in the text. */
  words: string
}

/** Characters of a text in which days are looked for, of one line of it, and how many days are given. */
const maxRead = 4000
const maxLine = 300
const maxDays = 6

/** The date parser's own languages. Danish and Polish it has not: there, days written in figures are found. */
const parsers: Partial<Record<Language, Pick<chrono.Chrono, 'parse'>>> = {
  en: chrono.en.GB,
  de: chrono.de,
  fr: chrono.fr,
  es: chrono.es,
  it: chrono.it,
  nl: chrono.nl,
  pt: chrono.pt,
  sv: chrono.sv,
}

const isoDay = (at: chrono.ParsedComponents): string =>
  `${String(at.get('year')).padStart(4, '0')}-${String(at.get('month')).padStart(2, '0')}-${String(at.get('day')).padStart(2, '0')}`

/**
 * The days that a text names, as a person would who reads it on a day and in a place: "next Tuesday", "by 12 December", "am 3. März".
 * What lies before that day is not given.
 * @param at when the text came (ms since 1970).
 * @param timeZone the zone (IANA) of the place.
 * @example namedDays('I shall be back on 12 December.', Date.parse('2026-11-02T09:00Z'), 'Europe/London')[0].day // '2026-12-12'
 */
export function namedDays(text: string, at: number, timeZone: string): NamedDay[] {
  const read = text.slice(0, maxRead)
  const parser = parsers[languageOf(read)] ?? chrono.en.GB
  const today = format(at, 'yyyy-MM-dd', { in: tz(timeZone) })
  // The parser reckons in minutes ahead of UTC; days are reckoned from noon, so that no change of the hours makes another day of them.
  const noon = { instant: new Date(`${today}T12:00:00Z`), timezone: 0 }
  const found: NamedDay[] = []
  for (const line of read.split('\n'))
    for (const result of parser.parse(line.slice(0, maxLine), noon, { forwardDate: true })) {
      const { start, end, text: words } = result
      // "At three" names no day, and "12 hours" is how long something takes.
      if (!start.isCertain('day') && !start.isCertain('weekday')) continue
      if (result.tags().has('result/relativeDateAndTime')) continue
      for (const one of end ? [start, end] : [start]) {
        const day = isoDay(one)
        if (day < today || found.some((known) => known.day === day)) continue
        const hour = one.isCertain('hour') ? one.get('hour') : null
        found.push({ day, minute: hour === null ? null : hour * 60 + (one.get('minute') ?? 0), words })
      }
    }
  return found.slice(0, maxDays)
}

/**
 * The day that an automatic reply gives for the return of its owner; null when it gives none. A day behind "until", "back on" and the like
 * counts first, else the last that it names.
 */
export function dayOfReturn(text: string, at: number, timeZone: string): NamedDay | null {
  const days = namedDays(text, at, timeZone)
  const said = asWords(text.slice(0, maxRead))
  const before = habits[languageOf(text)].back
  const told = days.filter(({ words }) =>
    before.some((b) => said.includes(`${asWords(b)}${asWords(words).trimStart()}`)),
  )
  return told.at(-1) ?? days.at(-1) ?? null
}
