import {
  addLocale,
  dateFromSerial,
  format,
  getFormatFromId,
  getFormatInfo,
  getLocale,
  type LocaleData,
  listLocales,
  type Token,
  tokenize,
} from 'numfmt'
import { homeLanguage, languageOfNumber } from './languages.ts'

/** What values with a format are. */
export type FormatMeans = 'date' | 'dateTime' | 'time' | 'duration' | 'figure' | 'text'

/** A number format of a workbook (ECMA-376 Part 1, 18.8.30 and 18.8.31), ready to show values. */
export interface CellFormat {
  means: FormatMeans
  /** What a cell with it shows of a number or a text, without blanks that only pad. */
  show(value: number | string): string
  /** The part of it that is not understood, so that what is shown may not be what the workbook shows; null when there is none. */
  unclear: string | null
}

/** Characters of a format: what is longer is none that a workbook has. */
const longestCode = 1000
/** How many values of one format are kept: lists repeat their dates and amounts. */
const maxKnown = 5000
/** From here on a whole number in the General format is an account or telephone number, and is written out. */
const longNumber = 1e11
/** The largest number of which every digit is kept (IEEE 754: 15 decimal digits). */
const largestExact = 1e15

/**
 * The format that a workbook means by a number of its own (ECMA-376 Part 1, 18.8.30), for which it writes no code.
 * Those that mean "as it is usual here" are written as it is usual where the language is spoken.
 * @returns null for numbers that the standard gives no meaning to.
 */
export function builtInFormat(id: number, language: string): string | null {
  if (id === 14) return shortDate(language)
  if (id === 22) return `${shortDate(language)} h:mm`
  const eastern = easternFormats[language.slice(0, 2)]?.[id]
  if (eastern) return eastern
  if ((id >= 27 && id <= 31) || id === 36 || (id >= 50 && id <= 58)) return shortDate(language)
  if ((id >= 5 && id <= 8) || id === 42 || id === 44) {
    const code = getFormatFromId(id)
    return code === null || code === undefined ? null : code.replaceAll('$', `"${currencySign(language)}"`)
  }
  const known = id <= 49 && !(id >= 23 && id <= 26) ? getFormatFromId(id) : null
  return known ?? null
}

/** The formats that the standard gives for languages of the East (18.8.30), those that are not the short date. */
const easternFormats: Record<string, Record<number, string>> = {
  ja: {
    28: '[$-411]ggge"年"m"月"d"日"',
    29: '[$-411]ggge"年"m"月"d"日"',
    27: '[$-411]ge.m.d',
    30: 'm/d/yy',
    31: 'yyyy"年"m"月"d"日"',
    32: 'h"時"mm"分"',
    33: 'h"時"mm"分"ss"秒"',
    34: 'yyyy"年"m"月"',
    35: 'm"月"d"日"',
    36: '[$-411]ge.m.d',
    50: '[$-411]ge.m.d',
    51: '[$-411]ggge"年"m"月"d"日"',
    52: 'yyyy"年"m"月"',
    53: 'm"月"d"日"',
    54: '[$-411]ggge"年"m"月"d"日"',
    55: 'yyyy"年"m"月"',
    56: 'm"月"d"日"',
    57: '[$-411]ge.m.d',
    58: '[$-411]ggge"年"m"月"d"日"',
  },
  zh: {
    27: 'yyyy"年"m"月"',
    28: 'm"月"d"日"',
    29: 'm"月"d"日"',
    30: 'm-d-yy',
    31: 'yyyy"年"m"月"d"日"',
    32: 'h"时"mm"分"',
    33: 'h"时"mm"分"ss"秒"',
    34: 'AM/PMh"时"mm"分"',
    35: 'AM/PMh"时"mm"分"ss"秒"',
    36: 'yyyy"年"m"月"',
    50: 'yyyy"年"m"月"',
    51: 'm"月"d"日"',
    52: 'yyyy"年"m"月"',
    53: 'm"月"d"日"',
    54: 'm"月"d"日"',
    57: 'yyyy"年"m"月"',
    58: 'm"月"d"日"',
  },
  ko: {
    30: 'mm-dd-yy',
    31: 'yyyy"년" mm"월" dd"일"',
    32: 'h"시" mm"분"',
    33: 'h"시" mm"분" ss"초"',
    34: 'yyyy-mm-dd',
    35: 'yyyy-mm-dd',
    36: 'yyyy"年" mm"月" dd"日"',
  },
}

/** How a day is written in figures where a language is spoken (Unicode CLDR, by `Intl`), with the year in full. */
function shortDate(language: string): string {
  const parts = new Intl.DateTimeFormat(language, {
    dateStyle: 'short',
    calendar: 'gregory',
    numberingSystem: 'latn',
    timeZone: 'UTC',
  }).formatToParts(Date.UTC(2033, 1, 3))
  return parts
    .map(({ type, value }) => {
      if (type === 'year') return 'yyyy'
      if (type === 'month') return value.length > 1 ? 'mm' : 'm'
      if (type === 'day') return value.length > 1 ? 'dd' : 'd'
      const plain = value.replace(/\p{Cf}/gu, '')
      return /^[/.\- ]*$/.test(plain) ? plain.replaceAll('.', '\\.') : `"${plain.replaceAll('"', '')}"`
    })
    .join('')
}

/** The money of a language's country (ISO 4217), where a workbook asks for the usual one. */
const moneyOf: Record<string, string> = {
  GB: 'GBP',
  US: 'USD',
  AU: 'AUD',
  CA: 'CAD',
  NZ: 'NZD',
  ZA: 'ZAR',
  SG: 'SGD',
  IN: 'INR',
  JP: 'JPY',
  CN: 'CNY',
  TW: 'TWD',
  HK: 'HKD',
  KR: 'KRW',
  TH: 'THB',
  BR: 'BRL',
  MX: 'MXN',
  CH: 'CHF',
  SE: 'SEK',
  NO: 'NOK',
  DK: 'DKK',
  IS: 'ISK',
  PL: 'PLN',
  CZ: 'CZK',
  HU: 'HUF',
  RO: 'RON',
  TR: 'TRY',
  RU: 'RUB',
  UA: 'UAH',
  IL: 'ILS',
}
function currencySign(language: string): string {
  const currency = moneyOf[language.split('-')[1] ?? ''] ?? 'EUR'
  return (
    new Intl.NumberFormat(language, { style: 'currency', currency })
      .formatToParts(1)
      .find((part) => part.type === 'currency')?.value ?? currency
  )
}

/** Whether figures are grouped as in India: three, and then by twos. */
const groupsByTwos = (language: string) => /^\d{2}\D\d{2}\D\d{3}$/.test(latin(language).format(1_234_567))
const latin = (language: string) => new Intl.NumberFormat(language, { numberingSystem: 'latn' })

/** What stands between thousands while the package writes: it would make breaking spaces of those that do not break. */
const groupMark = '\u2063'
const decimalOf = (language: string) =>
  latin(language)
    .formatToParts(0.5)
    .find((part) => part.type === 'decimal')?.value ?? '.'
const groupOf = (language: string) =>
  latin(language)
    .formatToParts(12_345_678)
    .find((part) => part.type === 'group')?.value ?? ','

/** Languages of which the formatting package has been told, by the tag that it was told of. */
const told = new Set<string>()

/**
 * The tag by which the formatting package writes a language. The names of months and days are those of Unicode CLDR, by `Intl`: some
 * languages decline them beside a day ("9 декабря"), which the package does not know; others it does not know at all.
 */
function tagOf(language: string, besideDay: boolean): string {
  const base = language.slice(0, 3).replace('-', '')
  // QM and QN are regions for private use (ISO 3166-1).
  const tag = `${base}-${besideDay ? 'QM' : 'QN'}${language.split('-')[1] ?? ''}`.slice(0, base.length + 3)
  const key = `${tag} ${language}`
  if (told.has(key)) return tag
  for (const other of told) if (other.startsWith(`${tag} `)) told.delete(other)
  const known = new Set(listLocales())
  const name = (date: number, options: Intl.DateTimeFormatOptions, type: 'month' | 'weekday' | 'dayPeriod') =>
    new Intl.DateTimeFormat(language, {
      ...options,
      calendar: 'gregory',
      numberingSystem: 'latn',
      timeZone: 'UTC',
    })
      .formatToParts(date)
      .filter((part) => part.type === type)
      .map((part) => part.value)
      .join('')
  const months = Array.from({ length: 12 }, (_, m) => Date.UTC(2033, m, 9))
  // The second of January 2033 is a Sunday.
  const weekdays = Array.from({ length: 7 }, (_, d) => Date.UTC(2033, 0, 2 + d))
  const own = known.has(language) || known.has(base) ? getLocale(known.has(language) ? language : base) : null
  const long = months.map((at) => name(at, besideDay ? { month: 'long', day: 'numeric' } : { month: 'long' }, 'month'))
  // Where it writes a month beside a day in figures, the month by itself has its name.
  const mmmm = long.map((word, m) => (/^\d+$/.test(word) ? (own?.mmmm[m] ?? word) : word))
  addLocale(
    {
      ...(own ?? {
        mmm: months.map((at) => name(at, { month: 'short' }, 'month')),
        ddd: weekdays.map((at) => name(at, { weekday: 'short' }, 'weekday')),
      }),
      dddd: weekdays.map((at) => name(at, { weekday: 'long' }, 'weekday')),
      decimal: decimalOf(language),
      group: groupMark,
      mmmm,
    } as Partial<LocaleData>,
    tag,
  )
  told.add(key)
  return tag
}

/** The year of an era of Japan, and its names: long, of one character, of one letter. */
function japaneseEra(iso: string): { long: string; letter: string; year: string } {
  const parts = (style: 'long' | 'narrow') =>
    new Intl.DateTimeFormat('ja-JP-u-ca-japanese', { era: style, year: 'numeric', timeZone: 'UTC' }).formatToParts(
      Date.parse(`${iso.slice(0, 10)}T00:00:00Z`),
    )
  const find = (all: Intl.DateTimeFormatPart[], type: string) => all.find((part) => part.type === type)?.value ?? ''
  const year = find(parts('long'), 'year')
  return { long: find(parts('long'), 'era'), letter: find(parts('narrow'), 'era'), year: year === '元' ? '1' : year }
}

/** The language that a format names, and what of its token is not understood. */
function languageOfToken(raw: string): { language: string | null; unclear: boolean; system: boolean } {
  const hex = /-([0-9A-F]{1,8})\]$/i.exec(raw)?.[1]
  if (hex === undefined) return { language: null, unclear: !/^\[\$[^\]-]{1,50}\]$/.test(raw), system: false }
  const number = Number.parseInt(hex, 16)
  // ECMA-376 has two numbers that mean the long date and the time as they are usual.
  if (number === 0xf800 || number === 0xf400) return { language: null, unclear: false, system: true }
  // FC19 and its like are a language whose months are declined, which they are here anyway (from memory).
  const own = (number & 0xffff) >= 0xfc00 ? (number & 0x3ff) | 0x400 : number & 0xffff
  const language = languageOfNumber(own)
  // Above the language stand a calendar and the shape of digits: nought and one are those of the West.
  const [shape, calendar] = [(number >>> 24) & 0xff, (number >>> 16) & 0xff]
  const isWestern = shape <= 1 && calendar <= 1
  return { language, unclear: !isWestern || (language === null && own !== 0), system: false }
}

/**
 * The languages whose money a format names. A format that names the language of its words alone tells nothing of the workbook: that
 * is written where it is another one than the workbook's.
 */
export function languagesOfFormat(code: string): string[] {
  return [...code.slice(0, longestCode).matchAll(/\[\$[^\]]{1,50}-([0-9A-F]{1,8})\]/gi)].flatMap(
    ([, hex]) => languageOfNumber(Number.parseInt(hex, 16) & 0xffff) ?? [],
  )
}

/** A calendar day that a workbook counts (ECMA-376 Part 1, 18.17.4.1), as ISO text; with its time when there is one. */
export function isoOfSerial(serial: number): string {
  const [y, m, d, h, min, s] = dateFromSerial(serial, { leap1900: true })
  const two = (n: number) => String(n).padStart(2, '0')
  const day = `${String(y).padStart(4, '0')}-${two(m)}-${two(d)}`
  return h + min + s === 0 ? day : `${day}T${two(h)}:${two(min)}${s > 0 ? `:${two(s)}` : ''}`
}

const literal = (text: string) => (text === '' ? '' : `"${text.replaceAll('"', '')}"`)

interface Prepared {
  code: string
  language: string
  besideDay: boolean
  unclear: string | null
  lakh: boolean
  eras: boolean
  questions: boolean
}

/** A format without what only pads, and without the names of languages, which are given apart. */
function prepare(code: string, language: string): Prepared {
  const tokens = tokenize(code)
  let own = language
  let unclear: string | null = null
  let day = false
  let besideDay = false
  let eras = false
  const written: string[] = []
  const put = (token: Token): string => {
    switch (token.type) {
      case 'SKIP':
      case 'FILL':
        return ''
      case 'LOCALE': {
        const found = languageOfToken(token.raw)
        if (found.system) return token.raw
        if (found.unclear) unclear ??= token.raw
        const money = token.raw.slice(2, -1).replace(/-[0-9A-F]{1,8}$/i, '')
        if (money === '' && found.language) own = found.language
        return literal(money)
      }
      case 'ERROR':
        throw new Error(token.raw)
      case 'DBNUM':
      case 'NATNUM':
      case 'CALENDAR':
        unclear ??= token.raw
        return token.raw
      case 'DATETIME': {
        const part = token.raw.toLowerCase()
        if (/^d{1,2}$/.test(part)) day = true
        if (/^m{4}$/.test(part)) besideDay ||= day
        if (/^[ge]+$/.test(part)) eras = true
        return token.raw
      }
      case 'BREAK':
        day = false
        return token.raw
      default:
        return token.raw
    }
  }
  for (const token of tokens) written.push(put(token))
  // A format may write the ending itself: "mmmm"ta"" is how Finnish sheets say of December.
  const endsItself = own.startsWith('fi') && /mmmm"ta\b/i.test(code)
  // A month that stands before its day ("mmmm d") is beside it too.
  if (!besideDay && /(^|[^m])m{4}([^m].{0,10})?d{1,2}($|[^d])/i.test(code.replace(/"[^"]*"/g, ''))) besideDay = true
  const whole = written.join('')
  const lakh = /[#0],##,##/.test(whole) || (groupsByTwos(own) && /[#0],[#0]/.test(whole))
  return {
    code: lakh ? whole.replace(/#,##,##0|#,##0/g, '0').replace(/#,?(?=0)/g, '') : whole,
    language: own,
    besideDay: besideDay && !endsItself,
    unclear,
    lakh,
    eras: eras && own.startsWith('ja'),
    questions: tokens.some((token) => token.type === 'QMARK'),
  }
}

/** Figures grouped as in India: "1234567.50" becomes "12,34,567.50". */
function groupedByTwos(text: string, separator: string): string {
  const digits = /\d{4,}/.exec(text)
  if (!digits) return text
  const [run] = digits
  const crores = run.slice(0, -3)
  const pairs: string[] = []
  for (let end = crores.length; end > 0; end -= 2) pairs.unshift(crores.slice(Math.max(0, end - 2), end))
  const head = pairs.join(separator)
  return `${text.slice(0, digits.index)}${head}${separator}${run.slice(-3)}${text.slice(digits.index + run.length)}`
}

/**
 * Compiles a number format as a workbook writes it.
 * @param code "General", or a code of ECMA-376 Part 1, 18.8.31.
 * @param language of names and separators where the code names none; a BCP 47 tag.
 */
export function compileCellFormat(code: string, language: string = homeLanguage): CellFormat {
  const general: CellFormat = { means: 'figure', show: (value) => showGeneral(value, language), unclear: null }
  if (code === '' || /^general$/i.test(code)) return general
  if (/^@$/.test(code)) return { means: 'text', show: (value) => showGeneral(value, language), unclear: null }
  let prepared: Prepared
  let means: FormatMeans
  try {
    if (code.length > longestCode) throw new Error('too long')
    prepared = prepare(code, language)
    means = meansOf(prepared.code)
    format(prepared.code, 1, { skipChar: '', fillChar: '' })
  } catch {
    return { ...general, unclear: code.slice(0, 100) }
  }
  const group = groupOf(prepared.language)
  const options = {
    locale: tagOf(prepared.language, prepared.besideDay),
    skipChar: '',
    fillChar: '',
    nbsp: false,
    leap1900: true,
  }
  const make = (value: number | string): string => {
    if (typeof value === 'number' && Number.isNaN(value)) return ''
    let own = prepared.code
    if (typeof value === 'number' && Number.isInteger(value) && Math.abs(value) >= longNumber)
      own = own.replace(/general/gi, '0')
    if (prepared.eras && typeof value === 'number') own = withEra(own, isoOfSerial(value))
    let text = format(own, value, options).replaceAll(groupMark, group)
    if (prepared.lakh) text = groupedByTwos(text, group)
    if (prepared.questions) text = text.replace(/ {2,}/g, ' ')
    return text.trim()
  }
  const known = new Map<number | string, string>()
  return {
    means,
    unclear: prepared.unclear,
    show: (value) => {
      let text = known.get(value)
      if (text === undefined) {
        text = make(value)
        if (known.size < maxKnown) known.set(value, text)
      }
      return text
    },
  }
}

/** The parts of a date format that tell the era of Japan, written out for one day. */
function withEra(code: string, iso: string): string {
  const era = japaneseEra(iso)
  return tokenize(code)
    .map((token) => {
      if (token.type !== 'DATETIME') return token.raw
      const part = token.raw.toLowerCase()
      if (part === 'g') return literal(era.letter)
      if (part === 'gg') return literal(era.long.slice(0, 1))
      if (/^g{3,}$/.test(part)) return literal(era.long)
      if (part === 'e') return literal(era.year)
      if (part === 'ee') return literal(era.year.padStart(2, '0'))
      return token.raw
    })
    .join('')
}

/** What values are that are shown by a format, told by its first section. */
function meansOf(code: string): FormatMeans {
  const tokens = tokenize(code)
  const end = tokens.findIndex((token) => token.type === 'BREAK')
  const first = end < 0 ? tokens : tokens.slice(0, end)
  if (first.some((token) => token.type === 'DURATION')) return 'duration'
  if (first.some((token) => token.type === 'TEXT')) return 'text'
  if (!first.some((token) => token.type === 'DATETIME' || token.type === 'AMPM')) return 'figure'
  const { type } = getFormatInfo(first.map((token) => token.raw).join(''))
  return type === 'datetime' ? 'dateTime' : type === 'date' || type === 'time' ? type : 'figure'
}

/** A value in the General format (18.8.30, number 0): as many figures as a cell of its width shows, and long numbers in full. */
function showGeneral(value: number | string, language: string): string {
  if (typeof value === 'string') return value
  if (Number.isNaN(value)) return ''
  const size = Math.abs(value)
  if (size >= longNumber && size < largestExact) {
    const text = String(Number(value.toPrecision(15)))
    return text.replace('.', decimalOf(language))
  }
  return format('General', value, { locale: tagOf(language, false) })
}
