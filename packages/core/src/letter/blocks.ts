import { onOneLine } from '../people/plainText.ts'
import { boxesWriter, choicesWriter, writtenChoices } from './choices.ts'
import { type Block, type HolderBlock, type Inline, isLine, type LeafBlock, type LineBlock } from './document.ts'
import { escapeHtml, htmlLines } from './escape.ts'
import { accent, headingStyles, paragraphStyle } from './frame.ts'
import type { Wrap } from './inline.ts'
import type { Out, Write } from './run.ts'
import type { Slots } from './slots.ts'
import { cellsAsText, rowsTable } from './tables.ts'

/** White or ink, whichever is read better on a colour given as #rrggbb (WCAG 2.2, relative luminance). */
function inkOn(color: string): string {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const c = Number.parseInt(color.slice(at, at + 2), 16) / 255
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4
  })
  return 0.2126 * r + 0.7152 * g + 0.0722 * b > 0.18 ? '#1b1b1b' : '#ffffff'
}

const holders = new Set(['bulletList', 'orderedList', 'table', 'twoColumns', 'passage'])
const isHolder = (block: Block): block is HolderBlock => holders.has(block.type)

const fixed =
  (html: string, text: string): Write =>
  (out) => {
    out.html += html
    out.text += text
  }
const all =
  (writes: Write[]): Write =>
  (out) => {
    for (const write of writes) write(out)
  }

/** Blocks one after another. `lead` stands before the text of the first, `indent` before that of the others. */
type WriteBlocks = (parts: Block[], indent: string, lead: string) => Write

/**
 * Compiles the blocks of a letter.
 * @param writeLine compiles a line of words: see {@link lineWriter}.
 * @param pictureAddress where a picture of the letter is found.
 * @param signature the lines that stand where the letter keeps the place for a signature.
 * @param forPaper whether choices are boxes to be ticked.
 */
export function blockWriter(
  slots: Slots,
  writeLine: (line: Inline[], wrap: Wrap) => Write,
  pictureAddress: (src: string) => string,
  signature: string,
  forPaper: boolean,
): WriteBlocks {
  const { hand, templateLine, addressPlace, linkPlace, use } = slots
  /** How many choices stand before: they are numbered through the whole letter. */
  let numbered = 0
  const lineBlock = (block: LineBlock, lead: string, indent: string): Write => {
    const line = block.content ?? []
    const end = indent === '' ? '\n\n' : '\n'
    switch (block.type) {
      case 'paragraph': {
        const open = `<p style="${indent === '' ? paragraphStyle : 'margin:0'}">`
        const empty = line.length === 0 ? '&nbsp;' : ''
        return writeLine(line, { html: [[open], `${empty}</p>`], text: [lead, [end]], indent })
      }
      case 'heading': {
        const level = Math.min(3, Math.max(1, block.attrs.level))
        const open = `<h${level} style="${headingStyles[level - 1]}">`
        return writeLine(line, { html: [[open], `</h${level}>`], text: [lead, [end]], indent })
      }
      case 'band': {
        const color = /^#[0-9a-f]{6}$/i.test(block.attrs.color) ? block.attrs.color : accent
        const open = `<table role="presentation" width="100%" cellpadding="0" cellspacing="0" style="margin:0 0 20px 0"><tr><td style="background-color:${color};color:${inkOn(color)};padding:18px 20px;font-size:20px;font-weight:bold;line-height:1.3">`
        return writeLine(line, { html: [[open], '</td></tr></table>'], text: [lead, [end]], indent })
      }
      case 'button': {
        const place = addressPlace(block.attrs.href)
        const open = [
          `<table role="presentation" cellpadding="0" cellspacing="0" style="margin:0 0 16px 0"><tr><td style="background-color:${accent};border-radius:3px"><a`,
          place,
          ' style="display:inline-block;padding:10px 22px;color:#ffffff;font-weight:bold;text-decoration:none">',
        ]
        return writeLine(line, {
          html: [open, '</a></td></tr></table>'],
          text: [lead, [linkPlace(place), end]],
          indent,
        })
      }
    }
  }

  const leafBlock = (block: LeafBlock, lead: string): Write => {
    switch (block.type) {
      case 'image': {
        const { src, alt, width } = block.attrs
        const words = templateLine(alt ?? '')
        const address = escapeHtml(pictureAddress(src))
        const size = width ? ` width="${Math.round(width)}"` : ''
        return (out) => {
          const said = words()
          out.html += `<p style="${paragraphStyle}"><img src="${address}" alt="${escapeHtml(said)}"${size} style="max-width:100%;height:auto;border:0"></p>`
          if (said) out.text += `${lead}[${said}]\n\n`
        }
      }
      case 'rowsTable': {
        const found = block.attrs.columns.flatMap((name) => use(name) ?? [])
        const totals = (block.attrs.totals ?? []).flatMap((name) => use(name)?.id ?? [])
        return (out) => {
          const table = rowsTable(found, hand.rows, totals)
          out.html += table.html
          out.text += `${table.text}\n`
        }
      }
      case 'horizontalRule':
        return fixed('<hr style="border:0;border-top:1px solid #c6d1cc;margin:20px 0">', `${lead}${'-'.repeat(20)}\n\n`)
      case 'personalNote':
        return (out) => {
          for (const words of hand.note.trim().split(/\n[ \t]*\n/)) {
            if (words.trim() === '') continue
            out.html += `<p style="${paragraphStyle}">${htmlLines(words.trim())}</p>`
            out.text += `${lead}${words.trim()}\n\n`
          }
        }
      case 'choices': {
        const choices = writtenChoices(block.attrs.choices)
        const first = numbered
        numbered += choices.length
        if (choices.length === 0) return () => undefined
        return forPaper ? boxesWriter(choices, lead) : choicesWriter(choices, first, lead)
      }
      case 'signature': {
        const lines = signature.trim()
        return lines === ''
          ? () => undefined
          : fixed(`<p style="${paragraphStyle}">${htmlLines(lines)}</p>`, `${lead}${lines}\n\n`)
      }
    }
  }

  const holderBlock = (block: HolderBlock, lead: string, indent: string): Write => {
    switch (block.type) {
      case 'bulletList':
      case 'orderedList': {
        const tag = block.type === 'bulletList' ? 'ul' : 'ol'
        const items = (block.content ?? []).map((item, n) => {
          const bullet = tag === 'ul' ? '- ' : `${n + 1}. `
          const inside = blocks(item.content ?? [], indent + ' '.repeat(bullet.length), indent + bullet)
          return (out: Out) => {
            const own: Out = { html: '', text: '' }
            inside(own)
            if (own.html === '') return
            out.html += `<li style="margin:0 0 6px 0">${own.html}</li>`
            out.text += own.text
          }
        })
        const write = all(items)
        return (out) => {
          out.html += `<${tag} style="margin:0 0 16px 0;padding:0 0 0 26px">`
          write(out)
          out.html += `</${tag}>`
          if (indent === '') out.text += '\n'
        }
      }
      case 'table': {
        const lines = (block.content ?? []).map((line) =>
          (line.content ?? []).map((cell) => ({
            tag: cell.type === 'tableHeader' ? 'th' : 'td',
            write: blocks(cell.content ?? [], ' ', ''),
          })),
        )
        return (out) => {
          out.html += '<table cellpadding="0" cellspacing="0" style="border-collapse:collapse;margin:0 0 16px 0">'
          const texts = lines.map((line) => {
            out.html += '<tr>'
            const cells = line.map(({ tag, write }) => {
              const own: Out = { html: '', text: '' }
              write(own)
              out.html += `<${tag} style="border:1px solid #c6d1cc;padding:6px 10px;text-align:left;vertical-align:top">${own.html}</${tag}>`
              return onOneLine(own.text.trim(), ' ')
            })
            out.html += '</tr>'
            return cells
          })
          out.html += '</table>'
          out.text += `${cellsAsText(texts)}\n`
        }
      }
      case 'twoColumns': {
        const sides = (block.content ?? []).map((side) => blocks(side.content ?? [], '', ''))
        // Side by side where there is room, one below the other where there is not; a table where only tables are understood.
        return (out) => {
          out.html += '<!--[if mso]><table role="presentation" width="600"><tr><![endif]-->'
          for (const side of sides) {
            out.html += `<!--[if mso]><td width="290" valign="top"><![endif]--><div style="display:inline-block;width:100%;max-width:278px;vertical-align:top;margin-right:10px">`
            side(out)
            out.html += '</div><!--[if mso]></td><![endif]-->'
          }
          out.html += '<!--[if mso]></tr></table><![endif]-->'
        }
      }
      case 'passage': {
        const parts = block.content ?? []
        const inside = parts.flatMap((part) => (part.type === 'otherwise' ? [] : [part]))
        const outside = parts.flatMap((part) => (part.type === 'otherwise' ? (part.content ?? []) : []))
        const { fits, yes, no } = slots.passage(
          block.attrs.selection,
          () => blocks(inside, indent, lead),
          () => blocks(outside, indent, lead),
        )
        return (out) => (fits() ? yes : no)(out)
      }
    }
  }
  const blocks: WriteBlocks = (parts, indent, lead) =>
    all(
      parts.map((block, i) => {
        const before = i === 0 ? lead : indent
        if (isLine(block)) return lineBlock(block, before, indent)
        return isHolder(block) ? holderBlock(block, before, indent) : leafBlock(block, before)
      }),
    )

  return blocks
}
