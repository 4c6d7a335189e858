import { changeLines, eachLine, type Inline, type Letter } from './document.ts'
import { type Field, parseTemplate, plainField, serializeTemplate } from './field.ts'

/** What drafters leave in a letter to come back to. Common practice, no source. */
const patterns = [
  /\bX{3,}\b/g,
  /\[[\p{L}][^\]\n]{0,40}\]/gu,
  /<<[^<>\n]{0,40}>>/g,
  /_{4,}/g,
  /\bTB[CDA]\b/g,
  /\?{3,}/g,
  /\{\{|\}\}/g,
]

interface MarkAt {
  mark: string
  /** Where it begins in the text. */
  at: number
}

/** The drafting marks of a text with their places, in order; a mark within another one is part of it. */
function marksAt(text: string): MarkAt[] {
  const found = patterns
    .flatMap((pattern) => [...text.matchAll(pattern)].map((match) => ({ mark: match[0], at: match.index })))
    .sort((a, b) => a.at - b.at || b.mark.length - a.mark.length)
  let end = 0
  return found.filter(({ mark, at }) => {
    if (at < end) return false
    end = at + mark.length
    return true
  })
}

/** The drafting marks that stand in a text, in order. */
export function draftingMarks(text: string): string[] {
  return marksAt(text).map(({ mark }) => mark)
}

/** The fixed words of a line: where a field or a line break stands, one space, so that places are those of the line. */
const wordsOf = (line: Inline[]) => line.map((inline) => (inline.type === 'text' ? inline.text : ' ')).join('')

/** A drafting mark of a letter that a field can take the place of. */
export interface LetterMark {
  mark: string
  /** How often it stands in subject and body. */
  times: number
  /** The column that its words come nearest to; null when none is near. */
  near: string | null
}

/**
 * The drafting marks of a letter that a field can take the place of, each once, in reading order. Loose braces are none of them.
 * @param columns the names of the list's columns.
 */
export function marksOf(letter: Letter, columns: string[]): LetterMark[] {
  const found = new Map<string, number>()
  const look = (text: string) => {
    for (const mark of draftingMarks(text)) if (!/^[{}]+$/.test(mark)) found.set(mark, (found.get(mark) ?? 0) + 1)
  }
  for (const segment of parseTemplate(letter.subject)) if (typeof segment === 'string') look(segment)
  eachLine(letter.body.content, (line) => look(wordsOf(line)))
  return [...found].map(([mark, times]) => {
    const words = mark.replace(/[^\p{L}\p{N} ]/gu, '')
    // Three letters and more, so that XXX and TBC do not come near to whatever is short.
    return { mark, times, near: /^(X+|TB[CDA])?$/.test(words) ? null : nearestName(words, columns) }
  })
}

/** A line with `field` in the place of every `mark`; the field is formatted as the mark's first letter was. */
function swapInLine(line: Inline[], mark: string, field: Field): Inline[] {
  const places = marksAt(wordsOf(line)).filter((m) => m.mark === mark)
  if (places.length === 0) return line
  const swapped: Inline[] = []
  let at = 0
  for (const inline of line) {
    const start = at
    at += inline.type === 'text' ? inline.text.length : 1
    if (inline.type !== 'text') {
      swapped.push(inline)
      continue
    }
    let kept = start
    const keep = (to: number) => {
      if (to > kept) swapped.push({ ...inline, text: inline.text.slice(kept - start, to - start) })
    }
    for (const place of places) {
      const end = place.at + mark.length
      if (end <= start || place.at >= at) continue
      keep(place.at)
      if (place.at >= start)
        swapped.push({ type: 'field', attrs: field, ...(inline.marks ? { marks: inline.marks } : {}) })
      kept = Math.min(end, at)
    }
    keep(at)
  }
  return swapped
}

/** The letter with the column's field in every place, of subject and body, where a drafting mark stands. */
export function swapMark(letter: Letter, mark: string, column: string): Letter {
  const field = plainField(column)
  const subject = parseTemplate(letter.subject).flatMap((segment) =>
    typeof segment === 'string'
      ? swapInLine([{ type: 'text', text: segment }], mark, field).map((i) =>
          i.type === 'text' ? i.text : i.type === 'field' ? i.attrs : '',
        )
      : [segment],
  )
  return {
    ...letter,
    subject: serializeTemplate(subject),
    body: changeLines(letter.body, (line) => swapInLine(line, mark, field)),
  }
}

/**
 * How many single slips lie between two words: a letter added, lost or changed, or two neighbours swapped (the four kinds of
 * F. J. Damerau, "A technique for computer detection and correction of spelling errors", 1964; no letter is touched twice).
 * More than `most` counts as `most + 1`.
 */
export function slips(a: string, b: string, most = 3): number {
  if (Math.abs(a.length - b.length) > most) return most + 1
  let before: number[] = []
  let previous = Array.from({ length: b.length + 1 }, (_, i) => i)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) {
      row[j] = Math.min(previous[j] + 1, row[j - 1] + 1, previous[j - 1] + (a[i - 1] === b[j - 1] ? 0 : 1))
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) row[j] = Math.min(row[j], before[j - 2] + 1)
    }
    before = previous
    previous = row
  }
  return Math.min(previous[b.length], most + 1)
}

const bare = (name: string) => name.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')

/** The name among `names` that somebody who wrote `name` most likely meant; null when none is near. */
export function nearestName(name: string, names: string[]): string | null {
  const wanted = bare(name)
  let best: string | null = null
  let bestDistance = Math.max(1, Math.min(3, Math.floor(wanted.length / 3))) + 1
  for (const candidate of names) {
    const distance = slips(wanted, bare(candidate))
    if (distance < bestDistance) [best, bestDistance] = [candidate, distance]
  }
  return best ?? names.find((n) => wanted.length > 2 && (bare(n).includes(wanted) || wanted.includes(bare(n)))) ?? null
}
