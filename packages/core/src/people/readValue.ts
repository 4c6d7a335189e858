const months = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const numeric = /^(\d{1,4})[/.-](\d{1,2})[/.-](\d{1,4})(?:[ T,]+(\d{1,2}):(\d{2})(?::(\d{2}))?)?$/
const wordy =
  /^(?:[A-Za-z]{3,9},?\s+)?(\d{1,2})(?:st|nd|rd|th)?[\s-]+([A-Za-z]{3,9})\.?,?[\s-]+(\d{4})(?:[ ,]+(\d{1,2}):(\d{2}))?$/
const time = /^(\d{1,2}):(\d{2})(?::(\d{2}))?(?:\s{0,3}([ap])\.?m\.?)?$/i
const length = /^(-)?(\d{1,6}):(\d{2})(?::(\d{2}))?$/
/** Words that stand for money where people write no code of ISO 4217. */
const moneyWords = ['kr', 'kr.', 'zł', 'kč', 'ft', 'lei', 'fr.', 'r$', 'руб.', 'грн']
/** An amount: perhaps a minus or a bracket, the money before or behind, and figures. */
const amountText =
  /^(?<minus>[-−(]{0,2})\s{0,3}(?<before>\p{Sc}|[\p{L}.]{1,4}\p{Sc}?)?\s{0,3}(?<inner>[-−]?)(?<figures>\d[\d.,'’\s]{0,30})(?<after>\p{Sc}|[\p{L}.]{1,4}\p{Sc}?)?\)?$/u
let codes: ReadonlySet<string> | undefined
/** Whether a text stands for money: a character, a code of ISO 4217 (as Unicode CLDR lists them), or a usual word. */
function isMoney(text: string): boolean {
  codes ??= new Set(Intl.supportedValuesOf('currency'))
  return /\p{Sc}$/u.test(text) || codes.has(text.toUpperCase()) || moneyWords.includes(text.toLowerCase())
}
/** Money that has three decimals (ISO 4217: Bahrain, Iraq, Jordan, Kuwait, Libya, Oman, Tunisia). */
const threeDecimals = new Set(['BHD', 'IQD', 'JOD', 'KWD', 'LYD', 'OMR', 'TND'])
const numberText = /^-?(?:\d{1,3}(?:,\d{3})+|\d+)(?:\.\d+)?%?$/
const pad = (n: number) => String(n).padStart(2, '0')

/** The numeric pieces of a date typed with figures only, in the order they stand, or null. */
export function datePieces(text: string): { first: number; second: number; yearFirst: boolean } | null {
  const m = numeric.exec(text.trim())
  if (!m) return null
  return { first: Number(m[1]), second: Number(m[2]), yearFirst: m[1].length === 4 }
}

/**
 * Reads a date, or a date and time, as people type them ("7 April 2026", "07/04/2026", "2026-04-07 09:30").
 * @param dayFirst which way round 07/04 is.
 * @returns ISO 8601 text without zone ("2026-04-07" or "2026-04-07T09:30"), or null when it is no date.
 */
export function readDate(text: string, dayFirst = true): string | null {
  const trimmed = text.trim()
  let y: number
  let m: number
  let d: number
  let hour: string | undefined
  let minute: string | undefined
  const figures = numeric.exec(trimmed)
  const words = figures ? null : wordy.exec(trimmed)
  if (figures) {
    const [a, b, c] = [Number(figures[1]), Number(figures[2]), Number(figures[3])]
    if (figures[1].length === 4) [y, m, d] = [a, b, c]
    else if (figures[1].length > 2 || figures[3].length === 3 || figures[3].length === 1) return null
    else {
      y = figures[3].length === 2 ? 2000 + c : c
      ;[d, m] = dayFirst ? [a, b] : [b, a]
    }
    ;[hour, minute] = [figures[4], figures[5]]
  } else if (words) {
    m = months.indexOf(words[2].slice(0, 3).toLowerCase()) + 1
    ;[d, y, hour, minute] = [Number(words[1]), Number(words[3]), words[4], words[5]]
  } else return null
  if (m < 1 || m > 12 || d < 1 || d > new Date(Date.UTC(y, m, 0)).getUTCDate()) return null
  const day = `${String(y).padStart(4, '0')}-${pad(m)}-${pad(d)}`
  if (hour === undefined) return day
  if (Number(hour) > 23 || Number(minute) > 59) return null
  return `${day}T${pad(Number(hour))}:${minute}`
}

/** Reads a number as people type it ("1,234.5", "12%"); null when it is none. Percent is divided by 100. */
export function readNumber(text: string): number | null {
  const trimmed = text.trim()
  if (!numberText.test(trimmed)) return null
  const plain = Number(trimmed.replace(/[,%]/g, ''))
  return trimmed.endsWith('%') ? plain / 100 : plain
}

/** The pieces of an amount that names its money, or null when the text is none. */
export function amountPieces(text: string): { minus: boolean; figures: string; money: string } | null {
  if (text.length > 60) return null
  const { minus, before, inner, figures, after } = amountText.exec(text.trim())?.groups ?? {}
  if (figures === undefined || (before === undefined) === (after === undefined)) return null
  const money = (before ?? after).trim()
  return isMoney(money) ? { minus: minus !== '' || inner !== '', figures: figures.trim(), money } : null
}

/**
 * Reads an amount with its money ("£1,234.50", "(£20)", "1.234,50 €", "SEK 1 234") or a bare number; null when it is none.
 * The last character between digits parts the decimals when there are two or one of them behind it; three are a group, but for money
 * that has three decimals, and for a stop behind the characters of countries that write decimals with one.
 */
export function readAmount(text: string): number | null {
  const pieces = amountPieces(text)
  if (pieces === null) return readNumber(text)
  const figures = pieces.figures.replace(/[\s'’]/g, '')
  const at = Math.max(figures.lastIndexOf('.'), figures.lastIndexOf(','))
  const behind = at < 0 ? 0 : figures.length - at - 1
  const alone = at >= 0 && figures.indexOf(figures[at]) === at
  const decimal =
    at >= 0 &&
    alone &&
    (behind !== 3 ||
      threeDecimals.has(pieces.money.toUpperCase()) ||
      (figures[at] === '.' && /[£$]|GBP|USD/i.test(pieces.money)) ||
      /[.,]/.test(figures.slice(0, at)))
  const grouped = figures.slice(0, decimal ? at : undefined)
  // Groups are of three, or of two and a last one of three as in India.
  if (/[.,]/.test(grouped) && !/^\d{1,3}([.,])\d{3}(?:\1\d{3}){0,9}$|^\d{1,2}(?:,\d\d){1,9},\d{3}$/.test(grouped))
    return null
  const whole = grouped.replace(/[.,]/g, '')
  const size = Number(decimal ? `${whole}.${figures.slice(at + 1)}` : whole)
  return Number.isNaN(size) ? null : pieces.minus ? -size : size
}

/** Reads a time of day ("10:00", "6:30 pm"); gives ISO 8601 ("18:30", "18:30:05"), or null when it is none. */
export function readTime(text: string): string | null {
  const m = time.exec(text.trim())
  if (!m) return null
  let hour = Number(m[1])
  if (m[4] !== undefined) {
    if (hour < 1 || hour > 12) return null
    hour = (hour % 12) + (m[4].toLowerCase() === 'p' ? 12 : 0)
  }
  if (hour > 23 || Number(m[2]) > 59 || Number(m[3] ?? 0) > 59) return null
  return `${pad(hour)}:${m[2]}${m[3] && m[3] !== '00' ? `:${m[3]}` : ''}`
}

/** Reads how long something takes, in hours and minutes ("36:00", "1:30:15"); gives seconds, or null when it is no such text. */
export function readDuration(text: string): number | null {
  const m = length.exec(text.trim())
  if (!m || Number(m[3]) > 59 || Number(m[4] ?? 0) > 59) return null
  const seconds = Number(m[2]) * 3600 + Number(m[3]) * 60 + Number(m[4] ?? 0)
  return m[1] ? -seconds : seconds
}

/** Seconds as a duration of ISO 8601: 129600 is "PT36H". */
export function isoDuration(seconds: number): string {
  const whole = Math.round(Math.abs(seconds))
  const parts = [
    [Math.floor(whole / 3600), 'H'],
    [Math.floor((whole % 3600) / 60), 'M'],
    [whole % 60, 'S'],
  ] as const
  const written = parts.map(([n, unit]) => (n > 0 ? `${n}${unit}` : '')).join('')
  return `${seconds < 0 && whole > 0 ? '-' : ''}PT${written || '0S'}`
}

/** A duration of ISO 8601 without years and months in seconds; null when it is none. */
export function secondsOfIso(text: string): number | null {
  const m = /^(-)?P(?:(\d{1,6})D)?(?:T(?:(\d{1,7})H)?(?:(\d{1,7})M)?(?:(\d{1,7}(?:\.\d{1,9})?)S)?)?$/.exec(text)
  if (!m) return null
  const [days, hours, minutes, seconds] = m.slice(2).map((n) => Number(n ?? 0))
  const all = days * 86_400 + hours * 3600 + minutes * 60 + seconds
  return m[1] ? -all : all
}

const yes = new Set(['yes', 'y', 'true'])
const no = new Set(['no', 'n', 'false'])

/** Reads yes/no in its usual spellings; null when it is neither. */
export function readYesNo(text: string): boolean | null {
  const word = text.trim().toLowerCase()
  return yes.has(word) ? true : no.has(word) ? false : null
}
