import { createRequire } from 'node:module'
import bidiFactory from 'bidi-js'
import * as fontkit from 'fontkit'

const require = createRequire(import.meta.url)
const bidi = bidiFactory()

/** The typefaces that PDFs are written in, by name: the first has Latin, Greek, Cyrillic, Armenian, Georgian and more. */
export type Typeface =
  | 'Letter'
  | 'Arabic'
  | 'Hebrew'
  | 'Devanagari'
  | 'Thai'
  | 'Japanese'
  | 'Korean'
  | 'Chinese'
  | 'Emoji'

const noto = (name: string, folder: string) => {
  const file = (weight: string) => require.resolve(`@expo-google-fonts/${folder}/${weight}/${name}_${weight}.ttf`)
  const [normal, bold] = [file('400Regular'), file('700Bold')]
  // None of these scripts is written in italics.
  return { normal, bold, italics: normal, bolditalics: bold }
}
const dejavu = (name: string) => require.resolve(`dejavu-fonts-ttf/ttf/DejaVuSans${name}.ttf`)

/** The files of a typeface, by style. */
export const typefaceFiles: Record<Typeface, Record<'normal' | 'bold' | 'italics' | 'bolditalics', string>> = {
  Letter: {
    normal: dejavu(''),
    bold: dejavu('-Bold'),
    italics: dejavu('-Oblique'),
    bolditalics: dejavu('-BoldOblique'),
  },
  Arabic: noto('NotoSansArabic', 'noto-sans-arabic'),
  Hebrew: noto('NotoSansHebrew', 'noto-sans-hebrew'),
  Devanagari: noto('NotoSansDevanagari', 'noto-sans-devanagari'),
  Thai: noto('NotoSansThai', 'noto-sans-thai'),
  Japanese: noto('NotoSansJP', 'noto-sans-jp'),
  Korean: noto('NotoSansKR', 'noto-sans-kr'),
  Chinese: noto('NotoSansSC', 'noto-sans-sc'),
  Emoji: noto('NotoEmoji', 'noto-emoji'),
}

/** Which signs a typeface has; its file is read when it is first asked. */
const signs = new Map<Typeface, Map<number, boolean>>()
const opened = new Map<Typeface, { hasGlyphForCodePoint(sign: number): boolean }>()
function has(face: Typeface, sign: number): boolean {
  let known = signs.get(face)
  if (!known) {
    known = new Map()
    signs.set(face, known)
  }
  let is = known.get(sign)
  if (is === undefined) {
    let font = opened.get(face)
    if (!font) {
      font = fontkit.openSync(typefaceFiles[face].normal) as unknown as { hasGlyphForCodePoint(sign: number): boolean }
      opened.set(face, font)
    }
    is = font.hasGlyphForCodePoint(sign)
    known.set(sign, is)
  }
  return is
}

/** Signs that show nothing of their own, so no typeface need have them: joiners, selectors, controls, line ends (UAX #44). */
const showsNothing = /[\p{Default_Ignorable_Code_Point}\p{Cc}\p{Zl}\p{Zp}]/u
/** What the first typeface surely has, so that most texts are not looked through sign by sign. */
const plain =
  /^[\n\r\t -~\u00a0-\u017f\u0391-\u03a1\u03a3-\u03c9\u0410-\u044f\u2010-\u2015\u2018-\u201f\u2022\u2026\u20ac]*$/
const segmenter = new Intl.Segmenter('en-GB', { granularity: 'grapheme' })

/** In which order typefaces are asked for a sign. Han signs are drawn as in Japan or Korea where the text has signs of those. */
function orderFor(text: string): Typeface[] {
  const han: Typeface[] = /[\p{Script=Hiragana}\p{Script=Katakana}]/u.test(text)
    ? ['Japanese', 'Chinese', 'Korean']
    : /\p{Script=Hangul}/u.test(text)
      ? ['Korean', 'Chinese', 'Japanese']
      : ['Chinese', 'Japanese', 'Korean']
  return ['Letter', 'Arabic', 'Hebrew', 'Devanagari', 'Thai', ...han, 'Emoji']
}
const first = (face: Typeface, order: Typeface[]): Typeface[] => [face, ...order.filter((one) => one !== face)]

/** The typeface that has every sign of a cluster; null when none has. */
function faceFor(cluster: string, order: Typeface[]): Typeface | null {
  const wanted = [...cluster].filter((sign) => !showsNothing.test(sign)).map((sign) => sign.codePointAt(0)!)
  const asked = /\p{Emoji_Presentation}|\ufe0f/u.test(cluster)
    ? first('Emoji', order)
    : /\p{Script=Arabic}/u.test(cluster)
      ? first('Arabic', order)
      : /\p{Script=Hebrew}/u.test(cluster)
        ? first('Hebrew', order)
        : order
  return asked.find((face) => wanted.every((sign) => has(face, sign))) ?? null
}

/**
 * The first sign of a text that no typeface here has, as it stands; null when all can be drawn.
 */
export function signWithoutForm(text: string): string | null {
  if (plain.test(text)) return null
  const order = orderFor(text)
  for (const { segment } of segmenter.segment(text))
    if (!plain.test(segment) && faceFor(segment, order) === null)
      // A cluster may be several signs that no one typeface has together; each by itself is looked for first.
      for (const sign of segment) if (!showsNothing.test(sign) && faceFor(sign, order) === null) return sign
  return null
}

/** A sign as it is named to people: itself, and its number in Unicode. */
export const signName = (sign: string): string =>
  `“${sign}” (U+${sign.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')})`

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

/** Words of Thai are not parted by spaces; a line may end between them (UAX #14, SA). */
const words = new Intl.Segmenter('th', { granularity: 'word' })
const withBreaks = (text: string) =>
  /\p{Script=Thai}{6}/u.test(text)
    ? text.replace(/\p{Script=Thai}{6,2000}/gu, (run) =>
        [...words.segment(run)].map((one) => one.segment).join('\u200b'),
      )
    : text

/**
 * Cuts the pieces of a paragraph into runs: each of one typeface, one direction, and of one piece. A sign that no typeface has is
 * written by its number, so that nobody takes its absence for a blank.
 * @returns the runs of each piece, in the order of the text, and whether the paragraph goes from right to left.
 */
export function runsOf(pieces: readonly string[]): { runs: Run[][]; rightToLeft: boolean } {
  const whole = pieces.join('')
  if (plain.test(whole)) return { runs: pieces.map((text) => [{ text, face: 'Letter', level: 0 }]), rightToLeft: false }
  const rightToLeft = isRightToLeft(whole)
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
          ? [...segment].map((sign) => `[U+${sign.codePointAt(0)!.toString(16).toUpperCase()}]`).join('')
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
  const mirrored = [...text].map((sign) => bidi.getMirroredCharacter(sign) ?? sign)
  return /[\p{Script=Arabic}\p{Script=Hebrew}\p{Script=Syriac}\p{Script=Thaana}\p{Script=Nko}]/u.test(text)
    ? mirrored.join('')
    : [...segmenter.segment(mirrored.join(''))]
        .map((one) => one.segment)
        .reverse()
        .join('')
}
