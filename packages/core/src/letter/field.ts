import { type LetterCase, letterCases } from '../people/recipes.ts'

/** A field: the place in a letter that a column's value fills. */
export interface Field {
  /** The column's name, as its heading reads. */
  column: string
  /** The words used when the person's cell is blank; null leaves the place empty. */
  standIn: string | null
  /** How the value is written: an LDML pattern (Unicode UTS #35) for dates, numbers and amounts; null as the sheet showed it. */
  format: string | null
  /** In which letters the value is written; null as it stands. Documents of before the choice was there lack it. */
  letterCase?: LetterCase | null
}

/** How the typed form names the letters that a value is written in. */
export const caseWords: Record<LetterCase, string> = {
  upper: 'capitals',
  lower: 'small letters',
  title: 'title capitals',
  sentence: 'a first capital',
}

/** A column's field, with nothing said about it. */
export const plainField = (column: string): Field => ({ column, standIn: null, format: null, letterCase: null })

export type Segment = string | Field

const needsQuotes = /[,"“”{}\\]|^\s|\s$|^$/
const quote = (text: string) => `"${text.replace(/["“”\\]/g, '\\$&')}"`

/** Writes a field in its typed form: `{{Boat, or "your boat", in capitals}}`, `{{Due date, as "d MMMM yyyy"}}`. The inverse of {@link parseTemplate}. */
export function serializeField(field: Field): string {
  const name = needsQuotes.test(field.column) ? quote(field.column) : field.column
  const standIn = field.standIn === null ? '' : `, or ${quote(field.standIn)}`
  const format = field.format === null ? '' : `, as ${quote(field.format)}`
  const letterCase = field.letterCase ? `, in ${caseWords[field.letterCase]}` : ''
  return `{{${name}${standIn}${format}${letterCase}}}`
}

/**
 * Writes segments as text with typed fields.
 * @example serializeTemplate(parseTemplate('Dear {{Name}},')) // 'Dear {{Name}},'
 */
export function serializeTemplate(segments: Segment[]): string {
  return segments.map((s) => (typeof s === 'string' ? s : serializeField(s))).join('')
}

// People's typing programs turn quotes round; both forms are taken.
// Bounded: braces that are never closed would have the rest of the text read for each of them.
const quotedText = /["“”]((?:[^"“”\\]|\\.){0,2000})["“”]/y
const bareName = /[^,"“”{}\\]{1,2000}/y
const spaces = /\s{0,200}/y

/** Characters of a column's name, and of a format: what is longer is no field. A heading has 200 at most. */
const longestName = 300

/** Reads what stands between the braces from `start`; null when it is not a field. */
function readField(text: string, start: number): { field: Field; end: number } | null {
  let at = start
  const take = (pattern: RegExp) => {
    pattern.lastIndex = at
    const match = pattern.exec(text)
    if (match) at = pattern.lastIndex
    return match
  }
  const takeQuoted = () => take(quotedText)?.[1].replace(/\\(.)/g, '$1') ?? null
  take(spaces)
  const column = takeQuoted() ?? take(bareName)?.[0].trim() ?? null
  if (column === null || column === '' || column.length > longestName) return null
  const field = plainField(column)
  for (;;) {
    take(spaces)
    if (text.startsWith('}}', at)) return { field, end: at + 2 }
    if (text[at] !== ',') return null
    at++
    take(spaces)
    const word = take(/or|as|in/y)?.[0]
    take(spaces)
    if (word === 'in') {
      const letterCase = letterCases.find((one) => text.startsWith(caseWords[one], at))
      if (!letterCase) return null
      field.letterCase = letterCase
      at += caseWords[letterCase].length
      continue
    }
    const value = word ? takeQuoted() : null
    if (value === null) return null
    if (word === 'or') field.standIn = value
    else if (value.length > longestName) return null
    else field.format = value
  }
}

/**
 * Splits text into plain runs and typed fields. Braces that do not make a field stay as they are: they are shown for
 * what they are, and the proof finds them as drafting marks.
 */
export function parseTemplate(text: string): Segment[] {
  const segments: Segment[] = []
  let plain = ''
  let at = 0
  while (at < text.length) {
    const first = text.indexOf('{{', at)
    if (first < 0) break
    // Of a run of braces only the last two can begin a field, for none stands in its name.
    let open = first
    while (text[open + 2] === '{') open++
    const read = readField(text, open + 2)
    plain += text.slice(at, open)
    if (read) {
      if (plain !== '') segments.push(plain)
      plain = ''
      segments.push(read.field)
      at = read.end
    } else {
      plain += '{'
      at = open + 1
    }
  }
  plain += text.slice(at)
  if (plain !== '') segments.push(plain)
  return segments
}

/** What of a typed text is meant as a field and is none, such as `{{Pup`; null when there is nothing of that kind. */
export function looseBraces(text: string): string | null {
  for (const segment of parseTemplate(text)) {
    const found = typeof segment === 'string' ? /\{\{[^{}]{0,60}|[^{}]{0,60}\}\}/.exec(segment) : null
    if (found) return found[0].trim()
  }
  return null
}
