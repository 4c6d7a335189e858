import { readXml } from '../../files/sax.ts'
import { xmlText } from '../../files/xml.ts'
import { WorkbookFault } from './limits.ts'
import { namespaces, readContents, readRelations, readStyles } from './xlsx.ts'

/** A cell that is added: words, a number, or a moment by the clock on the wall, told in ms since 1970 as if that clock were UTC's. */
export type AddedCell = { text: string } | { number: number } | { wall: number } | null

/** What is added at the right of a sheet. */
export interface Added {
  /** Which sheet, from 0. */
  sheet: number
  /** The row (from 1) that the headings stand in, and the headings. */
  headingRow: number
  headings: readonly string[]
  /** The cells of each row, by its number from 1. */
  rows: ReadonlyMap<number, readonly AddedCell[]>
}

/** How a moment is shown in a cell. */
const momentCode = 'yyyy-mm-dd hh:mm'
/** The last column of a sheet (ECMA-376, as programs have it), and how wide (characters) those are that are added. */
const lastColumn = 16_384
const momentWidth = 17
const textWidth = 24

const day = 86_400_000
/** The day number of 1 January 1970 in the two date systems (ECMA-376 Part 1, 18.17.4.1). */
const epoch = { 1900: 25_569, 1904: 24_107 }

/** A column by its number, from 1, as references have it: "AB". */
function letters(column: number): string {
  let name = ''
  for (let n = column; n > 0; n = Math.floor((n - 1) / 26)) name = String.fromCharCode(65 + ((n - 1) % 26)) + name
  return name
}

const local = (tag: string) => tag.slice(tag.indexOf(':') + 1)

/** A piece of XML: a tag from `<` to behind `>`, with its name as written. Everything else lies between the tags. */
interface Tag {
  name: string
  from: number
  to: number
  kind: 'open' | 'close' | 'empty'
}

/** The tags of a well-formed document, one after another; comments, CDATA and instructions are passed over. */
function* tagsOf(xml: string): Generator<Tag> {
  for (let at = xml.indexOf('<'); at >= 0; ) {
    const skip = (ending: string) => {
      const end = xml.indexOf(ending, at)
      if (end < 0) throw new WorkbookFault('a part of it is not whole; the file is damaged.')
      return end + ending.length
    }
    let to: number
    if (xml.startsWith('<!--', at)) to = skip('-->')
    else if (xml.startsWith('<![CDATA[', at)) to = skip(']]>')
    else if (xml.startsWith('<?', at)) to = skip('?>')
    else {
      let quote = ''
      for (to = at + 1; to < xml.length; to++) {
        const c = xml[to]
        if (quote !== '') {
          if (c === quote) quote = ''
        } else if (c === '"' || c === "'") quote = c
        else if (c === '>') break
      }
      if (to >= xml.length) throw new WorkbookFault('a part of it is not whole; the file is damaged.')
      to++
      const close = xml[at + 1] === '/'
      let end = at + (close ? 2 : 1)
      const begin = end
      while (end < to - 1 && !' \t\r\n/>'.includes(xml[end])) end++
      yield {
        name: xml.slice(begin, end),
        from: at,
        to,
        kind: close ? 'close' : xml[to - 2] === '/' ? 'empty' : 'open',
      }
    }
    at = xml.indexOf('<', to)
  }
}

/** The value of an attribute of a tag, as it is written; undefined where it has none. */
function attribute(tag: string, name: string): string | undefined {
  for (const mark of [' ', '\t', '\n', '\r']) {
    const at = tag.indexOf(`${mark}${name}=`)
    if (at < 0) continue
    const quote = tag[at + name.length + 2]
    const begin = at + name.length + 3
    const end = tag.indexOf(quote, begin)
    return end < 0 ? undefined : tag.slice(begin, end)
  }
  return undefined
}

/** A tag without one of its attributes. */
function without(tag: string, name: string): string {
  const value = attribute(tag, name)
  if (value === undefined) return tag
  for (const quote of ['"', "'"]) {
    const whole = `${name}=${quote}${value}${quote}`
    const at = tag.indexOf(whole)
    if (at > 0) return tag.slice(0, at).trimEnd() + tag.slice(at + whole.length)
  }
  return tag
}

/** The style of cells that show moments: it is added behind those that are there. Gives its number, and the part. */
function withMomentStyle(xml: string): { xml: string; style: number } {
  const { codes, ids } = readStyles(Buffer.from(xml))
  let format = 164
  for (const [id, code] of codes) {
    if (code === momentCode) {
      format = id
      break
    }
    format = Math.max(format, id + 1)
  }
  const isNew = codes.get(format) !== momentCode
  let [formats, cells, root]: (Tag | null)[] = [null, null, null]
  let closing: number | null = null
  for (const tag of tagsOf(xml)) {
    root ??= tag
    const name = local(tag.name)
    if (name === 'numFmts' && tag.kind !== 'close') formats = tag
    if (name === 'cellXfs' && tag.kind === 'open') cells = tag
    if (name === 'cellXfs' && tag.kind === 'close') closing = tag.from
  }
  if (root === null || cells === null || closing === null)
    throw new WorkbookFault('its styles have no cells; the file is damaged.')
  const prefix = root.name.slice(0, root.name.length - local(root.name).length)
  const counted = (tag: Tag, more: number) => {
    const text = xml.slice(tag.from, tag.to)
    const count = attribute(text, 'count')
    return count === undefined ? text : text.replace(/count=(["'])\d+\1/, `count="${Number(count) + more}"`)
  }
  const numFmt = `<${prefix}numFmt numFmtId="${format}" formatCode="${momentCode}"/>`
  const edits: [from: number, to: number, text: string][] = [
    [cells.from, cells.to, counted(cells, 1)],
    [
      closing,
      closing,
      `<${prefix}xf numFmtId="${format}" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/>`,
    ],
  ]
  if (isNew && formats?.kind === 'open') edits.push([formats.from, formats.to, `${counted(formats, 1)}${numFmt}`])
  else if (isNew) {
    // Formats stand before everything else in the part (18.8.39).
    const at = formats ? formats.from : root.to
    edits.push([at, formats ? formats.to : at, `<${prefix}numFmts count="1">${numFmt}</${prefix}numFmts>`])
  }
  return { xml: edited(xml, edits), style: ids.length }
}

/** A text with pieces of it replaced; the pieces do not overlap. */
function edited(text: string, edits: [from: number, to: number, text: string][]): string {
  let done = 0
  let out = ''
  for (const [from, to, piece] of edits.sort((a, b) => a[0] - b[0])) {
    out += text.slice(done, from) + piece
    done = to
  }
  return out + text.slice(done)
}

/** The last column that any cell of a sheet stands in, or that is merged; and the style of the last cell of a row. */
function lookOver(content: Buffer, headingRow: number): { last: number; headingStyle: string | null } {
  let last = 0
  let row = 0
  let column = 0
  let headingStyle: string | null = null
  const columnOf = (reference: string) => {
    let n = 0
    for (const c of reference.slice(0, 4)) {
      if (c < 'A' || c > 'Z') break
      n = 26 * n + c.charCodeAt(0) - 64
    }
    return n
  }
  readXml(content, namespaces, {
    open(tag, a) {
      if (tag === 'row') {
        row = a.r === undefined ? row + 1 : Number(a.r)
        column = 0
      } else if (tag === 'c') {
        column = a.r === undefined ? column + 1 : columnOf(a.r)
        last = Math.max(last, column)
        if (row === headingRow) headingStyle = a.s ?? null
      } else if (tag === 'mergeCell') last = Math.max(last, columnOf((a.ref ?? '').split(':').at(-1) ?? ''))
    },
  })
  return { last, headingStyle }
}

/** The columns of a sheet (18.3.1.17) with those that are added, whatever was said of all columns behind the last. */
function withWidths(described: string[], first: number, widths: readonly number[], prefix: string): string {
  const end = first + widths.length - 1
  const out: string[] = []
  for (const tag of described) {
    const [min, max] = [Number(attribute(tag, 'min')), Number(attribute(tag, 'max'))]
    const cut = (from: number, to: number) =>
      tag.replace(/\bmin=(["'])\d+\1/, `min="${from}"`).replace(/\bmax=(["'])\d+\1/, `max="${to}"`)
    if (max < first || min > end) out.push(tag)
    else {
      if (min < first) out.push(cut(min, first - 1))
      if (max > end) out.push(cut(end + 1, max))
    }
  }
  const at = out.findIndex((tag) => Number(attribute(tag, 'min')) > end)
  const own = widths.map(
    (width, i) => `<${prefix}col min="${first + i}" max="${first + i}" width="${width}" customWidth="1"/>`,
  )
  out.splice(at < 0 ? out.length : at, 0, ...own)
  return `<${prefix}cols>${out.join('')}</${prefix}cols>`
}

/**
 * Adds columns at the right of one sheet of a .xlsx workbook (ECMA-376 Part 1, 18.3). Nothing else of it is touched: all other parts stay as
 * they are to the byte, and of this sheet every cell, format, width and formula.
 * @param parts all parts of the workbook.
 * @returns those that are others now: the sheet, and the styles.
 * @throws WorkbookFault, in words, where that cannot be done.
 */
export function addColumns(
  parts: ReadonlyMap<string, Buffer>,
  { sheet, headingRow, headings, rows }: Added,
): Map<string, Buffer> {
  const { sheets, date1904 } = readContents(parts.get('xl/workbook.xml')!)
  const path = readRelations(parts.get('xl/_rels/workbook.xml.rels')).get(sheets[sheet]?.id ?? '')
  const content = path === undefined ? undefined : parts.get(path)
  if (path === undefined || !content) throw new WorkbookFault('the sheet is not in it any more.')
  const styles = parts.get('xl/styles.xml')
  const styled = styles ? withMomentStyle(textOf(styles)) : null
  const { last, headingStyle } = lookOver(content, headingRow)
  const first = last + 1
  if (first + headings.length - 1 > lastColumn)
    throw new WorkbookFault('its sheet is full to the last column, so there is no room at its right.')

  const cellXml = (prefix: string, row: number, cell: AddedCell, i: number, style: string | null): string => {
    if (cell === null) return ''
    const r = `r="${letters(first + i)}${row}"`
    if ('number' in cell) return `<${prefix}c ${r}><${prefix}v>${cell.number}</${prefix}v></${prefix}c>`
    if ('wall' in cell && styled) {
      const serial = cell.wall / day + (date1904 ? epoch[1904] : epoch[1900])
      return `<${prefix}c ${r} s="${styled.style}"><${prefix}v>${serial}</${prefix}v></${prefix}c>`
    }
    const words = 'wall' in cell ? new Date(cell.wall).toISOString().slice(0, 16).replace('T', ' ') : cell.text
    const s = style === null ? '' : ` s="${style}"`
    return `<${prefix}c ${r}${s} t="inlineStr"><${prefix}is><${prefix}t xml:space="preserve">${stringXml(words)}</${prefix}t></${prefix}is></${prefix}c>`
  }
  const added = new Map<number, (prefix: string) => string>()
  for (const [row, cells] of rows)
    added.set(row, (prefix) => cells.map((cell, i) => cellXml(prefix, row, cell, i, null)).join(''))
  added.set(headingRow, (prefix) =>
    headings.map((words, i) => cellXml(prefix, headingRow, { text: words }, i, headingStyle)).join(''),
  )
  const order = [...added.keys()].sort((a, b) => a - b)

  const widths = headings.map((_, i) =>
    [...rows.values()].some((cells) => {
      const cell = cells[i]
      return cell !== null && cell !== undefined && 'wall' in cell
    })
      ? momentWidth
      : textWidth,
  )
  const xml = textOf(content)
  const edits: [from: number, to: number, text: string][] = []
  const described: string[] = []
  let columnsAt: { from: number; to: number } | null = null
  let next = 0
  let row = 0
  /** Rows that the sheet has not, up to one that it has. */
  const missing = (before: number, prefix: string) => {
    let out = ''
    for (; next < order.length && order[next] < before; next++)
      out += `<${prefix}row r="${order[next]}">${added.get(order[next])!(prefix)}</${prefix}row>`
    return out
  }
  for (const tag of tagsOf(xml)) {
    const name = local(tag.name)
    const prefix = tag.name.slice(0, tag.name.length - name.length)
    const whole = () => xml.slice(tag.from, tag.to)
    if (name === 'dimension' && tag.kind !== 'close') {
      const ref = attribute(whole(), 'ref') ?? ''
      const [from = 'A1', to = from] = ref.split(':')
      const lastRow = Math.max(order.at(-1) ?? 1, Number(to.replace(/\D/g, '')) || 1)
      edits.push([tag.from, tag.to, whole().replace(ref, `${from}:${letters(first + headings.length - 1)}${lastRow}`)])
    } else if (name === 'cols') {
      if (tag.kind !== 'close') columnsAt = { from: tag.from, to: tag.to }
      else if (columnsAt) columnsAt.to = tag.to
    } else if (name === 'col' && tag.kind !== 'close') described.push(whole())
    else if (name === 'sheetData' && tag.kind !== 'close') {
      const cols = withWidths(described, first, widths, prefix)
      edits.push(columnsAt ? [columnsAt.from, columnsAt.to, cols] : [tag.from, tag.from, cols])
      if (tag.kind === 'empty')
        edits.push([
          tag.from,
          tag.to,
          `<${prefix}sheetData>${missing(Number.POSITIVE_INFINITY, prefix)}</${prefix}sheetData>`,
        ])
    } else if (name === 'sheetData') edits.push([tag.from, tag.from, missing(Number.POSITIVE_INFINITY, prefix)])
    else if (name === 'row') {
      if (tag.kind !== 'close') {
        const r = attribute(whole(), 'r')
        row = r === undefined ? row + 1 : Number(r)
        const before = missing(row, prefix)
        if (order[next] !== row) {
          if (before !== '') edits.push([tag.from, tag.from, before])
          continue
        }
        // How far a row reaches is a hint only (18.3.1.73), and would be wrong now.
        const open = without(whole(), 'spans')
        if (tag.kind === 'open') edits.push([tag.from, tag.to, before + open])
        else {
          const cells = added.get(row)!(prefix)
          edits.push([tag.from, tag.to, `${before}${open.slice(0, -2).trimEnd()}>${cells}</${prefix}row>`])
          next++
        }
      } else if (order[next] === row) {
        edits.push([tag.from, tag.from, added.get(row)!(prefix)])
        next++
      }
    }
  }
  const out = new Map([[path, Buffer.from(edited(xml, edits))]])
  if (styled) out.set('xl/styles.xml', Buffer.from(styled.xml))
  return out
}

/** Characters that stand in a text and that XML, or the format of strings (22.9.2.19), has another way of writing. */
const stringXml = (words: string) => xmlText(words.slice(0, longestText).replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_'))
/** Characters of a cell, as programs take them. */
const longestText = 32_767

/** A part as text. Workbooks are written in UTF-8, now and then in UTF-16 (18.2; XML 1.0, 4.3.3). */
function textOf(content: Buffer): string {
  if (content[0] === 0xff && content[1] === 0xfe)
    return content
      .subarray(2)
      .toString('utf16le')
      .replace(/encoding=(["'])utf-16\1/i, 'encoding="UTF-8"')
  const text = content.toString('utf8')
  return text.startsWith('\ufeff') ? text.slice(1) : text
}
