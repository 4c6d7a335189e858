import { compileCellFormat, languageNumber, workbookLanguages } from '@hand-post/core'

/** A full stop between parts of a date is a character of its own; some readers take a bare one for the beginning of split seconds. */
const plainStops = (codes: string[]) => codes.map((code) => code.replaceAll('.', '\\.'))

/** Days as people write them, in figures and in words, as number formats. */
const days = plainStops([
  'dd/mm/yyyy',
  'yyyy-mm-dd',
  'd/m/yyyy',
  'dd.mm.yyyy',
  'd.m.yyyy',
  'dd-mm-yyyy',
  'd-m-yyyy',
  'yyyy/mm/dd',
  'yyyy/m/d',
  'dd/mm/yy',
  'd/m/yy',
  'dd.mm.yy',
  'd.m.yy',
  'mm/dd/yyyy',
  'm/d/yyyy',
  'mm/dd/yy',
  'm/d/yy',
])
const wordyDays = plainStops([
  'd mmmm yyyy',
  'd mmm yyyy',
  'd. mmmm yyyy',
  'dddd d mmmm yyyy',
  'dddd, d mmmm yyyy',
  'ddd d mmm yyyy',
  'mmmm yyyy',
  'mmm yyyy',
  'mmm-yy',
  'd-mmm-yy',
  'dd-mmm-yy',
  'd-mmm-yyyy',
  'dd-mmm-yyyy',
  'd mmm yy',
  'dd mmm yy',
  'dd mmmm yyyy',
  'dd mmm yyyy',
  'mmmm d, yyyy',
  'mmm d, yyyy',
  'dddd, mmmm d, yyyy',
  'd" de "mmmm" de "yyyy',
  'd mmmm',
  'd mmm',
  'd. mmmm',
  'ddd d mmm',
  'dddd',
  'mmmm',
  'yyyy"年"m"月"d"日"',
  'ggge"年"m"月"d"日"',
])
const clocks = plainStops(['hh:mm', 'h:mm', 'hh:mm:ss', 'h:mm:ss', 'h:mm AM/PM', 'hh.mm', 'h.mm'])
const durations = ['[h]:mm', '[hh]:mm', '[h]:mm:ss', '[hh]:mm:ss', '[mm]:ss']
const between = [' ', ', ', '" at "']

/** How often one column is searched for a format among all, and how many formats a file has at most. */
const maxSearches = 4
const maxCodes = 150

const quoted = (text: string) => (text === '' ? '' : `"${text.replaceAll('"', '')}"`)
/** Languages that are tried first, for the formats of several are alike. */
const often = [
  'en-GB',
  'en-US',
  'de-DE',
  'fr-FR',
  'es-ES',
  'it-IT',
  'nl-NL',
  'pt-BR',
  'pl-PL',
  'sv-SE',
  'fi-FI',
  'nb-NO',
  'da-DK',
]
const marks = [...new Set([...often, ...workbookLanguages])].map(
  (language) => `[$-${languageNumber(language)!.toString(16).toUpperCase()}]`,
)
/** The marks of languages that write figures in each way, by decimal separator and what parts thousands. */
const marksByFigures = () => {
  figureMarks ??= marks.map((mark) => [mark, compileCellFormat(`${mark}#,##0.0`).show(12_345.5)] as const)
  return figureMarks
}
let figureMarks: (readonly [mark: string, sample: string])[] | undefined

/** What a value is that a format is looked for. */
export type Shape = 'number' | 'day' | 'moment' | 'time' | 'duration'

/**
 * Finds the number formats by which a column's values show just what they show here. One for each column of a file.
 */
export class Codes {
  private readonly last: { [shape in Shape]?: string[] } = {}
  private searches = 0
  constructor(private readonly used: Set<string>) {}

  /**
   * @param value a number, or a day number of the 1900 system.
   * @returns a format under which the value shows the text; null when none is left to give, and only the text can be kept.
   */
  of(value: number, text: string, shape: Shape): string | null {
    const fits = (code: string) => compiled(code).show(value) === text
    this.last[shape] ??= []
    const last = this.last[shape]
    const before = last.find(fits)
    if (before !== undefined) return before
    const found = this.search(value, text, shape, fits)
    // Nothing that people usually write: the text itself can stand as the format of its value.
    // Below zero it needs a section of its own, or a minus would come before it.
    const asItIs = value < 0 ? `${quoted(text)};${quoted(text)}` : quoted(text)
    const code = found ?? (text.includes('"') ? null : asItIs)
    if (code === null || (!this.used.has(code) && this.used.size >= maxCodes) || !fits(code)) return null
    this.used.add(code)
    if (found !== null) {
      last.unshift(code)
      last.length = Math.min(last.length, 4)
    }
    return code
  }

  private search(value: number, text: string, shape: Shape, fits: (code: string) => boolean): string | null {
    if (shape === 'number') return numberCodes(value, text).find(fits) ?? null
    if (shape === 'time') return clocks.find(fits) ?? null
    if (shape === 'duration') return durations.find(fits) ?? null
    if (this.searches++ >= maxSearches) return null
    // A moment may show its day alone.
    const clock = (shape === 'moment' ? clockAtEnd(value, text) : null) ?? { code: '', day: text }
    const isWordy = /\p{L}/u.test(clock.day)
    const bases = isWordy ? wordyDays : days
    // Words are in one of many languages; figures need none.
    for (const mark of isWordy ? ['', ...marks] : ['']) {
      const day = bases.find((code) => compiled(mark + code).show(value) === clock.day)
      if (day !== undefined && fits(mark + day + clock.code)) return mark + day + clock.code
    }
    return null
  }
}

/** The time of day at the end of a text, as a format with what stands before it, and the text without both. */
function clockAtEnd(value: number, text: string): { code: string; day: string } | null {
  for (const clock of clocks) {
    const time = compiled(clock).show(value)
    for (const gap of between) {
      const end = `${gap.replaceAll('"', '')}${time}`
      if (text.endsWith(end)) return { code: gap + clock, day: text.slice(0, -end.length) }
    }
  }
  return null
}

const known = new Map<string, ReturnType<typeof compileCellFormat>>()
function compiled(code: string) {
  let found = known.get(code)
  if (!found) {
    if (known.size > 5000) known.clear()
    found = compileCellFormat(code)
    known.set(code, found)
  }
  return found
}

/** The formats that a number may have been shown by, told by its text. */
function numberCodes(value: number, text: string): string[] {
  const found = /^(?<before>[^\d]{0,20}?)(?<minus>[-−]?)(?<figures>\d[\d.,'’\s]{0,40}\d|\d)(?<after>\D{0,20})$/u.exec(
    text,
  )?.groups
  if (!found) return ['General']
  const { figures } = found
  const decimalAt = decimalPlace(value * (/%/.test(text) ? 100 : 1), figures)
  const whole = decimalAt < 0 ? figures : figures.slice(0, decimalAt)
  const places = decimalAt < 0 ? 0 : figures.length - decimalAt - 1
  const grouping = /\D/.exec(whole)?.[0]
  const digits = whole.replace(/\D/g, '')
  const pattern =
    grouping === undefined
      ? '0'.repeat(/^0\d/.test(digits) ? digits.length : 1)
      : /^\d{1,2}(\D\d{2})+\D\d{3}$/.test(whole)
        ? '##,##,##0'
        : '#,##0'
  const part = (own: string) =>
    own
      .split('%')
      .map((piece) => quoted(piece))
      .join('%')
  const code = `${part(found.before.trimStart())}${pattern}${places > 0 ? `.${'0'.repeat(places)}` : ''}${part(found.after)}`
  const bracketed =
    value < 0 && /^\(.*\)$/.test(text)
      ? [
          `0;"("${part(found.before.replace('(', ''))}${pattern}${places > 0 ? `.${'0'.repeat(places)}` : ''}${part(found.after.replace(')', ''))}")"`,
        ]
      : []
  const decimal = decimalAt < 0 ? undefined : figures[decimalAt]
  const asHere = (decimal ?? '.') === '.' && (grouping ?? ',') === ','
  const others = asHere
    ? []
    : marksByFigures()
        .filter(
          ([, sample]) =>
            (decimal === undefined || sample.at(-2) === decimal) &&
            (grouping === undefined || sample.includes(grouping)),
        )
        .map(([mark]) => mark + code)
  // A long number by the general format would show as 4.477E+11 elsewhere.
  return [...(Math.abs(value) < 1e11 ? ['General'] : []), ...bracketed, code, ...others]
}

/** Where the decimal separator stands in figures; -1 when there is none. Told by the size of the value. */
function decimalPlace(value: number, figures: string): number {
  const at = Math.max(figures.lastIndexOf('.'), figures.lastIndexOf(','))
  if (at < 0) return -1
  const behind = figures.length - at - 1
  const asDecimal = Number(`${figures.slice(0, at).replace(/\D/g, '')}.${figures.slice(at + 1)}`)
  return Math.abs(asDecimal - Math.abs(value)) <= 0.5001 * 10 ** -behind ? at : -1
}

/** A cell as it is written into a workbook: a value that shows a text by a format, or a text alone. */
export type CellOut =
  | { text: string }
  | { text: string; truth: boolean }
  | { text: string; number: number; code: string; means: 'number' }
  /** `iso` is a day, a day with its time, a time of day, or a duration; `number` the same as a workbook counts it. */
  | { text: string; number: number; code: string; means: 'date' | 'time'; iso: string }
