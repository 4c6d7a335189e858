import fc from 'fast-check'
import * as fontkit from 'fontkit'
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs'
import { describe, expect, test } from 'vitest'
import { htmlOnPaper, writePdf } from '../src/enclosures/paper.ts'
import {
  filesOf,
  fontOf,
  isRightToLeft,
  runsOf,
  signName,
  signWithoutForm,
  turned,
  visualOrder,
} from '../src/enclosures/typefaces.ts'
import { unpackedFont } from '../src/enclosures/woff.ts'

// In UAX #9 capitals stand for letters that run from right to left, and > < = for the marks LRI, RLI and PDI.
const asWritten = (text: string) =>
  text
    .replace(/[A-Z]/g, (c) => String.fromCharCode(0x5d0 + c.charCodeAt(0) - 65))
    .replace(/[<>=]/g, (c) => ({ '<': '\u2067', '>': '\u2066', '=': '\u2069' })[c]!)
const asShown = (text: string) =>
  text.replace(/[\u05d0-\u05e9]/g, (c) => String.fromCharCode(c.charCodeAt(0) - 0x5d0 + 65))
/** A text as it is seen from left to right, all on one line. */
function seen(text: string): string {
  const runs = runsOf([text]).runs[0]
  if (!runs.some((run) => run.level > 0)) return runs.map((run) => run.text).join('')
  return visualOrder(runs.map((run) => run.level))
    .map((i) => {
      const { text: own, level } = runs[i]
      if (level % 2 === 0) return own
      // Shaping turns what has letters from right to left; `turned` has turned the rest.
      const handed = turned(own)
      return /\p{Script=Hebrew}/u.test(own) ? [...handed].reverse().join('') : handed
    })
    .join('')
}

describe('texts in both directions', () => {
  // The examples of UAX #9, 3.4, rule L2; written down from memory.
  test.each([
    ['car means CAR.', 'car means RAC.'],
    ['<car MEANS CAR.=', '.RAC SNAEM car'],
    ['he said “<car MEANS CAR=.” “<IT DOES=,” she agreed.', 'he said “RAC SNAEM car.” “SEOD TI,” she agreed.'],
  ])('%s', (memory, display) => expect(asShown(seen(asWritten(memory)))).toBe(display))
  test('brackets are mirrored, figures are not turned', () => {
    expect(asShown(seen(asWritten('NUMBER (12) AND [A]')))).toBe('[A] DNA (12) REBMUN')
    expect(asShown(seen('tel. +44 7700'))).toBe('tel. +44 7700')
  })
  test('a paragraph goes the way that most of its letters go, so a name does not turn a letter round', () => {
    expect(isRightToLeft('שרה לוי, your permit is ready')).toBe(false)
    expect(isRightToLeft('שרה לוי, ההיתר מוכן: Brindle Quay')).toBe(true)
    expect(isRightToLeft('0071')).toBe(false)
  })
  test('a few words go the way of what stands around them', async () => {
    expect(runsOf(['שרה לוי'], false).rightToLeft).toBe(false)
    expect(runsOf(['Brindle Quay'], true).rightToLeft).toBe(true)
    expect(runsOf(['שרה לוי היקרה ההיתר שלך מוכן'], false).rightToLeft).toBe(true)
    const heading = async (letter: string) => {
      const [word] = await wordsIn(await onPaper(`<h2>שרה לוי</h2><p>${letter}</p>`))
      return word.x
    }
    // A4 is 595 points wide, with 62 at each side.
    expect(await heading('Dear Ada, your permit is ready to be fetched.')).toBeLessThan(150)
    expect(await heading('ההיתר שלך מוכן לאיסוף במשרד הנמל')).toBeGreaterThan(400)
  })
  test('pieces in any levels: each once; those of an even line stay, those of an odd one are turned', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 4 }), { minLength: 1, maxLength: 12 }), (levels) => {
        fc.pre(levels.some((level) => level % 2 === 1))
        const order = visualOrder(levels)
        expect([...order].sort((a, b) => a - b)).toEqual(levels.map((_, i) => i))
        // The rule as UAX #9 has it, on letters one by one, by turning strings.
        let text = levels.map((_, i) => i)
        for (let level = 4; level >= Math.min(...levels.filter((l) => l % 2)); level--) {
          const next: number[] = []
          let run: number[] = []
          for (const i of text)
            if (levels[i] >= level) run.unshift(i)
            else {
              next.push(...run, i)
              run = []
            }
          text = [...next, ...run]
        }
        expect(order).toEqual(text)
      }),
    )
  })
  test('whatever the pieces hold, their words stay with them and in their order', () => {
    const piece = fc.string({
      unit: fc.constantFrom('a', 'ש', 'ل', '1', ' ', '(', 'अ', 'ก', '王', '👍', '\n'),
      maxLength: 12,
    })
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 4 }), (pieces) => {
        const { runs } = runsOf(pieces)
        expect(
          runs.map((own) =>
            own
              .map((run) => run.text)
              .join('')
              .replaceAll('\u200b', ''),
          ),
        ).toEqual(pieces)
      }),
    )
  })
})

/** A name in each of twelve scripts and more. All are made up. */
const names = [
  'Zoë Ødegård-Šimůnek',
  'Αλεξάνδρα Παππά',
  'Надежда Ильина',
  'Անի Հակոբյան',
  'თამარ ბერიძე',
  'عادل الحسن',
  'שרה לוי',
  'अदिति शर्मा',
  'สมชาย ใจดี',
  '王小明',
  '佐藤さくら',
  '김민준',
  'Ada 👩‍🚀🎉❤️',
]

test('a font of the web unpacked is the one that another reader finds in it', () => {
  for (const [face, text] of [
    ['Arabic', 'عادل'],
    ['Devanagari', 'अदिति'],
    ['Korean', '김민준'],
    ['Emoji', '🎉'],
  ]) {
    const file = filesOf(face).normal
    const [ours, theirs] = [fontkit.create(fontOf(file)), fontkit.openSync(file)] as fontkit.Font[]
    expect(ours.postscriptName).toBe(theirs.postscriptName)
    expect(ours.numGlyphs).toBe(theirs.numGlyphs)
    const drawn = (font: fontkit.Font) =>
      font.layout(text).glyphs.map((glyph) => [glyph.id, glyph.advanceWidth, glyph.path.toSVG()])
    expect(drawn(ours)).toEqual(drawn(theirs))
  }
  expect(() => unpackedFont(Buffer.from('no font at all, but long enough to be looked at'))).toThrow(/not a WOFF/)
})

describe('characters and typefaces', () => {
  test.each(names)('%s can be drawn', (name) => {
    expect(signWithoutForm(name)).toBeNull()
    expect(
      runsOf([name])
        .runs[0].map((run) => run.text)
        .join(''),
    ).not.toContain('U+')
  })
  test('Han characters are drawn as the text’s language draws them', () => {
    const faces = (text: string) => new Set(runsOf([text]).runs[0].map((run) => run.face))
    expect(faces('直す人')).toEqual(new Set(['Japanese']))
    expect([...faces('金씨')].every((face) => face.startsWith('Korean'))).toBe(true)
    expect(faces('直接')).toEqual(new Set(['Chinese']))
    expect(faces('Ada Penrose')).toEqual(new Set(['Letter']))
  })
  test('rare characters of names are found in the slices that have them', () => {
    for (const name of ['髙﨑さん', '㐂多川さん', '龘先生', '尛']) expect(signWithoutForm(name), name).toBeNull()
    expect(runsOf(['㐂さん']).runs[0].map((run) => run.face)).toEqual([expect.stringMatching(/^\w+ \d+$/), 'Japanese'])
  })
  test('a character is drawn in a typeface that has it in every style, for it may stand in italics', () => {
    const styles = Object.values(filesOf('Letter')).map((file) => fontkit.create(fontOf(file)) as fontkit.Font)
    const [regular, ...others] = styles.map((font) => new Set(font.characterSet))
    const uneven = [...regular].filter(
      (character) =>
        character < 0xe000 && !/\s/.test(String.fromCodePoint(character)) && others.some((has) => !has.has(character)),
    )
    expect(uneven.length).toBeGreaterThan(0)
    for (const character of uneven)
      for (const run of runsOf([`x${String.fromCodePoint(character)}x`]).runs[0])
        if (run.text.includes(String.fromCodePoint(character)))
          expect(run.face, character.toString(16)).not.toBe('Letter')
  })
  test('a character that no typeface has is found and named, and written by its number', () => {
    expect(signWithoutForm('Ada 𓀀')).toBe('𓀀')
    expect(signName('𓀀')).toBe('“𓀀” (U+13000)')
    expect(
      runsOf(['Ada 𓀀'])
        .runs[0].map((run) => run.text)
        .join(''),
    ).toBe('Ada [U+13000]')
    expect(signWithoutForm('joiners \u200d, marks \u200e and line\nends')).toBeNull()
  })
})

/** The words of a PDF with where they stand, as another library reads them. */
async function wordsIn(pdf: Buffer) {
  const task = getDocument({ data: new Uint8Array(pdf), verbosity: 0, isEvalSupported: false })
  const page = await (await task.promise).getPage(1)
  const { items } = await page.getTextContent()
  await task.destroy()
  return items.flatMap((item) =>
    'str' in item && item.str.trim() !== ''
      ? [{ text: item.str.trim(), x: item.transform[4], y: item.transform[5] }]
      : [],
  )
}
const onPaper = (html: string) =>
  writePdf(
    'Test',
    htmlOnPaper(`<div class="words">${html}</div>`, () => null),
  )

describe('PDFs', () => {
  test.each(names)('hold %s', async (name) => {
    const pdf = await onPaper(`<p>Dear ${name}, hello.</p>`)
    const letters = (text: string) =>
      [...text.normalize('NFKC').replace(/[^\p{L}\p{M}\p{Emoji_Presentation}]/gu, '')].sort().join('')
    const all = (await wordsIn(pdf)).map((word) => word.text).join(' ')
    expect(letters(all)).toBe(letters(`Dear ${name}, hello.`))
  })
  test('words from right to left stand in that order, on each line anew, and the line begins at the right', async () => {
    const words = 'אחת שתיים שלוש ארבע חמש שש שבע שמונה תשע עשר אבגד הוזח טיכל מנסע פצקר שתא באג דהו חזט יכל'.split(' ')
    words.push(...words.map((word) => [...word].reverse().join('')))
    const all = await wordsIn(await onPaper(`<p>${words.join(' ')}</p>`))
    const lines = [...new Set(all.map((word) => word.y))].map((y) => all.filter((word) => word.y === y))
    expect(lines.length).toBeGreaterThan(1)
    const read = lines.flatMap((line) => line.sort((a, b) => b.x - a.x).flatMap((word) => word.text.split(' ')))
    expect(read).toEqual(words)
    // A4 is 595 points wide, with 62 at each side.
    for (const line of lines) expect(Math.max(...line.map((word) => word.x))).toBeGreaterThan(480)
  })
  test('brackets are drawn as they open and close from right to left', async () => {
    const all = await wordsIn(await onPaper('<p>ההיתר (מספר) מוכן לאיסוף במשרד הנמל</p>'))
    const x = (text: string) => all.find((word) => word.text === text)!.x
    expect(x(')')).toBeGreaterThan(x('מספר'))
    expect(x('(')).toBeLessThan(x('מספר'))
  })
  test('a name from right to left within a letter stands in its place', async () => {
    const all = await wordsIn(await onPaper('<p>Dear <b>עדה פנרוז</b>, welcome.</p>'))
    const x = (text: string) => all.find((word) => word.text.includes(text))!.x
    expect(x('Dear')).toBeLessThan(x('פנרוז'))
    expect(x('פנרוז')).toBeLessThan(x('עדה'))
    expect(x('עדה')).toBeLessThan(x('welcome'))
  })
  test('Thai is broken between words and stays on the page', async () => {
    const all = await wordsIn(await onPaper(`<p>${'ใบอนุญาตของคุณพร้อมแล้ว'.repeat(20)}</p>`))
    expect(new Set(all.map((word) => word.y)).size).toBeGreaterThan(3)
  })
  test('hold only the typefaces that their words need', async () => {
    const named = async (html: string) =>
      [
        ...new Set((await onPaper(html)).toString('latin1').match(/DejaVuSans|NotoSans(?:SC|JP|KR|Arabic|Hebrew)/g)),
      ].sort()
    expect(await named('<p>Dear Ada</p>')).toEqual(['DejaVuSans'])
    expect(await named('<p>Dear <b>王小明</b></p>')).toEqual(['DejaVuSans', 'NotoSansSC'])
  })
})
