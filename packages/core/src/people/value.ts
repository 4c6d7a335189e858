import type { Cell, CellValue, Column, Kind } from './table.ts'
import { shown } from './table.ts'

const months = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec']
const numeric = /^(\d{1,4})[/.-](\d{1,2})[/.-](\d{1,4})(?:[ T,]+(\d{1,2}):(\d{2})(?::(\d{2}))?)?$/
const wordy =
  /^(?:[A-Za-z]{3,9},?\s+)?(\d{1,2})(?:st|nd|rd|th)?[\s-]+([A-Za-z]{3,9})\.?,?[\s-]+(\d{4})(?:[ ,]+(\d{1,2}):(\d{2}))?$/
const currencySigns = '£€$¥'
const amountText = new RegExp(
  `^-?\\(?\\s*(?:[${currencySigns}]|GBP|EUR|USD)\\s*-?[\\d,]+(?:\\.\\d+)?\\)?$|^-?[\\d,]+(?:\\.\\d+)?\\s*(?:[${currencySigns}]|GBP|EUR|USD)$`,
)
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

/** Reads an amount with its currency ("£1,234.50", "(£20)", "1234 EUR") or a bare number; null when it is none. */
export function readAmount(text: string): number | null {
  const trimmed = text.trim()
  if (!amountText.test(trimmed)) return readNumber(trimmed)
  const size = Number(trimmed.replace(/[^\d.]/g, ''))
  return /^\(|-/.test(trimmed) ? -size : size
}

const yes = new Set(['yes', 'y', 'true'])
const no = new Set(['no', 'n', 'false'])

/** Reads yes/no in its usual spellings; null when it is neither. */
export function readYesNo(text: string): boolean | null {
  const word = text.trim().toLowerCase()
  return yes.has(word) ? true : no.has(word) ? false : null
}

/**
 * The typed value of a cell under its column's kind.
 * @returns a number for numbers and amounts, ISO text for dates, a boolean for yes/no, text for the rest;
 *   null when the cell is blank or does not read as its kind.
 */
export function typed(cell: Cell | undefined, column: Pick<Column, 'kind' | 'dayFirst'>): CellValue | null {
  const text = shown(cell).trim()
  if (cell === undefined || text === '') return null
  const kept = typeof cell === 'object' ? cell.value : undefined
  switch (column.kind) {
    case 'number':
      return typeof kept === 'number' ? kept : readNumber(text)
    case 'amount':
      return typeof kept === 'number' ? kept : readAmount(text)
    case 'date':
    case 'dateTime':
      return typeof kept === 'string' ? kept : readDate(text, column.dayFirst ?? true)
    case 'yesNo':
      return typeof kept === 'boolean' ? kept : readYesNo(text)
    default:
      return text
  }
}

const fileName = /\.(pdf|docx?|xlsx?|odt|ods|txt|csv|png|jpe?g|zip|html?)\s*$/i
const addressLike = /^[^\s@<>]+@[^\s@<>]+\.[^\s@<>]+$/
/** How many filled cells are looked at to find a column's kind; the day order is decided from all of them. */
const sample = 2000

/**
 * Finds the kind of a column from its cells.
 * A leading zero or more than 15 digits makes a column text: "007" and card numbers must never become numbers.
 */
export function findKind(
  name: string,
  cells: Iterable<Cell | undefined>,
): { kind: Kind; dayFirst?: boolean; undecided?: boolean } {
  const filled: Cell[] = []
  for (const cell of cells) if (cell !== undefined && shown(cell).trim() !== '') filled.push(cell)
  const seen = filled.slice(0, sample)
  if (seen.length === 0) return { kind: 'text' }
  const texts = seen.map((cell) => shown(cell).trim())
  const share = (test: (text: string) => boolean) => texts.filter(test).length / texts.length

  if (share((t) => t.length <= 320 && addressLike.test(t)) >= 0.6) return { kind: 'address' }
  if (share((t) => fileName.test(t)) >= 0.6) return { kind: 'files' }
  if (share((t) => readYesNo(t) !== null) === 1) return { kind: 'yesNo' }

  const isDate = (cell: Cell) =>
    (typeof cell === 'object' && typeof cell.value === 'string') ||
    readDate(shown(cell)) !== null ||
    readDate(shown(cell), false) !== null
  if (seen.filter(isDate).length / seen.length >= 0.9) {
    const withTime = seen.some((cell) => /\d:\d\d/.test(typeof cell === 'object' ? String(cell.value) : cell))
    return { kind: withTime ? 'dateTime' : 'date', ...dayOrder(filled) }
  }
  const plainFigure = (t: string) => !/^-?0\d/.test(t) && t.replace(/\D/g, '').length <= 15
  if (texts.some((t) => amountText.test(t)) && share((t) => readAmount(t) !== null) >= 0.9) return { kind: 'amount' }
  if (
    seen.every(
      (cell, i) =>
        plainFigure(texts[i]) &&
        (readNumber(texts[i]) !== null || (typeof cell === 'object' && typeof cell.value === 'number')),
    )
  )
    return { kind: /amount|fee|price|due \(|total|balance|£|€/i.test(name) ? 'amount' : 'number' }
  return { kind: 'text' }
}

/** Decides from a whole column which way round its dates are; day first, and undecided, where nothing tells. */
function dayOrder(cells: Cell[]): { dayFirst?: boolean; undecided?: boolean } {
  let any = false
  for (const cell of cells) {
    if (typeof cell === 'object') continue
    const pieces = datePieces(cell)
    if (!pieces || pieces.yearFirst) continue
    any = true
    if (pieces.first > 12) return { dayFirst: true }
    if (pieces.second > 12) return { dayFirst: false }
  }
  return any ? { dayFirst: true, undecided: true } : {}
}
