import { Parser } from 'htmlparser2'
import type { Block, Inline, LetterDocument, ListItem, Mark } from './document.ts'
import { parseTyped } from './field.ts'
import { isSafeLink } from './merge.ts'

/** What was read from HTML: the letter's body, and sentences about what could not be kept. */
export interface HtmlRead {
  body: LetterDocument
  removed: string[]
}

const markOf: Record<string, Mark> = {
  b: { type: 'bold' },
  strong: { type: 'bold' },
  i: { type: 'italic' },
  em: { type: 'italic' },
  mark: { type: 'highlight' },
}
const unread = new Set([
  'script',
  'style',
  'head',
  'title',
  'iframe',
  'object',
  'embed',
  'svg',
  'template',
  'noscript',
  'form',
  'textarea',
  'select',
])
const blockTags = new Set([
  'p',
  'div',
  'section',
  'article',
  'header',
  'footer',
  'blockquote',
  'tr',
  'table',
  'address',
  'main',
  'td',
  'pre',
  'hr',
])

/**
 * Reads HTML into a letter's body: paragraphs, headings, lists, bold, italic, highlight, links and pictures that are
 * part of the letter (`data:` pictures, and `file:` ones of Hand Post); typed `{{…}}` fields become fields.
 * Nothing of it is run or fetched; what is left out is named in `removed`.
 */
export function readHtml(html: string): HtmlRead {
  const removed = new Map<string, number>()
  const drop = (what: string) => removed.set(what, (removed.get(what) ?? 0) + 1)
  const root: Block[] = []
  /** Where blocks go just now: the letter, or the list item that is open. */
  const targets: Block[][] = [root]
  const lists: { type: 'bulletList' | 'orderedList'; content: ListItem[] }[] = []
  const marks: { tag: string; mark: Mark | null }[] = []
  let line: Inline[] = []
  let level = 0
  let unreadDepth = 0

  const endLine = () => {
    while (line.at(-1)?.type === 'hardBreak') line.pop()
    const last = line.at(-1)
    if (last?.type === 'text') last.text = last.text.replace(/\s+$/, '')
    if (last?.type === 'text' && last.text === '') line.pop()
    if (line.length > 0) {
      const block: Block =
        level > 0 ? { type: 'heading', attrs: { level }, content: line } : { type: 'paragraph', content: line }
      targets.at(-1)!.push(block)
    }
    line = []
  }
  const current = (): { marks?: Mark[] } => {
    const found = new Map<string, Mark>()
    for (const { mark } of marks) if (mark) found.set(mark.type, mark)
    return found.size > 0 ? { marks: [...found.values()] } : {}
  }

  const parser = new Parser(
    {
      onopentag(tag, attrs) {
        if (unread.has(tag)) {
          if (unreadDepth === 0 && tag !== 'head' && tag !== 'style' && tag !== 'title') drop(`<${tag}>`)
          unreadDepth++
        }
        if (unreadDepth > 0) return
        for (const name of Object.keys(attrs)) if (name.startsWith('on')) drop(`the ${name} script of a <${tag}>`)
        if (tag === 'br') {
          if (line.length > 0) line.push({ type: 'hardBreak' })
        } else if (tag === 'a') {
          const href = (attrs.href ?? '').trim()
          if (href !== '' && !isSafeLink(href)) drop(`a link to “${href.slice(0, 60)}”`)
          marks.push({ tag, mark: isSafeLink(href) ? { type: 'link', attrs: { href } } : null })
        } else if (markOf[tag]) marks.push({ tag, mark: markOf[tag] })
        else if (tag === 'span') {
          const style = attrs.style ?? ''
          marks.push({
            tag,
            mark: /font-weight:\s*(bold|[6-9]00)/.test(style)
              ? { type: 'bold' }
              : /font-style:\s*italic/.test(style)
                ? { type: 'italic' }
                : null,
          })
        } else if (tag === 'img') {
          endLine()
          const src = attrs.src ?? ''
          if (/^(data:image\/(png|jpeg|gif|webp);base64,|file:)/.test(src)) {
            const width = Number(attrs.width)
            targets
              .at(-1)!
              .push({ type: 'image', attrs: { src, alt: attrs.alt ?? null, width: width > 0 ? width : null } })
          } else drop(`a picture from “${src.slice(0, 60)}”`)
        } else if (/^h[1-6]$/.test(tag)) {
          endLine()
          level = Math.min(3, Number(tag[1]))
        } else if (tag === 'ul' || tag === 'ol') {
          endLine()
          const list = { type: tag === 'ul' ? ('bulletList' as const) : ('orderedList' as const), content: [] }
          targets.at(-1)!.push(list)
          lists.push(list)
        } else if (tag === 'li' && lists.length > 0) {
          endLine()
          const item: Block[] = []
          lists.at(-1)!.content.push({ type: 'listItem', content: item })
          targets.push(item)
        } else if (blockTags.has(tag)) {
          endLine()
          if (tag === 'table') drop('the frame of a table (its text is kept)')
        }
      },
      ontext(data) {
        if (unreadDepth > 0) return
        const last = line.at(-1)
        const atStart =
          line.length === 0 || last?.type === 'hardBreak' || (last?.type === 'text' && last.text.endsWith(' '))
        const text = data.replace(/[ \t\r\n\f]+/g, ' ')
        const kept = atStart ? text.replace(/^ /, '') : text
        for (const segment of parseTyped(kept))
          line.push(
            typeof segment === 'string'
              ? { type: 'text', text: segment, ...current() }
              : { type: 'field', attrs: segment, ...current() },
          )
      },
      onclosetag(tag) {
        if (unread.has(tag)) {
          unreadDepth = Math.max(0, unreadDepth - 1)
          return
        }
        if (unreadDepth > 0) return
        if (tag === 'a' || tag === 'span' || markOf[tag]) {
          const at = marks.findLastIndex((m) => m.tag === tag)
          if (at >= 0) marks.splice(at, 1)
        } else if (/^h[1-6]$/.test(tag)) {
          endLine()
          level = 0
        } else if (tag === 'li' && targets.length > 1) {
          endLine()
          const item = targets.pop()!
          if (item.length === 0) item.push({ type: 'paragraph' })
        } else if ((tag === 'ul' || tag === 'ol') && lists.length > 0) {
          endLine()
          lists.pop()
        } else if (blockTags.has(tag)) endLine()
      },
    },
    { decodeEntities: true },
  )
  parser.write(joinTyped(html))
  parser.end()
  endLine()
  const content = root.filter((b) => !('content' in b) || b.content === undefined || b.content.length > 0)
  return {
    body: { type: 'doc', content: content.length > 0 ? content : [{ type: 'paragraph' }] },
    removed: [...removed].map(([what, times]) => `Left out: ${what}${times > 1 ? `, ${times} times` : ''}.`),
  }
}

// The parser hands over text in pieces at entities; a typed field's quotes written as &quot; must reach it whole.
function joinTyped(html: string): string {
  return html.replace(/\{\{[^{}<>]*\}\}/g, (typedField) =>
    typedField.replace(/&quot;|&#34;|&ldquo;|&rdquo;/g, '"').replace(/&nbsp;/g, ' '),
  )
}
