import { addressPlace, addressSetting, everSeen, folds, type PaperForm, type Rectangle, sheet } from '@hand-post/core'
import { type Paper, pageMargins } from '../enclosures/paper.ts'
import { widthOf } from '../enclosures/typefaces.ts'

/** Points of a millimetre: 72 to the inch of 25.4 mm (ISO 32000, 8.3.2.3). */
export const points = (mm: number): number => (mm * 72) / 25.4

/** The size of the address, in points: as large as fits the window, between these. */
const largest = 10.5
const smallest = 8

/** Where the words of a letter begin on its first sheet, in millimetres from the top: below the fold, which is below the window. */
const wordsFrom = folds[0] + 3

const roomOf = (form: PaperForm) => points(addressPlace(form).width)

/** Those lines of a postal address that do not fit into the window, however small they may be set. */
export const tooWide = (lines: readonly string[], form: PaperForm): string[] =>
  lines.filter((line) => widthOf(line, smallest) > roomOf(form))

/** Words at a place of the sheet, in millimetres; each line where it is told, and none broken. */
const at = (text: string, left: number, top: number, more: object = {}): Paper => ({
  text,
  absolutePosition: { x: points(left), y: points(top) },
  noWrap: true,
  alignment: 'left',
  lineHeight: 1,
  ...more,
})

/** The lines of a postal address where the window shows them. */
function addressOnPaper(lines: readonly string[], form: PaperForm): Paper[] {
  const { left, top } = addressPlace(form)
  const widest = Math.max(1, ...lines.map((line) => widthOf(line, largest)))
  const fontSize = Math.max(Math.min(largest, (largest * roomOf(form)) / widest), smallest)
  return lines.map((line, i) => at(line, left, top + i * addressSetting.line, { fontSize }))
}

/** Small marks at the left edge where the sheet is folded. */
const foldMarks = (): Paper[] =>
  folds.map((mm) => ({
    absolutePosition: { x: points(5), y: points(mm) },
    canvas: [{ type: 'line', x1: 0, y1: 0, x2: points(4), y2: 0, lineWidth: 0.4, lineColor: '#4a5a61' }],
  }))

/** What is printed of one letter. */
export interface LetterToSet {
  from: { name: string; address: string }
  lines: readonly string[]
  /** The day that stands on it, in words; null is none. */
  day: string | null
  subject: string
  words: Paper[]
}

/** A letter as it stands on its sheets: sender, address, day, subject and words. */
export function letterOnPaper(letter: LetterToSet, form: PaperForm & { foldMarks: boolean }): Paper[] {
  const { from, lines, day, subject, words } = letter
  const left = (pageMargins.left * 25.4) / 72
  return [
    ...(form.foldMarks ? foldMarks() : []),
    at(from.name || from.address, left, 20, { fontSize: 13, bold: true }),
    ...(from.name ? [at(from.address, left, 27, { fontSize: 9, color: '#4a5a61' })] : []),
    ...addressOnPaper(lines, form),
    { text: day ?? ' ', alignment: 'right', margin: [0, points(wordsFrom) - pageMargins.top, 0, 10] },
    ...(subject.trim() === '' ? [] : [{ text: subject, bold: true, margin: [0, 0, 0, 10] }]),
    ...words,
  ]
}

const outline = ({ left, top, right, bottom }: Rectangle, line: object): Paper => ({
  absolutePosition: { x: points(left), y: points(top) },
  canvas: [{ type: 'rect', x: 0, y: 0, w: points(right - left), h: points(bottom - top), ...line }],
})

/** The page that shows where the window of an envelope is: printed, folded and put in, nothing of its grey frame may be seen outside of it. */
export function testPage(form: PaperForm, words: { heading: string; steps: string[]; lines: string[] }): Paper[] {
  const ever = everSeen(form)
  return [
    ...foldMarks(),
    // What is seen when the sheet has slid as far as it can; the address keeps within what is always seen.
    outline(ever, { lineWidth: 0.6, lineColor: '#4a5a61', dash: { length: 3, space: 3 } }),
    ...addressOnPaper(words.lines, form),
    { text: words.heading, bold: true, fontSize: 14, margin: [0, points(wordsFrom + 5) - pageMargins.top, 0, 8] },
    { ol: words.steps, margin: [0, 0, 0, 8] },
    outline(
      { left: 0.5, top: 0.5, right: sheet.width - 0.5, bottom: sheet.height - 0.5 },
      { lineWidth: 0.2, lineColor: '#c8d2d0' },
    ),
  ]
}
