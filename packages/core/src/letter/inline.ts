import type { Inline, Mark } from './document.ts'
import { escapeHtml } from './escape.ts'
import { accent } from './frame.ts'
import { add, fill, type Run, type Write } from './run.ts'
import type { Slots } from './slots.ts'

const isColor = (color: string | null | undefined): color is string =>
  /^(#[0-9a-f]{3,6}|rgb\([\d\s,]+\)|[a-z]+)$/i.test(color ?? '')

const closings: Record<Mark['type'], string> = {
  bold: '</strong>',
  italic: '</em>',
  underline: '</u>',
  highlight: '</span>',
  textStyle: '</span>',
  link: '</a>',
}
// A mark that runs over several pieces (a bold phrase with a field in it) is opened once, so that a link is one link.
const sameMark = (a: Mark | undefined, b: Mark | undefined) => JSON.stringify(a) === JSON.stringify(b)
const linkOf = (inline: Inline | undefined) => inline?.marks?.find((m) => m.type === 'link')

/** What stands around a line: its opening and closing tags, and what text has before and behind it. */
export interface Wrap {
  html: [Run, string]
  text: [string, Run]
  indent?: string
}

/**
 * Compiles lines of a letter: words, fields, marks and links.
 * @param tint whether every field's value is marked, for display.
 */
export function lineWriter(
  { asText, asHtml, piece, closed, addressPlace, linkPlace, columnOf }: Slots,
  tint: boolean,
): (line: Inline[], wrap: Wrap) => Write {
  const open = (mark: Mark): Run => {
    switch (mark.type) {
      case 'bold':
        return ['<strong>']
      case 'italic':
        return ['<em>']
      case 'underline':
        return ['<u>']
      case 'highlight':
        return ['<span style="background-color:#fff3a3;color:#1b1b1b">']
      case 'textStyle':
        return [isColor(mark.attrs.color) ? `<span class="tone" style="color:${mark.attrs.color}">` : '<span>']
      case 'link':
        return ['<a class="plain"', addressPlace(mark.attrs.href), ` style="color:${accent}">`]
    }
  }
  /** A line as html and as text, of pieces that stand for its inline parts. */
  const lineRuns = (line: Inline[], pieces: (string | number)[], indent: string): { html: Run; text: Run } => {
    const html: Run = []
    const text: Run = []
    let opened: Mark[] = []
    let linkWords = ''
    line.forEach((inline, i) => {
      const wanted = inline.marks ?? []
      let kept = 0
      while (kept < opened.length && sameMark(opened[kept], wanted[kept])) kept++
      for (const mark of opened.slice(kept).reverse()) add(html, closings[mark.type])
      for (const mark of wanted.slice(kept)) add(html, ...open(mark))
      opened = wanted
      const part = pieces[i]
      if (inline.type === 'hardBreak') {
        add(html, part === '' ? '' : '<br>')
        add(text, part === '' ? '' : `\n${indent}`)
      } else if (typeof part === 'string') {
        add(html, escapeHtml(part))
        add(text, part)
      } else if (tint) {
        add(html, `<span data-field="${escapeHtml(columnOf(part) ?? '')}">`, part, '</span>')
        add(text, part)
      } else {
        add(html, part)
        add(text, part)
      }
      const link = linkOf(inline)
      if (link?.type !== 'link') return
      linkWords += inline.type === 'text' ? inline.text : '{}'
      if (sameMark(link, linkOf(line[i + 1]))) return
      // Where the words are the address, it need not be said twice.
      if (linkWords.trim() !== link.attrs.href.trim().replace(/^mailto:/, ''))
        add(text, linkPlace(addressPlace(link.attrs.href)))
      linkWords = ''
    })
    for (const mark of opened.slice().reverse()) add(html, closings[mark.type])
    return { html, text }
  }
  /** A line of the letter between its opening and closing tags; left out when it turns out to say nothing. */
  return (line, wrap) => {
    const indent = wrap.indent ?? ''
    const pieces = line.map((i) => piece(i.type === 'text' ? i.text : i.type === 'field' ? i.attrs : '\n'))
    const whole = lineRuns(line, pieces, indent)
    const html: Run = []
    const text: Run = []
    add(html, ...wrap.html[0], ...whole.html, wrap.html[1])
    add(text, wrap.text[0], ...whole.text, ...wrap.text[1])
    const fields = pieces.filter((p): p is number => typeof p === 'number')
    return (out) => {
      if (!fields.some((place) => asText[place] === '')) {
        out.html += fill(html, asHtml)
        out.text += fill(text, asText)
        return
      }
      const left = closed(pieces)
      if (!left) return
      const runs = lineRuns(line, left, indent)
      out.html += fill(wrap.html[0], asHtml) + fill(runs.html, asHtml) + wrap.html[1]
      out.text += wrap.text[0] + fill(runs.text, asText) + fill(wrap.text[1], asText)
    }
  }
}
