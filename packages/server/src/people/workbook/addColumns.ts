import { xmlText } from '../../files/xml.ts'
import { WorkbookFault } from './limits.ts'
import { readContents, readRelations, readStyles } from './xlsx.ts'

/** A cell that is added: words, a number, or a moment by the clock on the wall, told in ms since 1970 as if that clock were UTC's. */
export type AddedCell = { text: string } | { number: number } | { wall: number } | null

/** What is added at the right of a sheet. */
export interface Added {
  /** Which sheet, from 0. */
  sheet: number
  /** The row (from 1) that the headings stand in, and the headings. */
  headingsAt: number
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

/** The tags of a well-formed document from a place on, one after another; comments, CDATA and instructions are passed over. */
function* tagsOf(xml: string, from = 0): Generator<Tag> {
  for (let at = xml.indexOf('<', from); at >= 0; ) {
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
  // A number of its own: the same code may stand where no cell can name it, as in what is shown under a condition.
  const format = [...codes.keys()].reduce((most, id) => Math.max(most, id + 1), 164)
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
  if (formats?.kind === 'open') edits.push([formats.from, formats.to, `${counted(formats, 1)}${numFmt}`])
  else {
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

/** A row as it stands in a sheet: its opening tag, and where its closing one begins; null where it is empty. */
interface SheetRow {
  number: number
  from: number
  to: number
  close: number | null
  /** The column of its last cell, from 1, and the style of that; 0 where it has none. */
  last: number
  style: string | null
}

/** The column of a reference such as "AB12", from 1; 0 where it has none. */
function columnOf(reference: string): number {
  let n = 0
  for (const c of reference.slice(0, 4)) {
    if (c < 'A' || c > 'Z') break
    n = 26 * n + c.charCodeAt(0) - 64
  }
  return n
}

/** The last cell of a row, whose cells stand in their order (18.3.1.73); one that does not say its place stands behind the one before it. */
function lastCell(xml: string, from: number, close: number, prefix: string): Pick<SheetRow, 'last' | 'style'> {
  // Within the row alone: of a whole sheet it would be looked for to its beginning, row by row.
  const row = xml.slice(from, close)
  const at = row.lastIndexOf(`<${prefix}c `)
  if (at >= 0) {
    const tag = row.slice(at, row.indexOf('>', at) + 1)
    const r = attribute(tag, 'r')
    if (r !== undefined && row.lastIndexOf(`<${prefix}c>`) < at)
      return { last: columnOf(r), style: attribute(tag, 's') ?? null }
  }
  let [last, style]: [number, string | null] = [0, null]
  for (const tag of tagsOf(row)) {
    if (local(tag.name) !== 'c' || tag.kind === 'close') continue
    const whole = row.slice(tag.from, tag.to)
    const r = attribute(whole, 'r')
    last = r === undefined ? last + 1 : columnOf(r)
    style = attribute(whole, 's') ?? null
  }
  return { last, style }
}

/** The rows of a sheet, in their order. Looked for by the names of their tags: there may be a million cells between. */
function* rowsOf(xml: string, begin: number, end: number, prefix: string): Generator<SheetRow> {
  const opening = `<${prefix}row`
  const closing = `</${prefix}row`
  let number = 0
  for (let at = xml.indexOf(opening, begin); at >= 0 && at < end; ) {
    const behind = xml[at + opening.length]
    if (!' \t\r\n/>'.includes(behind)) {
      at = xml.indexOf(opening, at + opening.length)
      continue
    }
    const to = xml.indexOf('>', at) + 1
    const r = attribute(xml.slice(at, to), 'r')
    number = r === undefined ? number + 1 : Number(r)
    const empty = xml[to - 2] === '/'
    const close = empty ? null : xml.indexOf(closing, to)
    if (close !== null && (close < 0 || close > end))
      throw new WorkbookFault('a row of it is not whole; the file is damaged.')
    yield {
      number,
      from: at,
      to,
      close,
      ...(close === null ? { last: 0, style: null } : lastCell(xml, to, close, prefix)),
    }
    at = xml.indexOf(opening, close ?? to)
  }
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
  { sheet, headingsAt, headings, rows }: Added,
): Map<string, Buffer> {
  const contents = parts.get('xl/workbook.xml')
  if (!contents) throw new WorkbookFault('it is not of the format .xlsx.')
  const { sheets, date1904 } = readContents(contents)
  const path = readRelations(parts.get('xl/_rels/workbook.xml.rels')).get(sheets[sheet]?.id ?? '')
  const content = path === undefined ? undefined : parts.get(path)
  if (path === undefined || !content) throw new WorkbookFault('the sheet is not in it any more.')
  const styles = parts.get('xl/styles.xml')
  const styled = styles ? withMomentStyle(textOf(styles)) : null
  // What is no part of the table between its rows would be in the way of finding them, and says nothing to anybody.
  const xml = withoutComments(textOf(content))
  const head: Tag[] = []
  let data: Tag | null = null
  for (const tag of tagsOf(xml)) {
    if (local(tag.name) === 'sheetData') {
      data = tag
      break
    }
    head.push(tag)
  }
  if (data === null) throw new WorkbookFault('its sheet has no place for cells; the file is damaged.')
  const prefix = data.name.slice(0, data.name.length - 'sheetData'.length)
  const end = data.kind === 'empty' ? data.to : xml.indexOf(`</${data.name}`, data.to)
  if (end < 0) throw new WorkbookFault('a part of it is not whole; the file is damaged.')
  const there = data.kind === 'empty' ? [] : [...rowsOf(xml, data.to, end, prefix)]
  let last = there.reduce((most, row) => Math.max(most, row.last), 0)
  for (const tag of tagsOf(xml, end))
    if (local(tag.name) === 'mergeCell')
      last = Math.max(last, columnOf(attribute(xml.slice(tag.from, tag.to), 'ref')?.split(':').at(-1) ?? ''))
  const headingStyle = there.find((row) => row.number === headingsAt)?.style ?? null
  const first = last + 1
  if (first + headings.length - 1 > lastColumn)
    throw new WorkbookFault('its sheet is full to the last column, so there is no room at its right.')

  const cellXml = (row: number, cell: AddedCell, i: number, style: string | null): string => {
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
  const added = new Map<number, () => string>()
  for (const [row, cells] of rows) added.set(row, () => cells.map((cell, i) => cellXml(row, cell, i, null)).join(''))
  if (headingsAt > 0)
    added.set(headingsAt, () =>
      headings.map((words, i) => cellXml(headingsAt, { text: words }, i, headingStyle)).join(''),
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
  const edits: [from: number, to: number, text: string][] = []
  const described: string[] = []
  let columnsAt: { from: number; to: number } | null = null
  for (const tag of head) {
    const whole = xml.slice(tag.from, tag.to)
    const name = local(tag.name)
    if (name === 'dimension' && tag.kind !== 'close') {
      const ref = attribute(whole, 'ref') ?? ''
      const [from = 'A1', to = from] = ref.split(':')
      const lastRow = Math.max(order.at(-1) ?? 1, Number(to.replace(/\D/g, '')) || 1)
      edits.push([tag.from, tag.to, whole.replace(ref, `${from}:${letters(first + headings.length - 1)}${lastRow}`)])
    } else if (name === 'cols') {
      if (tag.kind !== 'close') columnsAt = { from: tag.from, to: tag.to }
      else if (columnsAt) columnsAt.to = tag.to
    } else if (name === 'col' && tag.kind !== 'close') described.push(whole)
  }
  const cols = withWidths(described, first, widths, prefix)
  edits.push(columnsAt ? [columnsAt.from, columnsAt.to, cols] : [data.from, data.from, cols])

  let next = 0
  /** Rows that the sheet has not, up to one that it has. */
  const missing = (before: number) => {
    let out = ''
    for (; next < order.length && order[next] < before; next++)
      out += `<${prefix}row r="${order[next]}">${added.get(order[next])!()}</${prefix}row>`
    return out
  }
  for (const row of there) {
    const before = missing(row.number)
    if (order[next] !== row.number) {
      if (before !== '') edits.push([row.from, row.from, before])
      continue
    }
    const cells = added.get(order[next++])!()
    // How far a row reaches is a hint only (18.3.1.73), and would be wrong now.
    const open = without(xml.slice(row.from, row.to), 'spans')
    if (row.close === null)
      edits.push([row.from, row.to, `${before}${open.slice(0, -2).trimEnd()}>${cells}</${prefix}row>`])
    else edits.push([row.from, row.to, before + open], [row.close, row.close, cells])
  }
  const rest = missing(Number.POSITIVE_INFINITY)
  if (data.kind === 'empty') edits.push([data.from, data.to, `<${data.name}>${rest}</${data.name}>`])
  else if (rest !== '') edits.push([end, end, rest])
  const out = new Map([[path, Buffer.from(edited(xml, edits))]])
  if (styled) out.set('xl/styles.xml', Buffer.from(styled.xml))
  return out
}

/** Characters that stand in a text and that XML, or the format of strings (22.9.2.19), has another way of writing. */
const stringXml = (words: string) => xmlText(words.slice(0, longestText).replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_'))
/** Characters of a cell, as programs take them. */
const longestText = 32_767

/** XML without comments, and with CDATA as plain text. Most sheets have neither. */
function withoutComments(xml: string): string {
  if (!xml.includes('<!--') && !xml.includes('<![CDATA[')) return xml
  const kinds = [
    { opens: '<!--', closes: '-->', kept: () => '' },
    { opens: '<![CDATA[', closes: ']]>', kept: xmlText },
  ].map((kind) => ({ ...kind, next: xml.indexOf(kind.opens) }))
  let out = ''
  for (let at = 0; ; ) {
    const there = kinds.filter((kind) => kind.next >= 0)
    if (there.length === 0) return out + xml.slice(at)
    const first = there.reduce((a, b) => (a.next < b.next ? a : b))
    const end = xml.indexOf(first.closes, first.next + first.opens.length)
    if (end < 0) throw new WorkbookFault('a part of it is not whole; the file is damaged.')
    out += xml.slice(at, first.next) + first.kept(xml.slice(first.next + first.opens.length, end))
    at = end + first.closes.length
    for (const kind of kinds) if (kind.next >= 0 && kind.next < at) kind.next = xml.indexOf(kind.opens, at)
  }
}

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
