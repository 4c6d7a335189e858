import { createRequire } from 'node:module'
import { type Block, type Inline, type ListItem, readHtml, type TableRow } from '@hand-post/core'
import { filesOf, fontOf, isRightToLeft, runsOf, type Typeface, turned, visualOrder } from './typefaces.ts'

interface PdfMaker {
  addFonts(fonts: Record<string, Record<string, string>>): void
  createPdf(definition: object): { getBuffer(): Promise<Buffer> }
  virtualfs: { existsSync(file: string): boolean; writeFileSync(file: string, content: Buffer): void }
  setUrlAccessPolicy(allowed: () => boolean): void
  setLocalAccessPolicy(allowed: (path: string) => boolean): void
}
/** A line as the library lays it out: pieces beside one another. */
interface Line {
  inlines: { text: string; x: number; width: number; trailingCut: number; level?: number }[]
  inlineWidths: number
  leadingCut: number
  trailingCut: number
}
const require = createRequire(import.meta.url)
let loaded: PdfMaker | null = null

/** The library that writes PDFs, with its typefaces; loaded when it is first needed, and each typeface when a text wants it. */
function pdfMaker(): PdfMaker {
  if (loaded) return loaded
  const maker = require('pdfmake') as PdfMaker
  loaded = maker
  maker.setUrlAccessPolicy(() => false)
  // Fonts are given to it; it reads no files. What every reader of PDFs has is asked for by its name, which passes for a path.
  maker.setLocalAccessPolicy((path) => standardFonts.test(path))
  maker.addFonts({ [fixedPitch]: { normal: standardFont } })
  // The library breaks lines, but knows no scripts that run from right to left: its lines are set in their order as they are placed.
  const { default: writer } = require('pdfmake/js/ElementWriter') as {
    default: { prototype: { addLine(line: Line, ...rest: unknown[]): unknown } }
  }
  const { addLine } = writer.prototype
  writer.prototype.addLine = function (line, ...rest) {
    setInOrder(line)
    return addLine.call(this, line, ...rest)
  }
  return maker
}

/**
 * A typeface for long rows of digits and letters without meaning, such as hashes: one of the fonts that every reader has (ISO 32000-1,
 * 9.6.2.2). It need not be shaped, which for 10,000 of them takes longer than all other words together.
 */
export const fixedPitch = 'Fixed'
const standardFont = 'Courier'
const standardFonts = /^(Courier|Helvetica|Times)(-\w+)?$/

/** Sets the pieces of a line where they are seen (UAX #9, rules L1, L2 and L4). */
function setInOrder(line: Line): void {
  if (!line.inlines.some(({ level }) => level !== undefined && level > 0)) return
  // A line that did not fit on the page comes once more; it is in order by then.
  const levels = line.inlines.map(({ level }) => level ?? 0)
  const last = line.inlines.at(-1)!
  // Blanks at the end of a line take no room, wherever it ends.
  last.text = last.text.trimEnd()
  last.width -= line.trailingCut
  line.inlineWidths -= line.trailingCut
  line.trailingCut = 0
  last.trailingCut = 0
  let x = -line.leadingCut
  for (const i of visualOrder(levels)) {
    const inline = line.inlines[i]
    inline.x = x
    x += inline.width
    if (levels[i] % 2 === 1) inline.text = turned(inline.text)
    inline.level = 0
  }
}

/** What stays free around the words, in points. */
export const pageMargins = { left: 62, top: 56, right: 62, bottom: 60 } as const

/** What stands on paper, as the library takes it. */
export type Paper = object

/**
 * Writes a PDF with its fonts embedded, on pages of A4.
 * @param foot what stands at the foot of each page, given its number and how many there are.
 */
export function writePdf(
  title: string,
  content: Paper[],
  foot?: (page: number, pages: number) => string,
): Promise<Buffer> {
  const maker = pdfMaker()
  const faces = new Set<Typeface>(['Letter'])
  const whole = isRightToLeft(wordsIn(content))
  // A message of many stands by itself.
  const parts = content.map((part) => inTypefaces(part, faces, 'stack' in part ? isRightToLeft(wordsIn(part)) : whole))
  for (const face of faces) {
    maker.addFonts({ [face]: filesOf(face) })
    for (const file of Object.values(filesOf(face)))
      if (!maker.virtualfs.existsSync(file)) maker.virtualfs.writeFileSync(file, fontOf(file))
  }
  return maker
    .createPdf({
      info: { title, producer: 'Hand Post' },
      pageSize: 'A4',
      pageMargins: [pageMargins.left, pageMargins.top, pageMargins.right, pageMargins.bottom],
      defaultStyle: { font: 'Letter', fontSize: 10.5, lineHeight: 1.3 },
      content: parts,
      ...(foot
        ? {
            footer: (page: number, pages: number) => ({
              text: foot(page, pages),
              fontSize: 8,
              color: '#4a5a61',
              alignment: 'center',
              margin: [0, 18, 0, 0],
            }),
          }
        : {}),
    })
    .getBuffer()
}

/** Parts of what stands on paper that hold more of it. */
const holders = ['stack', 'ul', 'ol', 'columns'] as const
type Node = { text?: unknown; alignment?: string; table?: { body: unknown[][] } } & {
  [holder in (typeof holders)[number]]?: unknown[]
}

/** All words that stand in a part. */
function wordsIn(part: unknown): string {
  if (typeof part === 'string') return part
  if (Array.isArray(part)) return part.map(wordsIn).join(' ')
  const { text, table, ...node } = part as Node
  return [text, ...holders.map((holder) => node[holder]), table?.body]
    .map((held) => (held ? wordsIn(held) : ''))
    .join(' ')
}

/**
 * What stands on paper with each text cut into runs of one typeface and one direction.
 * @param faces the typefaces are added to it.
 * @param around whether what stands around it goes from right to left.
 */
function inTypefaces(part: unknown, faces: Set<Typeface>, around: boolean): object {
  if (typeof part === 'string') return inTypefaces({ text: part }, faces, around)
  const inFaces = (held: unknown) => inTypefaces(held, faces, around)
  const node = part as Node
  if (node.text !== undefined) {
    const pieces = (Array.isArray(node.text) ? node.text : [{ text: node.text }]) as { text: string; font?: string }[]
    const { runs, rightToLeft } = runsOf(
      pieces.map(({ text }) => text),
      around,
    )
    for (const [i, piece] of pieces.entries()) if (!piece.font) for (const { face } of runs[i]) faces.add(face)
    return {
      ...node,
      text: pieces.flatMap((piece, i) =>
        piece.font ? [piece] : runs[i].map(({ text, face, level }) => ({ ...piece, text, font: face, level })),
      ),
      ...(rightToLeft && node.alignment === undefined ? { alignment: 'right' } : {}),
    }
  }
  const held = holders.flatMap((holder) => (node[holder] ? [[holder, node[holder].map(inFaces)] as const] : []))
  return {
    ...node,
    ...Object.fromEntries(held),
    ...(node.table ? { table: { ...node.table, body: node.table.body.map((row) => row.map(inFaces)) } } : {}),
  }
}

/** How a letter is put on paper. */
interface Putting {
  /** A picture by its address, as a data URL; null when it is not here. */
  pictureOf: (src: string) => string | null
  /** Whether where a link leads stands behind its words: on paper it cannot be followed. */
  spellsLinks: boolean
}

/**
 * A message's html as it stands on paper.
 * @param pictureOf a picture by its address, as a data URL; null when it is not here.
 * @param spellsLinks whether where a link leads stands behind its words, for who reads it on paper.
 */
export function htmlOnPaper(html: string, pictureOf: (src: string) => string | null, spellsLinks = false): Paper[] {
  return readHtml(html).body.content.flatMap((block) => onPaper(block, { pictureOf, spellsLinks }))
}

const gap = [0, 0, 0, 8]

function onPaper(block: Block, putting: Putting): Paper[] {
  const { pictureOf, spellsLinks } = putting
  const all = (blocks: Block[] | undefined) => (blocks ?? []).flatMap((one) => onPaper(one, putting))
  const lineOnPaper = (line: Inline[] | undefined) => wordsOnPaper(line, spellsLinks)
  const cellsOf = (row: TableRow) =>
    (row.content ?? []).map((cell) => ({ stack: all(cell.content), bold: cell.type === 'tableHeader' }))
  const items = (list: ListItem[] | undefined) => (list ?? []).map((item) => ({ stack: all(item.content) }))
  switch (block.type) {
    case 'paragraph':
      return [{ text: lineOnPaper(block.content), margin: gap }]
    case 'heading':
      return [
        {
          text: lineOnPaper(block.content),
          bold: true,
          fontSize: [17, 14, 12][block.attrs.level - 1] ?? 12,
          margin: [0, 4, 0, 8],
        },
      ]
    case 'button':
      return [
        {
          text: [
            ...lineOnPaper(block.content),
            ...(spellsLinks ? [{ text: `: ${spelled(block.attrs.href)}`, bold: false }] : []),
          ],
          link: block.attrs.href,
          color: '#0b5a5e',
          bold: true,
          margin: gap,
        },
      ]
    case 'band':
      return [
        {
          table: {
            widths: ['*'],
            body: [[{ text: lineOnPaper(block.content), bold: true, fontSize: 14, margin: [6, 6, 6, 6] }]],
          },
          layout: 'noBorders',
          margin: gap,
        },
      ]
    case 'bulletList':
      return [{ ul: items(block.content), margin: gap }]
    case 'orderedList':
      return [{ ol: items(block.content), margin: gap }]
    case 'table': {
      const rows = (block.content ?? []).map(cellsOf)
      const width = Math.max(1, ...rows.map((row) => row.length))
      // The library wants every row as long as the longest.
      const body = rows.map((row): object[] => [
        ...row,
        ...Array.from({ length: width - row.length }, () => ({ text: '' })),
      ])
      return body.length === 0 ? [] : [{ table: { body }, layout: 'lightHorizontalLines', margin: gap }]
    }
    case 'twoColumns':
      return [
        {
          columns: (block.content ?? []).map((column) => ({ stack: all(column.content) })),
          columnGap: 16,
          margin: gap,
        },
      ]
    case 'image': {
      const picture = pictureOf(block.attrs.src)
      // PDF knows PNG and JPEG (ISO 32000, 7.4.8); of others their words stand there.
      return picture && /^data:image\/(png|jpeg);/.test(picture)
        ? [{ image: picture, fit: [Math.min(block.attrs.width ?? 450, 450), 600], margin: gap }]
        : [{ text: `[${block.attrs.alt || 'picture'}]`, color: '#4a5a61', margin: gap }]
    }
    case 'horizontalRule':
      return [{ canvas: [{ type: 'line', x1: 0, y1: 0, x2: 470, y2: 0, lineWidth: 0.5 }], margin: [0, 4, 0, 12] }]
    default:
      return []
  }
}

/** Where a link leads, as one reads it. */
const spelled = (href: string) => href.replace(/^(?:mailto|tel):/i, '')
/** The same without what nobody types. */
const bare = (address: string) =>
  address
    .trim()
    .replace(/^https?:\/\//i, '')
    .replace(/\/$/, '')

const linkOf = (inline: Inline | undefined): string | null => {
  const link = inline?.marks?.find((mark) => mark.type === 'link')
  return link?.type === 'link' ? link.attrs.href : null
}

function wordsOnPaper(line: Inline[] | undefined, spellsLinks: boolean): object[] {
  const inlines = line ?? []
  // The words of a link may be several pieces.
  let words = ''
  return inlines.flatMap((inline, i): object[] => {
    const href = linkOf(inline)
    words = href === null ? '' : words + (inline.type === 'text' ? inline.text : '')
    if (href === null || !spellsLinks || linkOf(inlines[i + 1]) === href) return [inWords(inline)]
    const isSaid = bare(words) === bare(spelled(href))
    words = ''
    return isSaid ? [inWords(inline)] : [inWords(inline), { text: ` (${spelled(href)})` }]
  })
}

function inWords(inline: Inline): object {
  if (inline.type === 'hardBreak') return { text: '\n' }
  const marks = new Map((inline.marks ?? []).map((mark) => [mark.type, mark]))
  const link = marks.get('link')
  const style = marks.get('textStyle')
  return {
    text: inline.type === 'text' ? inline.text : '',
    ...(marks.has('bold') ? { bold: true } : {}),
    ...(marks.has('italic') ? { italics: true } : {}),
    ...(marks.has('underline') ? { decoration: 'underline' } : {}),
    ...(marks.has('highlight') ? { background: '#fff3a3' } : {}),
    ...(style?.type === 'textStyle' && style.attrs.color?.startsWith('#') ? { color: style.attrs.color } : {}),
    ...(link?.type === 'link' ? { link: link.attrs.href, color: '#0b5a5e' } : {}),
  }
}
