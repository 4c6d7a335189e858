import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import bidiFactory from 'bidi-js'
import type * as Fontkit from 'fontkit'
import { unpackedFont } from './woff.ts'

const require = createRequire(import.meta.url)
/** Reads typefaces; loaded when the first is to be read, as few threads ever do. */
const fontkit = () => require('fontkit') as typeof Fontkit
const bidi = bidiFactory()
/** What is asked of a font once its file is read. */
interface OpenFont {
  unitsPerEm: number
  hasGlyphForCodePoint(character: number): boolean
  layout(text: string): { advanceWidth: number }
}
const opened = new Map<string, OpenFont>()

/** A typeface by the name under which PDFs are written in it. */
export type Typeface = string
type Files = Record<'normal' | 'bold' | 'italics' | 'bolditalics', string>

const dejavu = (name: string) => require.resolve(`dejavu-fonts-ttf/ttf/DejaVuSans${name}.ttf`)
const noto = (folder: string, part: string): Files => {
  const file = (weight: number) =>
    require.resolve(`@fontsource/${folder}/files/${folder}-${part}-${weight}-normal.woff`)
  const [normal, bold] = [file(400), file(700)]
  // None of these scripts is written in italics.
  return { normal, bold, italics: normal, bolditalics: bold }
}

/** Scripts with more characters than one file has: the usual ones are in the main file, rare ones in slices that are told by their ranges. */
const eastern = {
  Japanese: { folder: 'noto-sans-jp', main: 'japanese' },
  Korean: { folder: 'noto-sans-kr', main: 'korean' },
  Chinese: { folder: 'noto-sans-sc', main: 'chinese-simplified' },
} as const
type Eastern = keyof typeof eastern

/** The slice of a script by the character that it has, as "noto-sans-jp-57"; made when it is first asked for. */
const slices = new Map<Eastern, [from: number, to: number, slice: string][]>()
function sliceOf(script: Eastern, character: number): string | null {
  let ranges = slices.get(script)
  if (!ranges) {
    const told = require(`@fontsource/${eastern[script].folder}/unicode.json`) as Record<string, string>
    ranges = Object.entries(told).flatMap(([name, text]) => {
      const slice = /^\[(\d{1,3})\]$/.exec(name)?.[1]
      return slice === undefined
        ? []
        : text.split(',').map((range): [number, number, string] => {
            const [from, to = from] = range.replace(/^U\+/i, '').split('-')
            return [Number.parseInt(from, 16), Number.parseInt(to, 16), slice]
          })
    })
    slices.set(script, ranges)
  }
  return ranges.find(([from, to]) => character >= from && character <= to)?.[2] ?? null
}

/** The files of a typeface, by style; those of slices are found when a text wants them. */
const files = new Map<Typeface, Files>([
  [
    // Latin, Greek, Cyrillic, Armenian, Georgian and more.
    'Letter',
    { normal: dejavu(''), bold: dejavu('-Bold'), italics: dejavu('-Oblique'), bolditalics: dejavu('-BoldOblique') },
  ],
  // The same for characters that it has in no italics.
  ['Upright', { normal: dejavu(''), bold: dejavu('-Bold'), italics: dejavu(''), bolditalics: dejavu('-Bold') }],
  ['Arabic', noto('noto-sans-arabic', 'arabic')],
  ['Hebrew', noto('noto-sans-hebrew', 'hebrew')],
  ['Devanagari', noto('noto-sans-devanagari', 'devanagari')],
  ['Thai', noto('noto-sans-thai', 'thai')],
  ...(Object.keys(eastern) as Eastern[]).map((name): [Typeface, Files] => [
    name,
    noto(eastern[name].folder, eastern[name].main),
  ]),
  ['Emoji', noto('noto-emoji', 'emoji')],
])

/** A typeface's files, by style, as names under which {@link fontOf} gives them. */
export const filesOf = (face: Typeface): Files => files.get(face)!

const fonts = new Map<string, Buffer>()
/** A typeface's font in its upright style, for measuring. */
const fontFor = (face: Typeface) => {
  const file = filesOf(face).normal
  let font = opened.get(file)
  if (!font) {
    font = fontkit().create(fontOf(file)) as unknown as OpenFont
    opened.set(file, font)
  }
  return font
}

/** How wide a line of text is, in points, set upright at a size in points. */
export function widthOf(text: string, size: number): number {
  const { runs } = runsOf([text])
  return runs.flat().reduce((sum, run) => {
    const font = fontFor(run.face)
    return sum + (font.layout(run.text).advanceWidth / font.unitsPerEm) * size
  }, 0)
}

/** What stands in a font's file, ready to be embedded; read and unpacked when it is first asked for. */
export function fontOf(file: string): Buffer {
  let font = fonts.get(file)
  if (!font) {
    const content = readFileSync(file)
    font = file.endsWith('.woff') ? unpackedFont(content) : content
    fonts.set(file, font)
  }
  return font
}

/** Which characters a typeface has in all of its styles, for a letter may set any word in any; its files are read when it is first asked. */
const characters = new Map<Typeface, Map<number, boolean>>()
function has(face: Typeface, character: number): boolean {
  let known = characters.get(face)
  if (!known) {
    known = new Map()
    characters.set(face, known)
  }
  let is = known.get(character)
  if (is === undefined) {
    is = Object.values(filesOf(face)).every((file) => {
      let font = opened.get(file)
      if (!font) {
        font = fontkit().create(fontOf(file)) as unknown as OpenFont
        opened.set(file, font)
      }
      return font.hasGlyphForCodePoint(character)
    })
    known.set(character, is)
  }
  return is
}

/** The slice of a script that has all of some characters, as a typeface of its own; null when none has. */
function sliceFor(script: Typeface, wanted: number[]): Typeface | null {
  if (!(script in eastern) || wanted.length === 0) return null
  const slice = sliceOf(script as Eastern, wanted[0])
  if (slice === null) return null
  const face = `${script} ${slice}`
  if (!files.has(face)) files.set(face, noto(eastern[script as Eastern].folder, slice))
  return wanted.every((character) => has(face, character)) ? face : null
}

/** Signs that show nothing of their own, so no typeface need have them: joiners, selectors, controls, line ends (UAX #44). */
const showsNothing = /[\p{Default_Ignorable_Code_Point}\p{Cc}\p{Zl}\p{Zp}]/u
/** What the first typeface surely has, so that most texts are not looked through character by character. */
const plain =
  /^[\n\r\t -~\u00a0-\u017f\u0391-\u03a1\u03a3-\u03c9\u0410-\u044f\u2010-\u2015\u2018-\u201f\u2022\u2026\u20ac]*$/
const segmenter = new Intl.Segmenter('en-GB', { granularity: 'grapheme' })

/** In which order typefaces are asked for a character. Han characters are drawn as in Japan or Korea where the text has characters of those. */
function orderFor(text: string): Typeface[] {
  const han: Typeface[] = /[\p{Script=Hiragana}\p{Script=Katakana}]/u.test(text)
    ? ['Japanese', 'Chinese', 'Korean']
    : /\p{Script=Hangul}/u.test(text)
      ? ['Korean', 'Chinese', 'Japanese']
      : ['Chinese', 'Japanese', 'Korean']
  return ['Letter', 'Upright', 'Arabic', 'Hebrew', 'Devanagari', 'Thai', ...han, 'Emoji']
}
const first = (face: Typeface, order: Typeface[]): Typeface[] => [face, ...order.filter((one) => one !== face)]

/** The typeface that has every character of a cluster; null when none has. */
function faceFor(cluster: string, order: Typeface[]): Typeface | null {
  const wanted = [...cluster]
    .filter((character) => !showsNothing.test(character))
    .map((character) => character.codePointAt(0)!)
  const asked = /\p{Emoji_Presentation}|\ufe0f/u.test(cluster)
    ? first('Emoji', order)
    : /\p{Script=Arabic}/u.test(cluster)
      ? first('Arabic', order)
      : /\p{Script=Hebrew}/u.test(cluster)
        ? first('Hebrew', order)
        : order
  for (const face of asked) {
    const found = wanted.every((character) => has(face, character)) ? face : sliceFor(face, wanted)
    if (found !== null) return found
  }
  return null
}

/**
 * The first character of a text that no typeface here has, as it stands; null when all can be drawn.
 */
export function signWithoutForm(text: string): string | null {
  if (plain.test(text)) return null
  const order = orderFor(text)
  for (const { segment } of segmenter.segment(text))
    if (!plain.test(segment) && faceFor(segment, order) === null)
      // A cluster may be several characters that no one typeface has together; each by itself is looked for first.
      for (const character of segment)
        if (!showsNothing.test(character) && faceFor(character, order) === null) return character
  return null
}

/** A character as it is named to people: itself, and its number in Unicode. */
export const signName = (character: string): string =>
  `“${character}” (U+${character.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')})`

/** A piece of a text that is drawn in one typeface and in one direction. */
export interface Run {
  text: string
  face: Typeface
  /** Its embedding level (UAX #9): odd ones run from right to left. */
  level: number
}

/** Whether a text is written from right to left for the most part: what its paragraphs are then, too (UAX #9, HL1). */
export function isRightToLeft(text: string): boolean {
  const right =
    text.match(/[\p{Script=Arabic}\p{Script=Hebrew}\p{Script=Syriac}\p{Script=Thaana}\p{Script=Nko}]/gu)?.length ?? 0
  if (right === 0) return false
  return right > (text.match(/\p{L}/gu)?.length ?? 0) / 2
}

/** Up to how many words a paragraph goes the way of those around it: a name above a letter does not turn to the other side. */
const fewWords = 5

/** Words of Thai are not separated by spaces; a line may end between them (UAX #14, SA). */
const words = new Intl.Segmenter('th', { granularity: 'word' })
const withBreaks = (text: string) =>
  /\p{Script=Thai}{6}/u.test(text)
    ? text.replace(/\p{Script=Thai}{6,2000}/gu, (run) =>
        [...words.segment(run)].map((one) => one.segment).join('\u200b'),
      )
    : text

/**
 * Cuts the pieces of a paragraph into runs: each of one typeface, one direction, and of one piece. A character that no typeface has is
 * written by its number, so that nobody takes its absence for a blank.
 * @param around whether what stands around the paragraph goes from right to left; it decides for paragraphs of a few words.
 * @returns the runs of each piece, in the order of the text, and whether the paragraph goes from right to left.
 */
export function runsOf(pieces: readonly string[], around?: boolean): { runs: Run[][]; rightToLeft: boolean } {
  const whole = pieces.join('')
  if (plain.test(whole) && !around)
    return { runs: pieces.map((text) => [{ text, face: 'Letter', level: 0 }]), rightToLeft: false }
  const isShort = whole.trim().split(/\s+/, fewWords + 1).length <= fewWords
  const rightToLeft = around !== undefined && isShort ? around : isRightToLeft(whole)
  const { levels } = bidi.getEmbeddingLevels(whole, rightToLeft ? 'rtl' : 'ltr')
  const order = orderFor(whole)
  let at = 0
  const runs = pieces.map((piece): Run[] => {
    const found: Run[] = []
    for (const { segment, index } of segmenter.segment(piece)) {
      const face = faceFor(segment, order)
      const level = levels[at + index]
      // Explicit marks of direction have done their work.
      const text =
        face === null
          ? [...segment].map((character) => `[U+${character.codePointAt(0)!.toString(16).toUpperCase()}]`).join('')
          : segment.replace(/[\u200e\u200f\u202a-\u202e\u2066-\u2069]/g, '')
      const last = found.at(-1)
      // A blank is drawn in the typeface of what stands before it.
      const own = /^\s*$/.test(text) && last ? last.face : (face ?? 'Letter')
      if (last && last.face === own && last.level === level) last.text += text
      else found.push({ text, face: own, level })
    }
    at += piece.length
    return found.map((run) => ({ ...run, text: withBreaks(run.text) }))
  })
  return { runs, rightToLeft }
}

/**
 * In which order pieces of a line are drawn from left to right, given their levels (UAX #9, rule L2): from the highest level down to
 * the lowest odd one, every run of that level and above is turned.
 * @returns indexes of the pieces.
 */
export function visualOrder(levels: readonly number[]): number[] {
  const order = levels.map((_, i) => i)
  const lowestOdd = Math.min(...levels.filter((level) => level % 2 === 1))
  for (let level = Math.max(...levels); level >= lowestOdd; level--)
    for (let from = 0; from < order.length; from++) {
      if (levels[order[from]] < level) continue
      let to = from
      while (to + 1 < order.length && levels[order[to + 1]] >= level) to++
      order.splice(from, to - from + 1, ...order.slice(from, to + 1).reverse())
      from = to
    }
  return order
}

/**
 * A piece that runs from right to left as it is handed to the shaping of its typeface: brackets are mirrored (rule L4), and what has no
 * letters of such a script, which shaping would turn by itself, is turned here.
 */
export function turned(text: string): string {
  const mirrored = [...text].map((character) => bidi.getMirroredCharacter(character) ?? character)
  return /[\p{Script=Arabic}\p{Script=Hebrew}\p{Script=Syriac}\p{Script=Thaana}\p{Script=Nko}]/u.test(text)
    ? mirrored.join('')
    : [...segmenter.segment(mirrored.join(''))]
        .map((one) => one.segment)
        .reverse()
        .join('')
}
