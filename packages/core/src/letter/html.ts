import { type Handler, Parser } from 'htmlparser2'
import { withoutEnd, withoutStart } from '../people/plainText.ts'
import type { Block, Inline, LetterDocument, ListItem, Mark, TableRow } from './document.ts'
import { parseTemplate } from './field.ts'
import { isSafeLink } from './slots.ts'
import { html as say } from './words.ts'

/** What was read from HTML: the letter's body, and sentences about what could not be kept. */
export interface HtmlRead {
  body: LetterDocument
  removed: string[]
}

// A map, because tags are named by whoever wrote the HTML: “constructor” is a name like any other.
const markOf = new Map<string, Mark>([
  ['b', { type: 'bold' }],
  ['strong', { type: 'bold' }],
  ['i', { type: 'italic' }],
  ['em', { type: 'italic' }],
  ['u', { type: 'underline' }],
  ['mark', { type: 'highlight' }],
])
const unread = new Set(
  'script style head title iframe object embed svg math template noscript form textarea select video audio'.split(' '),
)
/** What is said of them. */
const unreadWords = new Map<string, string>([
  ['script', say.scriptNothingRun],
  ...['iframe', 'object', 'embed'].map((tag) => [tag, say.pieceAnotherPage] as const),
  ...['form', 'textarea', 'select'].map((tag) => [tag, say.formFillWords] as const),
  ...['video', 'audio'].map((tag) => [tag, say.filmOrSound] as const),
  ['svg', say.drawing],
  ['math', say.formula],
])
/** Of these nothing is lost that anybody would miss. */
const unsaid = new Set(['head', 'style', 'title'])
/** Marks that a letter does not have, with what is said of each. */
const lostMarks = new Map([
  ...['s', 'strike', 'del'].map((tag) => [tag, say.lineThroughWordsWere] as const),
  ...['sup', 'sub'].map((tag) => [tag, say.charactersWereRaisedOr] as const),
])
const aligned = /text-align:\s*(?:center|right|end|justify)/i
const blockTags = new Set(
  'p div section article header footer blockquote address main pre center figure figcaption dl dt dd'.split(' '),
)

/** A list that a word processor wrote as paragraphs: CSS names the property with a prefix of its own. */
const listStyle = /mso-list:\s*l\d+\s+level(\d)/i
const ignoredStyle = /mso-list:\s*ignore/i

/** The marks of a style attribute. */
function marksOfStyle(style: string): Mark[] {
  const marks: Mark[] = []
  if (/font-weight:\s*(bold|[6-9]00)/i.test(style)) marks.push({ type: 'bold' })
  if (/font-style:\s*italic/i.test(style)) marks.push({ type: 'italic' })
  if (/text-decoration(-line)?:[^;]{0,100}underline/i.test(style)) marks.push({ type: 'underline' })
  const color = /(?:^|;)\s*color:\s*(#[0-9a-f]{6}|#[0-9a-f]{3}|rgb\(\s*\d+,\s*\d+,\s*\d+\s*\))/i.exec(style)?.[1]
  // Black and nearly black is what all words are.
  if (color && !isDark(color)) marks.push({ type: 'textStyle', attrs: { color } })
  const behind = /background(?:-color)?:\s*(#[0-9a-f]{3,6}|rgb\([^)]{0,40}\)|yellow)/i.exec(style)?.[1]
  if (behind && !/^(#fff(fff)?|rgb\(255,\s*255,\s*255\))$/i.test(behind)) marks.push({ type: 'highlight' })
  return marks
}
function isDark(color: string): boolean {
  const parts = color.startsWith('#')
    ? (color.length === 4 ? [...color.slice(1)].map((c) => c + c) : color.slice(1).match(/../g)!).map((c) =>
        Number.parseInt(c, 16),
      )
    : color.match(/\d+/g)!.map(Number)
  return parts.every((part) => part < 64)
}

/** A tag that is open, what it marks or unmarks, and all that holds within it. */
interface OpenMarks {
  tag: string
  marks: Mark[]
  not?: Mark['type']
  total: Mark[]
}

/** How deep lists may stand in one another. */
const deepest = 12
/** How deep tags may; the parser goes through all that are open at each that is closed. Deeper, it begins anew with what follows. */
const deepestTags = 256
/** How many characters and blocks of a letter are read, and how many different things are named that were left out. */
const maxCharacters = 10_000_000
const maxBlocks = 60_000
const maxNamed = 100
/** Characters of a style, and of an address, that are looked at. */
const longestStyle = 2000
const longestAddress = 8000

/** Thrown out of the parser when the rest is not read; and when it is read by a parser that begins anew there. */
class Enough extends Error {}
class Anew extends Error {}

/** A table while it is read: kept as one, or taken apart into its words when it was only there for the layout. */
interface TableRead {
  rows: { header: boolean; blocks: Block[] }[][]
  nested: boolean
  /** The row before which the cells above end, by column. */
  coveredTo: number[]
}

/** How many columns and rows a merged cell reaches over at most. */
const widestCell = 100
/** How many blank cells are put in for merged ones; no letter has more. */
const maxBlank = 20_000

/**
 * Reads HTML into a letter's body: paragraphs, headings, lists, tables, rules, bold, italic, underline, highlight, colour,
 * links and pictures that are part of the letter (`data:` pictures, and `file:` ones of Hand Post); typed `{{…}}` fields
 * become fields. Nothing of it is run or fetched; what is left out is named in `removed`.
 */
export function readHtml(html: string): HtmlRead {
  const removed = new Map<string, number>()
  const drop = (thing: string) => {
    const what = removed.has(thing) || removed.size < maxNamed ? thing : say.otherThingsKind
    removed.set(what, (removed.get(what) ?? 0) + 1)
  }
  const dropAlignment = (style: string, align = '') => {
    if (aligned.test(style) || /^(?:center|right|justify)$/i.test(align)) drop(say.alignmentParagraph)
  }
  const root: Block[] = []
  /** Where blocks go just now: the letter, or the list item or table cell that is open. */
  const targets: Block[][] = [root]
  const lists: { type: 'bulletList' | 'orderedList'; content: ListItem[] }[] = []
  const tables: TableRead[] = []
  const marks: OpenMarks[] = []
  /** What a word processor draws before a paragraph that is an item: its bullet or number. */
  let itemSign: string | null = null
  let inSign = 0
  let line: Inline[] = []
  let level = 0
  let unreadDepth = 0
  let openTags = 0
  let characters = 0
  let blocks = 0
  let blanks = 0
  /** Text that is not in the line yet: the parser hands it over in pieces. */
  let pieces = ''

  const endLine = () => {
    while (line.at(-1)?.type === 'hardBreak') line.pop()
    const last = line.at(-1)
    if (last?.type === 'text') last.text = last.text.trimEnd()
    if (last?.type === 'text' && last.text === '') line.pop()
    if (line.length > 0) {
      if (++blocks > maxBlocks) throw new Enough(say.moreThanParagraphs(maxBlocks))
      const block: Block =
        level > 0 ? { type: 'heading', attrs: { level }, content: line } : { type: 'paragraph', content: line }
      if (itemSign === null) targets.at(-1)!.push(block)
      else {
        const type = /^[\da-z]{1,3}[.)]/i.test(itemSign.trim()) ? 'orderedList' : 'bulletList'
        const before = targets.at(-1)!.at(-1)
        const item: ListItem = { type: 'listItem', content: [block] }
        if (before?.type === type) before.content!.push(item)
        else targets.at(-1)!.push({ type, content: [item] })
      }
    }
    itemSign = null
    line = []
  }
  // Each open tag knows what holds within it, so that what was never closed is not gone through for every word.
  const pushMarks = (open: Omit<OpenMarks, 'total'>) => {
    const total = (marks.at(-1)?.total ?? []).filter((m) => m.type !== open.not)
    for (const mark of open.marks) {
      const at = total.findIndex((m) => m.type === mark.type)
      if (at >= 0) total[at] = mark
      else total.push(mark)
    }
    marks.push({ ...open, total })
  }
  const popMarks = (tag: string) => {
    const at = marks.findLastIndex((m) => m.tag === tag)
    if (at < 0) return
    for (const open of marks.splice(at).slice(1)) pushMarks(open)
  }
  const current = (): { marks?: Mark[] } => {
    const total = marks.at(-1)?.total ?? []
    return total.length > 0 ? { marks: total } : {}
  }
  const endTable = () => {
    endLine()
    const table = tables.pop()
    if (!table) return
    const rows = table.rows.filter((cells) => cells.some((cell) => cell.blocks.length > 0))
    const wide = rows.some((cells) => cells.length > 1)
    const header = rows.some((cells) => cells.some((cell) => cell.header))
    if (!table.nested && wide && (rows.length > 1 || header)) {
      const content = rows.map(
        (cells): TableRow => ({
          type: 'tableRow',
          content: cells.map(({ header, blocks }) => ({
            type: header ? 'tableHeader' : 'tableCell',
            content: blocks.length > 0 ? blocks : [{ type: 'paragraph' }],
          })),
        }),
      )
      targets.at(-1)!.push({ type: 'table', content })
      return
    }
    if (rows.length > 0) drop(say.frameTableTextKept)
    targets.at(-1)!.push(...rows.flatMap((cells) => cells.flatMap((cell) => cell.blocks)))
  }
  const openCell = (header: boolean, attrs: Record<string, string>) => {
    const table = tables.at(-1)
    if (!table) return
    if (table.rows.length === 0) table.rows.push([])
    const row = table.rows.at(-1)!
    // A letter's tables have no merged cells: what one covers is blank, so that the others keep their columns.
    const at = table.rows.length - 1
    while (table.coveredTo[row.length] > at && blanks++ < maxBlank) row.push({ header, blocks: [] })
    const reach = (text: string | undefined) => Math.max(1, Math.min(Number.parseInt(text ?? '', 10) || 1, widestCell))
    const [across, down] = [reach(attrs.colspan), reach(attrs.rowspan)]
    if (across > 1 || down > 1) drop(say.cellsTableWereMerged)
    const blocks: Block[] = []
    for (let i = 0; i < across; i++) {
      if (i > 0 && blanks++ >= maxBlank) break
      table.coveredTo[row.length] = Math.max(table.coveredTo[row.length] ?? 0, at + down)
      row.push({ header, blocks: i === 0 ? blocks : [] })
    }
    targets.push(blocks)
  }
  // How many targets stood when a cell was opened, so that unclosed lists in it end with it.
  const cellDepths: number[] = []
  const closeCell = () => {
    endLine()
    const depth = cellDepths.pop()
    if (depth !== undefined) targets.length = depth
  }

  const putText = () => {
    if (pieces === '') return
    const last = line.at(-1)
    const atStart =
      line.length === 0 || last?.type === 'hardBreak' || (last?.type === 'text' && last.text.endsWith(' '))
    const text = pieces.replace(/[ \t\r\n\f]+/g, ' ').replaceAll('\0', '')
    pieces = ''
    const kept = atStart && text.startsWith(' ') ? text.slice(1) : text
    for (const segment of parseTemplate(kept)) {
      const marked = current()
      if (typeof segment !== 'string') line.push({ type: 'field', attrs: segment, ...marked })
      else if (segment !== '') line.push({ type: 'text', text: segment, ...marked })
    }
  }

  const handler: Partial<Handler> = {
    onopentag(tag, attrs) {
      putText()
      if (++openTags > deepestTags) throw new Anew()
      if (unread.has(tag)) {
        if (unreadDepth === 0 && !unsaid.has(tag)) drop(unreadWords.get(tag) ?? say.somethingNoPartLetter)
        unreadDepth++
      }
      if (unreadDepth > 0) return
      for (const name of Object.keys(attrs)) if (name.startsWith('on')) drop(say.scriptNothingRun)
      const style = (attrs.style ?? '').slice(0, longestStyle)
      if (inSign > 0) {
        if (tag === 'span') inSign++
      } else if (tag === 'br') {
        if (line.length > 0) line.push({ type: 'hardBreak' })
      } else if (tag === 'a') {
        const href = decoded((attrs.href ?? '').slice(0, longestAddress).trim())
        const safe = isSafeLink(href) || typeof parseTemplate(href)[0] === 'object'
        if (href !== '' && !safe && !href.startsWith('#')) drop(say.link(href.slice(0, 60)))
        pushMarks({ tag, marks: safe ? [{ type: 'link', attrs: { href } }] : [] })
      } else if (markOf.has(tag)) {
        // Some programs wrap all they copy in a bold that says it is none.
        const none = (tag === 'b' || tag === 'strong') && /font-weight:\s*(normal|[1-4]00)/i.test(style)
        pushMarks({ tag, marks: none ? [] : [markOf.get(tag)!, ...marksOfStyle(style)] })
      } else if (tag === 'span' || tag === 'font') {
        if (ignoredStyle.test(style)) {
          inSign = 1
          itemSign ??= ''
          return
        }
        pushMarks({
          tag,
          marks: marksOfStyle(tag === 'font' && attrs.color ? `color:${attrs.color}` : style),
          ...(/font-weight:\s*(normal|400)/i.test(style) ? { not: 'bold' as const } : {}),
        })
      } else if (tag === 'img') {
        endLine()
        const src = attrs.src ?? ''
        if (/^(data:image\/(png|jpeg|gif|webp);base64,|file:[0-9a-f]{64}$)/.test(src)) {
          const width = Number(attrs.width)
          targets
            .at(-1)!
            .push({ type: 'image', attrs: { src, alt: attrs.alt ?? null, width: width > 0 ? width : null } })
        } else drop(say.pictureFrom(src.slice(0, 60)))
      } else if (tag === 'hr') {
        endLine()
        targets.at(-1)!.push({ type: 'horizontalRule' })
      } else if (/^h[1-6]$/.test(tag)) {
        endLine()
        level = Math.min(3, Number(tag[1]))
        dropAlignment(style, attrs.align)
      } else if (tag === 'ul' || tag === 'ol') {
        endLine()
        // Lists this deep are broken nesting: their items go on in the list that is open.
        if (lists.length >= deepest) return
        const list = { type: tag === 'ul' ? ('bulletList' as const) : ('orderedList' as const), content: [] }
        targets.at(-1)!.push(list)
        lists.push(list)
      } else if (tag === 'li' && lists.length > 0) {
        endLine()
        const item: Block[] = []
        lists.at(-1)!.content.push({ type: 'listItem', content: item })
        targets.push(item)
      } else if (tag === 'table') {
        endLine()
        if (tables.length > 0) tables.at(-1)!.nested = true
        tables.push({ rows: [], nested: false, coveredTo: [] })
      } else if (tag === 'tr') {
        endLine()
        tables.at(-1)?.rows.push([])
      } else if (tag === 'td' || tag === 'th') {
        endLine()
        if (tables.length > 0) cellDepths.push(targets.length)
        openCell(tag === 'th', attrs)
      } else if (blockTags.has(tag)) {
        endLine()
        if (listStyle.test(style)) itemSign = ''
        dropAlignment(style, attrs.align)
      } else if (lostMarks.has(tag)) drop(lostMarks.get(tag)!)
    },
    ontext(data) {
      if (unreadDepth > 0) return
      characters += data.length
      if (characters > maxCharacters) throw new Enough(say.moreThanCharacters(maxCharacters))
      if (inSign > 0) itemSign += data
      else pieces += data
    },
    onclosetag(tag) {
      putText()
      openTags--
      if (unread.has(tag)) {
        unreadDepth = Math.max(0, unreadDepth - 1)
        return
      }
      if (unreadDepth > 0) return
      if (inSign > 0) {
        if (tag === 'span') inSign--
      } else if (tag === 'a' || tag === 'span' || tag === 'font' || markOf.has(tag)) popMarks(tag)
      else if (/^h[1-6]$/.test(tag)) {
        endLine()
        level = 0
      } else if (tag === 'li' && targets.length > (cellDepths.at(-1) ?? 0) + 1) {
        endLine()
        const item = targets.pop()!
        if (item.length === 0) item.push({ type: 'paragraph' })
      } else if ((tag === 'ul' || tag === 'ol') && lists.length > 0) {
        endLine()
        lists.pop()
      } else if (tag === 'td' || tag === 'th') closeCell()
      else if (tag === 'table') endTable()
      else if (blockTags.has(tag)) endLine()
    },
  }
  try {
    for (let rest = joinTyped(html), more = true; more; ) {
      const parser = new Parser(handler, { decodeEntities: true })
      try {
        parser.write(rest)
        parser.end()
        more = false
      } catch (error) {
        if (!(error instanceof Anew)) throw error
        // What is open so deep holds no longer; every word that follows is kept.
        drop(say.formattingTagsMoreThan(deepestTags))
        rest = rest.slice(parser.endIndex + 1)
        openTags = 0
        unreadDepth = 0
        marks.length = 0
      }
    }
    putText()
    endLine()
  } catch (error) {
    if (!(error instanceof Enough)) throw error
    drop(say.restHas(error.message))
    pieces = ''
    line = []
  }
  while (tables.length > 0) {
    closeCell()
    endTable()
  }
  const content = root.filter((b) => !('content' in b) || b.content === undefined || b.content.length > 0)
  return {
    body: { type: 'doc', content: content.length > 0 ? content : [{ type: 'paragraph' }] },
    removed: [...removed].map(([what, times]) => say.leftOutTimes(what, times)),
  }
}

/** Reads a plain text as a letter's body: blank lines part paragraphs, other line ends are breaks; typed fields become fields. */
export function readPlainText(text: string): LetterDocument {
  const content = text
    .replace(/\r\n?/g, '\n')
    .replaceAll('\0', '')
    .split(/\n[ \t]*\n+/)
    .filter((paragraph) => paragraph.trim() !== '')
    .map((paragraph): Block => {
      const lines = withoutEnd(withoutStart(paragraph, '\n'), '\n').split('\n')
      const line = lines.flatMap((words, i): Inline[] => [
        ...(i > 0 ? [{ type: 'hardBreak' as const }] : []),
        ...parseTemplate(words).map(
          (segment): Inline =>
            typeof segment === 'string' ? { type: 'text', text: segment } : { type: 'field', attrs: segment },
        ),
      ])
      return { type: 'paragraph', content: line }
    })
  return { type: 'doc', content: content.length > 0 ? content : [{ type: 'paragraph' }] }
}

/** An address with typed fields whose braces some program has encoded. */
function decoded(href: string): string {
  if (!/%7B%7B/i.test(href)) return href
  try {
    return decodeURIComponent(href)
  } catch {
    return href
  }
}

// The parser hands over text in pieces at entities; a typed field's quotes written as &quot; must reach it whole.
function joinTyped(html: string): string {
  return html.replace(/\{\{[^{}<>]{0,2000}\}\}/g, (typedField) =>
    typedField.replace(/&quot;|&#34;|&ldquo;|&rdquo;/g, '"').replace(/&nbsp;/g, ' '),
  )
}
