import { escapeHtml } from '@hand-post/core'

/** Characters of a picture of a letter: a larger one is not shown. */
export const largestPicture = 4_000_000

/** A part of a document as its reader gives it, with what says how it looks. */
interface Part {
  type: string
  children?: Part[]
  value?: string
  styleName?: string | null
  alignment?: string | null
  indent?: { start?: string | null } | null
  numbering?: { isOrdered: boolean; level: string } | null
  isBold?: boolean
  isItalic?: boolean
  isUnderline?: boolean
  isStrikethrough?: boolean
  isAllCaps?: boolean
  isSmallCaps?: boolean
  verticalAlignment?: string
  font?: string | null
  fontSize?: number | null
  colSpan?: number
  rowSpan?: number
  isHeader?: boolean
  breakType?: string
  altText?: string
  contentType?: string
  readAsBase64String?: () => Promise<string>
}

const alignments: Record<string, string> = { center: 'center', right: 'right', end: 'right', both: 'justify' }
const headingSizes = [22, 17, 14, 12, 11, 11]

/** What a run's looks are in CSS. */
function runStyle(run: Part): string {
  const lines = [run.isUnderline && 'underline', run.isStrikethrough && 'line-through'].filter(Boolean).join(' ')
  return [
    run.isBold && 'font-weight:bold',
    run.isItalic && 'font-style:italic',
    lines && `text-decoration:${lines}`,
    run.isAllCaps && 'text-transform:uppercase',
    run.isSmallCaps && 'font-variant:small-caps',
    run.verticalAlignment === 'superscript' && 'vertical-align:super;font-size:smaller',
    run.verticalAlignment === 'subscript' && 'vertical-align:sub;font-size:smaller',
    run.font && `font-family:'${run.font.replace(/[^\w -]/g, '')}'`,
    run.fontSize && `font-size:${Math.min(200, run.fontSize)}pt`,
  ]
    .filter(Boolean)
    .join(';')
}

/**
 * Draws a document as it looked, as far as HTML can: alignment, fonts, sizes, struck-out words and pictures, none of which a letter need
 * keep. It is looked at beside the letter that was made of it, in a frame that runs and fetches nothing.
 * @returns the body of the picture; null where it would be too large to be shown.
 */
export async function drawDocument(document: Part): Promise<string | null> {
  const out: string[] = []
  let length = 0
  const put = (text: string) => {
    length += text.length
    if (length <= largestPicture) out.push(text)
  }
  const within = async (open: string, part: Part, close: string) => {
    put(open)
    for (const child of part.children ?? []) await draw(child)
    put(close)
  }
  const draw = async (part: Part): Promise<void> => {
    if (length > largestPicture) return
    switch (part.type) {
      case 'text':
        return put(escapeHtml(part.value ?? ''))
      case 'tab':
        return put('&emsp;')
      case 'break':
        return put(part.breakType === 'page' ? '<hr style="border-top:1px dashed #999">' : '<br>')
      case 'run':
        return within(`<span style="${escapeHtml(runStyle(part))}">`, part, '</span>')
      case 'hyperlink':
        return within('<u style="color:#0645ad">', part, '</u>')
      case 'paragraph': {
        const level = /^heading ([1-6])/i.exec(part.styleName ?? '')?.[1] ?? (part.styleName === 'Title' ? '1' : null)
        const indent = Number(part.indent?.start ?? 0) / 20
        const listed = part.numbering ? 18 * (Number(part.numbering.level) + 1) : 0
        const style = [
          'margin:0 0 8pt 0',
          alignments[part.alignment ?? ''] && `text-align:${alignments[part.alignment ?? '']}`,
          indent + listed > 0 && `margin-left:${Math.min(200, Math.max(indent, listed))}pt`,
          level && `font-weight:bold;font-size:${headingSizes[Number(level) - 1]}pt`,
        ]
        const sign = part.numbering ? (part.numbering.isOrdered ? '# ' : '• ') : ''
        return within(`<p style="${style.filter(Boolean).join(';')}">${sign}`, part, '&#8203;</p>')
      }
      case 'table':
        return within('<table style="border-collapse:collapse;margin:0 0 8pt 0">', part, '</table>')
      case 'tableRow':
        return within('<tr>', part, '</tr>')
      case 'tableCell':
        return within(
          `<td colspan="${part.colSpan ?? 1}" rowspan="${part.rowSpan ?? 1}" style="border:1px solid #999;padding:2pt 5pt;vertical-align:top">`,
          part,
          '</td>',
        )
      case 'image': {
        const data = await part.readAsBase64String?.().catch(() => null)
        if (!data || !/^image\/[\w.+-]{1,40}$/.test(part.contentType ?? '')) return
        return put(`<img style="max-width:100%" src="data:${part.contentType};base64,${data}">`)
      }
      default:
        return within('', part, '')
    }
  }
  await draw(document)
  return length > largestPicture ? null : out.join('')
}

/** Whether the runs of a document have more than one font or size: a letter has one. */
export function hasOwnFonts(document: Part): boolean {
  const looks = new Set<string>()
  const parts: Part[] = [document]
  for (let part = parts.pop(); part; part = parts.pop()) {
    if (part.type === 'run' && (part.font || part.fontSize)) looks.add(`${part.font} ${part.fontSize}`)
    if (looks.size > 1) return true
    for (const child of part.children ?? []) parts.push(child)
  }
  return false
}
