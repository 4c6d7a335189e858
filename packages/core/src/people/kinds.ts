import { type Cell, type CellValue, shown } from './cell.ts'
import { isErrorValue } from './failedFormula.ts'
import {
  amountPieces,
  datePieces,
  readAmount,
  readDate,
  readDuration,
  readNumber,
  readTime,
  readYesNo,
  secondsOfIso,
} from './readValue.ts'
import { kinds as say } from './words.ts'

/** What a kind's values are like, whatever it is called: comparisons, formats and the table go by it. */
export type Family = 'words' | 'figure' | 'day' | 'time' | 'duration' | 'yesNo'

/** The filled cells of a column, as far as they are looked at to find its kind. */
interface Sample {
  /** The column's heading. */
  name: string
  cells: readonly Cell[]
  /** What each shows, without spaces around. */
  texts: readonly string[]
}

/** One kind that a column can have. */
interface KindEntry {
  /** How it is called. */
  words: string
  /** How one value is called: “it does not read as an amount”. */
  one: string
  family: Family
  /**
   * The value of a cell of this kind.
   * @param text what it shows, without spaces around; never empty.
   * @param kept what its file kept for it, if anything.
   * @param dayFirst which way round 07/04 is.
   * @returns a number for figures, seconds for durations, a boolean for yes and no, ISO 8601 text for days and times, text for
   *   words; null when the cell does not read as this kind.
   */
  parse: (text: string, kept: CellValue | undefined, dayFirst: boolean) => CellValue | null
  /** Whether a column is of this kind, by its cells; and how early that is tried. One without it is only ever chosen. */
  found?: { order: number; fits: (sample: Sample) => boolean }
  /** The patterns (LDML) that a letter is offered for its values, the usual one first. */
  formats: readonly string[]
  /** Whether a value tells of whom a text speaks; false where people share values by chance, as a fee or a day. */
  tellsApart: boolean
  /** How many characters its cells take in a table at most, where the writer gave no width. */
  characters: number
}

const isIsoDate = (value: CellValue | undefined): value is string =>
  typeof value === 'string' && /^\d{4,5}-\d\d-\d\d/.test(value)
const isIsoTime = (value: CellValue | undefined): value is string =>
  typeof value === 'string' && /^\d\d:\d\d/.test(value)

const fileName = /\.(pdf|docx?|xlsx?|odt|ods|txt|csv|png|jpe?g|zip|html?)\s*$/i
const addressLike = /^[^\s@<>]+@[^\s@<>]+\.[^\s@<>]+$/
const valueKept = (cell: Cell) => (typeof cell === 'object' ? cell.value : undefined)

const share = ({ texts }: Sample, test: (text: string) => boolean) => texts.filter(test).length / texts.length
const nearlyAll = ({ cells }: Sample, test: (cell: Cell) => boolean) => cells.filter(test).length >= 0.9 * cells.length
const areDays = (sample: Sample) =>
  nearlyAll(
    sample,
    (cell) => isIsoDate(valueKept(cell)) || readDate(shown(cell)) !== null || readDate(shown(cell), false) !== null,
  )
const haveHours = ({ cells }: Sample) =>
  cells.some((cell) => /\d:\d\d/.test(typeof cell === 'object' ? String(cell.value) : cell))
// A leading zero or more than 15 digits makes a column text: "007" and card numbers must never become numbers.
const plainFigure = (text: string) => !/^-?0\d/.test(text) && text.replace(/\D/g, '').length <= 15
const areNumbers = ({ cells, texts }: Sample) =>
  cells.every(
    (cell, i) => plainFigure(texts[i]) && (readNumber(texts[i]) !== null || typeof valueKept(cell) === 'number'),
  )
const areAmounts = ({ cells, texts }: Sample) =>
  texts.some((t) => amountPieces(t) !== null) &&
  cells.filter((cell, i) => typeof valueKept(cell) === 'number' || readAmount(texts[i]) !== null).length >=
    0.9 * cells.length
const soundsOfMoney = /amount|fee|price|due \(|total|balance|£|€/i
const parseDay: KindEntry['parse'] = (text, kept, dayFirst) => (isIsoDate(kept) ? kept : readDate(text, dayFirst))
const asText: KindEntry['parse'] = (text) => text

/**
 * The kinds a column can have, in the order in which they are offered; found from its cells and changeable by the writer. A kind is
 * an entry of this table and nothing else.
 */
const table = {
  text: {
    words: 'text',
    one: 'text',
    family: 'words',
    parse: asText,
    formats: [],
    tellsApart: true,
    characters: 26,
  },
  number: {
    words: 'number',
    one: say.number,
    family: 'figure',
    parse: (text, kept) => (typeof kept === 'number' ? kept : readNumber(text)),
    found: { order: 9, fits: areNumbers },
    formats: ['#,##0', '0', '0.0', '#,##0.00'],
    tellsApart: true,
    characters: 16,
  },
  amount: {
    words: 'amount',
    one: say.amount,
    family: 'figure',
    parse: (text, kept) => (typeof kept === 'number' ? kept : readAmount(text)),
    found: {
      order: 8,
      fits: (sample) => areAmounts(sample) || (soundsOfMoney.test(sample.name) && areNumbers(sample)),
    },
    formats: ['£#,##0.00', '£#,##0', '€#,##0.00', '#,##0.00'],
    tellsApart: false,
    characters: 19,
  },
  date: {
    words: 'date',
    one: say.date,
    family: 'day',
    parse: parseDay,
    found: { order: 7, fits: areDays },
    formats: ['d MMMM yyyy', 'EEEE d MMMM yyyy', 'EEE d MMM', 'dd/MM/yyyy', 'MMMM yyyy'],
    tellsApart: false,
    characters: 19,
  },
  dateTime: {
    words: say.dateTime,
    one: say.dateTime2,
    family: 'day',
    parse: parseDay,
    found: { order: 6, fits: (sample) => areDays(sample) && haveHours(sample) },
    formats: ['d MMMM yyyy, HH:mm', "EEEE d MMMM 'at' HH:mm", 'd MMMM yyyy', 'HH:mm'],
    tellsApart: false,
    characters: 23,
  },
  time: {
    words: say.timeDay,
    one: say.timeDay2,
    family: 'time',
    parse: (text, kept) => (isIsoTime(kept) ? kept : readTime(text)),
    found: {
      order: 4,
      fits: (sample) =>
        nearlyAll(sample, (cell) =>
          valueKept(cell) === undefined ? readTime(shown(cell)) !== null : isIsoTime(valueKept(cell)),
        ),
    },
    formats: [],
    tellsApart: false,
    characters: 14,
  },
  duration: {
    words: say.hoursMinutes,
    one: say.hoursMinutes,
    family: 'duration',
    parse: (text, kept) => (typeof kept === 'string' ? secondsOfIso(kept) : null) ?? readDuration(text),
    found: {
      order: 5,
      fits: (sample) =>
        nearlyAll(sample, (cell) => {
          const kept = valueKept(cell)
          return kept === undefined ? readDuration(shown(cell)) !== null : secondsOfIso(String(kept)) !== null
        }),
    },
    formats: [],
    tellsApart: false,
    characters: 14,
  },
  yesNo: {
    words: say.yesOrNo,
    one: say.yesOrNo,
    family: 'yesNo',
    parse: (text, kept) => (typeof kept === 'boolean' ? kept : readYesNo(text)),
    found: { order: 3, fits: (sample) => share(sample, (t) => readYesNo(t) !== null) === 1 },
    formats: [],
    tellsApart: false,
    characters: 14,
  },
  address: {
    words: 'address',
    one: say.address,
    family: 'words',
    parse: asText,
    found: { order: 1, fits: (sample) => share(sample, (t) => t.length <= 320 && addressLike.test(t)) >= 0.6 },
    formats: [],
    tellsApart: true,
    characters: 26,
  },
  files: {
    words: 'files',
    one: 'files',
    family: 'words',
    parse: asText,
    found: { order: 2, fits: (sample) => share(sample, (t) => fileName.test(t)) >= 0.6 },
    formats: [],
    tellsApart: false,
    characters: 26,
  },
} satisfies Record<string, KindEntry>

/** The name of a kind. */
export type Kind = keyof typeof table
/** What there is to know of each kind. */
export const kinds: Readonly<Record<Kind, KindEntry>> = table
/** The kinds by name, in the order in which they are offered. */
export const kindNames = Object.keys(table) as [Kind, ...Kind[]]

/** What a column's kind is by nature: see {@link Family}. */
export const familyOf = ({ kind }: { kind: Kind }): Family => kinds[kind].family
/** Whether a column holds figures, which stand to the right and can be added up. */
export const isFigure = (column: { kind: Kind }): boolean => familyOf(column) === 'figure'
/** Whether a column holds days, with an hour or without. */
export const isDay = (column: { kind: Kind }): boolean => familyOf(column) === 'day'

/** A column as far as its cells can be read by it. */
export interface PlainColumn {
  id: string
  name: string
  kind: Kind
  /** For dates entered as text: whether 07/04 is 7 April. `undefined` where the column has no such cell. */
  dayFirst?: boolean
}

/**
 * The value of a cell, parsed as its column's kind says.
 * @returns a number for figures, ISO 8601 text for dates and times of day, seconds for durations, a boolean for yes/no, text for the
 *   rest; null when the cell is blank or does not read as its kind.
 * @example parsedValue('7 April 2026', { kind: 'date' }) // '2026-04-07'
 */
export function parsedValue(
  cell: Cell | undefined,
  { kind, dayFirst }: Pick<PlainColumn, 'kind' | 'dayFirst'>,
): CellValue | null {
  const text = shown(cell).trim()
  if (cell === undefined || text === '') return null
  return kinds[kind].parse(text, valueKept(cell), dayFirst ?? true)
}

const inOrder = kindNames
  .filter((kind) => kinds[kind].found)
  .sort((a, b) => kinds[a].found!.order - kinds[b].found!.order)
/** How many filled cells are looked at to find a column's kind; the day order is decided from all of them. */
const sampleSize = 2000

/** What was found of a column: its kind, and for days which way round they are, and whether nothing told. */
export interface KindFound {
  kind: Kind
  dayFirst?: boolean
  undecided?: boolean
}

/** Finds the kind of a column from its cells, which it is shown one after another; it keeps no more of them than tell. */
export class KindFinder {
  /** The first cell that shows something. */
  first: Cell | undefined
  private readonly cells: Cell[] = []
  /** What the days so far tell; null while it is not known whether they are days. */
  private days: DayOrder | null = null
  /** Whether more cells could change what is found. */
  wantsMore = true

  /** Looks at the next cell of the column. */
  take(cell: Cell | undefined): void {
    if (cell === undefined) return
    const text = shown(cell).trim()
    // Where a formula failed, nothing tells what would stand there.
    if (text === '') return
    this.first ??= cell
    if (isErrorValue(text)) return
    if (this.days !== null) this.tell(cell)
    else if (this.cells.push(cell) === sampleSize) {
      this.days = isDay({ kind: this.kindFor('') }) ? new DayOrder() : null
      this.wantsMore = this.days !== null
      if (this.days !== null) for (const one of this.cells) this.tell(one)
    }
  }

  private tell(cell: Cell): void {
    this.days!.take(cell)
    this.wantsMore = this.days!.dayFirst === undefined
  }

  private kindFor(name: string): Kind {
    const sample: Sample = { name, cells: this.cells, texts: this.cells.map((cell) => shown(cell).trim()) }
    return inOrder.find((one) => kinds[one].found!.fits(sample)) ?? 'text'
  }

  /**
   * The kind of the column, by the cells that were shown.
   * @param name its heading, which tells where figures alone do not.
   * @returns for days also which way round they are, and whether nothing told.
   */
  found(name: string): KindFound {
    if (this.cells.length === 0) return { kind: 'text' }
    const kind = this.kindFor(name)
    if (!isDay({ kind })) return { kind }
    if (this.days === null) {
      this.days = new DayOrder()
      for (const cell of this.cells) this.days.take(cell)
    }
    return { kind, ...this.days.found }
  }
}

/** Decides from a whole column which way round its dates are. */
class DayOrder {
  dayFirst: boolean | undefined
  private any = false

  take(cell: Cell): void {
    if (typeof cell === 'object' || this.dayFirst !== undefined) return
    const pieces = datePieces(cell)
    if (!pieces || pieces.yearFirst) return
    this.any = true
    if (pieces.first > 12) this.dayFirst = true
    else if (pieces.second > 12) this.dayFirst = false
  }

  /** Day first, and undecided, where nothing tells; nothing where no date can be read either way. */
  get found(): Omit<KindFound, 'kind'> {
    if (this.dayFirst !== undefined) return { dayFirst: this.dayFirst }
    return this.any ? { dayFirst: true, undecided: true } : {}
  }
}
